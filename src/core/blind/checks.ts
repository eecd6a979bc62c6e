import type { Doubt } from "../alignment/doubts";
import { TOLERANCE_LU } from "../matching/match";
import { CHECK_WORDS } from "../words/blind-checks";

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
  /** Whether it was aligned; undefined before that is known. */
  found: boolean | undefined;
  /** What speaks against its alignment. */
  doubts: readonly Doubt[];
  /** Frames of the region that it lacks. */
  lackedFrames: number | undefined;
};

/** Less than this missing at an end is not heard as silence. */
const UNHEARD_SECONDS = 0.005;
const SHORTEST_SECONDS = 0.3;

const titlesOf = (some: readonly Checked[]): string[] => some.map(({ title }) => title);

function levelCheck(all: readonly Checked[]): Check {
  const name = "level";
  if (all.some((c) => c.level === undefined)) return { name, state: "wait", said: CHECK_WORDS.level.wait };
  const silent = all.filter((c) => c.level === null);
  if (silent.length > 0) return { name, state: "warn", said: CHECK_WORDS.level.silent(titlesOf(silent)) };
  const levels = all.map((c) => ({ title: c.title, value: c.level?.value ?? 0 }));
  levels.sort((a, b) => a.value - b.value);
  const [quietest, loudest] = [levels[0], levels[levels.length - 1]];
  const apart = loudest.value - quietest.value;
  const unit = all[0].level?.unit ?? "LU";
  return apart > TOLERANCE_LU
    ? {
        name,
        state: "warn",
        said: CHECK_WORDS.level.unequal(loudest.title, quietest.title, apart, unit, TOLERANCE_LU),
      }
    : { name, state: "fine", said: CHECK_WORDS.level.fine(apart, unit) };
}

function alignmentCheck(all: readonly Checked[]): Check {
  const name = "alignment";
  const lost = all.filter((c) => c.found === false);
  if (lost.length > 0)
    return {
      name,
      state: "stop",
      said: CHECK_WORDS.alignment.lost(titlesOf(lost)),
    };
  if (all.some((c) => c.found === undefined)) return { name, state: "wait", said: CHECK_WORDS.alignment.wait };
  const doubted = all.find((c) => c.doubts.length > 0);
  return doubted
    ? { name, state: "warn", said: CHECK_WORDS.alignment.doubted(doubted.title, doubted.doubts) }
    : { name, state: "fine", said: CHECK_WORDS.alignment.fine };
}

function coverageCheck(all: readonly Checked[], rateHz: number): Check {
  const name = "coverage";
  if (all.some((c) => c.lackedFrames === undefined)) return { name, state: "wait", said: CHECK_WORDS.coverage.wait };
  const lacking = all.filter((c) => (c.lackedFrames ?? 0) > UNHEARD_SECONDS * rateHz);
  return lacking.length > 0
    ? { name, state: "stop", said: CHECK_WORDS.coverage.lacking(titlesOf(lacking)) }
    : { name, state: "fine", said: CHECK_WORDS.coverage.fine };
}

function lengthCheck(frames: number, rateHz: number): Check {
  const name = "length";
  return frames < SHORTEST_SECONDS * rateHz
    ? { name, state: "stop", said: CHECK_WORDS.length.short(SHORTEST_SECONDS) }
    : { name, state: "fine", said: CHECK_WORDS.length.fine };
}

function clippingCheck(all: readonly Checked[]): Check {
  const name = "clipping";
  if (all.some((c) => c.peakDbfs === undefined)) return { name, state: "wait", said: CHECK_WORDS.clipping.wait };
  const over = all.filter((c) => (c.peakDbfs ?? Number.NEGATIVE_INFINITY) > 0);
  return over.length > 0
    ? { name, state: "warn", said: CHECK_WORDS.clipping.clips(titlesOf(over)) }
    : { name, state: "fine", said: CHECK_WORDS.clipping.fine };
}

/** What has to hold before a run over a region of so many frames begins. */
export function checksOf(all: readonly Checked[], frames: number, rateHz: number): Check[] {
  const coverage = coverageCheck(all, rateHz);
  // Where one of them lacks a part there may be nothing to measure.
  const measured = (check: Check): Check =>
    coverage.state === "stop" && check.state === "wait"
      ? { ...check, state: "stop", said: CHECK_WORDS.notChecked }
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
