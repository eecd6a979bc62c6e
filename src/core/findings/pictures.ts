import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { escaped } from "./escaped";

// Pictures of a report: drawings in ink that stand alone, in a page without a script.

const INK = "#13242e";
const SOFT = "#4f626c";
const RULE = "#c5d1d6";

const svg = (width: number, height: number, label: string, inner: string): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" role="img" aria-label="${escaped(label)}" font-family="inherit" font-size="10">${inner}</svg>`;

const LABEL_WIDTH = 130;
const BAR_HEIGHT = 15;
const BARS_WIDTH = 480;

/** One bar for each name from nought, left or right of it. */
export function barPicture(
  label: string,
  bars: readonly { name: string; value: number | null }[],
  unit: string,
): string {
  const values = bars.flatMap(({ value }) => value ?? []);
  const most = Math.max(0.5, ...values.map(Math.abs));
  const x = scaleLinear([-most, most], [LABEL_WIDTH + 50, BARS_WIDTH - 50]);
  const rows = bars.map(({ name, value }, i) => {
    const y = i * BAR_HEIGHT;
    const text =
      value === null ? "no figure" : `${value < 0 ? "−" : value > 0 ? "+" : ""}${Math.abs(value).toFixed(1)} ${unit}`;
    const [from, to] = [x(0), x(value ?? 0)];
    const isLeft = (value ?? 0) < 0;
    return [
      `<text x="${LABEL_WIDTH}" y="${y + 11}" text-anchor="end" fill="${INK}">${escaped(name)}</text>`,
      `<rect x="${Math.min(from, to).toFixed(1)}" y="${y + 3}" width="${Math.abs(to - from).toFixed(1)}" height="9" fill="${SOFT}"/>`,
      `<text x="${(to + (isLeft ? -4 : 4)).toFixed(1)}" y="${y + 11}" text-anchor="${isLeft ? "end" : "start"}" fill="${INK}">${escaped(text)}</text>`,
    ].join("");
  });
  const height = bars.length * BAR_HEIGHT + 2;
  const zero = `<line x1="${x(0).toFixed(1)}" x2="${x(0).toFixed(1)}" y1="0" y2="${height}" stroke="${INK}" stroke-width="0.7"/>`;
  return svg(BARS_WIDTH, height, label, rows.join("") + zero);
}

const TONE_WIDTH = 168;
const TONE_HEIGHT = 74;
const TONE_LEFT = 24;
const TONE_FOOT = 14;

/** A tone curve over 20 Hz to 20 kHz; `reachDb` is what the picture goes up and down to, alike for those beside each other. */
export function tonePicture(
  name: string,
  { hertz, differenceDb }: { hertz: number[]; differenceDb: (number | null)[] },
  reachDb: number,
): string {
  const x = scaleLog([20, 20_000], [TONE_LEFT, TONE_WIDTH - 4]);
  const y = scaleLinear([-reachDb, reachDb], [TONE_HEIGHT - TONE_FOOT, 12]).clamp(true);
  const path = line<number>()
    .defined((i) => differenceDb[i] !== null)
    .x((i) => x(hertz[i]))
    .y((i) => y(differenceDb[i] ?? 0));
  const grid = [100, 1000, 10_000].map(
    (f) =>
      `<line x1="${x(f).toFixed(1)}" x2="${x(f).toFixed(1)}" y1="12" y2="${TONE_HEIGHT - TONE_FOOT}" stroke="${RULE}" stroke-width="0.7"/><text x="${x(f).toFixed(1)}" y="${TONE_HEIGHT - 3}" text-anchor="middle" fill="${SOFT}" font-size="8">${f < 1000 ? f : `${f / 1000}k`}</text>`,
  );
  const levels = [-reachDb, 0, reachDb].map(
    (db) =>
      `<line x1="${TONE_LEFT}" x2="${TONE_WIDTH - 4}" y1="${y(db)}" y2="${y(db)}" stroke="${RULE}" stroke-width="0.7"/><text x="${TONE_LEFT - 3}" y="${y(db) + 3}" text-anchor="end" fill="${SOFT}" font-size="8">${db < 0 ? "−" : db > 0 ? "+" : ""}${Math.abs(db)}</text>`,
  );
  const curve = `<path d="${path(hertz.map((_, i) => i)) ?? ""}" fill="none" stroke="${INK}" stroke-width="1.3"/>`;
  const title = `<text x="${TONE_LEFT}" y="9" fill="${INK}" font-weight="600">${escaped(name)}</text>`;
  return svg(TONE_WIDTH, TONE_HEIGHT, `EQ of ${name} re dry`, grid.join("") + levels.join("") + curve + title);
}

/** What tone pictures that lie beside each other go up and down to: a round number of dB. */
export function toneReachDb(curves: readonly { differenceDb: (number | null)[] }[]): number {
  const most = Math.max(0, ...curves.flatMap(({ differenceDb }) => differenceDb.map((db) => Math.abs(db ?? 0))));
  return [1, 2, 3, 6, 12, 24].find((db) => most <= db) ?? 48;
}

/** The answers of a run one after the other: full where right, open where wrong. */
export function answersPicture(answers: readonly string[]): string {
  const step = 12;
  const marks = answers.map((answer, i) =>
    answer === "right"
      ? `<circle cx="${6 + i * step}" cy="6" r="4" fill="${INK}"/>`
      : `<circle cx="${6 + i * step}" cy="6" r="3.5" fill="none" stroke="${INK}"${answer === "missed" ? ' stroke-dasharray="2 2"' : ""}/>`,
  );
  const right = answers.filter((a) => a === "right").length;
  return svg(
    Math.max(12, answers.length * step),
    12,
    `${right} of ${answers.length} correct, in order`,
    marks.join(""),
  );
}
