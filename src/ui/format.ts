const MINUS = "−";
const THIN_SPACE = "\u2009";
export const NO_FIGURE = "–";

/** A number with a real minus sign and fixed decimals; a dash where there is no figure. */
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

export const decibels = (value: number | null | undefined, unit = "dB", decimals = 1): string =>
  withUnit(number(value, decimals), unit);

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

export const kilohertz = (hertz: number): string => withUnit(String(Number((hertz / 1000).toFixed(3))), "kHz");

/** 85 Hz, 1.20 kHz, 12.5 kHz: as far as an ear tells. */
export const hertzText = (hertz: number): string =>
  hertz < 1000 ? withUnit(number(hertz, 0), "Hz") : withUnit(number(hertz / 1000, hertz < 10_000 ? 2 : 1), "kHz");

export function megabytes(bytes: number): string {
  return withUnit(bytes < 1e6 ? "under 1" : String(Math.round(bytes / 1e6)), "MB");
}

/** Judged on less than this of a stretch, a figure says on how much. */
const WHOLE_SHARE = 0.999;

/** "over 77 % of it"; empty where it is all of it. */
export function overShare(share: number): string {
  if (share <= 0) return "nothing in common";
  return share < WHOLE_SHARE ? `over ${withUnit(number(Math.floor(100 * share), 0), "%")} of it` : "";
}

export const plural = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;
