import { FORM_WORDS } from "../words/findings";
import { candidateLine, day, figureCells, figureHeads, runLine, verdictLine } from "../words/report";
import { escaped } from "./escaped";
import { answersPicture, barPicture, tonePicture, toneReachDb } from "./pictures";
import type { Report } from "./report";

const STYLE = `
@page { size: A4; margin: 16mm 15mm; }
:root { color-scheme: light; }
body { margin: 0 auto; max-width: 180mm; padding: 24px; color: #13242e; background: #fff; font: 10.5pt/1.45 "IBM Plex Sans", "Segoe UI", system-ui, sans-serif; }
h1 { font-size: 20pt; line-height: 1.15; margin: 0 0 2pt; }
h2 { font-size: 13pt; margin: 20pt 0 5pt; border-bottom: 1px solid #c5d1d6; padding-bottom: 3pt; break-after: avoid; }
h3 { font-size: 10.5pt; margin: 10pt 0 3pt; break-after: avoid; }
p, ul, dl { margin: 0 0 5pt; }
.soft { color: #4f626c; }
table { border-collapse: collapse; width: 100%; font-size: 8.5pt; break-inside: auto; }
tr, figure, article, svg { break-inside: avoid; }
thead { display: table-header-group; }
th, td { text-align: left; vertical-align: top; padding: 2.5pt 5pt 2.5pt 0; border-bottom: 1px solid #dde5e8; }
th { font-weight: 600; }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
dt { font-weight: 600; }
dd { margin: 0 0 4pt; }
figure { margin: 0 0 6pt; }
.row { display: flex; flex-wrap: wrap; gap: 6pt 10pt; }
.digest { font: 7.5pt/1.3 "IBM Plex Mono", monospace; overflow-wrap: anywhere; }
@media print { body { padding: 0; max-width: none; } }
`;

const p = (text: string, name = ""): string => `<p${name && ` class="${name}"`}>${escaped(text)}</p>`;
const section = (title: string, inner: string): string =>
  inner ? `<section><h2>${escaped(title)}</h2>${inner}</section>` : "";

/** A report as one page that stands alone: pictures inside, nothing fetched, no script; prints on A4. */
export function reportHtml(report: Report): string {
  const has = (part: Report["parts"][number]) => report.parts.includes(part);
  const body = [
    `<header><h1>${escaped(report.title)}</h1>${p(`Findings, ${day(report.writtenAt)}. ${candidateLine(report)}`, "soft")}</header>`,
    section("Summary", sentences(report)),
    section("Verdicts and evidence", verdicts(report)),
    section("Contradictions", report.contradictions.map((c) => p(`${c.passage}: ${c.says}`)).join("")),
    section("Blind runs", report.runs.map(runHtml).join("")),
    has("pictures") ? section("Pictures", pictures(report)) : "",
    has("figures") ? section("Figures", figures(report)) : "",
    section("Settings and Bench", settings(report)),
    section("Notes", report.notes.map(({ about, text }) => p(`On ${about}: ${text}`)).join("")),
    has("method") ? section("Method", method(report)) : "",
  ];
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'"><title>${escaped(report.title)}: findings</title><style>${STYLE}</style></head>
<body>${body.join("\n")}
<footer>${p("Written by Yonder Pair.", "soft")}</footer></body></html>
`;
}

const sentences = (report: Report): string =>
  report.sentences.length === 0
    ? ""
    : `<dl>${report.sentences.map(({ family, says }) => `<dt>${escaped(family[0].toUpperCase() + family.slice(1))}</dt><dd>${escaped(says)}</dd>`).join("")}</dl>`;

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
      const edges = barPicture(
        `Level offset re dry on ${passage}`,
        own.map(({ candidate, match }) => ({ name: candidate, value: match.edge })),
        unit,
      );
      const toned = own.flatMap(({ candidate, tone }) => (tone ? [{ candidate, tone }] : []));
      const reach = toneReachDb(toned.map(({ tone }) => tone));
      const tones = toned.map(({ candidate, tone }) => tonePicture(candidate, tone, reach)).join("");
      return `<h3>${escaped(passage)}</h3><figure>${edges}<figcaption class="soft">Level offset re dry before matching, LU</figcaption></figure>${tones && `<figure><div class="row">${tones}</div><figcaption class="soft">EQ re dry, dB vs Hz</figcaption></figure>`}`;
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
  const apart = renders.flatMap(({ passage, candidate, apart: says }) =>
    says ? [p(`${passage}, ${candidate}: ${says}`)] : [],
  );
  return `<table><thead><tr>${heads.join("")}</tr></thead><tbody>${rows.join("")}</tbody></table>${apart.length > 0 ? `<h3>Main cause of each difference from dry</h3>${apart.join("")}` : ""}`;
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
