/** Numbers as people write them: a real minus, a thin space before the unit. */
export const withDigits = (value: number, digits: number): string =>
  (Number(value.toFixed(digits)) + 0).toFixed(digits).replace("-", "−");

export const decibels = (value: number, digits = 1): string => `${withDigits(value, digits)} dB`;

export const frequency = (hertz: number): string => {
  if (hertz < 999.5) return `${withDigits(hertz, hertz < 100 ? 1 : 0).replace(/\.0$/, "")} Hz`;
  return `${withDigits(hertz / 1000, hertz < 10_000 ? 2 : 1).replace(/\.?0+$/, "")} kHz`;
};

export const milliseconds = (ms: number): string => {
  if (ms >= 1000) return `${withDigits(ms / 1000, 2)} s`;
  return `${withDigits(ms, ms < 1 ? 2 : ms < 100 ? 1 : 0)} ms`;
};

export const listed = (parts: readonly string[]): string =>
  parts.length < 2 ? (parts[0] ?? "") : `${parts.slice(0, -1).join(", ")} and ${parts[parts.length - 1]}`;
