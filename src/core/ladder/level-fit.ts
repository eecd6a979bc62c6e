import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import {
  bestGain,
  type Cells,
  cellFramesAt,
  cellsOf,
  crossedGains,
  type FittedGain,
  fitGain,
  gainsOf,
  inBands,
  SLICES_A_KNOT,
} from "./gain-curve";

/** Gain over time: for each band, one curve for all channels (linked) or one each. */
export type Level = { edgesHz: number[]; isLinked: boolean; fits: FittedGain[][] };

/** What is kept of a level that is fitted again. */
export type LevelForm = Pick<Level, "edgesHz" | "isLinked"> & { knotFrames: number[] };

export const levelFormOf = ({ edgesHz, isLinked, fits }: Level): LevelForm => ({
  edgesHz,
  isLinked,
  knotFrames: fits.map(([fit]) => fit.curve.knotFrames),
});

/** Curves for each channel, and more bands, have to leave less by this factor (half a dB) on what was held out. */
const WORTH = 0.89;
/** Edges of bands are looked for among these. */
const EDGES_HZ = [80, 120, 180, 270, 400, 600, 900, 1350, 2000, 3000, 4500, 6750, 10_000];
const MOST_BANDS = 5;
/** Edges are looked for in so many frames. */
const LOOKED_FRAMES = 1 << 18;
/** And at no finer times than this. */
const LOOKED_CELL_SECONDS = 0.005;

const sumOf = (fits: readonly FittedGain[]) => fits.reduce((sum, f) => sum + f.heldOut, 0);

/** Fits of one band: for all channels together, or each by itself where that leaves clearly less. */
function bandFits(
  under: readonly Float64Array[],
  target: readonly Float64Array[],
  weight: readonly Float64Array[],
  rateHz: number,
  isLinked: boolean | null,
  knotFrames: number | undefined,
): { fits: FittedGain[]; isLinked: boolean } {
  const cellFrames = cellFramesAt(rateHz);
  const best = (cells: Cells) => (knotFrames ? fitGain(cells, cellFrames, knotFrames) : bestGain(cells, rateHz));
  const own = under.map((u, c) => cellsOf([u], [target[c]], weight[c] ?? weight[0], cellFrames));
  const linked = isLinked === false ? [] : [best(added(own))];
  if (under.length === 1 || isLinked === true) return { fits: linked, isLinked: true };
  const apart = own.map(best);
  if (isLinked === false || sumOf(apart) < WORTH * sumOf(linked)) return { fits: apart, isLinked: false };
  return { fits: linked, isLinked: true };
}

export function added(parts: readonly Cells[]): Cells {
  const sum = (pick: (cells: Cells) => Float64Array) => {
    const total = pick(parts[0]).slice();
    for (const part of parts.slice(1)) {
      const other = pick(part);
      for (let i = 0; i < total.length; i++) total[i] += other[i];
    }
    return total;
  };
  return { product: sum((c) => c.product), energy: sum((c) => c.energy), target: sum((c) => c.target) };
}

/** The level over time that leaves least on what was held out; one band and linked unless more is clearly better. */
export function bestLevel(
  under: readonly Float64Array[],
  target: readonly Float64Array[],
  weight: readonly Float64Array[],
  rateHz: number,
  { form, isBroad = false }: { form?: LevelForm; isBroad?: boolean } = {},
): Level {
  const inBandsOf = (edgesHz: number[], isLinked: boolean | null): Level => {
    const split = (signals: readonly Float64Array[]) => signals.map((s) => inBands(s, edgesHz, rateHz));
    const [u, d] = [split(under), split(target)];
    let linked = isLinked;
    const fits = Array.from({ length: edgesHz.length + 1 }, (_, b) => {
      const band = bandFits(
        u.map((bands) => bands[b]),
        d.map((bands) => bands[b]),
        weight,
        rateHz,
        linked,
        form?.knotFrames[b],
      );
      linked = band.isLinked;
      return band.fits;
    });
    return { edgesHz, isLinked: linked ?? true, fits };
  };
  if (form) return inBandsOf(form.edgesHz, form.isLinked);
  const broad = inBandsOf([], null);
  if (isBroad) return broad;
  const edgesHz = likelyEdges(under, target, weight, rateHz);
  if (edgesHz.length === 0) return broad;
  const banded = inBandsOf(edgesHz, broad.isLinked);
  return heldOutOf(banded) < WORTH * heldOutOf(broad) ? banded : broad;
}

const heldOutOf = ({ fits }: Level) => fits.reduce((sum, band) => sum + sumOf(band), 0);

/** Signals at that level; `isCrossed` by the curves that each slice was held out of. */
export function atLevel(
  signals: readonly Float64Array[],
  { edgesHz, isLinked, fits }: Level,
  rateHz: number,
  isCrossed = false,
): Float64Array[] {
  const gains = fits.map((band) =>
    band.map((fit) => (isCrossed ? crossedGains(fit, signals[0].length) : gainsOf(fit.curve, 0, signals[0].length))),
  );
  return signals.map((signal, c) => {
    const output = new Float64Array(signal.length);
    for (const [b, band] of inBands(signal, edgesHz, rateHz).entries()) {
      const gain = gains[b][isLinked ? 0 : c];
      for (let i = 0; i < output.length; i++) output[i] += gain[i] * band[i];
    }
    return output;
  });
}

/** The edges of two to five bands that leave least, none where one band is as good: by sharp bands on the middle of the pair. */
function likelyEdges(
  under: readonly Float64Array[],
  target: readonly Float64Array[],
  weight: readonly Float64Array[],
  rateHz: number,
): number[] {
  const edges = EDGES_HZ.filter((hz) => hz < 0.4 * rateHz);
  const from = Math.max(0, Math.floor((weight[0].length - LOOKED_FRAMES) / 2));
  const look = (signal: Float64Array) => signal.subarray(from, Math.min(signal.length, from + LOOKED_FRAMES));
  const cellFrames = Math.round(LOOKED_CELL_SECONDS * rateHz);
  const knotFrames = SLICES_A_KNOT * cellFrames;
  const count = edges.length + 1;
  const cells: Cells[] = Array.from({ length: count }, () => ({
    product: new Float64Array(0),
    energy: new Float64Array(0),
    target: new Float64Array(0),
  }));
  for (const [c, signal] of under.entries()) {
    const w = look(weight[c] ?? weight[0]);
    const u = sharpBands(look(signal), edges, rateHz);
    const d = sharpBands(look(target[c]), edges, rateHz);
    for (let b = 0; b < count; b++) {
      const own = cellsOf([u[b]], [d[b]], w, cellFrames);
      cells[b] = c === 0 ? own : added([cells[b], own]);
    }
  }
  // What one gain for bands a to b leaves, and from that the best ways to part them.
  const costs = Array.from({ length: count }, () => new Float64Array(count + 1));
  for (let a = 0; a < count; a++) {
    let group = cells[a];
    for (let b = a; b < count; b++) {
      if (b > a) group = added([group, cells[b]]);
      costs[a][b + 1] = fitGain(group, cellFrames, knotFrames).heldOut;
    }
  }
  const least: { cost: number; cuts: number[] }[][] = [
    Array.from({ length: count + 1 }, (_, end) => ({ cost: costs[0][end], cuts: [] })),
  ];
  for (let bands = 2; bands <= MOST_BANDS; bands++) {
    least.push(
      Array.from({ length: count + 1 }, (_, end) => {
        let best = { cost: Number.POSITIVE_INFINITY, cuts: [] as number[] };
        for (let cut = bands - 1; cut < end; cut++) {
          const before = least[bands - 2][cut];
          const cost = before.cost + costs[cut][end];
          if (cost < best.cost) best = { cost, cuts: [...before.cuts, cut] };
        }
        return best;
      }),
    );
  }
  let best = least[0][count];
  for (const row of least.slice(1)) if (row[count].cost < WORTH * best.cost) best = row[count];
  return best.cuts.map((cut) => edges[cut - 1]);
}

/** Bands cut sharply by the spectrum: good enough to find edges by. */
function sharpBands(signal: Float64Array, edgesHz: readonly number[], rateHz: number): Float64Array[] {
  const size = powerOfTwoAtLeast(signal.length);
  const spectrum = forwardReal(signal, size);
  const bounds = [0, ...edgesHz.map((hz) => Math.round((hz * size) / rateHz)), size / 2 + 1];
  return bounds.slice(1).map((end, b) => {
    const band = new Float64Array(size + 2);
    band.set(spectrum.subarray(2 * bounds[b], 2 * end), 2 * bounds[b]);
    return inverseReal(band).subarray(0, signal.length);
  });
}
