import { csvRows as benchRows } from "../bench/csv";
import { csvText } from "../csv";
import { FORM_WORDS } from "../words/findings";
import {
  candidateLine,
  day,
  everyFigure,
  figureCells,
  figureHeads,
  runLine,
  verdictGroups,
  verdictLine,
} from "../words/report";
import type { Report } from "./report";

/** Text as it stands in a cell of a Markdown table. */
const cell = (text: string): string => text.replaceAll("\\", "\\\\").replaceAll("|", "\\|").replaceAll("\n", " ");
const row = (cells: readonly string[]): string => `| ${cells.map(cell).join(" | ")} |`;
const table = (heads: readonly string[], rows: readonly (readonly string[])[]): string =>
  [row(heads), row(heads.map(() => "---")), ...rows.map(row)].join("\n");
/** Text by itself: what would be taken for a mark of Markdown is not one. */
const plain = (text: string): string => text.replace(/[\\`*_[\]<>#]/g, (mark) => `\\${mark}`);

/** A report as Markdown. */
export function reportMarkdown(report: Report): string {
  const has = (part: Report["parts"][number]) => report.parts.includes(part);
  const section = (title: string, text: string) => (text ? `## ${title}\n\n${text}` : "");
  const verdicts = report.verdicts.map((v) => [
    v.candidate,
    v.passage ?? "overall",
    v.verdict ?? "–",
    verdictLine(v).join("; "),
    v.known.map((k) => `${k.how}: ${k.says}. ${k.score}`).join("; "),
  ]);
  const runs = report.runs.map((run) =>
    [
      `### ${plain(`${FORM_WORDS[run.form]} on ${run.passage}: ${run.headline}`)}`,
      plain(runLine(run)),
      plain(run.detail),
      ...run.overruled.map((said) => `Overruled before the run: ${plain(said)}`),
      `Sealed before the first trial: \`${run.sealDigest}\``,
    ].join("\n\n"),
  );
  const settings = report.candidates
    .filter(({ isDry, settings: lines, bench, summary }) => !isDry && (lines.length + bench.length > 0 || summary))
    .map(({ name, version, summary, settings: lines, bench }) =>
      [
        `### ${plain([name, version].filter(Boolean).join(", "))}`,
        plain(summary),
        lines.map(({ parameter, value, unit }) => plain(`${parameter} ${value}${unit && ` ${unit}`}`)).join("; "),
        ...bench.map(plain),
      ]
        .filter(Boolean)
        .join("\n\n"),
    );
  const versions = Object.entries(report.versions).map(([name, version]) => `${name} ${version}`);
  return `${[
    `# ${plain(report.title)}`,
    `Findings, ${day(report.writtenAt)}. ${candidateLine(report)}`,
    section("Summary", summary(report)),
    section(
      "Verdicts and evidence",
      verdicts.length > 0 ? table(["Candidate", "Passage", "Verdict", "In words", "Evidence"], verdicts) : "",
    ),
    section("Contradictions", report.contradictions.map((c) => `- ${plain(`${c.passage}: ${c.says}`)}`).join("\n")),
    section("Blind runs", runs.join("\n\n")),
    has("figures") ? section("Figures", table(figureHeads(), report.renders.map(figureCells))) : "",
    section("Settings and Bench", settings.join("\n\n")),
    section("Notes", report.notes.map(({ about, text }) => `- On ${plain(`${about}: ${text}`)}`).join("\n")),
    has("method") ? section("Method", [...report.method, `Computations: ${versions.join(", ")}.`].join("\n\n")) : "",
  ]
    .filter(Boolean)
    .join("\n\n")}\n`;
}

/** As on the first page: the verdicts, how much runs show, and a sentence for each family. */
function summary(report: Report): string {
  if (report.sentences.length === 0) return "";
  return [
    ...verdictGroups(report).map(({ verdict, says }) => `- **${verdict}**: ${says.map(plain).join(", ")}`),
    `- **blind**: ${plain(report.claims)}`,
    ...report.sentences.map(({ family, says }) => `- **${family}**: ${plain(says)}`),
  ].join("\n");
}

/** Every figure of a report, one a row: of what, which, its value and its unit (RFC 4180). */
export function reportCsv(report: Report): string {
  const heads = ["of", "passage", "candidate", "figure", "value", "unit"];
  const renders = report.renders.flatMap((render) =>
    everyFigure(render).map(([figure, value, unit]) => [
      "render",
      render.passage,
      render.candidate,
      figure,
      value,
      unit,
    ]),
  );
  const runs = report.runs.flatMap((run, i) => {
    const of = (figure: string, value: string | number | null, unit = "") => [
      `run ${i + 1}`,
      run.passage,
      run.names.join(", "),
      figure,
      value,
      unit,
    ];
    return [
      of("form", run.form),
      of("ended", run.at),
      of("listener", run.listener),
      of("trials planned", run.trials),
      of("from", run.fromSeconds, "s"),
      of("to", run.toSeconds, "s"),
      of("level offset before matching", run.edge, run.unit),
      of("remaining after matching", run.left, run.unit),
      of("outcome", run.headline),
      of("score and p", run.detail),
      of("answers", run.answers.join(" ")),
      of("sealed digest", run.sealDigest),
    ];
  });
  const verdicts = report.verdicts.flatMap((v) => [
    ["verdict", v.passage ?? "", v.candidate, "verdict", v.verdict, ""],
    ...v.known.map((k) => ["evidence", v.passage ?? "", v.candidate, k.how, `${k.says}. ${k.score}`, ""]),
  ]);
  const measured = report.candidates.flatMap(({ name, benchFigures }) =>
    benchFigures ? [{ title: name, report: benchFigures }] : [],
  );
  const bench = benchRows(measured).rows.map(([name, figure, at, value, unit]) => [
    "bench",
    "",
    name,
    at === null ? figure : `${figure} at ${at}`,
    value,
    unit,
  ]);
  const rows: (string | number | null)[][] = [heads, ...verdicts, ...runs, ...renders, ...bench];
  return csvText(rows);
}
