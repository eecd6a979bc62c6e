import { FORM_WORDS } from "../words/findings";
import { candidateLine, day, figureCells, figureHeads, runLine, verdictGroups, verdictLine } from "../words/report";
import { escaped } from "./escaped";
import { answersPicture, barPicture, eqPicture, eqReachDb, horizonPicture, markPicture } from "./pictures";
import type { Report } from "./report";
import { type ReportFont, styleWith } from "./report-style";

/** Contradictions that the first page names; the rest stand behind it. */
const MOST_ON_FIRST = 4;

const p = (text: string, name = ""): string => `<p${name && ` class="${name}"`}>${escaped(text)}</p>`;
const capital = (text: string): string => text[0].toUpperCase() + text.slice(1);
const section = (title: string, inner: string): string =>
  inner ? `<section><h2>${escaped(title)}</h2>${inner}</section>` : "";

/**
 * A report as one page that stands alone: type and pictures inside, nothing fetched, no script; prints on A4, its summary on a page of its own.
 * Without `fonts` it takes those of the machine.
 */
export function reportHtml(report: Report, fonts: readonly ReportFont[] = []): string {
  const has = (part: Report["parts"][number]) => report.parts.includes(part);
  const rest = [
    section("Verdicts and evidence", verdicts(report)),
    section("Contradictions", report.contradictions.map((c) => p(`${c.passage}: ${c.says}`)).join("")),
    section("Blind runs", report.runs.map(runHtml).join("")),
    has("pictures") ? section("Pictures", pictures(report)) : "",
    has("figures") ? section("Figures", figures(report)) : "",
    section("Settings and Bench", settings(report)),
    section("Notes", report.notes.map(({ about, text }) => p(`On ${about}: ${text}`)).join("")),
    has("method") ? section("Method", method(report)) : "",
  ].filter(Boolean);
  const policy = "default-src 'none'; style-src 'unsafe-inline'; font-src data:";
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta http-equiv="Content-Security-Policy" content="${policy}"><title>${escaped(report.title)}: findings</title><style>${styleWith(fonts)}</style></head>
<body><div${rest.length > 0 && report.sentences.length > 0 ? ' class="first"' : ""}>${head(report)}${section("Summary", summary(report))}</div>
${rest.join("\n")}
<footer>${p("Written by Yonder Pair. Two shores, one level.", "soft")}</footer></body></html>
`;
}

const head = (report: Report): string =>
  `<header><div class="brand">${markPicture()}<span>Yonder Pair</span><span>Findings, ${escaped(day(report.writtenAt))}</span></div><h1>${escaped(report.title)}</h1>${p(candidateLine(report), "soft")}<div class="horizon">${horizonPicture()}</div></header>`;

/** What a client reads first: the verdicts, what runs show of each family, and what contradicts what. */
function summary(report: Report): string {
  if (report.sentences.length === 0) return "";
  const groups = verdictGroups(report).map(
    ({ verdict, says }) =>
      `<div><h3>${escaped(capital(verdict))}</h3><ul>${says.map((name) => `<li>${escaped(name)}</li>`).join("")}</ul></div>`,
  );
  const families = report.sentences.map(
    ({ family, says }) => `<dt>${escaped(capital(family))}</dt><dd>${escaped(says)}</dd>`,
  );
  const { contradictions } = report;
  const more = contradictions.length - MOST_ON_FIRST;
  return [
    groups.length > 0 ? `<div class="groups">${groups.join("")}</div>` : "",
    `<h3>Blind</h3>${p(report.claims)}`,
    `<dl>${families.join("")}</dl>`,
    contradictions.length > 0
      ? `<h3>Contradictions</h3>${contradictions
          .slice(0, MOST_ON_FIRST)
          .map((c) => p(`${c.passage}: ${c.says}`))
          .join("")}${more > 0 ? p(`${more} more below.`, "soft") : ""}`
      : "",
  ].join("");
}

function verdicts({ verdicts: rows }: Report): string {
  if (rows.length === 0) return "";
  const cells = rows.map(
    (row) =>
      `<tr><td>${escaped(row.candidate)}</td><td>${escaped(row.passage ?? "overall")}</td><td>${escaped(row.verdict ?? "–")}</td><td>${verdictLine(row).map(escaped).join("<br>")}</td><td>${row.known.map((k) => `${escaped(`${k.how}: ${k.says}.`)} <span class="soft">${escaped(k.score)}${k.listeners > 1 ? `, ${k.listeners} listeners` : ""}</span>`).join("<br>")}</td></tr>`,
  );
  return `<table><thead><tr><th>Candidate</th><th>Passage</th><th>Verdict</th><th>Notes</th><th>Evidence</th></tr></thead><tbody>${cells.join("")}</tbody></table>`;
}

const runHtml = (run: Report["runs"][number]): string =>
  `<article><h3>${escaped(`${FORM_WORDS[run.form]} on ${run.passage}: ${run.headline}`)}</h3>${p(runLine(run), "soft")}${run.answers.some((a) => a !== "other") ? `<figure>${answersPicture(run.answers)}</figure>` : ""}${p(run.detail)}${run.overruled.map((said) => p(`Overruled before the run: ${said}`)).join("")}<p class="digest">sealed before the first trial: ${escaped(run.sealDigest)}</p></article>`;

function pictures({ renders, passages }: Report): string {
  return passages
    .map((passage) => {
      const own = renders.filter((r) => r.passage === passage && !r.isDry);
      if (own.length === 0) return "";
      const { unit } = own[0].match;
      const offsets = barPicture(
        `Level offset re dry on ${passage}`,
        own.map(({ candidate, match }) => ({ name: candidate, value: match.edge })),
        "Level offset re dry, before matching",
        unit,
      );
      const compared = own.flatMap(({ candidate, tone }) => (tone ? [{ candidate, tone }] : []));
      const reach = eqReachDb(compared.map(({ tone }) => tone));
      const curves = compared.map(({ candidate, tone }) => eqPicture(candidate, tone, reach)).join("");
      return `<h3>${escaped(passage)}</h3><figure>${offsets}</figure>${curves && `<figure class="row">${curves}</figure>`}`;
    })
    .join("");
}

function figures({ renders }: Report): string {
  if (renders.length === 0) return "";
  const heads = figureHeads().map((head, i) => `<th${i > 1 ? ' class="number"' : ""}>${escaped(head)}</th>`);
  const rows = renders.map(
    (render) =>
      `<tr>${figureCells(render)
        .map((cell, i) => `<td${i > 1 ? ' class="number"' : ""}>${escaped(cell)}</td>`)
        .join("")}</tr>`,
  );
  const causes = renders.flatMap(({ passage, candidate, apart: says }) =>
    says ? [p(`${passage}, ${candidate}: ${says}`)] : [],
  );
  return `<table><thead><tr>${heads.join("")}</tr></thead><tbody>${rows.join("")}</tbody></table>${causes.length > 0 ? `<h3>Main cause of each difference from dry</h3>${causes.join("")}` : ""}`;
}

const settings = ({ candidates }: Report): string =>
  candidates
    .filter(({ isDry, settings: lines, bench, summary }) => !isDry && (lines.length + bench.length > 0 || summary))
    .map(
      ({ name, version, summary, settings: lines, bench }) =>
        `<article><h3>${escaped([name, version].filter(Boolean).join(", "))}</h3>${summary && p(summary, "soft")}${lines.length > 0 ? p(lines.map(({ parameter, value, unit, note }) => `${parameter} ${value}${unit && ` ${unit}`}${note && ` (${note})`}`).join("; ")) : ""}${bench.map((says) => p(says)).join("")}</article>`,
    )
    .join("");

const method = ({ method: said, versions }: Report): string =>
  said.map((text) => p(text)).join("") +
  p(
    `Computations: ${Object.entries(versions)
      .map(([name, version]) => `${name} ${version}`)
      .join(", ")}.`,
    "soft",
  );
