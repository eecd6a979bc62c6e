import type { LadderStep } from "@/core/ladder/ladder-report";
import type { LeftPart } from "@/core/ladder/left-over";
import { hertzText, number, plural, signed, withUnit } from "@/ui/format";

export const STEP_TITLES = {
  delivered: "As delivered",
  time: "Put in time",
  level: "Put at one level",
  tone: "Tone removed",
  levelOverTime: "Level over time",
  bend: "Bend removed",
  left: "What is left",
} as const;

const KIND_WORDS: Record<LeftPart["kind"], string> = {
  rounding: "rounding",
  dither: "dither",
  noise: "steady noise",
  hum: "hum",
  clicks: "clicks",
  harmonic: "harmonics that follow the sound",
  outlasting: "something that goes on after the sound",
  inharmonic: "something that follows the sound, not harmonic",
};

/** A part of what is left, in careful words. */
export function kindWords({ kind, bits, hertz }: LeftPart): string {
  if (kind === "rounding") return `rounding to ${bits} bits`;
  if (kind === "dither") return `dither at ${bits} bits`;
  return hertz ? `${KIND_WORDS[kind]} at ${withUnit(String(hertz), "Hz")}` : KIND_WORDS[kind];
}

/** What lies this far under Yonder needs no name beside the ladder, unless it says how the file was written: 16 bits are softer still. */
const SLIGHT_DB = -90;
const isWorthSaying = ({ kind, shareDb }: LeftPart) => kind === "rounding" || kind === "dither" || shareDb >= SLIGHT_DB;

/** What a step took away, in words and figures; null where it gained nothing. */
export function stepWords(step: LadderStep, before: number | null | undefined): string | null {
  switch (step.step) {
    case "delivered":
      return null;
    case "time":
      return timeWords(step);
    case "level":
      return step.gainDb === null ? "no gain helps" : withUnit(signed(step.gainDb, 2), "dB");
    case "tone":
      if (step.residualDb === before) return "gains nothing";
      return `EQ and phase, ${plural(step.taps, "tap")}${step.isCrossed ? ", left and right mixed" : ""}`;
    case "levelOverTime": {
      if (step.residualDb === before) return "gains nothing";
      const edges =
        step.edgesHz.length > 0 ? ` in ${step.bands} bands, parted near ${step.edgesHz.map(hertzText).join(", ")}` : "";
      return `gain moves by ${withUnit(number(step.rangeDb), "dB")}${edges}${step.isLinked ? "" : ", left and right apart"}`;
    }
    case "bend":
      return step.residualDb === before ? "gains nothing" : bendWords(step);
    case "left": {
      const told = step.kinds.filter(isWorthSaying).slice(0, 2);
      if (told.length > 0) return told.map(kindWords).join(", ");
      return step.residualDb === null ? "nothing" : step.residualDb < SLIGHT_DB ? "too little to matter" : null;
    }
  }
}

function timeWords({ delaySamples, polarity, driftPpm }: Extract<LadderStep, { step: "time" }>): string {
  if (delaySamples === null) return "not found";
  const samples = withUnit(signed(delaySamples, Number.isInteger(delaySamples) ? 0 : 2), "smp");
  const drift = driftPpm ? `, clock ${withUnit(signed(driftPpm, 2), "ppm")}` : "";
  return `${samples}, polarity ${polarity === -1 ? "flipped" : "kept"}${drift}`;
}

function bendWords({ evenDb, oddDb, folds, foldsByDb }: Extract<LadderStep, { step: "bend" }>): string {
  const part = (name: string, db: number | null) => (db === null ? null : `${name} ${withUnit(number(db), "dB")}`);
  const parts = [part("even", evenDb), part("odd", oddDb)].filter(Boolean).join(", ");
  if (folds === null) return `${parts}; folding cannot be told`;
  const by = withUnit(number(Math.abs(foldsByDb ?? 0)), "dB");
  return `${parts}; ${folds ? `folds back (${by} better at the file's own rate)` : `free of folding (by ${by})`}`;
}
