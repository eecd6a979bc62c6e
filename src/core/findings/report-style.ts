/** A typeface that a report carries with it: woff2 as a data URL. */
export type ReportFont = { family: string; weight: string; dataUrl: string };

const face = ({ family, weight, dataUrl }: ReportFont): string =>
  `@font-face { font-family: "${family}"; font-weight: ${weight}; font-style: normal; src: url("${dataUrl}") format("woff2"); }`;

/** Paper by day: the product's type and its two shores, nothing that ink is wasted on. */
const STYLE = `
@page { size: A4; margin: 15mm 14mm 16mm; @bottom-right { content: counter(page) " / " counter(pages); font: 8pt "IBM Plex Sans", sans-serif; color: #4f626c; } }
:root { color-scheme: light; }
body { margin: 0 auto; max-width: 182mm; padding: 24px; color: #13242e; background: #fff; font: 10pt/1.45 "IBM Plex Sans", "Segoe UI", system-ui, sans-serif; }
h1, h2, h3, .brand { font-family: "Bricolage Grotesque", "IBM Plex Sans", system-ui, sans-serif; }
h1 { font-size: 22pt; line-height: 1.15; margin: 10pt 0 2pt; }
h2 { font-size: 14pt; margin: 18pt 0 6pt; border-bottom: 1px solid #c5d1d6; padding-bottom: 3pt; break-after: avoid; }
h3 { font-size: 10.5pt; margin: 10pt 0 3pt; break-after: avoid; }
p, ul, dl { margin: 0 0 5pt; }
svg { max-width: 100%; height: auto; }
.soft { color: #4f626c; }
.brand { display: flex; align-items: center; gap: 7pt; font-weight: 600; font-size: 11pt; }
.brand span:last-child { margin-left: auto; font: 9pt "IBM Plex Sans", sans-serif; color: #4f626c; }
.horizon { margin: 6pt 0 0; line-height: 0; }
.horizon svg { width: 100%; }
.first { break-after: page; }
.groups { display: flex; gap: 14pt; margin: 0 0 8pt; }
.groups > div { flex: 1; border-top: 2px solid #13242e; padding-top: 4pt; }
.groups ul { list-style: none; padding: 0; }
.groups h3 { margin-top: 0; }
table { border-collapse: collapse; width: 100%; font-size: 8.5pt; break-inside: auto; }
tr, figure, article, svg { break-inside: avoid; }
thead { display: table-header-group; }
th, td { text-align: left; vertical-align: top; padding: 2.5pt 6pt 2.5pt 0; border-bottom: 1px solid #dde5e8; }
th { font-weight: 600; }
td.number, th.number { text-align: right; }
td.number { font-family: "IBM Plex Mono", monospace; font-size: 8pt; font-variant-numeric: tabular-nums; white-space: nowrap; }
dt { font-weight: 600; }
dd { margin: 0 0 5pt; }
figure { margin: 0 0 8pt; }
.row { display: flex; flex-wrap: wrap; gap: 8pt 6pt; }
.digest { font: 7.5pt/1.3 "IBM Plex Mono", monospace; overflow-wrap: anywhere; color: #4f626c; }
footer { margin-top: 18pt; border-top: 1px solid #c5d1d6; padding-top: 4pt; font-size: 8.5pt; }
@media print { body { padding: 0; max-width: none; } }
`;

export const styleWith = (fonts: readonly ReportFont[]): string => fonts.map(face).join("\n") + STYLE;
