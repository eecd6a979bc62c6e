import { cos, sin } from "../audio/exact-math";
import { inverseReal } from "../audio/fft";
import type { Polarity } from "./alignment";
import { BEYOND, type Beyond, minimumPhase } from "./minimum-phase";
import type { Coherence, Shared } from "./shared-sound";

/** A delay is looked for within a quarter of the segment to each side. */
const searchFrames = (frames: number): number => frames / 4;
/** γ²/(1 − γ²) of a bin counts up to this: what stands nearer to one is not known better over so few segments. */
const MOST_INFORMATION = 100;
/** Standard errors that make a bound: bands are few and their errors alike. */
const BOUND = 4;

/** How the phase of render over reference is read: all of it is delay, or what the magnitude brings with it is taken off first. */
type PhaseModel = "linear" | `minimum, ${Beyond} beyond`;

/** Where the shared sound lies, from one cross-spectrum. */
export type DelayFit = {
  /** What remains beyond the expected delay, with its fraction; positive when the render is later still. */
  offsetSamples: number;
  polarity: Polarity;
  model: PhaseModel;
  /** Phase that is no delay, bin by bin as unit phasors, interleaved; null where the model has none. */
  ownPhase: Float64Array | null;
  /** What of the weight does not lie on the line of phase, 0 to 2. */
  misfit: number;
  /** The same when the delay is this much later. */
  misfitAt: (bySamples: number) => number;
  /** The same for the best place of the other polarity. */
  otherMisfit: number;
  /** Share of the bins, each by its coherence, that agrees. */
  agreement: number;
  /** The delay lies within this of the one found. */
  errorSamples: number;
  /** Share of the third octaves, each by what it knows, whose phase speaks for the other polarity. */
  contrary: number;
};

type Weighted = { frames: number; values: Float64Array };

/** Unit phasors times weights, `ownPhase` taken off. */
function weightedPhasors({ frames, cross }: Shared, weights: Float64Array, ownPhase: Float64Array | null): Weighted {
  const values = new Float64Array(cross.length);
  for (let k = 0; k < weights.length; k++) {
    const x = cross[2 * k];
    const y = cross[2 * k + 1];
    const square = x * x + y * y;
    if (weights[k] === 0 || square === 0) continue;
    const scale = weights[k] / Math.sqrt(square);
    const c = ownPhase ? ownPhase[2 * k] : 1;
    const s = ownPhase ? ownPhase[2 * k + 1] : 0;
    values[2 * k] = scale * (x * c + y * s);
    values[2 * k + 1] = scale * (y * c - x * s);
  }
  return { frames, values };
}

export function sumOf(values: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < values.length; k++) sum += values[k];
  return sum;
}

/**
 * Maximum-likelihood weights of a phase: γ²/(1 − γ²), the inverse of its variance (Knapp and Carter 1976; Bendat and Piersol). With
 * one segment alone nothing is known of coherence: then what is strong in both counts, by the root of the cross-spectrum.
 */
function informationOf({ cross }: Shared, { shared, segments }: Coherence): Float64Array {
  if (segments > 1) return shared.map((g) => (g > 0 ? Math.min(MOST_INFORMATION, g / (1 - Math.min(g, 0.9999))) : 0));
  return shared.map((_, k) => Math.sqrt(Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2)));
}

/** First and second derivative of Σ w · cos(phase + ω · lag) with respect to the lag, over bins [from, to). */
function derivatives({ frames, values }: Weighted, lag: number, from: number, to: number) {
  const perBin = (2 * Math.PI) / frames;
  const stepRe = cos(perBin * lag);
  const stepIm = sin(perBin * lag);
  let turnRe = cos(perBin * lag * from);
  let turnIm = sin(perBin * lag * from);
  let sum = 0;
  let slope = 0;
  let curvature = 0;
  for (let k = from; k < to; k++) {
    const re = values[2 * k] * turnRe - values[2 * k + 1] * turnIm;
    const im = values[2 * k] * turnIm + values[2 * k + 1] * turnRe;
    sum += re;
    slope -= k * im;
    curvature -= k * k * re;
    const next = turnRe * stepRe - turnIm * stepIm;
    turnIm = turnIm * stepRe + turnRe * stepIm;
    turnRe = next;
  }
  return { sum, slope: perBin * slope, curvature: perBin * perBin * curvature };
}

const MOST_STEPS = 20;
const LONGEST_STEP = 0.25;
const SHORTEST_STEP = 1e-7;

/** Newton's steps from a lag to the top beside it; where they lead away, the lag stands. */
function refined(weighted: Weighted, start: number, polarity: Polarity, reach = 1): number {
  const bins = weighted.values.length / 2;
  let lag = start;
  for (let step = 0; step < MOST_STEPS; step++) {
    const { slope, curvature } = derivatives(weighted, lag, 0, bins);
    if (polarity * curvature >= 0) return start;
    const move = Math.max(-LONGEST_STEP, Math.min(LONGEST_STEP, -slope / curvature));
    lag += move;
    if (Math.abs(move) < SHORTEST_STEP) break;
  }
  return Math.abs(lag - start) > reach ? start : lag;
}

/** Largest value of each sign within the search, and its lag. */
function tops(weighted: Weighted): { up: number; down: number } {
  const { frames } = weighted;
  const correlation = inverseReal(weighted.values);
  const reach = searchFrames(frames);
  const at = (lag: number) => correlation[(lag + frames) % frames];
  let [up, down] = [0, 0];
  for (let lag = -reach; lag <= reach; lag++) {
    if (at(lag) > at(up)) up = lag;
    if (at(lag) < at(down)) down = lag;
  }
  return { up, down };
}

type Hypothesis = {
  model: PhaseModel;
  ownPhase: Float64Array | null;
  weighted: Weighted;
  polarity: Polarity;
  lag: number;
  misfit: number;
};

/** A model must fit this much better than the plainer reading of the same magnitude to be taken. */
const CLEARLY_BETTER = 0.7;
/** Of two readings of the phase, one that fits this much worse may still be the true one. */
const HARDLY_WORSE = 4;
/** One that fits this much worse may still be nearer to it. */
const MUCH_WORSE = 10;
/** What taking a filter's own phase off moves the delay by is known to this part. */
const OWN_PHASE_ERROR = 0.75;

/**
 * The reading of the phase that holds: all of it delay, unless a minimum-phase filter fits clearly better. How the magnitude goes on above
 * what can be reported turns the phase below like a delay, so what fits nearly as well says how far the delay may be off (`open`).
 */
function bestModel([linear, ...minimum]: Hypothesis[]): Hypothesis & { open: number } {
  const filter = minimum.reduce((a, b) => (b.misfit < a.misfit ? b : a));
  const taken = filter.misfit < CLEARLY_BETTER * linear.misfit ? filter : linear;
  const likely = [linear, ...minimum].filter((h) => h.misfit < HARDLY_WORSE * taken.misfit + MISFIT_FLOOR);
  const possible = [linear, ...minimum.filter((h) => h.misfit < MUCH_WORSE * taken.misfit + MISFIT_FLOOR)];
  const apart = (some: Hypothesis[]) => Math.max(...some.map((h) => Math.abs(h.lag - taken.lag)));
  return { ...taken, open: apart(likely) + OWN_PHASE_ERROR * apart(possible) };
}

/** What of the misfit is rounding. */
const MISFIT_FLOOR = 1e-7;
/** A copy without a filter or saturation misfits by no more than this many times what its noise gives. */
const PLAIN_MISFIT = 10;
/** Of anything else the delay is known to this part of a turn at the frequencies that tell it. */
const TURN_KNOWN = 0.05;

/** The misfit that noise alone gives: phases of variance (1 − γ²) / (2 K γ²) (Bendat and Piersol). */
function noiseMisfit(information: Float64Array, { shared, segments }: Coherence): number {
  let sum = 0;
  let all = 0;
  for (let k = 0; k < shared.length; k++) {
    if (shared[k] === 0) continue;
    sum += (information[k] * (1 - shared[k])) / (4 * segments * shared[k]);
    all += information[k];
  }
  return all > 0 ? sum / all : 0;
}

/** How far a delay may be off because the processor turned phases in a way that no model here knows; 0 for a plain copy. */
function turnError({ misfit }: Hypothesis, information: Float64Array, coherence: Coherence, frames: number): number {
  if (misfit < PLAIN_MISFIT * noiseMisfit(information, coherence) + MISFIT_FLOOR) return 0;
  let squares = 0;
  for (let k = 0; k < information.length; k++) squares += information[k] * k * k;
  return (TURN_KNOWN * frames) / Math.sqrt(squares / sumOf(information));
}

/**
 * The delay and polarity that the shared sound speaks for: both polarities, with and without the phase that a minimum-phase filter of the
 * measured magnitude has, each at its best lag; the one with the least misfit holds. null where nothing is shared.
 */
export function fitDelay(shared: Shared, coherence: Coherence): DelayFit | null {
  const information = informationOf(shared, coherence);
  const total = sumOf(information);
  if (total === 0) return null;
  const models: [PhaseModel, Float64Array | null][] = [
    ["linear", null],
    ...BEYOND.map((beyond): [PhaseModel, Float64Array] => [
      `minimum, ${beyond} beyond`,
      minimumPhase(shared, coherence.shared, beyond),
    ]),
  ];
  const hypotheses = models.flatMap(([model, ownPhase]): Hypothesis[] => {
    const weighted = weightedPhasors(shared, information, ownPhase);
    const { up, down } = tops(weighted);
    return ([1, -1] as const).map((polarity) => {
      const lag = refined(weighted, polarity === 1 ? up : down, polarity);
      const { sum } = derivatives(weighted, lag, 0, information.length);
      return { model, ownPhase, weighted, polarity, lag, misfit: 1 - (polarity * sum) / total };
    });
  });
  const best = ([1, -1] as const).map((polarity) => bestModel(hypotheses.filter((h) => h.polarity === polarity)));
  const [taken, other] = best[0].misfit <= best[1].misfit ? best : best.toReversed();
  const phase = taken.ownPhase;
  const strong = weightedPhasors(shared, explainedPowers(shared, coherence), phase);
  const byShare = weightedPhasors(shared, coherence.shared, phase);
  const { offset, error } = settledOffset(taken, strong);
  const shareTotal = sumOf(coherence.shared);
  return {
    offsetSamples: offset,
    polarity: taken.polarity,
    model: taken.model,
    ownPhase: phase,
    misfit: taken.misfit,
    misfitAt: (by) =>
      1 - (taken.polarity * derivatives(taken.weighted, offset + by, 0, information.length).sum) / total,
    otherMisfit: other.misfit,
    agreement:
      shareTotal > 0
        ? Math.max(
            0,
            Math.min(1, (taken.polarity * derivatives(byShare, offset, 0, information.length).sum) / shareTotal),
          )
        : 1 - taken.misfit,
    errorSamples: error + taken.open + turnError(taken, information, coherence, shared.frames),
    contrary: contraryShare(taken.weighted, offset, taken.polarity),
  };
}

/** The render's power that the reference explains, bin by bin: what a null is made of. */
const explainedPowers = ({ renderPower }: Shared, { shared }: Coherence): Float64Array =>
  shared.map((g, k) => g * renderPower[k]);

/**
 * The offset that all bins speak for, unless the strong ones, which the null hangs on, lie further from it than both can be off: then
 * theirs, and the distance is part of the error.
 */
function settledOffset({ weighted, lag, polarity }: Hypothesis, strong: Weighted): { offset: number; error: number } {
  const error = BOUND * bandError(weighted, lag, polarity);
  const strongLag = refined(strong, lag, polarity, Math.max(1, 2 * error));
  const strongError = BOUND * bandError(strong, strongLag, polarity);
  const apart = Math.abs(strongLag - lag);
  if (apart <= error + strongError) return { offset: lag, error: Math.max(error, Math.min(apart, strongError)) };
  return { offset: strongLag, error: Math.max(apart, strongError, error) };
}

/** The delay that one part of the passage speaks for, polarity and own phase being known from the whole. */
export function fitPart(
  shared: Shared,
  coherence: Coherence,
  whole: Pick<DelayFit, "ownPhase" | "polarity"> | null,
): { offsetSamples: number; agreement: number; errorSamples: number } | null {
  const information = informationOf(shared, coherence);
  const total = sumOf(information);
  if (total === 0) return null;
  const weighted = weightedPhasors(shared, information, whole?.ownPhase ?? null);
  const { up, down } = tops(weighted);
  const valueAt = (lag: number, polarity: Polarity) => polarity * derivatives(weighted, lag, 0, information.length).sum;
  const polarity = whole?.polarity ?? (valueAt(up, 1) >= valueAt(down, -1) ? 1 : -1);
  const lag = refined(weighted, polarity === 1 ? up : down, polarity);
  return {
    offsetSamples: lag,
    agreement: Math.max(0, valueAt(lag, polarity) / total),
    errorSamples: BOUND * bandError(weighted, lag, polarity),
  };
}

/** Third octaves of the spectrum, none wider than a sixteenth of it, as bins [from, to). */
function bandsOf(bins: number): [number, number][] {
  const bands: [number, number][] = [];
  for (let from = 1; from < bins; ) {
    const to = Math.min(bins, from + Math.max(1, Math.min(Math.round(from * 0.26), Math.ceil(bins / 16))));
    bands.push([from, to]);
    from = to;
  }
  return bands;
}

/**
 * Standard error of the lag, each band of the spectrum being off as a whole: an equalizer's or a saturator's phase is the same for
 * neighbours (the cluster form of Huber's sandwich, √Σ slope² / Σ bend), corrected for how few bands carry it.
 */
function bandError(weighted: Weighted, lag: number, polarity: Polarity): number {
  let [squares, curvatureSum, curvatureSquares] = [0, 0, 0];
  for (const [from, to] of bandsOf(weighted.values.length / 2)) {
    const { slope, curvature } = derivatives(weighted, lag, from, to);
    squares += slope * slope;
    curvatureSum += -polarity * curvature;
    curvatureSquares += curvature * curvature;
  }
  if (curvatureSum <= 0) return searchFrames(weighted.frames);
  const effective = (curvatureSum * curvatureSum) / curvatureSquares;
  // Two bands or fewer cannot contradict each other: nothing is known beyond a part of their own period.
  const correction = effective > 1.5 ? effective / (effective - 1) : 3;
  return (Math.sqrt(squares) / curvatureSum) * Math.sqrt(correction);
}

/** Of the third octaves, by the root of what they know, those whose mean phase lies nearer to the other polarity. */
function contraryShare(weighted: Weighted, lag: number, polarity: Polarity): number {
  let [against, all] = [0, 0];
  for (const [from, to] of bandsOf(weighted.values.length / 2)) {
    let weight = 0;
    for (let k = from; k < to; k++) weight += Math.sqrt(weighted.values[2 * k] ** 2 + weighted.values[2 * k + 1] ** 2);
    const { sum } = derivatives(weighted, lag, from, to);
    // By its known phases a band has one voice, whatever its width.
    const voice = weight / (to - from);
    all += voice;
    if (polarity * sum < 0) against += voice;
  }
  return all > 0 ? against / all : 0;
}
