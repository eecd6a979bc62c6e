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
