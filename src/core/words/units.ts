/** Numbers and units as the product writes them: real minus signs, a thin space before a unit. */

const THIN = "\u2009";

/** A number to so many decimals, never −0. */
export function number(value: number, digits = 1): string {
  const text = Math.abs(value).toFixed(digits);
  return value < 0 && Number(text) !== 0 ? `−${text}` : text;
}

/** The same with its sign, also a positive one. */
export const signed = (value: number, digits = 1): string => {
  const text = number(value, digits);
  return text.startsWith("−") || Number(text) === 0 ? text : `+${text}`;
};

export const withUnit = (text: string, unit: string): string => `${text}${THIN}${unit}`;

export const decibels = (db: number, digits = 1): string => withUnit(signed(db, digits), "dB");

/** A frequency to two digits, as people say it; to more where it is asked for. */
export const hertzWords = (hertz: number, digits = 2): string =>
  hertz >= 1000
    ? withUnit(`${Number((hertz / 1000).toPrecision(digits))}`, "kHz")
    : withUnit(`${Number(hertz.toPrecision(digits))}`, "Hz");

/** 1:07.4 */
export function timeWords(seconds: number): string {
  const tenths = Math.round(Math.abs(seconds) * 10);
  return `${seconds < 0 && tenths > 0 ? "\u2212" : ""}${Math.floor(tenths / 600)}:${((tenths % 600) / 10).toFixed(1).padStart(4, "0")}`;
}

/** A level without a sign of its own. */
export const plainDecibels = (db: number, digits = 1): string => withUnit(number(db, digits), "dB");

/** A frequency to the figures that a measurement is worth. */
export const frequencyWords = (hertz: number): string => {
  if (hertz < 999.5) return withUnit(number(hertz, hertz < 100 ? 1 : 0).replace(/\.0$/, ""), "Hz");
  return withUnit(number(hertz / 1000, hertz < 10_000 ? 2 : 1).replace(/\.?0+$/, ""), "kHz");
};

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

/** How closely a figure is known is told as two standard deviations: where nine of ten and more lie (95 %, of a normal distribution). */
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
