import { factorBanded, solveFactored } from "../numeric/banded-cholesky";

/** Products are summed over cells of this many seconds: no gain is reported finer. */
const CELL_SECONDS = 0.000_25;
/** What knots of the spline may lie apart, in seconds. */
export const KNOT_SECONDS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32, 0.64];
/** Held-out slices are this part of a knot's distance. */
export const SLICES_A_KNOT = 4;
/** Knots may leave so much more where they lie wider apart. */
const GRACE = 1.1;
/** Neighbouring knots are held together by this share of a knot's average energy: where little sounds the gain goes on as it was. */
const HOLD = 1e-4;

/** Per cell Σ u·d, Σ u² and Σ d² of the judged frames, channels together or one by one. */
export type Cells = { product: Float64Array; energy: Float64Array; target: Float64Array };

/** A gain over time: cubic B-spline, knot k at frame (k − 1) · knotFrames. */
export type GainCurve = { knotFrames: number; knots: Float64Array };

export const cellFramesAt = (rateHz: number): number => Math.max(1, Math.round(CELL_SECONDS * rateHz));

export function cellsOf(
  under: readonly Float64Array[],
  target: readonly Float64Array[],
  weight: Float64Array,
  cellFrames: number,
): Cells {
  const count = Math.ceil(weight.length / cellFrames);
  const cells = { product: new Float64Array(count), energy: new Float64Array(count), target: new Float64Array(count) };
  for (const [c, u] of under.entries()) {
    const d = target[c];
    for (let cell = 0; cell < count; cell++) {
      let p = 0;
      let e = 0;
      let t = 0;
      const end = Math.min(weight.length, (cell + 1) * cellFrames);
      for (let i = cell * cellFrames; i < end; i++) {
        const w = weight[i];
        p += w * u[i] * d[i];
        e += w * u[i] * u[i];
        t += w * d[i] * d[i];
      }
      cells.product[cell] += p;
      cells.energy[cell] += e;
      cells.target[cell] += t;
    }
  }
  return cells;
}

/** The four cubic B-splines that are not 0 at a place in its knot interval (0 to 1). */
export function basisAt(t: number, into: Float64Array): void {
  const s = 1 - t;
  into[0] = (s * s * s) / 6;
  into[1] = (3 * t * t * t - 6 * t * t + 4) / 6;
  into[2] = (3 * s * s * s - 6 * s * s + 4) / 6;
  into[3] = (t * t * t) / 6;
}

/** Every cell, or those of every other slice: the first one of them, and how many in a row. */
type Slices = { first: number; sliceCells: number } | null;

/** The spline that leaves least of the target, by the cells that are taken. */
function fitSpline(
  cells: Cells,
  cellFrames: number,
  knotFrames: number,
  taken: Slices,
  toward: { knots: Float64Array; energy: number } | null = null,
): Float64Array {
  const count = cells.energy.length;
  const knotCount = Math.floor((count * cellFrames) / knotFrames) + 4;
  const diagonals = Array.from({ length: 4 }, () => new Float64Array(knotCount));
  const right = new Float64Array(knotCount);
  const { energy, product } = addCells(cells, taken, cellFrames / knotFrames, diagonals, right);
  const mean = energy > 0 ? product / energy : 1;
  const hold = HOLD * Math.max(energy / knotCount, 1e-30);
  for (let k = 1; k < knotCount; k++) {
    diagonals[0][k] += hold;
    diagonals[0][k - 1] += hold;
    diagonals[1][k] -= hold;
  }
  // Weakly tied to the average, so that there is one answer in silence too.
  for (let k = 0; k < knotCount; k++) {
    diagonals[0][k] += hold * 1e-3;
    right[k] += hold * 1e-3 * mean;
  }
  if (toward) {
    const tie = toward.energy / knotCount;
    for (let k = 0; k < knotCount; k++) {
      diagonals[0][k] += tie;
      right[k] += tie * toward.knots[k];
    }
  }
  return solveFactored(factorBanded(diagonals), right);
}

/** Adds the cells that are taken to the normal equations of a spline; `step` is a cell's part of a knot's distance. */
function addCells(
  cells: Cells,
  taken: Slices,
  step: number,
  [d0, d1, d2, d3]: readonly Float64Array[],
  right: Float64Array,
): { energy: number; product: number } {
  const { energy: energies, product: products } = cells;
  const sliceCells = taken?.sliceCells ?? energies.length;
  let energy = 0;
  let product = 0;
  for (let cell = (taken?.first ?? 0) * sliceCells, left = sliceCells; cell < energies.length; cell++, left--) {
    if (left === 0) {
      // The slice that follows is not taken.
      cell += sliceCells;
      left = sliceCells;
      if (cell >= energies.length) break;
    }
    const e = energies[cell];
    if (e === 0) continue;
    const p = products[cell];
    const place = (cell + 0.5) * step;
    const k = Math.floor(place);
    const t = place - k;
    const s = 1 - t;
    const b0 = (s * s * s) / 6;
    const b1 = (3 * t * t * t - 6 * t * t + 4) / 6;
    const b2 = (3 * s * s * s - 6 * s * s + 4) / 6;
    const b3 = (t * t * t) / 6;
    right[k] += b0 * p;
    right[k + 1] += b1 * p;
    right[k + 2] += b2 * p;
    right[k + 3] += b3 * p;
    d0[k] += b0 * b0 * e;
    d0[k + 1] += b1 * b1 * e;
    d0[k + 2] += b2 * b2 * e;
    d0[k + 3] += b3 * b3 * e;
    d1[k + 1] += b1 * b0 * e;
    d1[k + 2] += b2 * b1 * e;
    d1[k + 3] += b3 * b2 * e;
    d2[k + 2] += b2 * b0 * e;
    d2[k + 3] += b3 * b1 * e;
    d3[k + 3] += b3 * b0 * e;
    energy += e;
    product += p;
  }
  return { energy, product };
}

/** A gain curve at a frame. */
export const gainAt = (curve: GainCurve, frame: number): number => gainsOf(curve, frame, 1)[0];

/** The curve frame by frame, [from, from + count). */
export function gainsOf(curve: GainCurve, from: number, count: number): Float64Array {
  const gains = new Float64Array(count);
  readInto(curve, 1, from, gains);
  return gains;
}

/** A curve at places so many frames apart, from one on. */
function readInto({ knots, knotFrames }: GainCurve, stepFrames: number, from: number, gains: Float64Array): void {
  const last = knots.length - 4;
  const count = gains.length;
  for (let i = 0; i < count; ) {
    // Each interval between knots as a cubic of the way into it.
    const k = Math.min(last, Math.max(0, Math.floor((from + i * stepFrames) / knotFrames)));
    const a = knots[k];
    const b = knots[k + 1];
    const c = knots[k + 2];
    const d = knots[k + 3];
    const c0 = (a + 4 * b + c) / 6;
    const c1 = (c - a) / 2;
    const c2 = (a - 2 * b + c) / 2;
    const c3 = (d - a + 3 * (b - c)) / 6;
    const end =
      k === last ? count : Math.min(count, Math.max(i + 1, Math.ceil(((k + 1) * knotFrames - from) / stepFrames)));
    for (; i < end; i++) {
      const t = Math.max(0, Math.min(1, (from + i * stepFrames) / knotFrames - k));
      gains[i] = c0 + t * (c1 + t * (c2 + t * c3));
    }
  }
}

/** What gains leave of the target, cell by cell. */
function leftBy({ target, product, energy }: Cells, gains: Float64Array): number {
  let sum = 0;
  for (let cell = 0; cell < gains.length; cell++) {
    const g = gains[cell];
    sum += target[cell] - 2 * g * product[cell] + g * g * energy[cell];
  }
  return Math.max(0, sum);
}

export type FittedGain = {
  /** Fitted on everything. */
  curve: GainCurve;
  /** Fitted on one half of fine slices, for the other half: what is judged by it was not used. */
  crossValidated: { curves: [GainCurve, GainCurve]; sliceFrames: number };
  /** Energy left on slices that were held out, and where everything was used. */
  heldOut: number;
  fitted: number;
};

/**
 * A gain with knots so far apart, and how it does on slices it was not fitted on; `held` is what is judged on there, where that is not the same. One of several bands
 * is held to the gain of `all` of them as by so much energy.
 */
export const fitGain = (cells: Cells, cellFrames: number, knotFrames: number): FittedGain =>
  fitCellGains(cells, cellFrames, knotFrames).gain;

/** The same, with the gain of each cell, and that to judge by: from the slices it is not in. */
export function fitCellGains(
  cells: Cells,
  cellFrames: number,
  knotFrames: number,
  held = cells,
  all: { gain: FittedGain; energy: number } | null = null,
): { gain: FittedGain; cellGains: Float64Array; crossValidatedCellGains: Float64Array } {
  const toward = (curve: GainCurve | undefined) => (all && curve ? { knots: curve.knots, energy: all.energy } : null);
  const sliceCells = Math.max(1, Math.round(knotFrames / SLICES_A_KNOT / cellFrames));
  const slices = (first: number): Slices => ({ first, sliceCells });
  const curves = [0, 1].map((half) => ({
    knotFrames,
    knots: fitSpline(held, cellFrames, knotFrames, slices(1 - half), toward(all?.gain.crossValidated.curves[half])),
  })) as [GainCurve, GainCurve];
  const count = cells.energy.length;
  const crossValidated = crossValidatedCells(curves, sliceCells, cellFrames, count);
  const curve = {
    knotFrames,
    knots: fitSpline(cells, cellFrames, knotFrames, null, toward(all?.gain.curve)),
  };
  const gains = cellGains(curve, cellFrames, count);
  const gain = {
    curve,
    crossValidated: { curves, sliceFrames: sliceCells * cellFrames },
    heldOut: leftBy(held, crossValidated),
    fitted: leftBy(cells, gains),
  };
  return { gain, cellGains: gains, crossValidatedCellGains: crossValidated };
}

/** Of fits with knots ever wider apart the widest that leaves about as little as any. */
export function widestAsGood<Fit extends { heldOut: number }>(fits: readonly Fit[]): Fit {
  const least = Math.min(...fits.map((f) => f.heldOut));
  return fits.findLast((f) => f.heldOut <= least * GRACE) ?? fits[0];
}

/** The gain whose knots lie as far apart as does best on what was held out; wider apart where that is about as good. */
export function bestGain(cells: Cells, rateHz: number): FittedGain {
  const cellFrames = cellFramesAt(rateHz);
  const fits = KNOT_SECONDS.map((seconds) =>
    fitGain(cells, cellFrames, Math.max(SLICES_A_KNOT * cellFrames, Math.round(seconds * rateHz))),
  );
  return widestAsGood(fits);
}

/** A curve at the middle of each cell. */
function cellGains(curve: GainCurve, cellFrames: number, count: number): Float64Array<ArrayBuffer> {
  const gains = new Float64Array(count);
  readInto(curve, cellFrames, 0.5 * cellFrames, gains);
  return gains;
}

/** Each cell by the curve of the slices it is not in. */
function crossValidatedCells(
  curves: readonly GainCurve[],
  sliceCells: number,
  cellFrames: number,
  count: number,
): Float64Array<ArrayBuffer> {
  const [first, second] = curves.map((curve) => cellGains(curve, cellFrames, count));
  for (let from = sliceCells; from < count; from += 2 * sliceCells)
    for (let cell = from, end = Math.min(count, from + sliceCells); cell < end; cell++) first[cell] = second[cell];
  return first;
}

/** The gain to judge by: frame by frame from the slices that frame is not in. */
export function crossValidatedGains(
  { crossValidated: { curves, sliceFrames } }: FittedGain,
  count: number,
): Float64Array {
  const [first, second] = curves.map((curve) => gainsOf(curve, 0, count));
  for (let from = sliceFrames; from < count; from += 2 * sliceFrames)
    first.set(second.subarray(from, from + sliceFrames), from);
  return first;
}

/** Sums over frames in which a spline's knots take part, and back: what a curve of gains is fitted with beside other parts. */
export class SplineOperator {
  private readonly shares: Float64Array;
  readonly knotCount: number;

  constructor(
    readonly knotFrames: number,
    private readonly length: number,
  ) {
    this.knotCount = Math.floor(length / knotFrames) + 4;
    this.shares = new Float64Array(4 * knotFrames);
    const basis = new Float64Array(4);
    for (let i = 0; i < knotFrames; i++) {
      basisAt(i / knotFrames, basis);
      this.shares.set(basis, 4 * i);
    }
  }

  /** Adds a signal at the curve of some knots, frame by frame. */
  addTimes(knots: Float64Array, signal: Float64Array, output: Float64Array): void {
    const { knotFrames, shares, length } = this;
    for (let k = 0, from = 0; from < length; k++, from += knotFrames) {
      const a = knots[k];
      const b = knots[k + 1];
      const c = knots[k + 2];
      const d = knots[k + 3];
      const count = Math.min(knotFrames, length - from);
      for (let i = 0, s = 0; i < count; i++, s += 4)
        output[from + i] +=
          signal[from + i] * (shares[s] * a + shares[s + 1] * b + shares[s + 2] * c + shares[s + 3] * d);
    }
  }

  /** The way back: adds what each knot has to do with a signal that `input` is to become. */
  addAdjoint(signal: Float64Array, input: Float64Array, knots: Float64Array): void {
    const { knotFrames, shares, length } = this;
    for (let k = 0, from = 0; from < length; k++, from += knotFrames) {
      const count = Math.min(knotFrames, length - from);
      let a = 0;
      let b = 0;
      let c = 0;
      let d = 0;
      for (let i = 0, s = 0; i < count; i++, s += 4) {
        const v = signal[from + i] * input[from + i];
        a += shares[s] * v;
        b += shares[s + 1] * v;
        c += shares[s + 2] * v;
        d += shares[s + 3] * v;
      }
      knots[k] += a;
      knots[k + 1] += b;
      knots[k + 2] += c;
      knots[k + 3] += d;
    }
  }

  /** What turns a gradient of knots into a step, for a signal whose frames count as `energy` says. */
  solver(energy: Float64Array): { solve: (right: Float64Array) => Float64Array; hold: number } {
    const { knotFrames, shares, length, knotCount } = this;
    const diagonals = Array.from({ length: 4 }, () => new Float64Array(knotCount));
    let total = 0;
    for (let k = 0, from = 0; from < length; k++, from += knotFrames) {
      const count = Math.min(knotFrames, length - from);
      let d00 = 0;
      let d11 = 0;
      let d22 = 0;
      let d33 = 0;
      let d10 = 0;
      let d21 = 0;
      let d32 = 0;
      let d20 = 0;
      let d31 = 0;
      let d30 = 0;
      for (let i = 0, s = 0; i < count; i++, s += 4) {
        const e = energy[from + i];
        if (e === 0) continue;
        const b0 = shares[s];
        const b1 = shares[s + 1];
        const b2 = shares[s + 2];
        const b3 = shares[s + 3];
        total += e;
        d00 += b0 * b0 * e;
        d11 += b1 * b1 * e;
        d22 += b2 * b2 * e;
        d33 += b3 * b3 * e;
        d10 += b1 * b0 * e;
        d21 += b2 * b1 * e;
        d32 += b3 * b2 * e;
        d20 += b2 * b0 * e;
        d31 += b3 * b1 * e;
        d30 += b3 * b0 * e;
      }
      const [own, next, second, third] = diagonals;
      own[k] += d00;
      own[k + 1] += d11;
      own[k + 2] += d22;
      own[k + 3] += d33;
      next[k + 1] += d10;
      next[k + 2] += d21;
      next[k + 3] += d32;
      second[k + 2] += d20;
      second[k + 3] += d31;
      third[k + 3] += d30;
    }
    const hold = HOLD * Math.max(total / knotCount, 1e-30);
    for (let k = 0; k < knotCount; k++) diagonals[0][k] += hold;
    const factor = factorBanded(diagonals);
    return { solve: (right) => solveFactored(factor, right), hold };
  }
}
