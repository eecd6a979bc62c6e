import type { LadderStep } from "../ladder/ladder-schema";
import type { LeftPart } from "../ladder/residual-parts";
import type { FigureKey } from "./figures";
import { frequencyWords, number, plural, signed, withUnit } from "./units";

export const STEP_TITLES = {
  delivered: "As delivered",
  time: "Aligned",
  level: "Level",
  tone: "EQ",
  levelOverTime: "Gain over time",
  bend: "Saturation",
  left: "Residual",
} as const;

const KIND_WORDS: Record<LeftPart["kind"], string> = {
  rounding: "rounding",
  dither: "dither",
  noise: "steady noise",
  hum: "hum",
  line: "steady tone",
  clicks: "clicks",
  harmonic: "follows the signal, harmonic",
  outlasting: "outlasts the signal (reverb or noise)",
  inharmonic: "follows the signal, inharmonic (intermodulation or coding)",
};

/** The figure that each step can be asked about. */
export const STEP_FIGURES: Record<keyof typeof STEP_TITLES, FigureKey> = {
  delivered: "step",
  time: "delay",
  level: "levelDifference",
  tone: "pairEq",
  levelOverTime: "gainRange",
  bend: "saturation",
  left: "residual",
};

/** A part of a residual, in careful words. */
export function kindWords({ kind, bits, hertz }: LeftPart): string {
  if (kind === "rounding") return `rounding to ${withUnit(String(bits), "bits")}`;
  if (kind === "dither") return `dither at ${withUnit(String(bits), "bits")}`;
  return hertz ? `${KIND_WORDS[kind]} at ${withUnit(number(hertz), "Hz")}` : KIND_WORDS[kind];
}

/** What lies this far under Yonder needs no name beside the ladder, unless it says how the file was written: 16 bits are softer still. */
const SLIGHT_DB = -90;
const isWorthSaying = ({ kind, shareDb }: LeftPart) => kind === "rounding" || kind === "dither" || shareDb >= SLIGHT_DB;

const NO_IMPROVEMENT = "no improvement";

/** What a step fitted, in words and figures; null where there is nothing to say. */
export function stepWords(step: LadderStep, before: number | null | undefined): string | null {
  switch (step.step) {
    case "delivered":
      return null;
    case "time":
      return timeWords(step);
    case "level": {
      if (step.gainDb === null) return "no gain helps";
      const level = withUnit(signed(step.gainDb, 2), "dB");
      const isElsewhere = step.nullGainDb !== null && Math.abs(step.nullGainDb - step.gainDb) > NULL_APART_DB;
      return isElsewhere ? `${level}, deepest null at ${withUnit(signed(step.nullGainDb ?? 0, 2), "dB")}` : level;
    }
    case "tone":
      if (step.residualDb === before) return NO_IMPROVEMENT;
      return `${step.taps <= FEW_TAPS ? "a few bands" : plural(step.taps, "tap")}${step.isCrossed ? ", with crosstalk between channels" : ""}`;
    case "levelOverTime": {
      if (step.residualDb === before) return NO_IMPROVEMENT;
      const edges = step.bell
        ? ` of a bell at ${frequencyWords(step.bell.hertz)}`
        : step.edgesHz.length > 0
          ? ` in ${step.bands} bands, split near ${step.edgesHz.map(frequencyWords).join(", ")}`
          : "";
      return `range ${withUnit(number(step.rangeDb), "dB")}${edges}${step.isLinked ? "" : ", channels not linked"}`;
    }
    case "bend":
      return step.residualDb === before ? NO_IMPROVEMENT : saturationWords(step);
    case "left": {
      const told = step.kinds.filter(isWorthSaying).slice(0, 2);
      if (told.length > 0) return told.map(kindWords).join(", ");
      return step.residualDb === null ? "none" : step.residualDb < SLIGHT_DB ? "too small to matter" : null;
    }
  }
}
/** The gain of the deepest null is reported where it is elsewhere by this (dB): phase makes it small. */
const NULL_APART_DB = 0.1;
/** A row of biquads has no taps. */
const FEW_TAPS = 2;

function timeWords({ delaySamples, polarity, driftPpm }: Extract<LadderStep, { step: "time" }>): string {
  if (delaySamples === null) return "not found";
  const samples = withUnit(signed(delaySamples, Number.isInteger(delaySamples) ? 0 : 2), "samples");
  const drift = driftPpm ? `, drift ${withUnit(signed(driftPpm, 2), "ppm")}` : "";
  return `${samples}${polarity === -1 ? ", inverted" : ""}${drift}`;
}

function saturationWords({ evenDb, oddDb, folds, foldsByDb }: Extract<LadderStep, { step: "bend" }>): string {
  const part = (name: string, db: number | null) => (db === null ? null : `${name} ${withUnit(number(db), "dB")}`);
  const parts = [part("even", evenDb), part("odd", oddDb)].filter(Boolean).join(", ");
  if (folds === null) return parts ? `${parts}; aliasing not measurable here` : "curve";
  const lead = Math.abs(foldsByDb ?? 0);
  const better = lead < LEAST_LEAD_DB ? "" : ` (fits ${withUnit(number(lead), "dB")} better with`;
  if (folds) return `${parts}; aliasing in the stretches fitted${better && `${better}out oversampling)`}`;
  return `${parts}; no aliasing found in the stretches fitted${better && `${better} oversampling)`}`;
}
/** What rounds to 0.0 dB is not shown: under much residual even a sure answer improves little. */
const LEAST_LEAD_DB = 0.05;
