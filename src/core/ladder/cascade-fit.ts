import type { Biquad } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { cos, log, sin } from "../audio/exact-math";
import { type BandsFit, fewBands } from "../bench/find/fit-bands";
import { factorScaled, solveScaled } from "../numeric/cholesky";
import { delayedProducts, energyUnder, takenFrom, times, weightedProduct } from "../numeric/vectors";
import { biquadsOf, type Cut, cutsRepeated, missesOf, REPEATS } from "./band-sections";
import { MIN_IMPROVEMENT_3_DB } from "./improvements";
import { addColumnProducts, columnsOf, groupsOf, movedRow, normalised, parametersOf } from "./linear-stages";
import { channelOf, energyOf, type PairSignals, someStretches, withReach } from "./pair-signals";
import { type PairTransfer, pairTransfer } from "./pair-transfer";
import { type CascadeStage, ofChannel, type Signals, throughCascade } from "./stages";
import { expandedStep, expansionOf, retied, tiedEquations, tiesOf } from "./tied-sections";

/** A gain counts for the search of bands where its standard error is under this (dB), and the input within this of its loudest. */
const KNOWN_DB = 0.3;
const LEAST_INPUT = 1e-8;
const DENSE_HZ = [150, 1200];
/** Fewer known frequencies than this say nothing of bands. */
const LEAST_KNOWN = 12;
/** Bands that leave more than this of the curve (dB, RMS) do not make it. */
const MOST_MISFIT_DB = 1.5;

/** The frequencies at which a curve is known well enough to look for bands. */
function knownPart({ hertz, gainDb, errorDb, inputShare }: PairTransfer) {
  // Far up, fewer tell as much.
  const stepAt = (i: number) => (hertz[i] < DENSE_HZ[0] ? 1 : hertz[i] < DENSE_HZ[1] ? 2 : 4);
  const known = hertz
    .map((_, i) => i)
    .filter((i) => i % stepAt(i) === 0)
    .filter((i) => errorDb[i] < KNOWN_DB && inputShare[i] > LEAST_INPUT && gainDb[i] > deepest(gainDb, errorDb));
  const errors = known.map((i) => errorDb[i]).toSorted((x, y) => x - y);
  return {
    hertz: known.map((i) => hertz[i]),
    gainDb: known.map((i) => gainDb[i]),
    /** Of the output, in the band that each stands for. */
    energy: known.map((i) => inputShare[i] * amplitudeFromDb(gainDb[i]) ** 2 * hertz[i] * stepAt(i)),
    enoughDb: errors[errors.length >> 1],
  };
}

/** So far under its highest a curve is read among leakage of what is louder (dB). */
const DEPTH_DB = 50;
const deepest = (gainDb: Float64Array, errorDb: Float64Array): number =>
  gainDb.reduce((most, db, i) => (errorDb[i] < KNOWN_DB && db > most ? db : most), -300) - DEPTH_DB;

export type CascadeFit = { stage: CascadeStage; left: number };

/** Rows of biquads between signals, fitted on the frames of a weight: a row for each channel, or one for all. */
export type CascadeTask = { inputs: Signals; targets: Signals; weights: Signals };

/** Steps of Levenberg and Marquardt at the most, and what their damping moves by. */
const MOST_STEPS = 24;
const DAMPING = { start: 1e-7, least: 1e-12, most: 1e3, down: 0.03, up: 30 };
/** So many steps in a row that improve by less than a tenth end it. */
const SETTLED = 0.9;

/** All coefficients of a cascade, from where they are, by Levenberg and Marquardt's steps on the signals themselves; sections that are the same stay so. */
export function refinedCascade(
  { inputs, targets, weights }: CascadeTask,
  from: CascadeStage,
  pause: () => void,
  { enough = 0, mostSteps = MOST_STEPS, isTied = true }: { enough?: number; mostSteps?: number; isTied?: boolean } = {},
): CascadeFit {
  /** Rows at the gains that leave least, and what they leave. */
  const levelled = (given: readonly Biquad[][]): { rows: Biquad[][]; rest: Float64Array[] } => {
    const output = throughCascade(inputs, given);
    const sums = given.map(() => ({ product: 0, energy: 0 }));
    for (const [c, own] of output.entries()) {
      const sum = ofChannel(sums, c);
      sum.product += weightedProduct(weights[c], own, targets[c]);
      sum.energy += energyUnder(weights[c], own);
    }
    const gains = sums.map(({ product, energy }) => (energy > 0 && product !== 0 ? product / energy : 1));
    for (const [c, own] of output.entries()) takenFrom(targets[c], ofChannel(gains, c), own);
    return {
      rows: given.map(([first, ...others], r) => [
        { ...first, b0: gains[r] * first.b0, b1: gains[r] * first.b1, b2: gains[r] * first.b2 },
        ...others,
      ]),
      rest: output,
    };
  };
  const energyOf = (rest: Signals) => rest.reduce((sum, own, c) => sum + energyUnder(weights[c], own), 0);
  let { rows, rest } = levelled(from.sections.map(normalised));
  let left = energyOf(rest);
  let damping = DAMPING.start;
  let slow = 0;
  const ties = rows.map((row) => (isTied ? tiesOf(row) : row.map((_, i) => i)));
  for (let step = 0; step < mostSteps && left > enough && slow < 2; step++) {
    pause();
    const normal = rows.map((row, r) => {
      const size = parametersOf(row);
      const [matrix, gradient] = [new Float64Array(size * size), new Float64Array(size)];
      for (const [c, signal] of inputs.entries()) {
        if (Math.min(c, rows.length - 1) !== r) continue;
        const columns = columnsOf(signal, row);
        addColumnProducts(columns, weights[c], matrix);
        const weightedResidual = times(rest[c], weights[c]);
        for (const { signal: u, sign, first, lates } of groupsOf(columns)) {
          const products = delayedProducts(weightedResidual, u);
          for (const [i, late] of lates.entries()) gradient[first + i] += sign * products[late];
        }
      }
      const expansion = expansionOf(row, ties[r]);
      return { expansion, ...tiedEquations(expansion, matrix, gradient) };
    });
    const before = left;
    for (; damping <= DAMPING.most; damping *= DAMPING.up) {
      const moved = rows.map((row, r) => {
        const { expansion, matrix, gradient } = normal[r];
        const step = solveScaled(factorScaled(matrix, gradient.length, damping), gradient);
        const next = movedRow(row, expandedStep(expansion, step), 1);
        return next && retied(next, ties[r]);
      });
      if (moved.some((row) => row === null)) continue;
      const tried = levelled(moved as Biquad[][]);
      const now = energyOf(tried.rest);
      if (!(now < left)) continue;
      ({ rows, rest } = tried);
      left = now;
      break;
    }
    if (left === before) break;
    damping = Math.max(DAMPING.least, damping * DAMPING.down);
    slow = left > SETTLED * before ? slow + 1 : 0;
  }
  return { stage: { kind: "cascade", sections: rows }, left };
}

/**
 * A row of biquads between Here and Yonder, the same for all channels or one each: ever more bands of the measured curve, then all their coefficients on
 * the signals themselves, until a further band does not pay. Null where no bands make the curve.
 */
export function fitCascade(pair: PairSignals, pause: () => void): CascadeFit | null {
  const rateHz = pair.sampleRateHz;
  const transfers = pair.here.map((x, c) => pairTransfer(pair, x, pair.yonder[c]));
  const isLinked = transfers.length === 2 && areAlike(transfers[0], transfers[1]);
  const curves = (isLinked ? [averaged(transfers[0], transfers[1])] : transfers).map(knownPart);
  if (curves.some(({ hertz }) => hertz.length < LEAST_KNOWN)) return null;
  const begunOn = isLinked ? channelOf(pair, loudestOf(pair)) : pair;
  const few = withReach(someStretches(begunOn, BEGUN_STRETCHES), BEGUN_REACH);
  const whole = energyOf(few.judged, few.yonder);
  let best: CascadeFit | null = null;
  let misfits = curves.map(() => Number.POSITIVE_INFINITY);
  const rows = curves.map((curve) => fewBands(curve.hertz, curve.gainDb, rateHz, curve.enoughDb));
  for (const mostBands of BANDS) {
    pause();
    const fits = curves.map((curve, c) => withCutsRepeated(rows[c](mostBands), curve, rateHz));
    if (fits.every(({ misfitDb }, c) => misfitDb > GAINED * misfits[c])) break;
    misfits = fits.map(({ misfitDb }) => misfitDb);
    if (misfits.some((db) => db > MOST_MISFIT_DB)) continue;
    const sections = fits.map((fit) => biquadsOf(fit, rateHz));
    const begin = (own: Biquad[][]) =>
      tiedThenFree(taskOf(few), { kind: "cascade", sections: own }, pause, RESIDUAL_FLOOR_ROWS * whole);
    let begun = begin(sections);
    if (mostBands === BANDS[0] && begun.left > GOOD * whole && fits.every(hasNoCut)) {
      const cut = begunWithCuts(curves, rateHz, begin);
      if (cut && cut.left < MIN_IMPROVEMENT_3_DB * begun.left) begun = cut;
    }
    if (!best || begun.left < MIN_IMPROVEMENT_3_DB * best.left) best = begun;
    if (best.left < GOOD * whole) break;
    // The magnitude is there and the signals do not agree: the phase is another one than such bands have.
    const missed = Math.max(...fits.map((fit, c) => missedShare(fit, curves[c], rateHz)));
    if (begun.left > Math.max(LEAST_OF_PHASE, PHASE_LEAD * missed) * whole) {
      if (!fits.every(({ bands }) => bands.length === 0)) return null;
      best = withAllPass(few, sections, pause) ?? best;
      if (best.left > FAR * whole) return null;
      break;
    }
  }
  if (!best) return null;
  const enough = RESIDUAL_FLOOR_ROWS * energyOf(pair.judged, pair.yonder);
  const near = withReach(pair, reachOf(best.stage));
  return refinedCascade(taskOf(near), best.stage, pause, { enough, mostSteps: LAST_STEPS });
}

const loudestOf = ({ yonder, judged }: PairSignals): number =>
  yonder.map((y) => energyUnder(judged, y)).reduce((most, e, c, all) => (e > all[most] ? c : most), 0);

/** Sections that begin as the same are kept so; and let free, where that leaves clearly less. */
function tiedThenFree(task: CascadeTask, from: CascadeStage, pause: () => void, enough: number): CascadeFit {
  const tied = refinedCascade(task, from, pause, { enough });
  const hasTies = tied.stage.sections.some((row) => tiesOf(row).some((of, i) => of !== i));
  if (!hasTies || tied.left <= enough) return tied;
  const free = refinedCascade(task, tied.stage, pause, { enough, isTied: false });
  return free.left < MIN_IMPROVEMENT_3_DB * tied.left ? free : tied;
}

/** How long a cascade rings until it has fallen by 100 dB, by its slowest pole, in frames. */
export function reachOf({ sections }: CascadeStage): number {
  const radii = sections.flat().map(({ a1, a2 }) => {
    const inside = a1 * a1 - 4 * a2;
    return inside < 0 ? Math.sqrt(a2) : (Math.abs(a1) + Math.sqrt(inside)) / 2;
  });
  const slowest = Math.min(0.99999, Math.max(...radii));
  return Math.max(LEAST_REACH, Math.ceil(RUNG_OUT / -log(slowest)));
}
/** ln of 100 dB; and no shorter than this. */
const RUNG_OUT = 11.5;
const LEAST_REACH = 2048;
type Curve = ReturnType<typeof knownPart>;

const hasNoCut = ({ bands }: BandsFit): boolean => !bands.some(({ kind }) => kind.endsWith("cut"));

/**
 * A steep cut as the same cut of second order over and over (as Linkwitz and Riley have it, and as stages in a row make it), where that comes nearer to the curve
 * than Butterworth's of that order.
 */
function withCutsRepeated(fit: BandsFit, curve: Curve, rateHz: number): BandsFit {
  const at = fit.bands.findIndex(({ kind }) => kind.endsWith("cut"));
  const cut = fit.bands[at];
  if (!cut || fit.bands.length > 2) return fit;
  const tries = cutsRepeated(cut.kind as Cut, fit.bands.toSpliced(at, 1), curve, rateHz);
  const best = tries.reduce((a, b) => (b.misfitDb < a.misfitDb ? b : a));
  return best.misfitDb < REPEATED * fit.misfitDb ? best : fit;
}

/** Rows that begin with repeated cuts: where curves fall steeply and are known no further, a deep bell or shelf makes their end as well. Null where they do not fall. */
function begunWithCuts(
  curves: readonly Curve[],
  rateHz: number,
  begin: (sections: Biquad[][]) => CascadeFit,
): CascadeFit | null {
  const kind = fallingEnd(curves[0].gainDb);
  if (kind === null || curves.some(({ gainDb }) => fallingEnd(gainDb) !== kind)) return null;
  const each = curves.map((curve) => cutsRepeated(kind, [], curve, rateHz).map((fit) => biquadsOf(fit, rateHz)));
  return REPEATS.map((_, i) => begin(each.map((fits) => fits[i]))).reduce((a, b) => (b.left < a.left ? b : a));
}

/** The end of a curve that lies far under its middle; null where none or both do. */
function fallingEnd(gainDb: readonly number[]): Cut | null {
  const middle = gainDb.toSorted((a, b) => a - b)[gainDb.length >> 1];
  const [low, high] = [gainDb[0], gainDb[gainDb.length - 1]].map((db) => db < middle - FALLEN_DB);
  return low === high ? null : low ? "low cut" : "high cut";
}
const FALLEN_DB = 6;
/** Repeated cuts are refined from where they are: they need not be better at once, for the curve is read at few frequencies. */
const REPEATED = 1.5;

/** The share of the output's energy that bands miss by their magnitude alone. */
function missedShare(fit: BandsFit, curve: Curve, rateHz: number): number {
  const { energy } = curve;
  const misses = missesOf(fit, curve, rateHz);
  const whole = energy.reduce((sum, e) => sum + e, 0);
  return misses.reduce((sum, db, i) => sum + energy[i] * (amplitudeFromDb(db) - 1) ** 2, 0) / whole;
}

/** Where all-passes begin, Hz. */
const ALL_PASS_HZ = [60, 200, 600, 2000, 6000];

/** A flat magnitude whose phase turns: one or two all-passes of second order, from where they leave least. */
function withAllPass(pair: PairSignals, rows: readonly Biquad[][], pause: () => void): CascadeFit | null {
  let best: CascadeFit | null = null;
  for (let count = 0; count < 2; count++) {
    const from: readonly Biquad[][] = best ? best.stage.sections : rows;
    const tries = ALL_PASS_HZ.map((hertz) => {
      pause();
      const [w, alpha] = [
        (2 * Math.PI * hertz) / pair.sampleRateHz,
        sin((2 * Math.PI * hertz) / pair.sampleRateHz) / (2 * Math.SQRT1_2),
      ];
      const [a1, a2] = [(-2 * cos(w)) / (1 + alpha), (1 - alpha) / (1 + alpha)];
      const section: Biquad = { b0: a2, b1: a1, b2: 1, a1, a2 };
      return refinedCascade(taskOf(pair), { kind: "cascade", sections: from.map((row) => [...row, section]) }, pause);
    });
    const found = tries.reduce((a, b) => (b.left < a.left ? b : a));
    if (best && found.left > MIN_IMPROVEMENT_3_DB * best.left) break;
    best = found;
  }
  return best;
}

/** So many bands are tried. */
const BANDS = [1, 2, 3, 5, 8];
/** More bands have to come so much nearer to the curve to be tried. */
const GAINED = 0.97;
/** A residual of the phase alone: this much more (10 dB) than the curve's misfit makes, and more than this share (−40 dB). */
const PHASE_LEAD = 10;
const LEAST_OF_PHASE = 1e-4;
/** All-passes that leave more than this share (−20 dB) are not what it is. */
const FAR = 1e-2;
/** A cascade that leaves less than this share (−80 dB) needs no more. */
const GOOD = 1e-8;

/** Curves of two channels that differ by no more than their errors, and this (dB), at nine of ten frequencies known in both. */
const ALIKE_DB = 0.03;
const ALIKE_INPUT = 1e-6;

function areAlike(a: PairTransfer, b: PairTransfer): boolean {
  const floor = deepest(a.gainDb, a.errorDb);
  const off = Array.from(
    a.gainDb,
    (db, i) => (Math.abs(db - b.gainDb[i]) - ALIKE_DB) / (2 * (a.errorDb[i] + b.errorDb[i]) + 1e-9),
  )
    .filter(
      (v, i) =>
        Number.isFinite(v) &&
        a.errorDb[i] < KNOWN_DB &&
        b.errorDb[i] < KNOWN_DB &&
        a.gainDb[i] > floor &&
        Math.min(a.inputShare[i], b.inputShare[i]) > ALIKE_INPUT,
    )
    .toSorted((x, y) => x - y);
  return off.length >= LEAST_KNOWN && off[Math.floor(0.9 * (off.length - 1))] < 1;
}

const averaged = (a: PairTransfer, b: PairTransfer): PairTransfer => {
  const isKnown = (of: PairTransfer, i: number) => of.errorDb[i] <= KNOWN_DB;
  return {
    ...a,
    gainDb: a.gainDb.map((db, i) => (!isKnown(b, i) ? db : !isKnown(a, i) ? b.gainDb[i] : (db + b.gainDb[i]) / 2)),
    errorDb: a.errorDb.map((db, i) => Math.min(db, b.errorDb[i])),
    inputShare: a.inputShare.map((v, i) => Math.max(v, b.inputShare[i])),
  };
};

/** A residual under this share (−105 dB) is not improved further. */
const RESIDUAL_FLOOR_ROWS = 3e-11;
const LAST_STEPS = 3;
const BEGUN_STRETCHES = 2;
const BEGUN_REACH = 8192;

export const taskOf = ({ here, yonder, judged }: PairSignals): CascadeTask => ({
  inputs: here,
  targets: yonder,
  weights: here.map(() => judged),
});
