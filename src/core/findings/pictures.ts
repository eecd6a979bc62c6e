import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { cos } from "../audio/exact-math";
import { signed, withUnit } from "../words/units";
import { escaped } from "./escaped";

// Pictures of a report: drawings in ink that stand alone, in a page without a script; every axis carries quantity and unit.

const INK = "#13242e";
const SOFT = "#4f626c";
const RULE = "#c5d1d6";
/** The two shores, as by day. */
const HERE = "#a85a00";
const YONDER = "#1f49b6";

const svg = (width: number, height: number, label: string, inner: string): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" role="img" aria-label="${escaped(label)}" font-family="inherit" font-size="10">${inner}</svg>`;

const TITLE_SIZE = 8;

/** A tick of an axis, or its title, in soft ink. */
const soft = (x: number, y: number, text: string, anchor: "start" | "middle" | "end" = "middle"): string =>
  `<text x="${x.toFixed(1)}" y="${y.toFixed(1)}" text-anchor="${anchor}" fill="${SOFT}" font-size="${TITLE_SIZE}">${escaped(text)}</text>`;

const hair = (x1: number, x2: number, y1: number, y2: number, colour = RULE): string =>
  `<line x1="${x1.toFixed(1)}" x2="${x2.toFixed(1)}" y1="${y1.toFixed(1)}" y2="${y2.toFixed(1)}" stroke="${colour}" stroke-width="0.7"/>`;

const LABEL_WIDTH = 150;
const BAR_HEIGHT = 15;
const BARS_WIDTH = 640;
/** Ticks and title of the axis under the bars. */
const BARS_FOOT = 26;

/** One bar for each name from 0, left or right of it, over an axis of the quantity. */
export function barPicture(
  label: string,
  bars: readonly { name: string; value: number | null }[],
  quantity: string,
  unit: string,
): string {
  const values = bars.flatMap(({ value }) => value ?? []);
  const most = Math.max(0.5, ...values.map(Math.abs));
  const x = scaleLinear([-most, most], [LABEL_WIDTH + 60, BARS_WIDTH - 60]);
  const rows = bars.map(({ name, value }, i) => {
    const y = i * BAR_HEIGHT;
    const text = value === null ? "no figure" : withUnit(signed(value), unit);
    const [from, to] = [x(0), x(value ?? 0)];
    const isLeft = (value ?? 0) < 0;
    return [
      `<text x="${LABEL_WIDTH}" y="${y + 11}" text-anchor="end" fill="${INK}">${escaped(name)}</text>`,
      `<rect x="${Math.min(from, to).toFixed(1)}" y="${y + 3}" width="${Math.abs(to - from).toFixed(1)}" height="9" fill="${SOFT}"/>`,
      `<text x="${(to + (isLeft ? -4 : 4)).toFixed(1)}" y="${y + 11}" text-anchor="${isLeft ? "end" : "start"}" fill="${INK}">${escaped(text)}</text>`,
    ].join("");
  });
  const height = bars.length * BAR_HEIGHT;
  const ticks = x.ticks(5);
  const decimals = ticks.every(Number.isInteger) ? 0 : 1;
  const axis = [
    hair(x.range()[0], x.range()[1], height, height),
    ...ticks.map(
      (tick) => hair(x(tick), x(tick), height, height + 3) + soft(x(tick), height + 12, signed(tick, decimals)),
    ),
    soft(x(0), height + BARS_FOOT - 3, `${quantity}, ${unit}`),
    hair(x(0), x(0), 0, height, INK),
  ];
  return svg(BARS_WIDTH, height + BARS_FOOT, label, rows.join("") + axis.join(""));
}

const CURVE_WIDTH = 208;
const CURVE_HEIGHT = 112;
const CURVE_LEFT = 34;
const CURVE_TOP = 16;
const CURVE_FOOT = 28;

/** An EQ curve over 20 Hz to 20 kHz; `reachDb` is what the picture goes up and down to, alike for those beside each other. */
export function eqPicture(
  name: string,
  { hertz, differenceDb }: { hertz: number[]; differenceDb: (number | null)[] },
  reachDb: number,
): string {
  const bottom = CURVE_HEIGHT - CURVE_FOOT;
  const x = scaleLog([20, 20_000], [CURVE_LEFT, CURVE_WIDTH - 6]);
  const y = scaleLinear([-reachDb, reachDb], [bottom, CURVE_TOP]).clamp(true);
  const path = line<number>()
    .defined((i) => differenceDb[i] !== null)
    .x((i) => x(hertz[i]))
    .y((i) => y(differenceDb[i] ?? 0));
  const grid = [100, 1000, 10_000].map(
    (f) => hair(x(f), x(f), CURVE_TOP, bottom) + soft(x(f), bottom + 10, f < 1000 ? String(f) : `${f / 1000}k`),
  );
  const levels = [-reachDb, 0, reachDb].map(
    (db) => hair(CURVE_LEFT, CURVE_WIDTH - 6, y(db), y(db)) + soft(CURVE_LEFT - 3, y(db) + 3, signed(db, 0), "end"),
  );
  const middle = (CURVE_TOP + bottom) / 2;
  const titles = [
    soft((CURVE_LEFT + CURVE_WIDTH - 6) / 2, CURVE_HEIGHT - 6, "Frequency, Hz"),
    `<g transform="translate(9 ${middle}) rotate(-90)">${soft(0, 0, "EQ re dry, dB")}</g>`,
    `<text x="${CURVE_LEFT}" y="11" fill="${INK}" font-weight="600">${escaped(name)}</text>`,
  ];
  const curve = `<path d="${path(hertz.map((_, i) => i)) ?? ""}" fill="none" stroke="${INK}" stroke-width="1.3"/>`;
  return svg(CURVE_WIDTH, CURVE_HEIGHT, `EQ of ${name} re dry`, [...grid, ...levels, curve, ...titles].join(""));
}

/** Length of one swell; a whole number of them is half the horizon. */
const SWELL = 40;

/** The horizon between the shores: one wave above it on the left, a dashed one below it on the right. */
export function horizonPicture(): string {
  const [width, height, middle] = [640, 34, 17];
  const half = width / 2;
  /** Swells that rise and fall back to the line, the nearer to the middle the higher. */
  const wave = (from: number, lift: number) => {
    const points = Array.from({ length: half / 2 + 1 }, (_, i) => {
      const nearness = from === 0 ? (2 * i) / half : 1 - (2 * i) / half;
      const swell = 0.5 - 0.5 * cos((2 * Math.PI * 2 * i) / SWELL);
      return `${from + 2 * i},${(middle + lift * swell * (0.25 + 0.75 * nearness)).toFixed(1)}`;
    });
    return `M${points.join("L")}`;
  };
  return svg(
    width,
    height,
    "Two shores, one level.",
    [
      hair(0, width, middle, middle),
      `<path d="${wave(0, -14)}" fill="none" stroke="${HERE}" stroke-width="1.6"/>`,
      `<path d="${wave(half, 14)}" fill="none" stroke="${YONDER}" stroke-width="1.6" stroke-dasharray="5 4"/>`,
    ].join(""),
  );
}

/** The product's mark: two waves that meet at the horizon. */
export function markPicture(): string {
  const wave = (path: string, colour: string, dashes = "") =>
    `<path d="${path}" fill="none" stroke="${colour}" stroke-width="2.5" stroke-linecap="round"${dashes}/>`;
  return [
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 18" width="26" height="15" aria-hidden="true">',
    wave("M1.5 9 C5 1.5 9 1.5 12 6 S 15 10 17 10.5", HERE),
    wave("M15 8.5 C18 12 20 17 24 16 S 28.5 11 30.5 8", YONDER, ' stroke-dasharray="4.5 4"'),
    "</svg>",
  ].join("");
}

/** What EQ pictures that lie beside each other go up and down to: a round number of dB. */
export function eqReachDb(curves: readonly { differenceDb: (number | null)[] }[]): number {
  const most = Math.max(0, ...curves.flatMap(({ differenceDb }) => differenceDb.map((db) => Math.abs(db ?? 0))));
  return [1, 2, 3, 6, 12, 24].find((db) => most <= db) ?? 48;
}

/** The answers of a run one after the other: full where correct, open where not. */
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
