import { inBands, partedSpectrum } from "../audio/band-split";
import { forwardReal, powerOfTwoAtLeast } from "../audio/fft";
import { addProduct, addTimes, energyUnder, times } from "../numeric/vectors";
import {
  addToCells,
  type BandCells,
  bandCellFramesAt,
  bestKnotFrames,
  emptyBandCells,
  fitBandGains,
  TIES,
} from "./band-gains";
import { type Bell, insideBell, throughBell, wantedInside } from "./bell-gain";
import {
  bestGain,
  type Cells,
  cellFramesAt,
  cellsOf,
  crossValidatedGains,
  type FittedGain,
  fitGain,
  gainsOf,
  SLICES_A_KNOT,
} from "./gain-curve";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";

/** Gain over time: for each band, one curve for all channels (linked) or one each; with a `bell`, what moves is that alone, and there are no edges. */
export type GainOverTime = { edgesHz: number[]; isLinked: boolean; fits: FittedGain[][]; bell?: Bell };

/** Whether not all frequencies move alike. */
export const isByFrequency = ({ edgesHz, bell }: Pick<GainOverTime, "edgesHz" | "bell">): boolean =>
  edgesHz.length > 0 || bell !== undefined;

/** What is kept of a level that is fitted again. */
export type GainForm = Pick<GainOverTime, "edgesHz" | "isLinked" | "bell"> & { knotFrames: number[] };

export const gainFormOf = ({ edgesHz, isLinked, fits, bell }: GainOverTime): GainForm => ({
  edgesHz,
  ...(bell ? { bell } : {}),
  isLinked,
  knotFrames: fits.map(([fit]) => fit.curve.knotFrames),
});

/** No gain is undone by more than 20 dB. */
const LEAST_UNDONE = 0.1;
/** Edges of bands are looked for among these. */
const EDGES_HZ = [80, 120, 180, 270, 400, 600, 900, 1350, 2000, 3000, 4500, 6750, 10_000];
const MOST_BANDS = 5;
/** Where no one of them shows, two at once. */
const PAIRS_HZ = [
  [120, 1200],
  [180, 2000],
  [270, 3000],
  [400, 4500],
];
/** No nearer to each other than an octave. */
const LEAST_APART = 2;
/** And then moved by these factors: a third, a sixth, a twelfth and a twenty-fourth of an octave. */
const EDGE_STEPS = [1.26, 1.122, 1.059, 1.0293];
/** Edges are looked for in so many frames. */
const LOOKED_FRAMES = 1 << 17;
/** And at no finer times than this. */
const LOOKED_CELL_SECONDS = 0.005;

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

type Signals = readonly Float64Array[];

/** The level over time that leaves least on what was held out; one band and linked unless more is clearly better. */
export function bestGainOverTime(
  under: Signals,
  target: Signals,
  weight: Signals,
  rateHz: number,
  form?: GainForm,
): GainOverTime {
  if (form?.bell) return withBell(under, target, weight, rateHz, form.bell, form);
  if (form)
    return form.edgesHz.length > 0
      ? inBandsAt(under, target, weight, rateHz, form).level
      : broadGain(under, target, weight, rateHz, form).level;
  const broad = broadGain(under, target, weight, rateHz);
  const edgesHz = bestEdges(under, target, weight, rateHz);
  if (edgesHz.length === 0) return broad.level;
  let banded = inBandsAt(under, target, weight, rateHz, { edgesHz, isLinked: true });
  if (!broad.level.isLinked) {
    const apart = inBandsAt(under, target, weight, rateHz, { edgesHz, isLinked: false });
    if (apart.heldOut < MIN_IMPROVEMENT_HALF_DB * banded.heldOut) banded = apart;
  }
  // Held against one band of the same times: a quicker one can write low waves by itself, and looks better than it is.
  const one = inBandsAt(under, target, weight, rateHz, { edgesHz: [], isLinked: banded.level.isLinked });
  return banded.heldOut < MIN_IMPROVEMENT_HALF_DB * one.heldOut ? banded.level : broad.level;
}

/** The gain of a bell, for all channels together or each by itself: knots as far apart as given, or as does best. */
export function withBell(
  under: Signals,
  target: Signals,
  weight: Signals,
  rateHz: number,
  bell: Bell,
  form?: { isLinked: boolean; knotFrames: number[] },
): GainOverTime {
  const inside = under.map((u) => insideBell(u, bell, rateHz));
  const wanted = under.map((u, c) => wantedInside(u, inside[c], target[c]));
  const asBroad = form && { edgesHz: [], ...form };
  return { ...broadGain(inside, wanted, weight, rateHz, asBroad).level, bell };
}

type Judged = { level: GainOverTime; heldOut: number };

/** One band: for all channels together, or each by itself where that leaves clearly less. */
export function broadGain(under: Signals, target: Signals, weight: Signals, rateHz: number, form?: GainForm): Judged {
  const cellFrames = cellFramesAt(rateHz);
  const knotFrames = form?.knotFrames[0];
  const best = (cells: Cells) => (knotFrames ? fitGain(cells, cellFrames, knotFrames) : bestGain(cells, rateHz));
  const own = under.map((u, c) => cellsOf([u], [target[c]], weight[c] ?? weight[0], cellFrames));
  const judged = (fits: FittedGain[], isLinked: boolean): Judged => ({
    level: { edgesHz: [], isLinked, fits: [fits] },
    heldOut: fits.reduce((sum, f) => sum + f.heldOut, 0),
  });
  const linked = () => judged([best(added(own))], true);
  if (under.length === 1 || form?.isLinked) return linked();
  const apart = judged(own.map(best), false);
  if (form) return apart;
  const one = linked();
  return apart.heldOut < MIN_IMPROVEMENT_HALF_DB * one.heldOut ? apart : one;
}

/** Bands between given edges; knots as far apart as given, or as does best. */
function inBandsAt(
  under: Signals,
  target: Signals,
  weight: Signals,
  rateHz: number,
  { edgesHz, isLinked, knotFrames }: Omit<GainForm, "knotFrames"> & { knotFrames?: number[] },
): Judged {
  const own = under.map((u, c) => {
    const cells = emptyBandCells(edgesHz.length + 1, u.length, bandCellFramesAt(rateHz));
    addToCells(cells, inBands(u, edgesHz, rateHz), target[c], weight[c] ?? weight[0]);
    return cells;
  });
  const all = together(own);
  const knots = knotFrames?.[0] ?? bestKnotFrames(all, rateHz);
  const channels = (isLinked ? [all] : own).map((cells) => fitBandGains(cells, knots));
  const fits = Array.from({ length: edgesHz.length + 1 }, (_, b) => channels.map((channel) => channel.fits[b]));
  return { level: { edgesHz, isLinked, fits }, heldOut: channels.reduce((sum, { heldOut }) => sum + heldOut, 0) };
}

/** Edges of two to five bands, none where one band is as good: looked for one after another in the middle of the louder channel. */
function bestEdges(under: Signals, target: Signals, weight: Signals, rateHz: number): number[] {
  const energies = target.map((t, c) => energyUnder(weight[c] ?? weight[0], t));
  const loudest = energies.indexOf(Math.max(...energies));
  const [u, d, w] = [under[loudest], target[loudest], weight[loudest] ?? weight[0]].map(middle);
  const cellFrames = Math.round(LOOKED_CELL_SECONDS * rateHz);
  const size = powerOfTwoAtLeast(u.length);
  const spectrum = forwardReal(u, size);
  const at = (edgesHz: number[]) => {
    const cells = emptyBandCells(edgesHz.length + 1, u.length, cellFrames);
    addToCells(cells, partedSpectrum(spectrum, edgesHz, rateHz, u.length), d, w);
    return { edgesHz, left: fitBandGains(cells, SLICES_A_KNOT * cellFrames, [TIES[0]]).heldOut };
  };
  const least = (tried: ReturnType<typeof at>[]) => tried.reduce((a, b) => (b.left < a.left ? b : a));
  const grid = EDGES_HZ.filter((hz) => hz < 0.4 * rateHz);
  let best = at([]);
  while (best.edgesHz.length < MOST_BANDS - 1) {
    const one = grid
      .filter((hz) => best.edgesHz.every((edge) => Math.max(edge / hz, hz / edge) > LEAST_APART))
      .map((hz) => at([...best.edgesHz, hz].toSorted((a, b) => a - b)));
    // Of three bands that each do their own, two may show as little as one.
    const isFirst = best.edgesHz.length === 0 && least(one).left >= MIN_IMPROVEMENT_HALF_DB * best.left;
    const more = least(isFirst ? PAIRS_HZ.filter(([, high]) => high < 0.4 * rateHz).map(at) : one);
    if (more.left >= MIN_IMPROVEMENT_HALF_DB * best.left) break;
    best = withEdgesMoved(more, at);
  }
  return best.edgesHz;
}

/** Edges moved to where bands leave least, by ever smaller steps. */
function withEdgesMoved<Tried extends { edgesHz: number[]; left: number }>(
  from: Tried,
  at: (edgesHz: number[]) => Tried,
): Tried {
  let best = from;
  for (const step of [...EDGE_STEPS, ...EDGE_STEPS]) {
    for (const i of best.edgesHz.keys()) {
      for (const by of [step, 1 / step]) {
        const edgesHz = best.edgesHz.map((hz, e) => (e === i ? hz * by : hz));
        if (edgesHz.some((hz, e) => e > 0 && hz < LEAST_APART * edgesHz[e - 1])) continue;
        const moved = at(edgesHz);
        if (moved.left >= best.left) continue;
        best = moved;
        break;
      }
    }
  }
  return best;
}

/** The middle of a signal, to look for edges in. */
function middle(signal: Float64Array): Float64Array {
  const from = Math.max(0, Math.floor((signal.length - LOOKED_FRAMES) / 2));
  return signal.subarray(from, Math.min(signal.length, from + LOOKED_FRAMES));
}

/** Cells of several channels, to be fitted as one. */
function together(parts: readonly BandCells[]): BandCells {
  if (parts.length === 1) return parts[0];
  const summed = (pick: (cells: BandCells) => Float64Array) => {
    const total = pick(parts[0]).slice();
    for (const part of parts.slice(1)) addTimes(total, 1, pick(part));
    return total;
  };
  return {
    cellFrames: parts[0].cellFrames,
    products: parts[0].products.map((_, b) => summed((cells) => cells.products[b])),
    overlaps: parts[0].overlaps.map((_, k) => summed((cells) => cells.overlaps[k])),
    target: summed((cells) => cells.target),
  };
}

/** Signals at that level; `isCrossValidated` by the curves that each slice was held out of. */
export function throughGain(
  signals: readonly Float64Array[],
  { edgesHz, isLinked, fits, bell }: GainOverTime,
  rateHz: number,
  isCrossValidated = false,
): Float64Array[] {
  const gains = fits.map((band) =>
    band.map((fit) =>
      isCrossValidated ? crossValidatedGains(fit, signals[0].length) : gainsOf(fit.curve, 0, signals[0].length),
    ),
  );
  const gainOf = (b: number, c: number) => gains[b][isLinked ? 0 : c];
  return signals.map((signal, c) => {
    if (bell) return throughBell(signal, insideBell(signal, bell, rateHz), gainOf(0, c));
    if (gains.length === 1) return times(signal, gainOf(0, c));
    const output = new Float64Array(signal.length);
    for (const [b, band] of inBands(signal, edgesHz, rateHz).entries()) addProduct(output, gainOf(b, c), band);
    return output;
  });
}

/** Signals with each band brought back from its gain: about what they were before it, since gains move slowly beside the bands. */
export function undone(
  signals: Signals,
  { edgesHz, isLinked, fits, bell }: GainOverTime,
  rateHz: number,
): Float64Array[] {
  const gains = fits.map((band) => band.map((fit) => gainsOf(fit.curve, 0, signals[0].length)));
  return signals.map((signal, c) => {
    if (bell) {
      const inverse = gains[0][isLinked ? 0 : c].map((gain) => 1 / Math.max(LEAST_UNDONE, gain));
      return throughBell(signal, insideBell(signal, bell, rateHz), inverse);
    }
    const output = new Float64Array(signal.length);
    for (const [b, band] of inBands(signal, edgesHz, rateHz).entries()) {
      const gain = gains[b][isLinked ? 0 : c];
      for (let i = 0; i < output.length; i++) output[i] += band[i] / Math.max(LEAST_UNDONE, gain[i]);
    }
    return output;
  });
}

/** Bands that are looked at to see whether gains move in any of them. */
const LOOKED_EDGES_HZ = [200, 800, 2500, 7000];
/** What moving gains in these bands leave has to be less by this factor (1 dB) than what constant ones do. */
const MOVES = 0.79;

/** Whether gains that move in single bands bring a sound nearer to another, on what was held out; in the middle of the louder channel. */
export function bandGainsMove(from: Signals, to: Signals, weight: Float64Array, rateHz: number): boolean {
  const energies = to.map((t) => energyUnder(weight, t));
  const loudest = energies.indexOf(Math.max(...energies));
  const [u, d, w] = [middle(from[loudest]), middle(to[loudest]), middle(weight)];
  const size = powerOfTwoAtLeast(u.length);
  const edges = LOOKED_EDGES_HZ.filter((hz) => hz < 0.4 * rateHz);
  const [own, wanted] = [u, d].map((signal) => partedSpectrum(forwardReal(signal, size), edges, rateHz, signal.length));
  const cellFrames = Math.round(LOOKED_CELL_SECONDS * rateHz);
  let [moving, constant] = [0, 0];
  for (const [b, band] of own.entries()) {
    const cells = cellsOf([band], [wanted[b]], w, cellFrames);
    const fits = [4, 16].map((knots) => fitGain(cells, cellFrames, knots * cellFrames).heldOut);
    const [product, energy, target] = [cells.product, cells.energy, cells.target].map((v) =>
      v.reduce((sum, x) => sum + x, 0),
    );
    const flat = energy > 0 ? target - (product * product) / energy : target;
    constant += flat;
    moving += Math.min(flat, ...fits);
  }
  return moving < MOVES * constant;
}
