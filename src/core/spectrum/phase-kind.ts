import { z } from "zod";
import { atan2, log, pow } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { bandCentres } from "./bands";
import { COHERENT } from "./transfer";

/** What kind of phase a filter has; `none` turns nothing, `unknown` where it cannot be reported. */
export const phaseKindSchema = z.enum(["minimum", "linear", "all-pass", "mixed", "none", "unknown"]);
export type PhaseKind = z.infer<typeof phaseKindSchema>;

export type PhaseReading = {
  kind: PhaseKind;
  /** Frequencies where a crossover or rotator inside turns through half a turn. */
  crossoversHz: number[];
  hertz: Float64Array;
  /** Phase with the delay taken out that was left in it; minimum phase of the same magnitude; what is over that. NaN where nothing is coherent. */
  degrees: Float64Array;
  minimumDegrees: Float64Array;
  excessDegrees: Float64Array;
  /** Group delay less that delay, and the delay, in samples. */
  groupDelayMs: Float64Array;
  delaySamples: number;
};

/** Read at so many frequencies to the octave, over this range. */
const PER_OCTAVE = 12;
const LOWEST_HZ = 30;
const HIGHEST_HZ = 18_000;
/** At least this part of the range has to be coherent. */
const LEAST_TOLD = 0.6;
/** A magnitude that moves by less than this is flat (dB), a phase by less than this none (degrees, RMS); common practice, no published source. */
const FLAT_DB = 0.15;
const FLAT_SHARE = 0.9;
const FLAT_DEGREES = 2;
/** Excess under this is that of a minimum-phase filter read with some error. */
const EXCESS_DEGREES = 6;
/** One kind has to fit so many times better than the other. */
const CLEARLY = 2;

/**
 * The kind of phase of a filter with a complex response of `points` / 2 + 1 bins and a coherence for each. Minimum phase by aliasing the cepstrum
 * of the log magnitude (Oppenheim and Schafer); a delay that is left is fitted to what is over it, by bands of equal width over the logarithm of
 * the frequency, and taken off.
 */
export function phaseReading(response: Float64Array, coherence: Float64Array, rateHz: number): PhaseReading {
  const bins = coherence.length;
  const points = 2 * (bins - 1);
  const binHz = rateHz / points;
  const isTold = (k: number) => coherence[k] >= COHERENT;
  const logs = new Float64Array(bins);
  let last = -1;
  for (let k = 1; k < bins; k++) {
    const power = response[2 * k] ** 2 + response[2 * k + 1] ** 2;
    if (!isTold(k) || !(power > 0)) continue;
    logs[k] = 0.5 * log(power);
    for (let i = last + 1; i < k; i++)
      logs[i] = last < 0 ? logs[k] : logs[last] + ((i - last) / (k - last)) * (logs[k] - logs[last]);
    last = k;
  }
  if (last >= 0) for (let i = last + 1; i < bins; i++) logs[i] = logs[last];
  const minimum = minimumPhaseOf(logs);

  const hertz = bandCentres(PER_OCTAVE, LOWEST_HZ, Math.min(HIGHEST_HZ, 0.45 * rateHz)).filter((hz) => hz > 2 * binHz);
  const at = hertz.map((hz) => Math.round(hz / binHz));
  const told = at.map(isTold);
  const share = told.filter(Boolean).length / Math.max(1, told.length);
  const total = unwrapped(at, response, minimum);
  const excess = total.map((p, i) => p - minimum[at[i]]);
  // What is over the minimum phase may be a delay, and half turns of a invert: taken off by least squares.
  const line = delayOf(at, excess, told, points);
  const takenOff = at.map((k) => line.slope * k);
  const free = (values: readonly number[]) =>
    values.map((v, i) => (told[i] ? v - takenOff[i] - line.offset : Number.NaN));
  const [phase, over] = [free(total), free(excess)];
  const rms = (values: readonly number[]) => {
    const known = values.filter((v) => !Number.isNaN(v));
    return known.length > 0 ? Math.sqrt(known.reduce((sum, v) => sum + v * v, 0) / known.length) : 0;
  };
  const degrees = (v: number) => (v * 180) / Math.PI;
  const known = at.filter((_, i) => told[i]);
  const magnitudes = known.map((k) => (20 * logs[k]) / log(10));
  const middle = magnitudes.toSorted((a, b) => a - b)[magnitudes.length >> 1] ?? 0;
  // A few frequencies that are hardly there, read with some error, do not make a flat curve a bent one.
  const deviations = magnitudes.map((m) => Math.abs(m - middle)).toSorted((a, b) => a - b);
  const moves = deviations[Math.floor(FLAT_SHARE * (deviations.length - 1))] ?? 0;
  const [phaseRms, excessRms] = [degrees(rms(phase)), degrees(rms(over))];
  return {
    kind: share < LEAST_TOLD ? "unknown" : kindOf(moves, phaseRms, excessRms),
    crossoversHz: share < LEAST_TOLD ? [] : halfTurns(hertz, over),
    hertz: Float64Array.from(hertz),
    degrees: Float64Array.from(phase, degrees),
    minimumDegrees: Float64Array.from(at, (k, i) => (told[i] ? degrees(minimum[k]) : Number.NaN)),
    excessDegrees: Float64Array.from(over, degrees),
    groupDelayMs: groupDelays(hertz, phase),
    delaySamples: (-line.slope * points) / (2 * Math.PI),
  };
}

function kindOf(movesDb: number, phaseDegrees: number, excessDegrees: number): PhaseKind {
  const [isFlat, turnsNothing] = [movesDb < FLAT_DB, phaseDegrees < FLAT_DEGREES];
  if (isFlat) return turnsNothing ? "none" : "all-pass";
  const [linear, minimum] = [phaseDegrees, excessDegrees];
  // A gentle curve turns so little that the two cannot be distinguished.
  if (linear < EXCESS_DEGREES && minimum < EXCESS_DEGREES) {
    if (linear * CLEARLY < minimum) return "linear";
    return minimum * CLEARLY < linear ? "minimum" : "unknown";
  }
  if (minimum < EXCESS_DEGREES) return "minimum";
  return linear < EXCESS_DEGREES ? "linear" : "mixed";
}

/** Phase, radians, of the minimum-phase filter with these log magnitudes. */
export function minimumPhaseOf(logs: Float64Array): Float64Array {
  const bins = logs.length;
  const points = 2 * (bins - 1);
  const spectrum = new Float64Array(2 * bins);
  for (let k = 0; k < bins; k++) spectrum[2 * k] = logs[k];
  const cepstrum = inverseReal(spectrum);
  for (let n = 1; n < points / 2; n++) {
    cepstrum[n] *= 2;
    cepstrum[points - n] = 0;
  }
  return Float64Array.from(forwardReal(cepstrum, points).filter((_, i) => i % 2 === 1));
}

/** Phase at some bins, unwrapped along what is over the minimum phase, which turns slower than the phase itself. */
function unwrapped(at: readonly number[], response: Float64Array, minimum: Float64Array): number[] {
  let [before, turns] = [0, 0];
  let isFirst = true;
  const output = at.map(() => 0);
  // Bin by bin, for between two of the frequencies asked for it may turn more than half round.
  let next = 0;
  for (let k = 1; k < minimum.length && next < at.length; k++) {
    const over = atan2(response[2 * k + 1], response[2 * k]) - minimum[k];
    const step = over + turns - before;
    if (!isFirst) turns -= 2 * Math.PI * Math.round(step / (2 * Math.PI));
    isFirst = false;
    before = over + turns;
    while (next < at.length && at[next] === k) output[next++] = before + minimum[k];
  }
  return output;
}

/** A straight line through phases over bins, its offset a whole number of half turns. */
function delayOf(at: readonly number[], phases: readonly number[], told: readonly boolean[], points: number) {
  let best = { slope: 0, offset: 0, misfit: Number.POSITIVE_INFINITY };
  const guesses = new Set<number>();
  for (const [i, p] of phases.entries()) if (told[i]) guesses.add(Math.round(p / Math.PI));
  for (const half of [...guesses].slice(0, 9)) {
    const offset = half * Math.PI;
    // Weighed by the frequency's inverse, as bands of equal width over its logarithm are reported less by what is far up.
    let [product, energy] = [0, 0];
    for (const [i, k] of at.entries()) {
      if (!told[i]) continue;
      product += (phases[i] - offset) * k;
      energy += k * k;
    }
    const slope = energy > 0 ? product / energy : 0;
    // Under a hundredth of a sample is none.
    const kept = Math.abs((slope * points) / (2 * Math.PI)) < 0.01 ? 0 : slope;
    let misfit = 0;
    for (const [i, k] of at.entries()) if (told[i]) misfit += (phases[i] - offset - kept * k) ** 2;
    if (misfit < best.misfit) best = { slope: kept, offset, misfit };
  }
  return best;
}

/** Where a falling excess phase passes through odd half turns: where crossovers and rotators of second order stand. */
function halfTurns(hertz: readonly number[], over: readonly number[]): number[] {
  const found: number[] = [];
  for (let i = 1; i < over.length; i++) {
    const [a, b] = [over[i - 1], over[i]];
    if (Number.isNaN(a) || Number.isNaN(b) || b >= a) continue;
    for (let turn = -1; turn >= -9; turn -= 2) {
      const at = turn * Math.PI;
      if (a >= at && b < at) found.push(hertz[i - 1] * pow(hertz[i] / hertz[i - 1], (a - at) / (a - b)));
    }
  }
  return found;
}

/** −dφ/dω in ms between neighbours. */
function groupDelays(hertz: readonly number[], phase: readonly number[]): Float64Array {
  return Float64Array.from(hertz, (_, i) => {
    const [a, b] = [Math.max(0, i - 1), Math.min(hertz.length - 1, i + 1)];
    if (a === b) return Number.NaN;
    return (-(phase[b] - phase[a]) / (2 * Math.PI * (hertz[b] - hertz[a]))) * 1000;
  });
}
