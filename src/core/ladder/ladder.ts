import {
  type Bend,
  type Chain,
  formOf,
  formTaskOf,
  inverseOf,
  leftBy,
  type Parts,
  settle,
  throughChain,
  toneTaskOf,
  unfolded,
  withLevelFor,
} from "./chain-fit";
import { throughFilter } from "./filter-fit";
import { type Found, foundOf } from "./found";
import { atLevel, bestLevel, broadLevel, type Level, levelFormOf } from "./level-fit";
import { channelOf, energyOf, type PairSignals, withReach } from "./pair-signals";
import { bestToneForm, fitTone, type Tone, type ToneForm, throughTone } from "./tone-fit";
import { predictionOf } from "./whitening";

/** A part has to leave less by this factor (half a dB) on what was held out, or it is not there. */
const WORTH = 0.89;
/** What is left under this share (−75 dB) is not looked into further. */
const ENOUGH = 3e-8;
/** Filters while parts are looked for are no longer than this. */
const SCOUT_TAPS = 1024;
/** Beside other parts filters are looked for up to this length first, with so many frames around each stretch. */
const SHORT_TAPS = 4096;
const SHORT_REACH = 8192;
/** Parts that leave less than this share (−50 dB) need no other order. */
const WELL = 1e-5;
/** Bands are looked for where a gain over time leaves more than this share (−50 dB). */
const WORTH_BANDS = 1e-5;
/**
 * Or, where Here has next to nothing at some frequencies, less by this factor (15 dB), and with all frequencies counting alike no more than this (6 dB) over what
 * it was: quick gains that write another sound leave 13 dB less at the most, and ten times as much (by trial on tones, basses and mixes).
 */
const FAR_LESS = 0.0316;
const HARDLY_MORE = 4;
/** What frequencies are made to count alike with: an autoregressive model of Yonder, its quietest no more than 40 dB under its loudest. */
const WHITE_ORDER = 64;
const WHITE_FLOOR = 1e-4;
/** Beside gains in bands a filter has so many taps; filter and gains take turns so often. */
const BAND_TAPS = 1024;
const FIRST_BAND_ROUNDS = 2;
const BAND_ROUNDS = 5;
const BAND_SEARCHES = 3;
/** What gains in bands do has to leave less by this factor (2 dB) than they do on Here so much later. */
const CLEARLY_LESS = 0.63;
const CHANCE_SHIFT_SECONDS = 0.37;
/** Where a filter in trial leaves more than this share (−40 dB), it is not all there is. */
const FAR = 1e-4;
/** Rounds while parts are looked for, and when they are known. */
const SCOUT_ROUNDS = 3;
const HALF_ROUNDS = 1;

const FLAT: ToneForm = { taps: 1, lead: 0, isCrossed: false };

/** Energies over Yonder's: fitted on all that is judged, and cross-validated: each half by what was fitted on the other. */
export type Left = { fitted: number; crossed: number };

/** The steps after time, in their order. */
export const STEP_KEYS = ["levelled", "toned", "overTime", "bended"] as const;
type StepKey = (typeof STEP_KEYS)[number];

/** Here wearing something, and the gain that was put on it. */
type Worn = { gain: number; signals: readonly Float64Array[] };

/** What was found between two sounds, step by step. */
export type Climb = Record<StepKey, Left> & {
  /** What it was fitted on in the end. */
  pair: PairSignals;
  /** Energy of Yonder in the judged frames. */
  whole: number;
  chain: Chain;
  found: Found;
  /** Here wearing it up to each step, gains over time by the slices a frame is not in. */
  worn: Record<StepKey, readonly Float64Array[]>;
};

const formed = (pair: PairSignals, form: ToneForm, weight = pair.judged): Chain => ({
  tone: fitTone(pair.here, pair.yonder, [weight], form),
  level: null,
  bend: null,
  toneIsLast: false,
  bendIsFirst: false,
});

/**
 * What a chain leaves with all frequencies of Yonder counting alike. A gain that is quick enough can write any low wave by itself; what it
 * is then held against leaves as much as before at all other frequencies, and it is not taken for a gain.
 */
function whitened(pair: PairSignals): (chain: Chain) => number {
  const { here, yonder, judged, sampleRateHz } = pair;
  const filters = yonder.map((signal) => predictionOf(signal, WHITE_ORDER, WHITE_FLOOR));
  return (chain) => {
    const output = throughChain(here, chain, sampleRateHz, true);
    const rest = yonder.map((y, c) => y.map((v, n) => v - output[c][n]));
    return energyOf(judged, throughOwn(rest, filters));
  };
}

const throughOwn = (signals: readonly Float64Array[], filters: readonly Float64Array[]) =>
  signals.map((signal, c) => throughFilter([signal], { responses: [filters[c]], lead: 0 }));

/** Which parts stand between two sounds, and in which order: on a little of them, with short filters. */
function scout(pair: PairSignals, pause: Pause): { chain: Chain; parts: Parts } {
  const whole = energyOf(pair.judged, pair.yonder);
  const [isEnough, isWell] = [ENOUGH * whole, WELL * whole];
  const none = { hasLevel: false, hasBend: false };
  const { form } = bestToneForm({ ...formTaskOf(pair, formed(pair, FLAT)), mostTaps: SCOUT_TAPS }, pause);
  type Found = { chain: Chain; parts: Parts; left: number; white: number; cost: number };
  const found: Found[] = [];
  const white = whitened(pair);
  const consider = (start: Chain, parts: Parts, cost: number): Found => {
    const chain = settle(pair, start, parts, { rounds: SCOUT_ROUNDS, pause });
    const one = { chain, parts, left: chain.left, white: white(chain), cost };
    found.push(one);
    return one;
  };
  const least = () => Math.min(...found.map((f) => f.left));
  const flat = formed(pair, FLAT);
  // Beside other parts a filter shows its length less than it has: room for it.
  const lead = form.lead > form.taps / 4 ? SCOUT_TAPS / 2 : SCOUT_TAPS / 8;
  const plain =
    pair.judgedFrames > 8 * SCOUT_TAPS ? { taps: SCOUT_TAPS, lead, isCrossed: false } : { ...form, isCrossed: false };
  const hasTone = form.taps > 1;
  const toned = hasTone ? formed(pair, plain) : flat;
  const [level, bend] = [
    { hasLevel: true, hasBend: false },
    { hasLevel: false, hasBend: true },
  ];
  const both = { hasLevel: true, hasBend: true };
  const linear = formed(pair, form);
  found.push({ chain: linear, parts: none, left: leftBy(pair, linear), white: white(linear), cost: 0 });
  found.push({ chain: flat, parts: none, left: leftBy(pair, flat), white: white(flat), cost: 0 });
  consider(flat, bend, 1);
  if (least() > isEnough) consider(flat, level, 1);
  if (hasTone && least() > isWell) {
    const singles = [consider(toned, level, 2), consider(toned, bend, 2)];
    if (least() > isWell) {
      for (const { chain, parts } of singles.toSorted((a, b) => a.left - b.left).slice(0, 1))
        consider({ ...chain, toneIsLast: true }, parts, 2);
      if (least() > isWell) {
        const other = singles.toSorted((a, b) => a.left - b.left)[1];
        consider({ ...other.chain, toneIsLast: true }, other.parts, 2);
      }
    }
  }
  const plainLeft = Math.min(...found.filter((f) => f.cost === 0).map((f) => f.left));
  // Where neither does anything by itself, both together do not either.
  if (least() > isEnough && least() < WORTH * plainLeft) {
    const best = found.filter((f) => f.cost > 0).toSorted((a, b) => a.left - b.left)[0];
    consider(best.chain, both, best.cost + 1);
    if (least() > isWell) consider({ ...best.chain, bendIsFirst: true }, both, best.cost + 1);
  }
  // The simplest of those that leave about as little as any.
  const simplest = found.toSorted((a, b) => a.cost - b.cost || a.left - b.left);
  let chosen = simplest[0];
  for (const one of simplest) {
    const isLess = one.left < WORTH * chosen.left && one.white < WORTH * chosen.white;
    if (isLess || (one.left < FAR_LESS * chosen.left && one.white < HARDLY_MORE * chosen.white)) chosen = one;
  }
  return { chain: chosen.chain, parts: chosen.parts };
}

/** Level in bands, or for each channel by itself, where that leaves clearly less on what was held out. */
function inBandsWhereBetter(pair: PairSignals, chain: Chain, parts: Parts, pause: Pause): Chain {
  const { here, yonder, judged, sampleRateHz } = pair;
  if (chain.bend || chain.toneIsLast) return chain;
  const left = leftBy(pair, chain);
  if (left < WORTH_BANDS * energyOf(judged, yonder)) return chain;
  pause("Looking for gain in bands");
  const tone = toneBesideBands(pair, chain);
  const banded = withBandsSettled(pair, { ...chain, tone, level: bandedOn(pair, tone) }, pause);
  if (banded && leftBy(pair, banded) < WORTH * left && isMoreThanChance(pair, banded)) return banded;
  const { level } = broadLevel(throughTone(here, chain.tone), yonder, [judged], sampleRateHz);
  if (!chain.level && level.isLinked) return chain;
  let other: Chain = { ...chain, level };
  if (!chain.tone.isCrossed) other = settle(pair, other, { ...parts, hasLevel: true }, { rounds: 2, pause });
  const white = whitened(pair);
  return leftBy(pair, other) < WORTH * left && white(other) < WORTH * white(chain) ? other : chain;
}

/** The best level over time in bands behind a filter; null where one band is as good. */
function bandedOn(pair: PairSignals, tone: Tone): Level | null {
  const level = bestLevel(throughTone(pair.here, tone), pair.yonder, [pair.judged], pair.sampleRateHz);
  return level.edgesHz.length > 0 ? level : null;
}

/** Bands part with phase that a short filter does not hold: one with room for it, channel by channel. */
function toneBesideBands(pair: PairSignals, { tone }: Chain): Tone {
  if (pair.judgedFrames < 8 * BAND_TAPS || (tone.taps >= BAND_TAPS && !tone.isCrossed)) return tone;
  return formed(pair, { taps: BAND_TAPS, lead: BAND_TAPS / 8, isCrossed: false }).tone;
}

/** Filter and gains in bands in turn, until they no longer gain; edges and times are looked for again when they show better. */
function withBandsSettled(pair: PairSignals, start: Chain, pause: Pause): Chain | null {
  if (!start.level) return null;
  let best = takingTurns(pair, start, FIRST_BAND_ROUNDS, pause);
  for (let search = 0; search < BAND_SEARCHES; search++) {
    const level = bandedOn(pair, best.tone);
    if (!level || leftBy(pair, { ...best, level }) >= WORTH * leftBy(pair, best)) break;
    best = takingTurns(pair, { ...best, level }, search + 1 < BAND_SEARCHES ? FIRST_BAND_ROUNDS : BAND_ROUNDS, pause);
  }
  return takingTurns(pair, best, BAND_ROUNDS, pause);
}

function takingTurns(pair: PairSignals, start: Chain, rounds: number, pause: Pause): Chain {
  let best = start;
  let left = leftBy(pair, best);
  for (let round = 0; round < rounds; round++) {
    pause();
    const tone = fitTone(...toneTaskOf(pair, best), formOf(best.tone), best.tone);
    const next = withLevelFor(pair, { ...best, tone });
    const now = leftBy(pair, next);
    if (now >= left) break;
    const isSettled = now > WORTH * left;
    [best, left] = [next, now];
    if (isSettled) break;
  }
  return best;
}

/**
 * Whether gains in bands tell of Here, and not only of what quick gains can write by themselves on any sound of its kind: they have to leave far less
 * of what its filter leaves than the same gains on Here moved in time.
 */
function isMoreThanChance(pair: PairSignals, { tone, level }: Chain): boolean {
  const { here, yonder, judged, sampleRateHz } = pair;
  if (!level) return false;
  const toned = throughTone(here, tone);
  const rest = yonder.map((y, c) => y.map((v, n) => v - toned[c][n]));
  const shift = Math.round(CHANCE_SHIFT_SECONDS * sampleRateHz);
  const moved = toned.map((signal) => signal.map((_, n) => signal[(n + shift) % signal.length]));
  const [own, chance] = [toned, moved].map((under) => {
    const found = bestLevel(under, rest, [judged], sampleRateHz, levelFormOf(level));
    return energyOf(judged, rest, atLevel(under, found, sampleRateHz, true));
  });
  return own < CLEARLY_LESS * chance;
}

/** Here at the one gain that leaves least where a weight is not 0. */
function gainTo(weight: Float64Array, from: readonly Float64Array[], to: readonly Float64Array[]): number {
  let [product, energy] = [0, 0];
  for (const [c, signal] of from.entries()) {
    const target = to[c];
    for (let n = 0; n < signal.length; n++) {
      if (weight[n] === 0) continue;
      product += weight[n] * signal[n] * target[n];
      energy += weight[n] * signal[n] * signal[n];
    }
  }
  return energy > 0 ? Math.max(0, product / energy) : 0;
}

/** Here wearing a chain up to each step, at the gain that leaves least where `fitted` is not 0; with all of it, as it is. */
function wornBy(pair: PairSignals, chain: Chain, fitted: Float64Array, isHeldOut: boolean): Record<StepKey, Worn> {
  const { here, yonder, sampleRateHz } = pair;
  const scaled = (signals: readonly Float64Array[]): Worn => {
    const gain = gainTo(fitted, signals, yonder);
    return { gain, signals: signals.map((s) => s.map((v) => v * gain)) };
  };
  return {
    levelled: scaled(here),
    toned: scaled(throughTone(here, chain.tone)),
    overTime: scaled(throughChain(here, { ...chain, bend: null }, sampleRateHz, isHeldOut)),
    bended: { gain: 1, signals: throughChain(here, chain, sampleRateHz, isHeldOut) },
  };
}

/** A bend at the file's own rate, which is quick. */
const folding = (bend: Bend): Bend => ({ ...bend, curve: { ...bend.curve, oversampling: 1 } });

/** Told now and then, with what is being done; ends the work by throwing. */
export type Pause = (doing?: string) => void;

/** A chain, and what it was fitted on in the end. */
type Fitted = { pair: PairSignals; chain: Chain; parts: Parts };

/** A filter alone, as long as it has to be; where that is not all, whatever else there is. */
function chainBetween(inFull: PairSignals, scouted: PairSignals, pause: Pause): Fitted {
  pause("Looking for a filter");
  const alone = formTaskOf(inFull, formed(inFull, FLAT));
  const first = bestToneForm(alone, pause, { isHasty: true });
  const none: Parts = { hasLevel: false, hasBend: false };
  let linear: Chain | null = null;
  if (first.leftShare < FAR) {
    linear = formed(inFull, first.form);
    if (leftBy(inFull, linear) <= ENOUGH * energyOf(inFull.judged, inFull.yonder))
      return { pair: inFull, chain: linear, parts: none };
  }
  pause("Looking for gain over time and bends");
  // One channel tells which parts there are, unless both are mixed.
  const { chain: start, parts } = scout(
    first.form.isCrossed ? scouted : channelOf(scouted, Math.min(first.telling, scouted.here.length - 1)),
    pause,
  );
  let fitted: Fitted;
  if (parts.hasLevel || parts.hasBend) {
    pause("Fitting all of it together");
    fitted = settledOn(inFull, start, parts, pause);
  } else {
    // Nothing else is there: now the longest filters are worth the time.
    const form = first.isCut ? bestToneForm(alone, pause, { start: first }).form : first.form;
    fitted = { pair: inFull, chain: linear && form === first.form ? linear : formed(inFull, form), parts };
  }
  const { pair } = fitted;
  const chain = inBandsWhereBetter(pair, fitted.chain, parts, pause);
  return {
    pair,
    chain: chain.level && !chain.toneIsLast ? withLevelFor(pair, chain) : chain,
    parts: { ...parts, hasLevel: chain.level !== null },
  };
}

/** Parts that were scouted, fitted where most filters beside other parts are short enough; with room for the longest where they are not. */
function settledOn(inFull: PairSignals, start: Chain, parts: Parts, pause: Pause): Fitted {
  const short = withReach(inFull, SHORT_REACH);
  const chain = settled(short, start, parts, pause, SHORT_TAPS);
  if (chain.tone.taps < SHORT_TAPS) return { pair: short, chain, parts };
  const inRoom = withLevelFor(inFull, chain);
  const { form } = bestToneForm(formTaskOf(inFull, inRoom), pause, {
    start: { form: formOf(chain.tone), reachedTaps: chain.tone.taps },
  });
  if (form.taps <= SHORT_TAPS) return { pair: short, chain, parts };
  const tone = fitTone(...toneTaskOf(inFull, inRoom), form);
  const longer = settle(inFull, { ...inRoom, tone }, parts, { rounds: 2, isKnown: true, pause });
  return { pair: inFull, chain: unfolded(inFull, longer), parts };
}

/**
 * Takes apart what sets two sounds in step apart: one gain, a linear filter, a gain over time, a static curve. Everything is fitted on the judged
 * frames, and once more on each half of them to be judged on the other. `scouted` is a little of the same pair, to look for parts in quickly.
 */
export function climb(inFull: PairSignals, scouted: PairSignals, pause: Pause): Climb {
  const whole = energyOf(inFull.judged, inFull.yonder);
  const { pair, chain, parts } = chainBetween(inFull, scouted, pause);
  const { here, yonder, judged } = pair;
  const [fitted, held] = [false, true].map((isHeldOut) => wornBy(pair, chain, judged, isHeldOut));
  pause("Judging each half by the other");
  const crossed = crossedLeft(pair, chain, parts, pause);
  const at = (key: StepKey): Left => ({
    fitted: energyOf(judged, yonder, fitted[key].signals) / whole,
    crossed: crossed[key] / whole,
  });
  const inverse = chain.toneIsLast && chain.level ? inverseOf(here, chain.tone, judged) : null;
  const gains = { level: fitted.levelled.gain, tone: fitted.toned.gain, levelOverTime: fitted.overTime.gain };
  return {
    pair,
    whole,
    ...byStep(at),
    chain,
    found: foundOf(chain, gains, inverse),
    worn: byStep((key) => held[key].signals),
  };
}

function byStep<T>(of: (key: StepKey) => T): Record<StepKey, T> {
  return { levelled: of("levelled"), toned: of("toned"), overTime: of("overTime"), bended: of("bended") };
}

/** Parts that were scouted, fitted on all that is judged, the filter as long as it has to be beside them. */
function settled(pair: PairSignals, scouted: Chain, parts: Parts, pause: Pause, mostTaps: number): Chain {
  const known = { rounds: 2, isKnown: true, pause };
  const start = forChannels(scouted, pair.here.length);
  // How fine a bend may be is told by all there is, not by the little it was looked for in.
  let chain: Chain = settle(pair, { ...withLevelFor(pair, start), bend: null }, parts, known);
  const { form } = bestToneForm({ ...formTaskOf(pair, chain), mostTaps }, pause);
  if (form.taps !== chain.tone.taps || form.lead !== chain.tone.lead)
    chain = settle(pair, { ...chain, tone: fitTone(...toneTaskOf(pair, chain), form) }, parts, known);
  return unfolded(pair, chain);
}

/** A chain that was found on one channel, for so many. */
const forChannels = (chain: Chain, count: number): Chain => ({
  ...chain,
  tone: {
    ...chain.tone,
    filters: Array.from({ length: count }, (_, c) => chain.tone.filters[c] ?? chain.tone.filters[0]),
  },
});

/** What each step leaves of each half when it was fitted on the other. */
function crossedLeft(pair: PairSignals, chain: Chain, parts: Parts, pause: Pause): Record<StepKey, number> {
  const crossed = byStep(() => 0);
  const folded = { ...chain, bend: chain.bend && folding(chain.bend) };
  for (const [h, half] of pair.halves.entries()) {
    pause();
    let own: Chain = { ...folded, tone: fitTone(...toneTaskOf(pair, folded, half), formOf(chain.tone)) };
    if (chain.level || chain.bend) {
      if (!chain.level?.edgesHz.length) {
        const known = { weight: half, rounds: HALF_ROUNDS, isKnown: true, pause };
        own = settle(pair, withLevelFor(pair, own, half), parts, known);
      }
      own = unfolded(pair, own, half, (chain.bend?.curve.oversampling ?? 1) > 1);
      own = withLevelFor(pair, own);
    }
    const worn = wornBy(pair, own, half, true);
    for (const key of STEP_KEYS) crossed[key] += energyOf(pair.halves[1 - h], pair.yonder, worn[key].signals);
  }
  return crossed;
}
