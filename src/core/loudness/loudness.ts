import { z } from "zod";
import type { Clip } from "../audio/clip";
import { log10, pow } from "../audio/exact-math";
import { piecesOf, type Sound, soundOf } from "../audio/sound";
import { addWeightedEnergies, type KWeightingSections, restingFilters } from "../kernels/weighted-energies";
import { kWeighting } from "./k-weighting";

/** All in LUFS, the range in LU; null where the clip is too short or wholly under the gate: then there is no figure. */
export type LoudnessFigures = {
  integratedLufs: number | null;
  /** How the integrated figure moves with gain, where the gate falls otherwise. */
  gating: GatingStep[];
  rangeLu: number | null;
  maxMomentaryLufs: number | null;
  maxShortTermLufs: number | null;
};

/** From a gain on, in dB, the integrated loudness is this figure plus the gain: other windows pass the absolute gate than before. */
export const gatingStepSchema = z.object({ fromGainDb: z.number(), integratedLufs: z.number() });
export type GatingStep = z.infer<typeof gatingStepSchema>;

/** The finest move of a window, 10 ms: a maximum must not hang on where a sound begins (EBU Tech 3341, cases 10 and 13). */
const STEPS_PER_SECOND = 100;
const MOMENTARY_STEPS = 40;
const SHORT_TERM_STEPS = 300;
/** Gated figures take a window every 100 ms: 75 % overlap of 400 ms, as BS.1770-5 lays down. */
const GATING_STEPS = 10;
const BOTH_SIDES = [2];
/** Pieces after which what is known so far of a course is worth showing: about a minute at 96 kHz. */
const PART_PIECES = 40;
const ABSOLUTE_GATE_LUFS = -70;
const INTEGRATED_RELATIVE_GATE_LU = -10;
const RANGE_RELATIVE_GATE_LU = -20;
const RANGE_LOW_PERCENTILE = 0.1;
const RANGE_HIGH_PERCENTILE = 0.95;

/** Loudness of a K-weighted mean square summed over channels, BS.1770-5 eq. 2: −0.691 + 10 log10. */
const lufsFromPower = (power: number): number => -0.691 + 10 * log10(power);
const powerFromLufs = (lufs: number): number => pow(10, (lufs + 0.691) / 10);

/**
 * Loudness after ITU-R BS.1770-5 (momentary 400 ms, short-term 3 s, integrated with gates at −70 LUFS and −10 LU) and
 * loudness range after EBU Tech 3342 (short-term, gates at −70 LUFS and −20 LU, 10th to 95th percentile).
 * Gated figures take a window every 100 ms (75 % overlap of 400 ms), the maxima one every 10 ms; incomplete windows do
 * not count.
 * `channelWeights` are the standard's G: 1 for left, right and centre, 1.41 for surrounds; when they are left out all are 1, and a mono clip
 * counts for both of the sides that it is played on: 3.01 LU over the one channel.
 */
export function measureLoudness(sound: Sound | Clip, channelWeights?: readonly number[]): LoudnessFigures {
  return metered(soundOf(sound), channelWeights).figures();
}

/** The step energies of a whole sound. */
function metered(sound: Sound, channelWeights?: readonly number[]): LoudnessMeter {
  const meter = new LoudnessMeter(sound, channelWeights);
  for (const { channels } of piecesOf(sound)) meter.add(channels);
  return meter;
}

/**
 * K-weighted energy in each 10 ms step, channels summed with their weights, of a sound that comes piece by piece; and the figures that
 * follow from it.
 */
export class LoudnessMeter {
  private readonly steps: Float64Array;
  private readonly stepFrames: number;
  private readonly sections: KWeightingSections;
  private readonly states: Float64Array[];
  private readonly weights: readonly number[] | undefined;
  private frame = 0;
  private step = 0;

  constructor(
    { sampleRateHz, channelCount, frames }: Pick<Sound, "sampleRateHz" | "channelCount" | "frames">,
    channelWeights?: readonly number[],
  ) {
    this.steps = new Float64Array(Math.floor((frames * STEPS_PER_SECOND) / sampleRateHz));
    this.stepFrames = sampleRateHz / STEPS_PER_SECOND;
    const { shelf, highPass } = kWeighting(sampleRateHz);
    this.sections = [shelf.b0, shelf.b1, shelf.b2, shelf.a1, shelf.a2, highPass.a1, highPass.a2];
    this.states = Array.from({ length: Math.ceil(channelCount / 2) }, restingFilters);
    // A mono clip is played on both sides, and measured as it is played.
    this.weights = channelCount === 1 && !channelWeights ? BOTH_SIDES : channelWeights;
  }

  /** Rates that a hundred does not divide get steps that differ by one frame, so the grid never drifts. */
  private endOf = (step: number): number => Math.round((step + 1) * this.stepFrames);

  /** The next frames, as many as fit the kernels. */
  add(channels: readonly Float32Array[]): void {
    const start = this.frame;
    const end = start + channels[0].length;
    const first = this.step;
    const ends: number[] = [];
    while (this.step < this.steps.length && this.endOf(this.step) <= end) ends.push(this.endOf(this.step++) - start);
    const isCut = this.step < this.steps.length && (ends.at(-1) ?? 0) < end - start;
    if (isCut) ends.push(end - start);
    const energies = this.steps.subarray(first, first + ends.length);
    const weightOf = (c: number) => (c < channels.length ? (this.weights?.[c] ?? 1) : 0);
    for (let c = 0; c < channels.length && ends.length > 0; c += 2) {
      const pair = [channels[c], channels[c + 1] ?? channels[c]] as const;
      const weights = [weightOf(c), weightOf(c + 1)] as const;
      addWeightedEnergies(pair, weights, this.sections, this.states[c / 2], Int32Array.from(ends), energies);
    }
    this.frame = end;
  }

  private windows(windowSteps: number, gain: number): Float64Array<ArrayBuffer> {
    return windowPowers(this.steps, windowSteps, this.stepFrames / (gain * gain));
  }

  /** All figures, as they are with a gain (linear): the gates fall anew. */
  figures(gain = 1): LoudnessFigures {
    const momentary = this.windows(MOMENTARY_STEPS, gain);
    const shortTerm = this.windows(SHORT_TERM_STEPS, gain);
    return {
      integratedLufs: integratedLoudness(gridded(momentary)),
      gating: gatingSteps(gridded(momentary)),
      rangeLu: loudnessRange(gridded(shortTerm)),
      maxMomentaryLufs: loudest(momentary),
      maxShortTermLufs: loudest(shortTerm),
    };
  }

  /** Power of each window that the gates judge. */
  windowPowers(): Float64Array<ArrayBuffer> {
    return gridded(this.windows(MOMENTARY_STEPS, 1));
  }

  /** As far as it is known: windows that end later than what has come are null. */
  course(gain = 1): LoudnessCourse {
    const course = (windowSteps: number) =>
      Array.from(gridded(this.windows(windowSteps, gain)), (power, i) =>
        power > 0 && windowSteps + i * GATING_STEPS <= this.step ? lufsFromPower(power) : null,
      );
    return {
      stepSeconds: GATING_STEPS / STEPS_PER_SECOND,
      momentaryLufs: course(MOMENTARY_STEPS),
      shortTermLufs: course(SHORT_TERM_STEPS),
    };
  }
}
/** Loudness over time: the windows that end at each tenth of a second, in LUFS; null where a window holds no sound. */
export const loudnessCourseSchema = z.object({
  stepSeconds: z.number(),
  /** 400 ms windows; the first ends at 0.4 s. */
  momentaryLufs: z.array(z.number().nullable()),
  /** 3 s windows; the first ends at 3 s. */
  shortTermLufs: z.array(z.number().nullable()),
});
export type LoudnessCourse = z.infer<typeof loudnessCourseSchema>;

/** Momentary and short-term loudness of a sound every 100 ms (EBU Tech 3341), incomplete windows left out; as it is with a gain (linear). */
export function loudnessCourse(
  sound: Sound | Clip,
  gain = 1,
  onPart: (soFar: LoudnessCourse) => void = () => {},
): LoudnessCourse {
  const whole = soundOf(sound);
  const meter = new LoudnessMeter(whole);
  let pieces = 0;
  for (const { channels } of piecesOf(whole)) {
    meter.add(channels);
    if (++pieces % PART_PIECES === 0) onPart(meter.course(gain));
  }
  return meter.course(gain);
}

const gridded = (powers: Float64Array): Float64Array<ArrayBuffer> => powers.filter((_, i) => i % GATING_STEPS === 0);

/** Mean square of every full window of `windowSteps` steps. */
function windowPowers(steps: Float64Array, windowSteps: number, stepFrames: number): Float64Array<ArrayBuffer> {
  const count = Math.max(0, steps.length - windowSteps + 1);
  const powers = new Float64Array(count);
  for (let i = 0; i < count; i++) {
    let sum = 0;
    for (let k = 0; k < windowSteps; k++) sum += steps[i + k];
    powers[i] = sum / (windowSteps * stepFrames);
  }
  return powers;
}

function loudest(powers: Float64Array): number | null {
  const max = powers.reduce((a, b) => Math.max(a, b), 0);
  return max > 0 ? lufsFromPower(max) : null;
}

function gateAbove(powers: Float64Array, relativeGateLu: number): Float64Array {
  const audible = powers.filter((p) => p > powerFromLufs(ABSOLUTE_GATE_LUFS));
  const gate = mean(audible) * pow(10, relativeGateLu / 10);
  return audible.filter((p) => p > gate);
}

const mean = (powers: Float64Array): number => powers.reduce((a, b) => a + b, 0) / powers.length;

/** Integrated loudness of windows of 400 ms, a tenth of a second apart, by their powers. */
export function integratedLoudness(momentary: Float64Array): number | null {
  const gated = gateAbove(momentary, INTEGRATED_RELATIVE_GATE_LU);
  return gated.length ? lufsFromPower(mean(gated)) : null;
}

/** Gains looked at, and what they are distinguished by. */
const MOST_GAIN_DB = 60;
const GAIN_STEP_DB = 0.1;
const SAME_LU = 0.001;

/**
 * The integrated loudness at any gain within ±60 dB, less that gain: one step where the absolute gate cuts nothing that matters, more where
 * quiet parts come in or go out. Windows sorted once, each gain by two searches.
 */
function gatingSteps(momentary: Float64Array): GatingStep[] {
  const sorted = momentary.filter((p) => p > 0).sort();
  const sums = new Float64Array(sorted.length + 1);
  for (let i = 0; i < sorted.length; i++) sums[i + 1] = sums[i] + sorted[i];
  const firstAbove = (power: number) => {
    let [low, high] = [0, sorted.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (sorted[middle] > power) high = middle;
      else low = middle + 1;
    }
    return low;
  };
  const meanFrom = (i: number) => (sums[sorted.length] - sums[i]) / (sorted.length - i);
  const steps: GatingStep[] = [];
  for (let n = 0; n <= (2 * MOST_GAIN_DB) / GAIN_STEP_DB; n++) {
    const fromGainDb = n * GAIN_STEP_DB - MOST_GAIN_DB;
    const audible = firstAbove(powerFromLufs(ABSOLUTE_GATE_LUFS - fromGainDb));
    if (audible === sorted.length) continue;
    const gate = meanFrom(audible) * pow(10, INTEGRATED_RELATIVE_GATE_LU / 10);
    const integratedLufs = lufsFromPower(meanFrom(Math.max(audible, firstAbove(gate))));
    const last = steps[steps.length - 1];
    if (!last || Math.abs(last.integratedLufs - integratedLufs) > SAME_LU) steps.push({ fromGainDb, integratedLufs });
  }
  return steps;
}

/**
 * The gain in dB after which the integrated loudness is `targetLufs`: with the gate as it falls then. Where it jumps over the target, the gain at
 * the jump. null without loudness.
 */
export function gainToLoudness(gating: readonly GatingStep[], targetLufs: number): number | null {
  let best: { gainDb: number; off: number } | null = null;
  for (const [i, { fromGainDb, integratedLufs }] of gating.entries()) {
    const untilDb = (gating[i + 1]?.fromGainDb ?? Number.POSITIVE_INFINITY) - GAIN_STEP_DB / 2;
    const gainDb = Math.max(fromGainDb, Math.min(untilDb, targetLufs - integratedLufs));
    const off = Math.abs(gainDb + integratedLufs - targetLufs);
    const nearer = best !== null && Math.abs(off - best.off) < SAME_LU && Math.abs(gainDb) < Math.abs(best.gainDb);
    if (best === null || off < best.off - SAME_LU || nearer) best = { gainDb, off };
  }
  return best?.gainDb ?? null;
}

function loudnessRange(shortTerm: Float64Array): number | null {
  const gated = gateAbove(shortTerm, RANGE_RELATIVE_GATE_LU).sort();
  if (!gated.length) return null;
  const at = (share: number) => lufsFromPower(gated[Math.round((gated.length - 1) * share)]);
  return at(RANGE_HIGH_PERCENTILE) - at(RANGE_LOW_PERCENTILE);
}
