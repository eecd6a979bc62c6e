import type { Biquad } from "../audio/biquad";
import { deconvolved, inverseResponse } from "../audio/deconvolved";
import type { Filter } from "../audio/through-filters";
import { descend, type LeastSquares } from "../numeric/conjugate-gradients";
import { addTimes, energyUnder, minus, over, times } from "../numeric/vectors";
import { type Eq, fitEq, throughEq } from "./eq-fit";
import { bestGain, cellFramesAt, cellsOf, fitGain, gainsOf } from "./gain-curve";
import { added, bestGainOverTime, type GainOverTime, gainFormOf, isByFrequency, undone } from "./gain-fit";
import { countsBefore, type LinearStage, linearised } from "./linear-stages";
import { energyOf, type PairSignals } from "./pair-signals";
import { INTERVALS, SaturationFit, safeSlope, slopesOf, unsaturated } from "./saturation-curve";
import {
  type CascadeStage,
  type Chain,
  type FilterStage,
  ofChannel,
  residualBy,
  type SaturationStage,
  type Signals,
  type Stage,
  throughCascade,
  throughChain,
  throughStage,
} from "./stages";

/** A residual under this share (−75 dB) is not improved further. */
export const RESIDUAL_FLOOR = 3e-8;
/** Steps of conjugate gradients within one step of Gauss and Newton: the parts only have to come to rest with each other. */
const INNER_STEPS = 12;
/** A residual under this share (−95 dB) ends the inner steps. */
const INNER_FLOOR = 3e-10;
/** A step is halved so often while it leaves more than before. */
const MOST_HALVINGS = 4;
/** A round that improves by less than this factor (a fifth of a dB) is the last. */
const SETTLED = 0.955;
const INVERSE_STEPS = 8;

/** Signals into each stage, and out of the last. */
function passing(here: Signals, chain: Chain, rateHz: number): Signals[] {
  const signals: Signals[] = [here];
  for (const stage of chain) signals.push(throughStage(signals[signals.length - 1], stage, rateHz));
  return signals;
}

const isInBands = (stage: Stage | undefined) => stage?.kind === "gain" && isByFrequency(stage.gain);

/** `isLast`: it came out as foreseen, and a further one would find nothing. */
type Step = Settled & { isLast: boolean };

/**
 * One step of Gauss and Newton on all parameters of a chain together: y ≈ F(x) + J·step, solved by conjugate gradients, halved while it leaves more than
 * before. Answers the chain itself where no step helps.
 */
export function stepTogether(pair: PairSignals, chain: Chain, weight: Float64Array): Step {
  const { here, yonder, sampleRateHz: rateHz } = pair;
  const signals = passing(here, chain, rateHz);
  const output = signals[chain.length];
  const start = energyOf(weight, yonder, output);
  let counts: readonly Float64Array[] = yonder.map(() => weight);
  const linear: LinearStage[] = [];
  for (let i = chain.length - 1; i >= 0; i--) {
    linear[i] = linearised(chain[i], signals[i], counts, rateHz);
    if (i > 0) counts = countsBefore(chain[i], signals[i], counts);
  }
  const starts = linear.map((_, i) => linear.slice(0, i).reduce((sum, { lengths }) => sum + lengths.length, 0));
  const stepOf = (step: readonly Float64Array[], i: number) =>
    step.slice(starts[i], starts[i] + linear[i].lengths.length);
  const firstMoving = linear.findIndex(({ lengths }) => lengths.length > 0);
  if (firstMoving < 0) return { chain, left: start, isLast: true };
  const problem: LeastSquares = {
    apply: (step, outputs) => {
      let change: Signals | null = null;
      for (let i = firstMoving; i < linear.length; i++) change = linear[i].push(change, stepOf(step, i));
      for (const [c, own] of outputs.entries()) own.set((change as Signals)[c]);
    },
    adjoint: (weighted) => {
      let change: Signals = weighted;
      const steps: Float64Array[][] = [];
      for (let i = linear.length - 1; i >= firstMoving; i--) {
        steps[i] = linear[i].pullParameters(change);
        if (i > firstMoving) change = linear[i].pullInput(change);
      }
      return linear.flatMap((_, i) => steps[i] ?? []);
    },
    precondition: (gradient) => linear.flatMap((stage, i) => stage.precondition(stepOf(gradient, i))),
    floors: linear.flatMap(({ floors }) => [...floors]),
  };
  const left = yonder.map((y, c) => {
    const rest = new Float64Array(y.length);
    for (let n = 0; n < y.length; n++) if (weight[n] !== 0) rest[n] = y[n] - output[c][n];
    return rest;
  });
  const whole = yonder.reduce((sum, y) => sum + energyUnder(weight, y), 0);
  const steps = linear.flatMap(({ lengths }) => lengths.map((length) => new Float64Array(length)));
  const linearly = descend(
    problem,
    steps,
    left,
    yonder.map(() => weight),
    INNER_FLOOR * whole,
    INNER_STEPS,
  );
  for (let share = 1, halvings = 0; halvings <= MOST_HALVINGS; share /= 2, halvings++) {
    const next = linear.map((stage, i) =>
      stage.lengths.length > 0 ? stage.stepped(stepOf(steps, i), share) : chain[i],
    );
    if (next.some((stage) => stage === null)) continue;
    const moved = next as Stage[];
    const rest = energyOf(weight, yonder, throughChain(here, moved, rateHz));
    if (rest < start) return { chain: moved, left: rest, isLast: linearly.isSettled && rest * SETTLED < linearly.left };
  }
  return { chain, left: start, isLast: true };
}

/** Taps that a cascade's response is worked out over, and that it is undone with. */
const CASCADE_TAPS = 16_384;

/** The response of each channel of a filter or a cascade, this one's cut to so many taps; null where channels are heard together. */
export function responsesOf(
  stage: FilterStage | CascadeStage,
  cascadeTaps = CASCADE_TAPS,
): { responses: Float64Array[]; lead: number } | null {
  if (stage.kind === "filter")
    return stage.eq.hasCrosstalk
      ? null
      : { responses: stage.eq.filters.map(({ responses: [h] }) => h), lead: stage.eq.lead };
  const impulse = new Float64Array(cascadeTaps);
  impulse[0] = 1;
  return {
    responses: throughCascade(
      stage.sections.map(() => impulse),
      stage.sections,
    ),
    lead: 0,
  };
}

/** Inverses of filters with crosstalk that were found, by the filters they undo. */
const inverses = new WeakMap<Eq, Eq>();

/** The filter that undoes a filter or a cascade, for sounds like its input. */
export function undoing(input: Signals, stage: FilterStage | CascadeStage, { judged }: PairSignals): Filter[] {
  const own = responsesOf(stage);
  if (own) {
    const taps = Math.max(CASCADE_TAPS, own.responses[0].length);
    const form = { taps, lead: taps / 8 };
    return input.map((_, c) => ({
      responses: [inverseResponse(ofChannel(own.responses, c), own.lead, form)],
      lead: form.lead,
    }));
  }
  return crosstalkInverse(input, (stage as FilterStage).eq, judged).filters;
}

function crosstalkInverse(input: Signals, eq: Eq, weight: Float64Array): Eq {
  const known = inverses.get(eq);
  if (known) return known;
  const { taps, lead, hasCrosstalk } = eq;
  const inverse = fitEq(throughEq(input, eq), input, [weight], { taps, lead, hasCrosstalk }, undefined, INVERSE_STEPS);
  inverses.set(eq, inverse);
  return inverse;
}

/** Signals with a filter or a cascade undone: exactly, where its zeros lie well within the unit circle. */
function withoutFilter(
  signals: Signals,
  stage: FilterStage | CascadeStage,
  input: Signals,
  pair: PairSignals,
): Signals {
  const inverse = stage.kind === "cascade" ? inverseSections(stage) : null;
  if (inverse) return throughCascade(signals, inverse);
  const own = responsesOf(stage);
  return own
    ? signals.map((signal, c) => deconvolved(signal, ofChannel(own.responses, c), own.lead))
    : throughEq(signals, crosstalkInverse(input, (stage as FilterStage).eq, pair.judged));
}

/** A zero nearer to the unit circle is not divided by. */
const MOST_ZERO = 0.998;

function inverseSections({ sections }: CascadeStage): Biquad[][] | null {
  const rows = sections.map((row) =>
    row.map(({ b0, b1, b2, a1, a2 }) => ({ b0: 1 / b0, b1: a1 / b0, b2: a2 / b0, a1: b1 / b0, a2: b2 / b0 })),
  );
  const isInside = ({ a1, a2 }: Biquad) => Math.abs(a2) < MOST_ZERO ** 2 && Math.abs(a1) < (1 + a2) * MOST_ZERO;
  return rows.flat().every(isInside) ? rows : null;
}

/** Slopes as they are divided by. */
function makeSafe(slopes: Float64Array): void {
  for (let n = 0; n < slopes.length; n++) slopes[n] = safeSlope(slopes[n]);
}

export type Around = { under: Signals; wanted: Signals; weights: Signals };

/** What comes into a place in a chain, and what should leave it for Yonder to come out, as near as the stages behind can be undone. */
export const aroundPlace = (pair: PairSignals, chain: Chain, place: number, weight: Float64Array): Around =>
  around(pair, chain, place, place, weight);

/** What stands around a stage: what comes in, and what should leave it. */
export const aroundStage = (pair: PairSignals, chain: Chain, place: number, weight: Float64Array): Around =>
  around(pair, chain, place, place + 1, weight);

/** The same of a gain that is that of other stretches: what it makes of a signal is not looked at. */
const aroundForeignGain = (pair: PairSignals, chain: Chain, place: number, weight: Float64Array): Around =>
  around(pair, chain, place, place + 1, weight, true);

/** What comes into a place, and Yonder with all stages from another one on undone. */
function around(
  pair: PairSignals,
  chain: Chain,
  place: number,
  firstUndone: number,
  weight: Float64Array,
  isForeign = false,
): Around {
  const { here, yonder, sampleRateHz: rateHz } = pair;
  // What leaves the last stage is asked for by bands alone, and nothing behind the place where nothing is undone.
  const passed = firstUndone === chain.length ? place : isInBands(chain.at(-1)) ? chain.length : chain.length - 1;
  const signals = passing(here, chain.slice(0, passed), rateHz);
  let wanted: Signals = yonder;
  let weights: Signals = yonder.map(() => weight);
  for (let i = chain.length - 1; i >= firstUndone; i--) {
    const [stage, input] = [chain[i], signals[i]];
    if (stage.kind === "filter" || stage.kind === "cascade") wanted = withoutFilter(wanted, stage, input, pair);
    else if (stage.kind === "gain") {
      if (isInBands(stage)) {
        // What is missing after bands is brought back from each band's own gain.
        const [now, target] = [signals[i + 1], wanted];
        const missing = undone(
          now.map((v, c) => minus(target[c], v)),
          stage.gain,
          rateHz,
        );
        for (const [c, signal] of missing.entries()) addTimes(signal, 1, input[c]);
        wanted = missing;
        continue;
      }
      const [band] = stage.gain.fits;
      const gains = input.map((signal, c) => gainsOf(ofChannel(band, c).curve, 0, signal.length));
      for (const own of gains) makeSafe(own);
      weights = weights.map((w, c) => times(w, times(gains[c], gains[c])));
      wanted = wanted.map((signal, c) => over(signal, gains[c]));
    } else {
      const before = wanted.map((signal, c) => unsaturated(signal, ofChannel(stage.curves, c), isForeign) ?? input[c]);
      const now = throughStage(before, stage, rateHz);
      const slopes = before.map((signal, c) => slopesOf(signal, ofChannel(stage.curves, c)));
      for (const own of slopes) makeSafe(own);
      weights = weights.map((w, c) => times(w, times(slopes[c], slopes[c])));
      wanted = wanted.map((target, c) => {
        const moved = over(minus(target, now[c]), slopes[c]);
        addTimes(moved, 1, before[c]);
        return moved;
      });
    }
  }
  return { under: signals[place], wanted, weights };
}

/** A gain over time for a place in a chain: linked, or channel by channel; knots as far apart as held-out slices ask for, or as given. */
export function gainAround(
  { under, wanted, weights }: Around,
  rateHz: number,
  like?: GainOverTime | { knotFrames: number },
): GainOverTime {
  const form = like && "fits" in like ? like : null;
  if (form && isByFrequency(form)) return bestGainOverTime(under, wanted, weights, rateHz, gainFormOf(form));
  const cellFrames = cellFramesAt(rateHz);
  const cells = under.map((u, c) => cellsOf([u], [wanted[c]], weights[c], cellFrames));
  const own = form && !form.isLinked ? cells : [added(cells)];
  const knotFrames = like && ("fits" in like ? like.fits[0][0].curve.knotFrames : like.knotFrames);
  const fits = own.map((c) => (knotFrames ? fitGain(c, cellFrames, knotFrames) : bestGain(c, rateHz)));
  const finest = Math.min(...fits.map((f) => f.curve.knotFrames));
  return {
    edgesHz: [],
    isLinked: own.length < under.length || under.length === 1,
    fits: [fits.map((fit, i) => (fit.curve.knotFrames === finest ? fit : fitGain(own[i], cellFrames, finest)))],
  };
}

/** Curves for a place in a chain, at the file's own rate: as many intervals as do well on what was held out, or as given. */
export function saturationAround({ under, wanted, weights }: Around, like?: SaturationStage): SaturationStage | null {
  const each = like && like.curves.length > 1 ? under.map((_, c) => c) : [null];
  const curves = each.map((c) => {
    const pick = (signals: Signals) => (c === null ? signals : [signals[c]]);
    const fit = new SaturationFit({ under: pick(under), target: pick(wanted), weight: weights[c ?? 0] });
    if (fit.isEmpty) return null;
    const intervals = like ? [ofChannel(like.curves, c ?? 0).knots.length - 3] : INTERVALS;
    return intervals.map((count) => fit.fit(count)).reduce((a, b) => (b.heldOut < SETTLED * a.heldOut ? b : a)).curve;
  });
  return curves.every((curve) => curve !== null) ? { kind: "saturation", curves } : null;
}

/** Gains for slices that were held out, that belong to the rest of a chain; the gains that are heard stay. */
export function withHeldOutGains(pair: PairSignals, chain: Chain, weight = pair.judged): Chain {
  return chain.map((stage, place) => {
    if (stage.kind !== "gain") return stage;
    const { gain } = stage;
    const anew = gainAround(aroundStage(pair, chain, place, weight), pair.sampleRateHz, gain);
    if (isByFrequency(gain)) return { kind: "gain", gain: anew };
    const [band] = anew.fits;
    const fits = gain.fits[0].map((fit, i) => ({ ...band[i], curve: fit.curve }));
    return { kind: "gain", gain: { ...gain, fits: [fits] } };
  });
}

export type Settled = { chain: Chain; left: number };

/** Fits all stages of a chain, together and in turn, on the frames of a weight; `left` is held out where there are gains. */
export function fitStagesAlternately(
  pair: PairSignals,
  start: Chain,
  { weight = pair.judged, rounds, pause }: { weight?: Float64Array; rounds: number; pause: () => void },
): Settled {
  const held = (chain: Chain): Settled => {
    const own = withHeldOutGains(pair, chain, weight);
    return { chain: own, left: residualBy(pair, own, weight) };
  };
  const enough = RESIDUAL_FLOOR * pair.yonder.reduce((sum, y) => sum + energyUnder(weight, y), 0);
  let best = held(start);
  let { chain } = best;
  for (let round = 0; round < rounds && best.left > enough; round++) {
    pause();
    const next = stepInTurn(pair, chain, weight) ?? stepTogether(pair, chain, weight);
    if (next.chain === chain) break;
    chain = next.chain;
    const now = held(chain);
    const isSettled = next.isLast || now.left > SETTLED * best.left;
    if (now.left < best.left) best = now;
    if (isSettled) break;
  }
  return best;
}

/**
 * A filter and gains in bands in turn: what the gains leave is brought back from them and asked of the filter, then the gains are fitted anew. Splitting into bands
 * for each inner step of a common fit would take many times as long. Null for other chains.
 */
function stepInTurn(pair: PairSignals, chain: Chain, weight: Float64Array): Step | null {
  const [first, second] = chain;
  if (chain.length !== 2 || first.kind !== "filter" || second.kind !== "gain" || !isInBands(second)) return null;
  const { here, yonder, sampleRateHz: rateHz } = pair;
  const { wanted } = aroundPlace(pair, chain, 1, weight);
  const { taps, lead, hasCrosstalk } = first.eq;
  const eq = fitEq(here, wanted, [weight], { taps, lead, hasCrosstalk }, first.eq);
  const weights = yonder.map(() => weight);
  const gain = gainAround({ under: throughEq(here, eq), wanted: yonder, weights }, rateHz, second.gain);
  const next: Chain = [
    { kind: "filter", eq },
    { kind: "gain", gain },
  ];
  return { chain: next, left: energyOf(weight, yonder, throughChain(here, next, rateHz)), isLast: false };
}

/**
 * Filters of taps from nothing, each with all else as it is, then all together again; as it was where that leaves no less. Steps together hardly move a filter
 * that stands before a curve and was fitted without what stands behind it.
 */
export function withFiltersAnew(pair: PairSignals, settled: Settled, rounds: number, pause: () => void): Settled {
  const chain = settled.chain.reduce<Chain>((now, stage, place) => {
    if (stage.kind !== "filter" || stage.eq.taps === 1) return now;
    pause();
    const { under, wanted, weights } = aroundStage(pair, now, place, pair.judged);
    const { taps, lead, hasCrosstalk } = stage.eq;
    const eq = fitEq(under, wanted, weights, { taps, lead, hasCrosstalk }, undefined, STEPS_ANEW);
    return now.with(place, { kind: "filter", eq });
  }, settled.chain);
  if (chain === settled.chain) return settled;
  const anew = fitStagesAlternately(pair, chain, { rounds, pause });
  return anew.left < settled.left ? anew : settled;
}
const STEPS_ANEW = 24;

/** How fine gains and curves have to be, reported again now that the rest of the chain is better known; gains first, which may be those of other stretches. */
export function withFinenessAnew(pair: PairSignals, chain: Chain, weight = pair.judged): Chain {
  const withGains = chain.reduce<Chain>((now, stage, place) => {
    if (stage.kind !== "gain" || isInBands(stage)) return now;
    const standing = aroundForeignGain(pair, now, place, weight);
    const gain = stage.gain.isLinked
      ? gainAround(standing, pair.sampleRateHz)
      : unlinkedGain(standing, pair.sampleRateHz);
    return now.with(place, { kind: "gain", gain });
  }, chain);
  return withCurvesAnew(pair, withGains, weight);
}

/** How fine curves have to be, reported again. */
export function withCurvesAnew(pair: PairSignals, chain: Chain, weight = pair.judged): Chain {
  return chain.reduce<Chain>((now, stage, place) => {
    if (stage.kind !== "saturation" || stage.curves.length !== 1) return now;
    const anew = saturationAround(aroundStage(pair, now, place, weight));
    if (!anew) return now;
    const [{ oversampling }] = stage.curves;
    const next = now.with(place, { ...anew, curves: anew.curves.map((c) => ({ ...c, oversampling })) });
    // What stands behind a curve cannot always be undone: then it stays as it was.
    return residualBy(pair, next, weight) < residualBy(pair, now, weight) ? next : now;
  }, chain);
}

/** Gains for each channel by itself, knots as far apart as the finest of them asks for. */
export function unlinkedGain(around: Around, rateHz: number): GainOverTime {
  const cellFrames = cellFramesAt(rateHz);
  const cells = around.under.map((u, c) => cellsOf([u], [around.wanted[c]], around.weights[c], cellFrames));
  const fits = cells.map((own) => bestGain(own, rateHz));
  const finest = Math.min(...fits.map((f) => f.curve.knotFrames));
  return { edgesHz: [], isLinked: false, fits: [cells.map((own) => fitGain(own, cellFrames, finest))] };
}
