import {
  type BendCurve,
  BendFit,
  bent,
  FREE_OVERSAMPLING,
  FREE_WINDOWS,
  INTERVALS,
  safeSlope,
  slopeOf,
} from "./bend-curve";
import { ENOUGH, type Filter } from "./filter-fit";
import { bestGain, cellFramesAt, cellsOf, fitGain, gainsOf } from "./gain-curve";
import { fitTogether } from "./joint-fit";
import { added, atLevel, bestLevel, type Level, levelFormOf, undone } from "./level-fit";
import { energyOf, type PairSignals } from "./pair-signals";
import { type FormTask, fitTone, type Tone, type ToneForm, throughTone } from "./tone-fit";

type Signals = readonly Float64Array[];

/** A bend, as it leaves least: what it leaves worked out free of folding, and at the file's own rate, over the windows it was told on. */
export type Bend = { curve: BendCurve; freeLeft: number | null; ownLeft: number };

/** What is between Here and Yonder, in the order a signal goes through it. */
export type Chain = {
  tone: Tone;
  level: Level | null;
  bend: Bend | null;
  /** The filter comes after the rest (a compressor before an equalizer). */
  toneIsLast: boolean;
  /** The bend comes before the level over time. */
  bendIsFirst: boolean;
};

/** What of a filter is kept when it is fitted again. */
export const formOf = ({ taps, lead, isCrossed }: ToneForm): ToneForm => ({ taps, lead, isCrossed });

/** A round that gains less than this factor (a fifth of a dB) is the last. */
const SETTLED = 0.955;
const MOST_ROUNDS = 5;
const INVERSE_STEPS = 8;
/** Free of folding has to leave less by this factor (a quarter of a dB) to be taken for it. */
const CLEARLY = 0.944;

/** Inverses that were found, by the filters they undo: each is asked for several times in a round; and by Here, as where the next one begins. */
const inverses = new WeakMap<Filter[], { here: Signals; weight: Float64Array; inverse: Tone }>();
const lastInverses = new WeakMap<Signals, Tone>();

/** What undoes a filter, for sounds like Here. */
export function inverseOf(here: Signals, tone: Tone, weight: Float64Array): Tone {
  const known = inverses.get(tone.filters);
  if (known && known.here === here && known.weight === weight) return known.inverse;
  const form = formOf(tone);
  const last = lastInverses.get(here);
  const from = last && isOfForm(last, form) ? last : undefined;
  const inverse = fitTone(throughTone(here, tone), here, [weight], form, from, INVERSE_STEPS);
  inverses.set(tone.filters, { here, weight, inverse });
  lastInverses.set(here, inverse);
  return inverse;
}

const isOfForm = (tone: Tone, { taps, lead, isCrossed }: ToneForm) =>
  tone.taps === taps && tone.lead === lead && tone.isCrossed === isCrossed;

function core(v: Signals, { level, bend, bendIsFirst }: Chain, rateHz: number, isHeldOut: boolean): Signals {
  const levelled = (s: Signals) => (level ? atLevel(s, level, rateHz, isHeldOut) : s);
  const bended = (s: Signals) => (bend ? s.map((channel) => bent(channel, bend.curve)) : s);
  return bendIsFirst ? levelled(bended(v)) : bended(levelled(v));
}

/** Here through a chain; held out: with gains from the slices that a frame is not in. */
export function throughChain(here: Signals, chain: Chain, rateHz: number, isHeldOut = false): Signals {
  return chain.toneIsLast
    ? throughTone(core(here, chain, rateHz, isHeldOut), chain.tone)
    : core(throughTone(here, chain.tone), chain, rateHz, isHeldOut);
}

/** What a chain leaves of Yonder where a weight is not 0. */
export const leftBy = (pair: PairSignals, chain: Chain, weight = pair.judged): number =>
  energyOf(weight, pair.yonder, throughChain(pair.here, chain, pair.sampleRateHz, true));

function mapped(signals: Signals, of: (v: number, n: number, c: number) => number): Float64Array[] {
  return signals.map((signal, c) => {
    const output = new Float64Array(signal.length);
    for (let n = 0; n < signal.length; n++) output[n] = of(signal[n], n, c);
    return output;
  });
}

/** Gains frame by frame of a broad level, or of none. */
function gainsFor(level: Level | null, channels: number, length: number): Float64Array[] {
  if (!level) return Array.from({ length: channels }, () => new Float64Array(length).fill(1));
  const gains = level.fits[0].map(({ curve }) => gainsOf(curve, 0, length));
  return Array.from({ length: channels }, (_, c) => gains[Math.min(c, gains.length - 1)]);
}

/** The gain that stands before, after or without a bend, on its own: what v needs to come to the target. */
function levelFrom(
  v: Signals,
  target: Signals,
  weight: Float64Array,
  chain: Chain,
  rateHz: number,
  isKnown = false,
): Level {
  const { bend, bendIsFirst, level } = chain;
  let [under, wanted, weights]: [Signals, Signals, Signals] = [v, target, [weight]];
  if (bend && bendIsFirst) under = v.map((s) => bent(s, bend.curve));
  else if (bend) {
    const at = level ? atLevel(v, level, rateHz) : v;
    const output = at.map((s) => bent(s, bend.curve));
    wanted = mapped(at, (x, n, c) => x + (target[c][n] - output[c][n]) / safeSlope(slopeOf(bend.curve, x)));
    weights = mapped(at, (x, n) => weight[n] * safeSlope(slopeOf(bend.curve, x)) ** 2);
  }
  if (level && isKnown) return bestLevel(under, wanted, weights, rateHz, levelFormOf(level));
  const cellFrames = cellFramesAt(rateHz);
  const cells = under.map((u, c) => cellsOf([u], [wanted[c]], weights[c] ?? weights[0], cellFrames));
  if (level && !level.isLinked) {
    const fits = cells.map((own) => bestGain(own, rateHz));
    const knotFrames = Math.min(...fits.map((f) => f.curve.knotFrames));
    return { edgesHz: [], isLinked: false, fits: [cells.map((own) => fitGain(own, cellFrames, knotFrames))] };
  }
  return { edgesHz: [], isLinked: true, fits: [[bestGain(added(cells), rateHz)]] };
}

/** The bend from v to a target at the file's own rate: as many intervals as do well on what was held out. */
function bendFrom(v: Signals, target: Signals, weight: Float64Array, known: BendCurve | null): Bend | null {
  const fit = new BendFit({ under: v, target, weight });
  if (fit.isEmpty) return null;
  const fits = (known ? [known.knots.length - 3] : INTERVALS).map((intervals) => fit.fit(1, intervals));
  const best = fits.reduce((a, b) => (b.heldOut < SETTLED * a.heldOut ? b : a));
  return { curve: best.curve, freeLeft: null, ownLeft: best.heldOut };
}

/** What a bend stands between, with all else in its place. */
function aroundBend(pair: PairSignals, chain: Chain, weight: Float64Array): [Signals, Signals] {
  const { here, yonder } = pair;
  let [v, target]: [Signals, Signals] = [here, yonder];
  if (chain.toneIsLast) target = throughTone(yonder, inverseOf(here, chain.tone, weight));
  else v = throughTone(here, chain.tone);
  const gains = gainsFor(chain.level, v.length, weight.length);
  return chain.bendIsFirst
    ? [v, mapped(target, (t, n, c) => t / safeSlope(gains[c][n]))]
    : [mapped(v, (x, n, c) => x * gains[c][n]), target];
}

/**
 * A chain whose bend is held against one free of folding, on the windows that tell most: what each leaves, and the other one in its place
 * where it clearly leaves less. `isFree` says what is known already.
 */
export function unfolded(pair: PairSignals, chain: Chain, weight = pair.judged, isFree: boolean | null = null): Chain {
  if (!chain.bend || isFree === false) return chain;
  const intervals = chain.bend.curve.knots.length - 3;
  const fitBoth = (around: [Signals, Signals]) => {
    const fit = new BendFit({ under: around[0], target: around[1], weight });
    return fit.isEmpty ? null : [1, FREE_OVERSAMPLING].map((times) => fit.fit(times, intervals, FREE_WINDOWS));
  };
  const [own, free] = fitBoth(aroundBend(pair, chain, weight)) ?? [];
  if (!own || !free) return chain;
  if (!(isFree ?? free.heldOut < CLEARLY * own.heldOut))
    return { ...chain, bend: { ...chain.bend, freeLeft: free.heldOut, ownLeft: own.heldOut } };
  let other: Chain = { ...chain, bend: { curve: free.curve, freeLeft: free.heldOut, ownLeft: own.heldOut } };
  if (chain.tone.taps > 1) {
    // The filter was fitted around the other curve.
    other = { ...other, tone: toneAround(pair, other, weight) };
    const again = fitBoth(aroundBend(pair, other, weight));
    if (again)
      other = { ...other, bend: { curve: again[1].curve, freeLeft: again[1].heldOut, ownLeft: again[0].heldOut } };
  }
  return other;
}

/** The filter of a chain that has a bend, with everything else in its place. */
function toneAround(pair: PairSignals, chain: Chain, weight: Float64Array): Tone {
  const { here, yonder, sampleRateHz } = pair;
  const form = formOf(chain.tone);
  if (chain.toneIsLast) return fitTone(core(here, chain, sampleRateHz, false), yonder, [weight], form);
  const { filters } = fitTogether({
    here,
    yonder,
    weight,
    form,
    filters: chain.tone.filters,
    curves: chain.level?.fits[0].map(({ curve }) => curve.knots) ?? [],
    knotFrames: chain.level?.fits[0][0].curve.knotFrames ?? weight.length,
    toneIsLast: false,
    bend: chain.bend?.curve ?? null,
    bendIsFirst: chain.bendIsFirst,
  });
  return { ...form, filters };
}

export type Parts = { hasLevel: boolean; hasBend: boolean };

/**
 * Has the parts of a chain settle with each other on the frames of a weight: tone and level together, the bend in turn with them. `known` keeps
 * how fine gain and bend are.
 */
export function settle(
  pair: PairSignals,
  start: Chain,
  { hasLevel, hasBend }: Parts,
  { weight = pair.judged, rounds = MOST_ROUNDS, isKnown = false, pause }: SettleOptions,
): Chain & { left: number } {
  const { here, yonder, sampleRateHz: rateHz } = pair;
  const length = weight.length;
  let chain = start;
  let best: Chain & { left: number } = { ...chain, left: leftBy(pair, chain, weight) };
  const form = formOf(chain.tone);
  const isEnough = ENOUGH * energyOf(weight, yonder);
  for (let round = 0; round < rounds && best.left > isEnough; round++) {
    pause();
    const before = best.left;
    let v: Signals = here;
    let target: Signals = yonder;
    if (chain.toneIsLast) {
      target = throughTone(yonder, inverseOf(here, chain.tone, weight));
    } else v = throughTone(here, chain.tone);
    if (hasBend) {
      const gains = gainsFor(chain.level, v.length, length);
      const known = isKnown || round > 2 ? (chain.bend?.curve ?? null) : null;
      const around: [Signals, Signals] = chain.bendIsFirst
        ? [v, mapped(target, (t, n, c) => t / safeSlope(gains[c][n]))]
        : [mapped(v, (x, n, c) => x * gains[c][n]), target];
      const bend = bendFrom(...around, weight, known);
      chain = { ...chain, bend };
    }
    if (hasLevel) {
      const old = chain.level;
      if (!(isKnown && old)) chain = { ...chain, level: levelFrom(v, target, weight, chain, rateHz) };
      const level = chain.level as Level;
      const { filters, curves } = fitTogether({
        here,
        yonder,
        weight,
        form,
        filters: chain.tone.filters,
        curves: level.fits[0].map(({ curve }) => curve.knots),
        knotFrames: level.fits[0][0].curve.knotFrames,
        toneIsLast: chain.toneIsLast,
        bend: chain.bend?.curve ?? null,
        bendIsFirst: chain.bendIsFirst,
      });
      const fits = level.fits[0].map((fit, i) => ({ ...fit, curve: { ...fit.curve, knots: curves[i] } }));
      chain = { ...chain, tone: { ...form, filters }, level: { ...level, fits: [fits] } };
    } else if (chain.bend) {
      chain = { ...chain, tone: toneAround(pair, chain, weight) };
    } else chain = { ...chain, tone: fitTone(here, yonder, [weight], form, chain.tone) };
    const held = hasLevel ? withHeldOut(pair, chain, weight) : chain;
    const left = leftBy(pair, held, weight);
    if (left < best.left) best = { ...held, left };
    if (left > SETTLED * before) break;
  }
  return best;
}

/** What a filter is fitted on with everything else of a chain in its place: inputs, targets, and weights channel by channel. */
export function toneTaskOf(
  pair: PairSignals,
  chain: Chain,
  weight = pair.judged,
): [inputs: Signals, targets: Signals, weights: Signals] {
  const { here, yonder, sampleRateHz: rateHz } = pair;
  if (!chain.level && !chain.bend) return [here, yonder, [weight]];
  if (chain.toneIsLast) return [core(here, chain, rateHz, false), yonder, [weight]];
  const v = throughTone(here, chain.tone);
  const output = core(v, chain, rateHz, false);
  if (chain.level && chain.level.edgesHz.length > 0) {
    const rest = yonder.map((y, c) => y.map((t, n) => t - output[c][n]));
    const missing = undone(rest, chain.level, rateHz);
    return [here, mapped(v, (x, n, c) => x + missing[c][n]), [weight]];
  }
  const gains = gainsFor(chain.level, v.length, weight.length);
  const { bend, bendIsFirst } = chain;
  const slopes = mapped(v, (x, n, c) => {
    const gain = gains[c][n];
    return gain * (bend ? slopeOf(bend.curve, bendIsFirst ? x : x * gain) : 1);
  });
  const targets = mapped(v, (x, n, c) => x + (yonder[c][n] - output[c][n]) / safeSlope(slopes[c][n]));
  return [here, targets, mapped(slopes, (s, n) => weight[n] * safeSlope(s) ** 2)];
}

/** What the form of a filter is chosen on: each half as a weight of its own. */
export function formTaskOf(pair: PairSignals, chain: Chain): FormTask {
  const [inputs, targets, first] = toneTaskOf(pair, chain, pair.halves[0]);
  const [, , second] = toneTaskOf(pair, chain, pair.halves[1]);
  const mayCross = !chain.level && !chain.bend;
  return { inputs, targets, weights: [first, second], judgedFrames: pair.judgedFrames, mayCross };
}

/** A level over time anew for a chain's filter and bend, on the frames of a weight. */
export function withLevelFor(pair: PairSignals, chain: Chain, weight = pair.judged): Chain {
  if (!chain.level) return chain;
  const { here, yonder, sampleRateHz: rateHz } = pair;
  if (!chain.toneIsLast)
    return { ...chain, level: levelFrom(throughTone(here, chain.tone), yonder, weight, chain, rateHz, true) };
  const target = throughTone(yonder, inverseOf(here, chain.tone, weight));
  return { ...chain, level: levelFrom(here, target, weight, chain, rateHz, true) };
}

/** The same chain with gains for held-out slices that belong to its filter. */
function withHeldOut(pair: PairSignals, chain: Chain, weight: Float64Array): Chain {
  const level = withLevelFor(pair, chain, weight).level;
  if (!chain.level || !level) return chain;
  const fits = level.fits[0].map((fit, i) => ({ ...fit, curve: chain.level?.fits[0][i].curve ?? fit.curve }));
  return { ...chain, level: { ...chain.level, fits: [fits] } };
}

export type SettleOptions = { weight?: Float64Array; rounds?: number; isKnown?: boolean; pause: () => void };
