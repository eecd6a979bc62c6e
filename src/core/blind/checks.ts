import { TOLERANCE_LU } from "../matching/match";

export const CHECK_NAMES = ["level", "alignment", "coverage", "length", "clipping"] as const;
export type CheckName = (typeof CHECK_NAMES)[number];

/** "wait": not known yet. "stop": no run, whoever wants it. "warn": not unless it is overruled, and the record says so. */
export type Check = { name: CheckName; state: "fine" | "wait" | "warn" | "stop"; said: string };

/** What is known of one stimulus over the region of a run, with its gain. */
export type Checked = {
  title: string;
  /** Its level there, matched; undefined before it is measured, null where it is silent. */
  level: { value: number; unit: "LU" | "dB" } | null | undefined;
  /** Its highest sample there, matched, in dBFS; the same. */
  peakDbfs: number | null | undefined;
  /** Whether it was put in step; undefined before that is known. */
  found: boolean | undefined;
  /** What speaks against its place, in words. */
  doubt: string | null;
  /** Frames of the region that it lacks. */
  lackedFrames: number | undefined;
};

/** Less than this missing at an end cannot be told by its silence. */
const UNHEARD_SECONDS = 0.005;
const SHORTEST_SECONDS = 0.3;

const named = (some: readonly Checked[]): string => some.map(({ title }) => title).join(", ");

function levelCheck(all: readonly Checked[]): Check {
  const name = "level";
  if (all.some((c) => c.level === undefined))
    return { name, state: "wait", said: "Measuring what is left between them…" };
  const silent = all.filter((c) => c.level === null);
  if (silent.length > 0)
    return { name, state: "warn", said: `${named(silent)}: silent here, so there is no level to match.` };
  const levels = all.map((c) => ({ title: c.title, value: c.level?.value ?? 0 }));
  levels.sort((a, b) => a.value - b.value);
  const [quietest, loudest] = [levels[0], levels[levels.length - 1]];
  const apart = loudest.value - quietest.value;
  const figure = `${apart.toFixed(2)} ${all[0].level?.unit ?? "LU"}`;
  return apart > TOLERANCE_LU
    ? {
        name,
        state: "warn",
        said: `${loudest.title} is still ${figure} louder here than ${quietest.title}. Over 0.1 can be heard as level, and would decide the run.`,
      }
    : { name, state: "fine", said: `${figure} is left after matching: fair.` };
}

function alignmentCheck(all: readonly Checked[]): Check {
  const name = "alignment";
  const lost = all.filter((c) => c.found === false);
  if (lost.length > 0)
    return {
      name,
      state: "stop",
      said: `${named(lost)} could not be put in step, so a run would be won by the jump in time. Leave it out, or add a render made from the same passage.`,
    };
  if (all.some((c) => c.found === undefined)) return { name, state: "wait", said: "Lining them up…" };
  const doubted = all.find((c) => c.doubt !== null);
  return doubted
    ? { name, state: "warn", said: `How ${doubted.title} lies is in doubt: ${doubted.doubt}` }
    : { name, state: "fine", said: "All are in step." };
}

function coverageCheck(all: readonly Checked[], rateHz: number): Check {
  const name = "coverage";
  if (all.some((c) => c.lackedFrames === undefined))
    return { name, state: "wait", said: "Looking at what each covers…" };
  const lacking = all.filter((c) => (c.lackedFrames ?? 0) > UNHEARD_SECONDS * rateHz);
  return lacking.length > 0
    ? { name, state: "stop", said: `${named(lacking)} lacks a part of this stretch, and would be told by its silence.` }
    : { name, state: "fine", said: "Each has all of this stretch." };
}

function lengthCheck(frames: number, rateHz: number): Check {
  const name = "length";
  return frames < SHORTEST_SECONDS * rateHz
    ? { name, state: "stop", said: "This stretch is under a third of a second. Choose a longer one." }
    : { name, state: "fine", said: "All play the same stretch, to the sample." };
}

function clippingCheck(all: readonly Checked[]): Check {
  const name = "clipping";
  if (all.some((c) => c.peakDbfs === undefined)) return { name, state: "wait", said: "Measuring peaks…" };
  const over = all.filter((c) => (c.peakDbfs ?? Number.NEGATIVE_INFINITY) > 0);
  return over.length > 0
    ? { name, state: "warn", said: `${named(over)} would be cut off at the ceiling here. Match to a lower target.` }
    : { name, state: "fine", said: "None comes near the ceiling." };
}

/** What has to hold before a run over a region of so many frames begins. */
export function checksOf(all: readonly Checked[], frames: number, rateHz: number): Check[] {
  const coverage = coverageCheck(all, rateHz);
  // Where one of them lacks a part there may be nothing to measure.
  const measured = (check: Check): Check =>
    coverage.state === "stop" && check.state === "wait"
      ? { ...check, state: "stop", said: "Not judged where one of them lacks a part." }
      : check;
  return [
    measured(levelCheck(all)),
    alignmentCheck(all),
    coverage,
    lengthCheck(frames, rateHz),
    measured(clippingCheck(all)),
  ];
}

/** Whether a run may begin, with those checks overruled that can be. */
export const mayBegin = (checks: readonly Check[], overruled: boolean): boolean =>
  checks.every(({ state }) => state === "fine" || (state === "warn" && overruled));
