/** Numbers and units as the product writes them: real minus signs, a thin space before a unit, a dash where there is no figure. */

const MINUS = "\u2212";
const THIN_SPACE = "\u2009";
export const NO_FIGURE = "–";

/** A number to so many decimals, never −0; a dash where there is none. */
export function number(value: number | null | undefined, decimals = 1): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return NO_FIGURE;
  const text = Math.abs(value).toFixed(decimals);
  return value < 0 && Number(text) !== 0 ? `${MINUS}${text}` : text;
}

/** The same with the sign of what is not nought always shown, for gains: "+2.7". */
export function signed(value: number | null | undefined, decimals = 1): string {
  const text = number(value, decimals);
  return text === NO_FIGURE || text.startsWith(MINUS) || Number(text) === 0 ? text : `+${text}`;
}

export const withUnit = (text: string, unit: string): string =>
  text === NO_FIGURE ? text : `${text}${THIN_SPACE}${unit}`;

/** A level: "−16.2 LUFS". */
export const decibels = (value: number | null | undefined, unit = "dB", decimals = 1): string =>
  withUnit(number(value, decimals), unit);

/** A gain or a difference, with its sign: "+2.7 dB". */
export const signedDecibels = (db: number | null | undefined, decimals = 1, unit = "dB"): string =>
  withUnit(signed(db, decimals), unit);

/** A share of one in percent. */
export const percentWords = (share: number, decimals = 0): string => withUnit(number(100 * share, decimals), "%");

/** Minutes, seconds and milliseconds: 0:07.480. */
export function clock(seconds: number): string {
  const milliseconds = Math.round(seconds * 1000);
  const minutes = Math.floor(milliseconds / 60_000);
  const rest = ((milliseconds % 60_000) / 1000).toFixed(3).padStart(6, "0");
  return `${minutes}:${rest}`;
}

/** Minutes and whole seconds: 0:22. */
export const shortClock = (seconds: number): string =>
  `${Math.floor(Math.round(seconds) / 60)}:${String(Math.round(seconds) % 60).padStart(2, "0")}`;

/** Time on an axis: whole seconds as 0:22, others in full. */
export const axisClock = (seconds: number): string =>
  Number.isInteger(seconds) ? shortClock(seconds) : clock(seconds);

/** 1:07.4 */
export function timeWords(seconds: number): string {
  const tenths = Math.round(Math.abs(seconds) * 10);
  return `${seconds < 0 && tenths > 0 ? MINUS : ""}${Math.floor(tenths / 600)}:${((tenths % 600) / 10).toFixed(1).padStart(4, "0")}`;
}

/** A sample rate: 44.1 kHz. */
export const kilohertz = (hertz: number): string => withUnit(String(Number((hertz / 1000).toFixed(3))), "kHz");

export const megabytes = (bytes: number): string =>
  withUnit(bytes < 1e6 ? "under 1" : String(Math.round(bytes / 1e6)), "MB");

export const plural = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;

/** A frequency to two digits, as people say it; to more where it is asked for. */
export const hertzWords = (hertz: number, digits = 2): string =>
  hertz >= 1000
    ? withUnit(`${Number((hertz / 1000).toPrecision(digits))}`, "kHz")
    : withUnit(`${Number(hertz.toPrecision(digits))}`, "Hz");

/** A frequency to the figures that a measurement is worth. */
export const frequencyWords = (hertz: number): string => {
  if (hertz < 999.5) return withUnit(number(hertz, hertz < 100 ? 1 : 0).replace(/\.0$/, ""), "Hz");
  return withUnit(number(hertz / 1000, hertz < 10_000 ? 2 : 1).replace(/\.?0+$/, ""), "kHz");
};

/** 2.4 to 4.0 kHz: the unit once where it is one. */
export const rangeOfHertz = (low: number, high: number): string =>
  low >= 1000
    ? `${number(low / 1000)} to ${withUnit(number(high / 1000), "kHz")}`
    : `${frequencyWords(low)} to ${frequencyWords(high)}`;

/** The same with how closely it is known. `error` is one standard deviation. */
export function frequencyWithin(hertz: number, error: number | null | undefined): string {
  if (hertz < 999.5) {
    const digits = hertz < 100 ? 1 : 0;
    const open = within(error, digits);
    return open === "" ? frequencyWords(hertz) : withUnit(`${number(hertz, digits)}${open}`, "Hz");
  }
  const digits = hertz < 10_000 ? 2 : 1;
  const open = within((error ?? 0) / 1000, digits);
  return open === "" ? frequencyWords(hertz) : withUnit(`${number(hertz / 1000, digits)}${open}`, "kHz");
}

/** How closely a figure is known is reported as two standard deviations: where nine of ten and more lie (95 %, of a normal distribution). */
const TOLD_SIGMAS = 2;

/** " ±0.3" where a figure is known less closely than its last digit, else nothing. `error` is one standard deviation. */
export function within(error: number | null | undefined, digits = 1): string {
  const open = number(TOLD_SIGMAS * (error ?? 0), digits);
  return Number(open) === 0 ? "" : ` ±${open}`;
}

/** A time with how closely it is known; where that is as much as the time, what it is under. */
export function timeWithin(ms: number, error: number | null | undefined): string {
  const most = ms + TOLD_SIGMAS * (error ?? 0);
  if (most > 2 * ms) return `under ${millisecondWords(most)}`;
  if (ms >= 1000) return withUnit(`${number(ms / 1000, 2)}${within((error ?? 0) / 1000, 2)}`, "s");
  const digits = ms < 1 ? 2 : ms < 100 ? 1 : 0;
  return withUnit(`${number(ms, digits)}${within(error, digits)}`, "ms");
}

export const millisecondWords = (ms: number): string => {
  if (ms >= 1000) return withUnit(number(ms / 1000, 2), "s");
  return withUnit(number(ms, ms < 1 ? 2 : ms < 100 ? 1 : 0), "ms");
};

/** "a, b and c" */
export const listed = (parts: readonly string[]): string =>
  parts.length < 2 ? (parts[0] ?? "") : `${parts.slice(0, -1).join(", ")} and ${parts[parts.length - 1]}`;

/** Judged on less than this of a stretch, a figure says on how much. */
const WHOLE_SHARE = 0.999;

/** "on a 77 % overlap"; empty where it is all of it. */
export function overlapWords(share: number): string {
  if (share <= 0) return "no overlap";
  return share < WHOLE_SHARE ? `on a ${withUnit(number(Math.floor(100 * share), 0), "%")} overlap` : "";
}
