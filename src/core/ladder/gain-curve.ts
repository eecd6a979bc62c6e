import { cos, log2 } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";

/** Products are summed over cells of this many seconds: no gain is told finer. */
const CELL_SECONDS = 0.000_25;
/** What knots of the spline may lie apart, in seconds. */
export const KNOT_SECONDS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32, 0.64];
/** Held-out slices are this part of a knot's distance. */
export const SLICES_A_KNOT = 4;
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

/** A symmetric matrix of three diagonals beside the main one, by Cholesky's decomposition, in place: row i of diagonal b is L[i][i − b]. */
function factorBanded(diagonals: Float64Array[]): Float64Array[] {
  const [d0] = diagonals;
  for (let i = 0; i < d0.length; i++) {
    for (let b = Math.min(3, i); b >= 0; b--) {
      const j = i - b;
      let sum = diagonals[b][i];
      for (let k = Math.max(0, i - 3); k < j; k++) if (j - k <= 3) sum -= diagonals[i - k][i] * diagonals[j - k][j];
      diagonals[b][i] = b === 0 ? Math.sqrt(Math.max(sum, 1e-300)) : sum / d0[j];
    }
  }
  return diagonals;
}

function solveFactored([d0, d1, d2, d3]: Float64Array[], right: Float64Array): Float64Array {
  const n = right.length;
  const x = right.slice();
  for (let i = 0; i < n; i++) {
    let sum = x[i];
    if (i > 0) sum -= d1[i] * x[i - 1];
    if (i > 1) sum -= d2[i] * x[i - 2];
    if (i > 2) sum -= d3[i] * x[i - 3];
    x[i] = sum / d0[i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = x[i];
    if (i + 1 < n) sum -= d1[i + 1] * x[i + 1];
    if (i + 2 < n) sum -= d2[i + 2] * x[i + 2];
    if (i + 3 < n) sum -= d3[i + 3] * x[i + 3];
    x[i] = sum / d0[i];
  }
  return x;
}

/** The spline that leaves least of the target; `takes` says which cells it may look at. */
function fitSpline(
  cells: Cells,
  cellFrames: number,
  knotFrames: number,
  takes: (cell: number) => boolean,
): Float64Array {
  const count = cells.energy.length;
  const knotCount = Math.floor((count * cellFrames) / knotFrames) + 4;
  const diagonals = Array.from({ length: 4 }, () => new Float64Array(knotCount));
  const right = new Float64Array(knotCount);
  const basis = new Float64Array(4);
  let energy = 0;
  let product = 0;
  for (let cell = 0; cell < count; cell++) {
    const e = cells.energy[cell];
    if (e === 0 || !takes(cell)) continue;
    const place = ((cell + 0.5) * cellFrames) / knotFrames;
    const k = Math.floor(place);
    basisAt(place - k, basis);
    for (let a = 0; a < 4; a++) {
      right[k + a] += basis[a] * cells.product[cell];
      for (let b = 0; b <= a; b++) diagonals[a - b][k + a] += basis[a] * basis[b] * e;
    }
    energy += e;
    product += cells.product[cell];
  }
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
  return solveFactored(factorBanded(diagonals), right);
}

/** A gain curve at a frame. */
export function gainAt({ knots, knotFrames }: GainCurve, frame: number): number {
  const place = Math.max(0, frame / knotFrames);
  const k = Math.min(knots.length - 4, Math.floor(place));
  const basis = new Float64Array(4);
  basisAt(Math.min(1, place - k), basis);
  return basis[0] * knots[k] + basis[1] * knots[k + 1] + basis[2] * knots[k + 2] + basis[3] * knots[k + 3];
}

/** The curve frame by frame, [from, from + count). */
export function gainsOf({ knots, knotFrames }: GainCurve, from: number, count: number): Float64Array {
  const gains = new Float64Array(count);
  const basis = new Float64Array(4);
  for (let i = 0; i < count; i++) {
    const place = Math.max(0, (from + i) / knotFrames);
    const k = Math.min(knots.length - 4, Math.floor(place));
    basisAt(Math.min(1, place - k), basis);
    gains[i] = basis[0] * knots[k] + basis[1] * knots[k + 1] + basis[2] * knots[k + 2] + basis[3] * knots[k + 3];
  }
  return gains;
}

/** What a gain leaves of the target over some cells. */
function leftOver(cells: Cells, cellFrames: number, curve: GainCurve, takes: (cell: number) => boolean): number {
  let sum = 0;
  for (let cell = 0; cell < cells.energy.length; cell++) {
    if (!takes(cell)) continue;
    const g = gainAt(curve, (cell + 0.5) * cellFrames);
    sum += cells.target[cell] - 2 * g * cells.product[cell] + g * g * cells.energy[cell];
  }
  return Math.max(0, sum);
}

export type FittedGain = {
  /** Fitted on everything. */
  curve: GainCurve;
  /** Fitted on one half of fine slices, for the other half: what is judged by it was not used. */
  crossed: { curves: [GainCurve, GainCurve]; sliceFrames: number };
  /** Energy left on slices that were held out, and where everything was used. */
  heldOut: number;
  fitted: number;
};

/** A gain with knots so far apart, and how it does on slices it was not fitted on. */
export function fitGain(cells: Cells, cellFrames: number, knotFrames: number): FittedGain {
  const sliceCells = Math.max(1, Math.round(knotFrames / SLICES_A_KNOT / cellFrames));
  const sliceOf = (cell: number) => Math.floor(cell / sliceCells) % 2;
  const curves = [0, 1].map((held) => ({
    knotFrames,
    knots: fitSpline(cells, cellFrames, knotFrames, (cell) => sliceOf(cell) !== held),
  })) as [GainCurve, GainCurve];
  const heldOut = [0, 1].reduce(
    (sum, held) => sum + leftOver(cells, cellFrames, curves[held], (cell) => sliceOf(cell) === held),
    0,
  );
  const curve = { knotFrames, knots: fitSpline(cells, cellFrames, knotFrames, () => true) };
  const fitted = leftOver(cells, cellFrames, curve, () => true);
  return { curve, crossed: { curves, sliceFrames: sliceCells * cellFrames }, heldOut, fitted };
}

/** The gain whose knots lie as far apart as does best on what was held out; wider apart where that is as good within `grace`. */
export function bestGain(cells: Cells, rateHz: number, grace = 1.1): FittedGain {
  const cellFrames = cellFramesAt(rateHz);
  const fits = KNOT_SECONDS.map((seconds) =>
    fitGain(cells, cellFrames, Math.max(SLICES_A_KNOT * cellFrames, Math.round(seconds * rateHz))),
  );
  const least = Math.min(...fits.map((f) => f.heldOut));
  return fits.findLast((f) => f.heldOut <= least * grace) ?? fits[0];
}

/** The gain to judge by: frame by frame from the slices that frame is not in. */
export function crossedGains({ crossed: { curves, sliceFrames } }: FittedGain, count: number): Float64Array {
  const [first, second] = curves.map((curve) => gainsOf(curve, 0, count));
  for (let i = 0; i < count; i++) if (Math.floor(i / sliceFrames) % 2 === 1) first[i] = second[i];
  return first;
}

/** Crossovers are this wide, in octaves: as wide as fourth-order ones about are. */
const CROSSOVER_OCTAVES = 1.5;

/** Share of each band at a frequency: raised cosines over the logarithm of the frequency, adding up to 1. */
export function sharesAt(hertz: number, edgesHz: readonly number[], into: Float64Array): void {
  let below = 1;
  for (const [b, edge] of edgesHz.entries()) {
    const octaves = hertz > 0 ? log2(hertz / edge) / CROSSOVER_OCTAVES : -1;
    const above = octaves <= -0.5 ? 0 : octaves >= 0.5 ? 1 : 0.5 - 0.5 * cos(Math.PI * (octaves + 0.5));
    into[b] = below * (1 - above);
    below *= above;
  }
  into[edgesHz.length] = below;
}

/** A signal in bands between edges, without any phase of their own; they add up to it. */
export function inBands(signal: Float64Array, edgesHz: readonly number[], rateHz: number): Float64Array[] {
  if (edgesHz.length === 0) return [signal];
  const size = powerOfTwoAtLeast(signal.length);
  const spectrum = forwardReal(signal, size);
  const shares = new Float64Array(edgesHz.length + 1);
  const bands = Array.from(shares, () => new Float64Array(size + 2));
  for (let k = 0; k <= size / 2; k++) {
    sharesAt((k * rateHz) / size, edgesHz, shares);
    for (const [b, band] of bands.entries()) {
      band[2 * k] = shares[b] * spectrum[2 * k];
      band[2 * k + 1] = shares[b] * spectrum[2 * k + 1];
    }
  }
  return bands.map((band) => inverseReal(band).slice(0, signal.length));
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

  /** The curve of some knots, frame by frame. */
  apply(knots: Float64Array, output: Float64Array): void {
    const { knotFrames, shares, length } = this;
    for (let k = 0, from = 0; from < length; k++, from += knotFrames) {
      const [a, b, c, d] = [knots[k], knots[k + 1], knots[k + 2], knots[k + 3]];
      const count = Math.min(knotFrames, length - from);
      for (let i = 0, s = 0; i < count; i++, s += 4)
        output[from + i] = shares[s] * a + shares[s + 1] * b + shares[s + 2] * c + shares[s + 3] * d;
    }
  }

  /** Adds what each knot has to do with a signal. */
  addAdjoint(signal: Float64Array, knots: Float64Array): void {
    const { knotFrames, shares, length } = this;
    for (let k = 0, from = 0; from < length; k++, from += knotFrames) {
      const count = Math.min(knotFrames, length - from);
      let [a, b, c, d] = [0, 0, 0, 0];
      for (let i = 0, s = 0; i < count; i++, s += 4) {
        const v = signal[from + i];
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
      for (let i = 0; i < count; i++) {
        const e = energy[from + i];
        if (e === 0) continue;
        total += e;
        for (let a = 0; a < 4; a++)
          for (let b = 0; b <= a; b++) diagonals[a - b][k + a] += shares[4 * i + a] * shares[4 * i + b] * e;
      }
    }
    const hold = HOLD * Math.max(total / knotCount, 1e-30);
    for (let k = 0; k < knotCount; k++) diagonals[0][k] += hold;
    const factor = factorBanded(diagonals);
    return { solve: (right) => solveFactored(factor, right), hold };
  }
}
