import type { ChannelReading } from "../read/read-channel";
import { type Impulse, trimmed } from "../read/sweep-response";
import { throughResponse, undoing } from "../read/through-response";
import { type Excerpt, type MemorylessCurve, memorylessCurve, residualDb, throughCurve } from "./memoryless-model";

/** What a linear response, and a curve without memory, leave of parts they were not fitted on, dB. */
export type Predictions = {
  linearDb: number;
  memorylessDb: number;
  isClipping: boolean;
  /** Whether the curve makes the distortion of tones of other frequencies than it was fitted on, where they have any. */
  isOfAllTones: boolean;
};

/** The loudest steps of the ladder that a curve is fitted on. */
const FITTED_STEPS = 8;
/** Tones up to this part of the rate have a second and a third harmonic in band; distortion of so much (percent) is held against the curve, which has to take so much off what it leaves (dB). */
const SEEN_TO_PART = 0.15;
const CLEAR_PERCENT = 0.5;
const LEAST_TAKEN_DB = 3;
/** The first part of an excerpt is left out: what rings from before is there. */
const SETTLED = 0.2;
/** A curve clips that is straight up to here, re its own slope at rest, and hardly rises beyond. */
const STRAIGHT = 0.93;
const FLAT_SLOPE = 0.1;
/** And turns from one to the other within so many pieces of it. */
const MOST_TURNING = 4;

/** Predicts two tones, noise and single tones over frequency: by the response to the sweep, and by a curve fitted on the ladder near 1 kHz. */
export function predictions(reading: ChannelReading, withCurves: boolean): Predictions {
  const { input, noisePower } = reading;
  const { parts, sent, back, isWhole } = input;
  const excerptOf = (response: Impulse, { startFrame, frames }: Part): Excerpt => {
    const skipped = Math.round(SETTLED * frames);
    const from = startFrame + skipped;
    return {
      input: throughResponse(sent, response, from, frames - skipped),
      output: back.slice(from, startFrame + frames),
    };
  };
  const heldOut = [
    ...(parts.modulation ? [parts.modulation] : []),
    ...(parts.repeats ? [parts.repeats[2]] : []),
    ...parts.series.slice(0, 4),
    ...(parts.series.length === 0 ? parts.ladder.slice(-2) : []),
  ].filter(isWhole);
  const together = trimmed(input.together);
  const linear = heldOut.map((part) => excerptOf(together, part));
  const linearDb = residualDb(
    linear.map(({ input: told, output }) => ({ told, output })),
    noisePower,
  );
  if (!withCurves) return { linearDb, memorylessDb: linearDb, isClipping: false, isOfAllTones: true };
  const fitted = parts.ladder.slice(-FITTED_STEPS).filter(isWhole);
  // A filter before the curve, and one behind it: the latter is undone first.
  // The quiet response is the filter's alone; the loud one stands further over noise, and differs by a gain where the curve is all there is.
  const forms = [reading.quietImpulse && trimmed(reading.quietImpulse), together].flatMap((response) => {
    if (!response) return [];
    const undo = undoing(response);
    const before = (part: Part) => excerptOf(response, part);
    const behind = (part: Part): Excerpt => {
      const skipped = Math.round(SETTLED * part.frames);
      const [from, frames] = [part.startFrame + skipped, part.frames - skipped];
      return { input: sent.slice(from, from + frames), output: throughResponse(back, undo, from, frames) };
    };
    return [before, behind];
  });
  const results = forms.map((form) => {
    const curve = memorylessCurve(fitted.map(form));
    const told = heldOut.map(form).map(({ input: x, output }) => ({ told: throughCurve(curve, x), output }));
    const leftOf = (part: Part, isBent: boolean) => {
      const { input: x, output } = form(part);
      return residualDb([{ told: isBent ? throughCurve(curve, x) : x, output }], noisePower);
    };
    const bent = parts.series.filter(
      (part, i) =>
        isWhole(part) &&
        part.hertz < SEEN_TO_PART * reading.rate &&
        (reading.series[i]?.thdPercent ?? 0) > CLEAR_PERCENT,
    );
    const isOfAllTones = bent.every((part) => leftOf(part, true) < leftOf(part, false) - LEAST_TAKEN_DB);
    return { memorylessDb: residualDb(told, noisePower), isClipping: clips(curve), isOfAllTones };
  });
  const [best] = results.toSorted((a, b) => a.memorylessDb - b.memorylessDb);
  return { linearDb, ...best };
}

type Part = { startFrame: number; frames: number };

/** Whether a curve is straight up to a ceiling. */
function clips({ values }: MemorylessCurve): boolean {
  const slopes = Array.from({ length: values.length - 1 }, (_, k) => values[k + 1] - values[k]);
  const middle = slopes.length >> 1;
  const rest = (slopes[middle - 1] + slopes[middle]) / 2;
  if (!(Math.abs(rest) > 0)) return false;
  const over = slopes.map((slope) => slope / rest);
  const isStraight = (v: number) => Math.abs(v - 1) < 1 - STRAIGHT;
  const isFlat = (v: number) => Math.abs(v) < FLAT_SLOPE;
  const turning = over.filter((v) => !isStraight(v) && !isFlat(v)).length;
  return over.some(isFlat) && turning <= MOST_TURNING;
}
