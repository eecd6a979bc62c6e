import { inBands } from "../audio/band-split";
import { type Biquad, filterInPlace, filterRow } from "../audio/biquad";
import { throughFilter } from "../audio/through-filters";
import { factorDense, factorScaled, solveDense, solveScaled } from "../numeric/cholesky";
import { type Run, weightedRuns } from "../numeric/conjugate-gradients";
import {
  addDelayed,
  addProduct,
  addTimes,
  delayedProducts,
  times,
  timesInto,
  weightedProduct,
} from "../numeric/vectors";
import { insideBell, insideBellReversed, throughBell } from "./bell-gain";
import { FilterOperator } from "./filter-fit";
import { gainsOf, SplineOperator } from "./gain-curve";
import { isByFrequency } from "./gain-fit";
import { heldStraight, SaturationBasis, slopesOf } from "./saturation-curve";
import {
  type CascadeStage,
  type FilterStage,
  type GainStage,
  ofChannel,
  type SaturationStage,
  type Signals,
  type Stage,
} from "./stages";
import { whitened } from "./whitening";

/** A stage as a linear map of small changes: of what comes in, and of its own parameters (in blocks). */
export type LinearStage = {
  /** Lengths of the blocks of parameters; none where they stay as they are. */
  lengths: readonly number[];
  /** Change of the output for a change of input (null: none) and of the parameters; it holds until the next call, as does `pullInput`. */
  push(input: Signals | null, step: readonly Float64Array[]): Float64Array[];
  /** Adjoint: what a change of the output asks of the parameters. */
  pullParameters(output: Signals): Float64Array[];
  /** Adjoint: and of the input. */
  pullInput(output: Signals): Float64Array[];
  precondition(gradient: readonly Float64Array[]): Float64Array[];
  /** Ridge weight per block. */
  floors: readonly number[];
  /** The stage with its parameters moved by a share of a step; null where it would be unstable. */
  stepped(step: readonly Float64Array[], share: number): Stage | null;
};

/** How much a frame of a stage's output counts: by channel, squared, and 0 where nothing hangs on it. */
export type Sensitivity = readonly Float64Array[];

/** Room that a stage writes its answers into, over and over: what it answered before is then gone. */
const roomFor = (input: Signals): { pushed: Float64Array[]; pulled: Float64Array[] } => ({
  pushed: input.map((signal) => new Float64Array(signal.length)),
  pulled: input.map((signal) => new Float64Array(signal.length)),
});

const moved = (values: Float64Array, step: Float64Array, share: number): Float64Array => {
  const next = values.slice();
  addTimes(next, share, step);
  return next;
};

/** A stage made linear about where it stands. `counts`: how much each frame of its output counts. */
export function linearised(stage: Stage, input: Signals, counts: Sensitivity, rateHz: number): LinearStage {
  switch (stage.kind) {
    case "filter":
      return linearFilter(stage, input, counts);
    case "cascade":
      return linearCascade(stage, input, counts);
    case "gain":
      return isByFrequency(stage.gain) ? fixedBands(stage, rateHz) : linearGain(stage, input, counts);
    case "saturation":
      return linearSaturation(stage, input, counts);
  }
}

/** How much frames before a stage count, by how much frames after it do. */
export function countsBefore(stage: Stage, input: Signals, counts: Sensitivity): Sensitivity {
  switch (stage.kind) {
    case "filter":
      return counts.map((own, c) => {
        const [response] = stage.eq.filters[c].responses;
        return widened(own, response.length, energyOf(response));
      });
    case "cascade":
      // A cascade is short beside the room around a stretch, and about as loud out as in.
      return counts.map((own) => widened(own, CASCADE_REACH, 1));
    case "gain": {
      const [band] = stage.gain.fits;
      return counts.map((own, c) => {
        const gains = gainsOf(ofChannel(band, c).curve, 0, own.length);
        return times(own, times(gains, gains));
      });
    }
    case "saturation":
      return counts.map((own, c) => {
        const slopes = slopesOf(input[c], ofChannel(stage.curves, c));
        const output = times(own, times(slopes, slopes));
        for (let n = 0; n < output.length; n++) if (own[n] !== 0 && output[n] < LEAST_COUNT) output[n] = LEAST_COUNT;
        return output;
      });
  }
}
const CASCADE_REACH = 4096;
/** Frames where a curve is flat still count a little. */
const LEAST_COUNT = 1e-12;

const energyOf = (signal: Float64Array) => signal.reduce((sum, v) => sum + v * v, 0);

/** Counts on average, also so many frames around where they are not 0. */
function widened(counts: Float64Array, reach: number, factor: number): Float64Array {
  let [sum, number] = [0, 0];
  for (const w of counts)
    if (w !== 0) {
      sum += w;
      number++;
    }
  const level = number > 0 ? (factor * sum) / number : 0;
  const output = new Float64Array(counts.length);
  let until = -1;
  for (let n = 0; n < counts.length; n++) {
    if (counts[n] !== 0) {
      if (until < n) output.fill(level, Math.max(0, n - reach, until), n);
      until = n + reach;
    }
    if (n <= until) output[n] = level;
  }
  return output;
}

function linearFilter({ eq }: FilterStage, input: Signals, counts: Sensitivity): LinearStage {
  const { taps, lead, filters } = eq;
  const operators = input.map((signal, c) => new FilterOperator([signal], counts[c], taps, lead));
  const reversed = filters.map(({ responses: [h] }) => ({ responses: [h.slice().reverse()], lead: taps - 1 - lead }));
  return {
    lengths: filters.map(() => taps),
    push: (change, step) =>
      operators.map((operator, c) => {
        const output = new Float64Array(input[c].length);
        operator.apply([step[c]], output);
        if (change) addTimes(output, 1, throughFilter([change[c]], filters[c]));
        return output;
      }),
    pullParameters: (output) => operators.map((operator, c) => operator.adjoint(output[c])[0]),
    pullInput: (output) => output.map((signal, c) => throughFilter([signal], reversed[c])),
    precondition: (gradient) => gradient.map((g, c) => whitened(g, operators[c].whitenings[0])),
    floors: operators.map(({ whitenings: [w] }) => w.floor),
    stepped: (step, share) => ({
      kind: "filter",
      eq: {
        ...eq,
        filters: filters.map(({ responses: [h] }, c) => ({ responses: [moved(h, step[c], share)], lead })),
      },
    }),
  };
}

/** Coefficients that move: the first section's gain is that of the row, the others begin with 1. */
const freeOf = (section: number) => (section === 0 ? 5 : 4);

/** A row with its whole gain in the first section. */
export function normalised(row: readonly Biquad[]): Biquad[] {
  const gain = row.reduce((product, s) => product * s.b0, 1);
  return row.map((s, i) => {
    const scale = i === 0 ? gain / s.b0 : 1 / s.b0;
    return { ...s, b0: s.b0 * scale, b1: s.b1 * scale, b2: s.b2 * scale };
  });
}

const MOST_POLE = 0.99999;
const isStable = ({ a1, a2 }: Biquad) => a2 < MOST_POLE && a2 > -MOST_POLE && Math.abs(a1) < 1 + a2;

/** A row of biquads with its coefficients moved by a share of a step; null where it would be unstable. */
export function movedRow(row: readonly Biquad[], step: Float64Array, share: number): Biquad[] | null {
  let k = 0;
  const next = row.map((s, i): Biquad => {
    const b0 = i === 0 ? s.b0 + share * step[k++] : s.b0;
    const [b1, b2, a1, a2] = [s.b1, s.b2, s.a1, s.a2].map((v) => v + share * step[k++]);
    return { b0, b1, b2, a1, a2 };
  });
  return next.every(isStable) ? next : null;
}

export const parametersOf = (row: readonly Biquad[]): number => row.reduce((sum, _, i) => sum + freeOf(i), 0);

/** What a coefficient of a row does to a signal: another one, so many frames late, with a sign. */
export type Column = { signal: Float64Array; late: number; sign: 1 | -1 };

/** What each coefficient of a (normalised) row does: the input through all other sections and 1 over its own denominator, and that through itself. */
export function columnsOf(signal: Float64Array, row: readonly Biquad[]): Column[] {
  const before = signal.slice();
  return row.flatMap((section, i) => {
    const ahead = before.slice();
    filterInPlace(before, section);
    filterRow(ahead, [...row.slice(i + 1), { b0: 1, b1: 0, b2: 0, a1: section.a1, a2: section.a2 }]);
    const behind = ahead.slice();
    filterInPlace(behind, section);
    const column = (own: Float64Array, late: number, sign: 1 | -1): Column => ({ signal: own, late, sign });
    return [
      ...(i === 0 ? [column(ahead, 0, 1)] : []),
      ...[1, 2].map((late) => column(ahead, late, 1)),
      ...[1, 2].map((late) => column(behind, late, -1)),
    ];
  });
}

/** Columns beside each other that are one signal at several delays. */
type ColumnGroup = { signal: Float64Array; sign: 1 | -1; first: number; lates: number[] };

export function groupsOf(columns: readonly Column[]): ColumnGroup[] {
  const groups: ColumnGroup[] = [];
  for (const [k, { signal, late, sign }] of columns.entries()) {
    const last = groups.at(-1);
    if (last?.signal === signal) last.lates.push(late);
    else groups.push({ signal, sign, first: k, lates: [late] });
  }
  return groups;
}

/** Adds Σ w · column · columnᵀ to a matrix, by as many frames as it takes to know it. */
export function addColumnProducts(columns: readonly Column[], weight: Float64Array, matrix: Float64Array): void {
  const size = columns.length;
  const { runs, share } = sampled(weight, size);
  const frames = runs.reduce((sum, { count }) => sum + count, 0);
  const gathered = columns.map(({ signal, late }) => {
    const own = new Float64Array(frames);
    let at = 0;
    for (const { from, count } of runs)
      for (let n = from - late; n < from - late + count; n++) own[at++] = n < 0 ? 0 : signal[n];
    return own;
  });
  const weights = new Float64Array(frames);
  let at = 0;
  for (const { from, count } of runs) for (let n = from; n < from + count; n++) weights[at++] = weight[n];
  for (let a = 0; a < size; a++) {
    for (let b = 0; b <= a; b++) {
      const value = share * columns[a].sign * columns[b].sign * weightedProduct(weights, gathered[a], gathered[b]);
      matrix[a * size + b] += value;
      if (a !== b) matrix[b * size + a] += value;
    }
  }
}

/** Frames for each unknown that are enough to know how the unknowns hang together, in blocks of so many. */
const ENOUGH_FRAMES = 2000;
const BLOCK_FRAMES = 8;

/** Where a weight is not 0: all of it, or blocks evenly spread where there is more than is needed; and how many frames stand for one that is looked at. */
function sampled(weight: Float64Array, unknowns: number): { runs: Run[]; share: number } {
  const runs = [...weightedRuns(weight)];
  const frames = runs.reduce((sum, { count }) => sum + count, 0);
  const every = Math.floor(frames / (ENOUGH_FRAMES * unknowns));
  if (every < 2) return { runs, share: 1 };
  const step = every * BLOCK_FRAMES;
  const some = runs.flatMap(({ from, count }) =>
    Array.from({ length: Math.ceil(count / step) }, (_, i) => ({
      from: from + i * step,
      count: Math.min(BLOCK_FRAMES, count - i * step),
    })),
  );
  return { runs: some, share: frames / some.reduce((sum, { count }) => sum + count, 0) };
}

function linearCascade({ sections }: CascadeStage, input: Signals, counts: Sensitivity): LinearStage {
  const rows = sections.map(normalised);
  const rowOf = (c: number) => Math.min(c, rows.length - 1);
  const lengths = rows.map(parametersOf);
  const columns = input.map((signal, c) => columnsOf(signal, ofChannel(rows, c)));
  const groups = columns.map(groupsOf);
  const solvers = rows.map((_, r) => {
    const matrix = new Float64Array(lengths[r] * lengths[r]);
    for (const c of input.keys()) if (rowOf(c) === r) addColumnProducts(columns[c], counts[c], matrix);
    return factorScaled(matrix, lengths[r]);
  });
  const room = roomFor(input);
  const filtered = (signals: Signals, into: Float64Array[], isReversed: boolean) => {
    for (const [c, signal] of signals.entries()) {
      const output = into[c];
      output.set(signal);
      if (isReversed) output.reverse();
      filterRow(output, ofChannel(rows, c));
      if (isReversed) output.reverse();
    }
    return into;
  };
  return {
    lengths,
    push: (change, step) => {
      if (change) filtered(change, room.pushed, false);
      else for (const output of room.pushed) output.fill(0);
      for (const [c, output] of room.pushed.entries())
        for (const { signal, sign, first, lates } of groups[c]) {
          const factors = [0, 0, 0];
          for (const [i, late] of lates.entries()) factors[late] = sign * step[rowOf(c)][first + i];
          addDelayed(output, signal, factors[0], factors[1], factors[2]);
        }
      return room.pushed;
    },
    pullParameters: (output) => {
      const steps = lengths.map((length) => new Float64Array(length));
      for (const [c, own] of output.entries())
        for (const { signal, sign, first, lates } of groups[c]) {
          const products = delayedProducts(own, signal);
          for (const [i, late] of lates.entries()) steps[rowOf(c)][first + i] += sign * products[late];
        }
      return steps;
    },
    pullInput: (output) => filtered(output, room.pulled, true),
    precondition: (gradient) => gradient.map((g, r) => solveScaled(solvers[r], g)),
    floors: rows.map(() => 0),
    stepped: (step, share) => {
      const next = rows.map((row, r) => movedRow(row, step[r], share));
      return next.every((row) => row !== null) ? { kind: "cascade", sections: next as Biquad[][] } : null;
    },
  };
}

function linearGain({ gain }: GainStage, input: Signals, counts: Sensitivity): LinearStage {
  const [band] = gain.fits;
  const length = input[0].length;
  const curves = band.map(({ curve }) => curve);
  const spline = new SplineOperator(curves[0].knotFrames, length);
  const gains = curves.map((curve) => gainsOf(curve, 0, length));
  const curveOf = (c: number) => Math.min(c, curves.length - 1);
  const room = roomFor(input);
  const solvers = curves.map((_, i) => {
    const energy = new Float64Array(length);
    for (const [c, signal] of input.entries())
      if (curveOf(c) === i) addProduct(energy, counts[c], times(signal, signal));
    return spline.solver(energy);
  });
  return {
    lengths: curves.map(({ knots }) => knots.length),
    push: (change, step) => {
      for (const [c, output] of room.pushed.entries()) {
        if (change) timesInto(output, gains[curveOf(c)], change[c]);
        else output.fill(0);
        spline.addTimes(step[curveOf(c)], input[c], output);
      }
      return room.pushed;
    },
    pullParameters: (output) => {
      const knots = curves.map((curve) => new Float64Array(curve.knots.length));
      for (const [c, signal] of output.entries()) spline.addAdjoint(signal, input[c], knots[curveOf(c)]);
      return knots;
    },
    pullInput: (output) => {
      for (const [c, own] of room.pulled.entries()) timesInto(own, output[c], gains[curveOf(c)]);
      return room.pulled;
    },
    precondition: (gradient) => gradient.map((g, i) => solvers[i].solve(g)),
    floors: solvers.map(({ hold }) => hold),
    stepped: (step, share) => ({
      kind: "gain",
      gain: {
        ...gain,
        fits: [
          band.map((fit, i) => ({ ...fit, curve: { ...fit.curve, knots: moved(fit.curve.knots, step[i], share) } })),
        ],
      },
    }),
  };
}

/** Gains in bands: fitted in turn with the rest, so only what passes them is moved here. */
function fixedBands(stage: GainStage, rateHz: number): LinearStage {
  const { edgesHz, fits, bell } = stage.gain;
  const pass = (signals: Signals, isAdjoint: boolean) =>
    signals.map((signal, c) => {
      const gains = fits.map((band) => gainsOf(ofChannel(band, c).curve, 0, signal.length));
      if (bell && !isAdjoint) return throughBell(signal, insideBell(signal, bell, rateHz), gains[0]);
      if (bell) {
        const moves = gains[0].map((gain) => gain - 1);
        const output = insideBellReversed(times(signal, moves), bell, rateHz);
        addTimes(output, 1, signal);
        return output;
      }
      const output = new Float64Array(signal.length);
      // Bands have no phase, so they are their own adjoint: gain after the split, or before it.
      if (isAdjoint)
        for (const [b, gain] of gains.entries()) addTimes(output, 1, inBands(times(signal, gain), edgesHz, rateHz)[b]);
      else
        for (const [b, band] of inBands(signal, edgesHz, rateHz).entries()) addTimes(output, 1, times(band, gains[b]));
      return output;
    });
  return {
    lengths: [],
    push: (change) => {
      if (!change) throw new Error("gains in bands have nothing to move by themselves");
      return pass(change, false);
    },
    pullParameters: () => [],
    pullInput: (output) => pass(output, true),
    precondition: () => [],
    floors: [],
    stepped: () => stage,
  };
}

function linearSaturation({ curves }: SaturationStage, input: Signals, counts: Sensitivity): LinearStage {
  // At the file's own rate, also of curves that are worked out at a higher one: near enough to step by.
  const slopes = input.map((signal, c) => slopesOf(signal, ofChannel(curves, c)));
  const bases = input.map((signal, c) => new SaturationBasis(signal, ofChannel(curves, c)));
  const curveOf = (c: number) => Math.min(c, curves.length - 1);
  const room = roomFor(input);
  const solvers = curves.map((curve, i) => {
    const size = curve.knots.length;
    const matrix = new Float64Array(size * size);
    for (const c of input.keys()) if (curveOf(c) === i) bases[c].addNormal(counts[c], matrix);
    return factorDense(heldStraight(matrix, size), size);
  });
  return {
    lengths: curves.map(({ knots }) => knots.length),
    push: (change, step) => {
      for (const [c, output] of room.pushed.entries()) {
        bases[c].apply(step[curveOf(c)], output);
        if (change) addProduct(output, slopes[c], change[c]);
      }
      return room.pushed;
    },
    pullParameters: (output) => {
      const knots = curves.map((curve) => new Float64Array(curve.knots.length));
      for (const [c, signal] of output.entries()) bases[c].addAdjoint(signal, knots[curveOf(c)]);
      return knots;
    },
    pullInput: (output) => {
      for (const [c, own] of room.pulled.entries()) timesInto(own, output[c], slopes[c]);
      return room.pulled;
    },
    precondition: (gradient) => gradient.map((g, i) => solveDense(solvers[i], g)),
    floors: curves.map(() => 0),
    stepped: (step, share) => ({
      kind: "saturation",
      curves: curves.map((curve, i) => ({ ...curve, knots: moved(curve.knots, step[i], share) })),
    }),
  };
}
