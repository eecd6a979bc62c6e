import { addTimes } from "../numeric/vectors";
import { type Cells, type FittedGain, fitCellGains, widestAsGood } from "./gain-curve";

/** Bands overlap where they are parted: their gains are fitted in turn, each with the others in place, in so many rounds. */
const ROUNDS = 5;
/**
 * A band is held to the gain of all of them by this share of their energy: sound at a crossover can be shared out between two bands in any way. Where it
 * hardly lies there, the smaller share fits better.
 */
export const TIES = [1e-3, 1e-6];
/** Products are summed over cells of this many seconds; knots may lie apart as far as this. */
const CELL_SECONDS = 0.001;
const KNOT_SECONDS = [0.005, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32];

export const bandCellFramesAt = (rateHz: number): number => Math.max(1, Math.round(CELL_SECONDS * rateHz));

/** Per cell of a signal in bands: Σ of the products of each band with the target and with each band (b ≥ c at b(b + 1)/2 + c), and of the target. */
export type BandCells = {
  cellFrames: number;
  products: Float64Array[];
  overlaps: Float64Array[];
  target: Float64Array;
};

export function emptyBandCells(bands: number, frames: number, cellFrames: number): BandCells {
  const count = Math.ceil(frames / cellFrames);
  const room = (length: number) => Array.from({ length }, () => new Float64Array(count));
  return {
    cellFrames,
    products: room(bands),
    overlaps: room((bands * (bands + 1)) / 2),
    target: new Float64Array(count),
  };
}

/** Adds what frames of a signal in bands have to do with a target, the first frame of them being `firstFrame` of all. */
export function addToCells(
  cells: BandCells,
  bands: readonly ArrayLike<number>[],
  target: ArrayLike<number>,
  weight: ArrayLike<number> | null,
  firstFrame = 0,
): void {
  const { cellFrames } = cells;
  for (let from = 0; from < target.length; ) {
    const cell = Math.floor((firstFrame + from) / cellFrames);
    const end = Math.min(target.length, (cell + 1) * cellFrames - firstFrame);
    const summed = (a: ArrayLike<number>, b: ArrayLike<number>) =>
      weight ? weightedOver(weight, a, b, from, end) : productOver(a, b, from, end);
    for (let b = 0, k = 0; b < bands.length; b++) {
      cells.products[b][cell] += summed(bands[b], target);
      for (let c = 0; c <= b; c++, k++) cells.overlaps[k][cell] += summed(bands[b], bands[c]);
    }
    cells.target[cell] += summed(target, target);
    from = end;
  }
}

function productOver(a: ArrayLike<number>, b: ArrayLike<number>, from: number, end: number): number {
  let sum = 0;
  for (let i = from; i < end; i++) sum += a[i] * b[i];
  return sum;
}

function weightedOver(
  weight: ArrayLike<number>,
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  from: number,
  end: number,
): number {
  let sum = 0;
  for (let i = from; i < end; i++) sum += weight[i] * a[i] * b[i];
  return sum;
}

const overlap = (cells: BandCells, b: number, c: number) =>
  cells.overlaps[b >= c ? (b * (b + 1)) / 2 + c : (c * (c + 1)) / 2 + b];

/** What one band has to bring where the others are at their gains. */
function beside(cells: BandCells, band: number, gains: readonly Float64Array[]): Cells {
  const product = cells.products[band].slice();
  const target = cells.target.slice();
  for (const [c, gain] of gains.entries()) {
    if (c === band) continue;
    const [shared, own] = [overlap(cells, band, c), cells.products[c]];
    for (let i = 0; i < gain.length; i++) {
      product[i] -= gain[i] * shared[i];
      target[i] -= 2 * gain[i] * own[i];
    }
    for (const [d, other] of gains.entries()) {
      if (d === band) continue;
      const both = overlap(cells, c, d);
      for (let i = 0; i < gain.length; i++) target[i] += gain[i] * other[i] * both[i];
    }
  }
  return { product, energy: overlap(cells, band, band), target };
}

/**
 * A gain over time for each band, all with knots so far apart, which together leave least of the target; and what they leave on what was held
 * out.
 */
export const fitBandGains = (cells: BandCells, knotFrames: number, ties: readonly number[] = TIES): BandGains =>
  ties.map((tie) => fittedWith(cells, knotFrames, tie)).reduce((a, b) => (b.heldOut < a.heldOut ? b : a));

type BandGains = { fits: FittedGain[]; heldOut: number };

function fittedWith(cells: BandCells, knotFrames: number, tie: number): BandGains {
  const { cellFrames } = cells;
  const count = cells.target.length;
  const together: Cells = { product: new Float64Array(count), energy: new Float64Array(count), target: cells.target };
  for (const [b, product] of cells.products.entries()) {
    addTimes(together.product, 1, product);
    for (let c = 0; c <= b; c++) addTimes(together.energy, b === c ? 1 : 2, overlap(cells, b, c));
  }
  const { gain, cellGains, crossValidatedCellGains } = fitCellGains(together, cellFrames, knotFrames);
  if (cells.products.length === 1) return { fits: [gain], heldOut: gain.heldOut };
  const all = { gain, energy: tie * together.energy.reduce((total, v) => total + v, 0) };
  const gains = cells.products.map(() => cellGains);
  const held = cells.products.map(() => crossValidatedCellGains);
  const fits: FittedGain[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    for (let b = 0; b < gains.length; b++) {
      const fit = fitCellGains(beside(cells, b, gains), cellFrames, knotFrames, beside(cells, b, held), all);
      fits[b] = fit.gain;
      gains[b] = fit.cellGains;
      held[b] = fit.crossValidatedCellGains;
    }
  }
  // The last band's figure tells what all of them leave.
  return { fits, heldOut: fits[fits.length - 1].heldOut };
}

/** Knots as far apart as does best on what was held out. */
export const bestKnotFrames = (cells: BandCells, rateHz: number): number =>
  widestAsGood(
    KNOT_SECONDS.map((seconds) => {
      const knotFrames = Math.round(seconds * rateHz);
      return { knotFrames, heldOut: fitBandGains(cells, knotFrames, [TIES[0]]).heldOut };
    }),
  ).knotFrames;
