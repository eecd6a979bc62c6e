import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { inBands, sharesAt } from "../audio/band-split";
import { forwardReal } from "../audio/fft";
import { seededRandom } from "../audio/random";
import { type Filter, throughFilter } from "../audio/through-filters";
import { sine } from "../stimuli/signals";
import { addToCells, bandCellFramesAt, emptyBandCells, fitBandGains } from "./band-gains";
import { bestEqForm, type FormTask, fitEq, throughEq } from "./eq-fit";
import { fitFilter } from "./filter-fit";
import {
  bestGain,
  type Cells,
  cellFramesAt,
  cellsOf,
  crossValidatedGains,
  fitGain,
  gainAt,
  gainsOf,
  SplineOperator,
} from "./gain-curve";
import { bestGainOverTime, gainFormOf, throughGain, undone } from "./gain-fit";
import { energyOf } from "./pair-signals";
import {
  isUneven,
  SaturationBasis,
  type SaturationCurve,
  SaturationFit,
  saturated,
  saturatedAt,
  slopeOf,
  unsaturated,
} from "./saturation-curve";
import { predictionOf, whitened, whiteningOf } from "./whitening";

const RATE = 16_000;

function randomSignal(length: number, seed: number): Float64Array {
  const random = seededRandom(seed);
  return Float64Array.from({ length }, () => random() - 0.5);
}

/** Noise with a strong bottom, as music has. */
function coloured(length: number, seed: number): Float64Array {
  const white = randomSignal(length, seed);
  let memory = 0;
  return white.map((v) => {
    memory = 0.98 * memory + v;
    return memory;
  });
}

const ones = (length: number) => new Float64Array(length).fill(1);
const dbOf = (left: number, whole: number) => 10 * Math.log10(left / whole + 1e-30);

/** The sum itself: Σ h(k) x(n + lead − k). */
function plainly(x: Float64Array, { responses: [h], lead }: Filter): Float64Array {
  return x.map((_, n) => {
    let sum = 0;
    for (let k = 0; k < h.length; k++) sum += h[k] * (x[n + lead - k] ?? 0);
    return sum;
  });
}

describe("a filter", () => {
  it("is the plain sum, at every lead and length", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 40 }),
        fc.integer({ min: 0, max: 39 }),
        fc.integer({ min: 50, max: 900 }),
        (taps, at, length) => {
          const lead = Math.min(at, taps - 1);
          const filter = { responses: [randomSignal(taps, taps)], lead };
          const x = randomSignal(length, length);
          const expected = plainly(x, taps === 1 ? { ...filter, lead: 0 } : filter);
          for (const [n, v] of throughFilter([x], filter).entries()) expect(v).toBeCloseTo(expected[n], 9);
        },
      ),
      { numRuns: 25 },
    );
  });

  it("is found again, whatever lies outside of what is judged", () => {
    fc.assert(
      fc.property(fc.constantFrom(8, 64, 200), fc.integer({ min: 1, max: 1000 }), (taps, seed) => {
        const x = coloured(12_000, seed);
        const lead = taps >> 2;
        const truth = randomSignal(taps, seed + 1).map((v, k) => v * 0.9 ** Math.abs(k - lead));
        const target = throughFilter([x], { responses: [truth], lead });
        const weight = ones(x.length).map((_, n) => (n % 4000 < 2600 ? 1 : 0));
        for (let n = 0; n < target.length; n++) if (weight[n] === 0) target[n] = 7;
        const found = fitFilter({ inputs: [x], target, weight, taps, lead });
        for (const [k, v] of found.responses[0].entries()) expect(v).toBeCloseTo(truth[k], 3);
      }),
      { numRuns: 8 },
    );
  });

  it("of two inputs is told apart, and begins from what is known", () => {
    const [a, b] = [coloured(8000, 1), coloured(8000, 2)];
    const target = a.map((v, n) => 0.7 * v - 0.2 * (b[n - 3] ?? 0));
    const task = { inputs: [a, b], target, weight: ones(8000), taps: 16, lead: 4 };
    const { responses } = fitFilter(task);
    expect(responses[0][4]).toBeCloseTo(0.7, 4);
    expect(responses[1][7]).toBeCloseTo(-0.2, 4);
    const again = fitFilter(task, { responses, lead: 4 }, 1);
    expect(again.responses[0][4]).toBeCloseTo(0.7, 4);
  });

  it("of silence, or to silence, is none", () => {
    const nothing = new Float64Array(2000);
    const x = randomSignal(2000, 3);
    const filterOf = (inputs: Float64Array[], target: Float64Array, taps: number) =>
      fitFilter({ inputs, target, weight: ones(2000), taps, lead: 0 }).responses[0];
    for (const taps of [1, 100]) {
      expect([...filterOf([nothing], x, taps)].every((v) => v === 0)).toBe(true);
      expect([...filterOf([x], nothing, taps)].every((v) => v === 0)).toBe(true);
    }
  });
});

describe("whitening", () => {
  it("turns an autocorrelation round: its matrix times the answer is what was given", () => {
    const signal = coloured(4096, 5);
    const size = 8192;
    const spectrum = forwardReal(signal, size);
    const whitening = whiteningOf([spectrum], size, 24, 1e-9, 1);
    // Order 23 models 24 taps to the last: exact but for rounding.
    const correlation = Float64Array.from({ length: 24 }, (_, lag) => {
      let sum = 0;
      for (let n = lag; n < signal.length; n++) sum += signal[n] * signal[n - lag];
      return sum;
    });
    correlation[0] *= 1 + 1e-9;
    const vector = randomSignal(24, 6);
    const answer = whitened(vector, whitening);
    for (let i = 0; i < 24; i++) {
      let sum = 0;
      for (let j = 0; j < 24; j++) sum += correlation[Math.abs(i - j)] * answer[j];
      expect(sum).toBeCloseTo(vector[i], 6);
    }
  });

  it("makes what is predictable small and leaves noise alone", () => {
    const power = (signal: Float64Array) => signal.reduce((sum, v) => sum + v * v, 0);
    const leftAfter = (signal: Float64Array) =>
      power(throughFilter([signal], { responses: [predictionOf(signal, 32, 1e-9)], lead: 0 })) / power(signal);
    expect(leftAfter(coloured(20_000, 7))).toBeLessThan(0.1);
    expect(leftAfter(randomSignal(20_000, 8))).toBeGreaterThan(0.95);
  });
});

describe("a gain over time", () => {
  const cellFrames = cellFramesAt(RATE);
  const x = coloured(3 * RATE, 11);
  const moving = (n: number) => 0.6 + 0.3 * Math.sin((2 * Math.PI * 2 * n) / RATE);
  const y = x.map((v, n) => v * moving(n));
  const cells = (target = y) => cellsOf([x], [target], ones(x.length), cellFrames);

  it("is found where it moves slowly, and is the same on slices it was not fitted on", () => {
    const fit = bestGain(cells(), RATE);
    expect(fit.heldOut).toBeGreaterThanOrEqual(fit.fitted * 0.9);
    for (let n = RATE; n < 2 * RATE; n += 997) expect(gainAt(fit.curve, n)).toBeCloseTo(moving(n), 2);
    const crossValidated = crossValidatedGains(fit, x.length);
    for (let n = RATE; n < 2 * RATE; n += 1009) expect(crossValidated[n]).toBeCloseTo(moving(n), 1);
  });

  it("goes on as it was where nothing sounds, and is finite in silence", () => {
    const weight = ones(x.length).map((_, n) => (n > RATE && n < 2 * RATE ? 0 : 1));
    const constant = cellsOf([x], [x.map((v) => 0.5 * v)], weight, cellFrames);
    const { curve } = fitGain(constant, cellFrames, 20 * cellFrames);
    for (let n = 0; n < x.length; n += 501) expect(gainAt(curve, n)).toBeCloseTo(0.5, 3);
    const silent: Cells = {
      product: new Float64Array(100),
      energy: new Float64Array(100),
      target: new Float64Array(100),
    };
    expect(fitGain(silent, cellFrames, 8 * cellFrames).curve.knots.every(Number.isFinite)).toBe(true);
  });

  it("has a spline whose way back is the transpose of the way there", () => {
    fc.assert(
      fc.property(fc.integer({ min: 4, max: 60 }), fc.integer({ min: 100, max: 700 }), (knotFrames, length) => {
        const spline = new SplineOperator(knotFrames, length);
        const knots = randomSignal(spline.knotCount, knotFrames);
        const signal = randomSignal(length, length);
        const input = randomSignal(length, length + 1);
        const there = new Float64Array(length);
        spline.addTimes(knots, input, there);
        const back = new Float64Array(spline.knotCount);
        spline.addAdjoint(signal, input, back);
        const [one, other] = [
          there.reduce((s, v, n) => s + v * signal[n], 0),
          back.reduce((s, v, k) => s + v * knots[k], 0),
        ];
        expect(one).toBeCloseTo(other, 8);
        for (const [n, v] of gainsOf({ knotFrames, knots }, 0, length).entries())
          expect(v * input[n]).toBeCloseTo(there[n], 9);
      }),
      { numRuns: 20 },
    );
  });

  it("parts into bands that add up again, each at home in its own", () => {
    const edges = [300, 2000];
    const parts = inBands(x, edges, RATE);
    for (let n = 0; n < x.length; n += 333) expect(parts[0][n] + parts[1][n] + parts[2][n]).toBeCloseTo(x[n], 6);
    const shares = new Float64Array(3);
    for (const [hertz, band] of [
      [50, 0],
      [800, 1],
      [7000, 2],
    ]) {
      sharesAt(hertz, edges, shares);
      expect(shares[band]).toBeGreaterThan(0.95);
      expect(shares.reduce((s, v) => s + v, 0)).toBeCloseTo(1, 12);
    }
  });

  it("is told for each channel, and in bands, only where that is so", () => {
    const other = coloured(x.length, 12);
    const both = bestGainOverTime([x, other], [y, other.map((v, n) => v * moving(n))], [ones(x.length)], RATE);
    expect(gainFormOf(both)).toMatchObject({ edgesHz: [], isLinked: true });
    const apart = bestGainOverTime(
      [x, other],
      [y, other.map((v, n) => v * moving(n + RATE / 4))],
      [ones(x.length)],
      RATE,
    );
    expect(apart.isLinked).toBe(false);
    const white = randomSignal(x.length, 13);
    const [low, high] = inBands(white, [900], RATE);
    const split = bestGainOverTime([white], [low.map((v, n) => v * moving(n) + high[n])], [ones(x.length)], RATE);
    expect(split.edgesHz.length).toBeGreaterThan(0);
    expect(split.edgesHz[0]).toBeGreaterThan(400);
    expect(split.edgesHz[0]).toBeLessThan(2000);
    const [heard] = throughGain([white], split, RATE);
    const target = low.map((v, n) => v * moving(n) + high[n]);
    expect(dbOf(energyOf(ones(x.length), [target], [heard]), energyOf(ones(x.length), [target]))).toBeLessThan(-20);
  });
});

describe("gains in bands", () => {
  const seconds = 4;
  const x = coloured(seconds * RATE, 61);
  const edges = [300, 2000];
  const gainsAt = (n: number) => [
    0.6 + 0.3 * Math.sin((2 * Math.PI * 1.5 * n) / RATE),
    0.8 + 0.15 * Math.cos((2 * Math.PI * 2.3 * n) / RATE),
    0.5 + 0.3 * Math.sin((2 * Math.PI * 0.9 * n) / RATE + 1),
  ];
  const bands = inBands(x, edges, RATE);
  const y = x.map((_, n) => gainsAt(n).reduce((sum, g, b) => sum + g * bands[b][n], 0));
  const frames = bandCellFramesAt(RATE);
  const cells = () => emptyBandCells(3, x.length, frames);

  it("are told apart although their bands overlap", () => {
    const given = cells();
    addToCells(given, bands, y, null);
    const { fits, heldOut } = fitBandGains(given, 0.02 * RATE);
    expect(dbOf(heldOut, energyOf(ones(x.length), [y]))).toBeLessThan(-45);
    for (let n = RATE / 2; n < x.length - RATE / 2; n += 997)
      for (const [b, wanted] of gainsAt(n).entries())
        expect(Math.abs(gainAt(fits[b].curve, n) - wanted)).toBeLessThan(0.04);
  });

  it("come from the same sums, given at once or in pieces of any length", () => {
    const [whole, pieces] = [cells(), cells()];
    addToCells(whole, bands, y, null);
    const random = seededRandom(8);
    for (let at = 0; at < x.length; ) {
      const end = Math.min(x.length, at + 1 + Math.floor(700 * random()));
      const part = (signal: Float64Array) => signal.subarray(at, end);
      addToCells(pieces, bands.map(part), part(y), null, at);
      at = end;
    }
    for (const [k, sums] of [...whole.products, ...whole.overlaps, whole.target].entries()) {
      const other = [...pieces.products, ...pieces.overlaps, pieces.target][k];
      const off = sums.reduce((most, v, i) => Math.max(most, Math.abs(v - other[i])), 0);
      expect(off).toBeLessThan(1e-6);
    }
  });

  it("have edges where their crossovers are, and can be undone", () => {
    const level = bestGainOverTime([x], [y], [ones(x.length)], RATE);
    expect(level.edgesHz).toHaveLength(2);
    for (const [i, hz] of level.edgesHz.entries()) expect(Math.abs(Math.log2(hz / edges[i]))).toBeLessThan(1 / 4);
    const [levelled] = throughGain([x], level, RATE);
    expect(dbOf(energyOf(ones(x.length), [y], [levelled]), energyOf(ones(x.length), [y]))).toBeLessThan(-30);
    // About what was there before: bands are parted again after their gains.
    const [back] = undone([levelled], level, RATE);
    expect(dbOf(energyOf(ones(x.length), [x], [back]), energyOf(ones(x.length), [x]))).toBeLessThan(-20);
  });

  it("are not seen in a filter, nor in noise that is only there", () => {
    const [bright] = [plainly(x, { responses: [Float64Array.of(1, -0.4)], lead: 0 })];
    const tone = fitEq([x], [bright], [ones(x.length)], { taps: 32, lead: 4, hasCrosstalk: false });
    expect(bestGainOverTime(throughEq([x], tone), [bright], [ones(x.length)], RATE).edgesHz).toEqual([]);
    const hiss = randomSignal(x.length, 62);
    expect(bestGainOverTime([x], [x.map((v, n) => v + hiss[n])], [ones(x.length)], RATE).edgesHz).toEqual([]);
  });
});

describe("a saturation curve", () => {
  /** A straight line of a slope as a spline, with a bend of the second order. */
  const line = (slope: number, square: number, oversampling: number): SaturationCurve => ({
    reach: 1,
    // A cubic B-spline has x² + h²/3 for knots that lie on x² (h apart).
    knots: Float64Array.from({ length: 19 }, (_, k) => {
      const v = (k - 1) / 8 - 1;
      return slope * v + square * (v * v - 1 / 192);
    }),
    oversampling,
  });

  it("that is straight passes noise up to half the rate as it is, at every rate it is worked out at", () => {
    const white = randomSignal(30_000, 4);
    const output = saturated(white, line(0.7, 0, 4));
    for (let n = 0; n < white.length; n++) expect(Math.abs(output[n] - 0.7 * white[n])).toBeLessThan(1e-9);
  });

  it("is uneven from a thousandth of even parts on", () => {
    expect(isUneven(line(1, 0, 1))).toBe(false);
    // Of x + a x² the even part is a, by effective value over 0 to 1: √(1/5) a to √(1/3).
    expect(isUneven(line(1, 0.0012, 1))).toBe(false);
    expect(isUneven(line(1, 0.0014, 1))).toBe(true);
    expect(isUneven(line(1, -0.1, 1))).toBe(true);
    expect(isUneven({ reach: 0, knots: new Float64Array(11), oversampling: 1 })).toBe(false);
  });

  const x = coloured(6 * 8192, 21).map((v) => v * 0.1);
  const shape = (v: number) => Math.tanh(3 * v) / 3 + 0.05 * v * v;
  const fitter = () => new SaturationFit({ under: [x], target: [x.map(shape)], weight: ones(x.length) });

  it("is found over the levels that occur, with its slope, and goes on straight beyond", () => {
    const { curve, heldOut, target } = fitter().fit(32);
    expect(dbOf(heldOut, target)).toBeLessThan(-60);
    for (let v = -0.7 * curve.reach; v < 0.7 * curve.reach; v += curve.reach / 20) {
      expect(saturatedAt(curve, v)).toBeCloseTo(shape(v), 3);
      const step = 1e-5;
      expect(slopeOf(curve, v)).toBeCloseTo(
        (saturatedAt(curve, v + step) - saturatedAt(curve, v - step)) / (2 * step),
        4,
      );
    }
    const [end, beyond] = [saturatedAt(curve, curve.reach), saturatedAt(curve, curve.reach * 1.5)];
    expect(beyond - end).toBeCloseTo(0.5 * curve.reach * slopeOf(curve, curve.reach), 6);
  });

  it("is the same sample by sample and by the piece, and does not alias at eight times the rate", () => {
    const { curve } = fitter().fit(16);
    const whole = saturated(x, curve);
    for (let n = 0; n < x.length; n += 777) expect(whole[n]).toBeCloseTo(saturatedAt(curve, x[n]), 9);
    // 5.5 kHz at 16 kHz: the third harmonic, 16.5 kHz, would come back at 500 Hz.
    const [tone] = sine({
      hertz: 5500,
      peakDbfs: 20 * Math.log10(0.8 * curve.reach),
      seconds: 1,
      channels: 1,
      sampleRateHz: RATE,
    }).channels;
    const folded = (oversampling: number) => {
      const spectrum = forwardReal(
        saturated(Float64Array.from(tone), { ...curve, oversampling }).subarray(2048, 2048 + 8192),
        8192,
      );
      const bin = Math.round((500 * 8192) / RATE);
      return Math.hypot(spectrum[2 * bin], spectrum[2 * bin + 1]);
    };
    expect(folded(8)).toBeLessThan(folded(1) / 20);
  });

  it("is undone where it rises, and goes on no steeper than its whole beyond what it was fitted on", () => {
    const knots = Float64Array.from({ length: 19 }, (_, i) => Math.tanh(2 * ((2 * (i - 1)) / 16 - 1)));
    const curve = { reach: 1, knots, oversampling: 1 };
    const signal = Float64Array.from({ length: 201 }, (_, i) => (i - 100) / 101);
    const back = unsaturated(saturated(signal, curve), curve);
    for (const [i, v] of signal.entries()) expect(back?.[i]).toBeCloseTo(v, 4);
    // It falls in the middle: there is no one way back.
    expect(unsaturated(signal, { ...curve, knots: knots.map((v, i) => (i === 9 ? v - 1 : v)) })).toBeNull();
    expect(unsaturated(signal, { ...curve, reach: 0 })).toBeNull();
    // Asked for in any case, it is a way back that holds where the curve rises again.
    const dips = { ...curve, knots: knots.map((v, i) => (i === 9 ? v - 1 : v)) };
    const lowest = unsaturated(saturated(signal, dips), dips, true) ?? new Float64Array(0);
    expect(lowest.every(Number.isFinite)).toBe(true);
    for (const [i, v] of signal.entries()) if (v > 0.5) expect(lowest[i]).toBeCloseTo(v, 2);
    // An end that turns down, as few samples may make it, is not gone on with.
    const turned = { ...curve, knots: knots.map((v, i) => (i > 16 ? v - 0.4 * (i - 16) : v)) };
    for (const v of [1.2, 2, 5]) expect(saturatedAt(turned, v)).toBeCloseTo(saturatedAt(turned, 1), 10);
  });

  it("and what its knots do to a signal has its own transpose", () => {
    const curve = { reach: 1, knots: randomSignal(11, 5), oversampling: 1 };
    const basis = new SaturationBasis(randomSignal(500, 6), curve);
    const [step, other] = [randomSignal(11, 7), randomSignal(500, 8)];
    const output = new Float64Array(500);
    basis.apply(step, output);
    const back = new Float64Array(11);
    basis.addAdjoint(other, back);
    const dot = (a: Float64Array, b: Float64Array) => a.reduce((sum, v, i) => sum + v * b[i], 0);
    expect(dot(output, other)).toBeCloseTo(dot(step, back), 10);
  });

  it("is not looked for in silence", () => {
    const nothing = new Float64Array(30_000);
    expect(new SaturationFit({ under: [nothing], target: [nothing], weight: ones(30_000) }).isEmpty).toBe(true);
  });
});

describe("the form of a filter", () => {
  const formFor = (here: Float64Array[], yonder: Float64Array[]) => {
    const length = here[0].length;
    const half = (which: number) =>
      Float64Array.from({ length }, (_, n) => (Math.floor(n / 2000) % 2 === which ? 1 : 0));
    return bestEqForm(
      { inputs: here, targets: yonder, weights: [[half(0)], [half(1)]], judgedFrames: length },
      () => {},
    ).form;
  };
  const x = coloured(40_000, 31);

  it("is as short as will do, and looks at the channel that has something to explain", () => {
    expect(formFor([x], [x.map((v) => v / 2)])).toEqual({ taps: 1, lead: 0, hasCrosstalk: false });
    const other = coloured(40_000, 32).map((v) => v * 5);
    const late = x.map((v, n) => v + 0.5 * (x[n - 20] ?? 0));
    const form = formFor([x, other], [late, other]);
    expect(form.taps).toBeGreaterThanOrEqual(32);
    expect(form.hasCrosstalk).toBe(false);
  });

  it("leaves the longest for later where nothing speaks for them, and goes on from there when asked", () => {
    const length = 200_000;
    const [here, hiss] = [coloured(length, 34), coloured(length, 35)];
    const half = (which: number) =>
      Float64Array.from({ length }, (_, n) => (Math.floor(n / 4000) % 2 === which ? 1 : 0));
    // An echo gains a little by itself, but much of the rest is another noise: no filter comes near.
    const task: FormTask = {
      inputs: [here],
      targets: [here.map((v, n) => v + 0.25 * (here[n - 3000] ?? 0) + 0.4 * hiss[n])],
      weights: [[half(0)], [half(1)]],
      judgedFrames: length,
    };
    const hasty = bestEqForm(task, () => {}, { isHasty: true });
    expect(hasty).toMatchObject({ isCut: true, telling: 0 });
    expect(hasty.leftShare).toBeGreaterThan(0.01);
    const after = bestEqForm(task, () => {}, { start: hasty });
    expect(after.isCut).toBe(false);
    expect(after.form.taps).toBeGreaterThanOrEqual(hasty.form.taps);
  });

  it("finds a lone echo that no shorter filter shows, and looks no further where there is none", () => {
    const length = 300_000;
    const here = coloured(length, 36);
    const other = coloured(length, 37);
    const half = (which: number) =>
      Float64Array.from({ length }, (_, n) => (Math.floor(n / 4000) % 2 === which ? 1 : 0));
    const formOf = (yonder: Float64Array) => {
      const task: FormTask = {
        inputs: [here],
        targets: [yonder],
        weights: [[half(0)], [half(1)]],
        judgedFrames: length,
      };
      const hasty = bestEqForm(task, () => {}, { isHasty: true });
      return { hasty, after: bestEqForm(task, () => {}, { start: hasty }) };
    };
    const echo = formOf(here.map((v, n) => v + 0.4 * (here[n - 9000] ?? 0)));
    expect(echo.hasty).toMatchObject({ isCut: true, form: { taps: 1 } });
    expect(echo.after.form.taps).toBe(16_384);
    expect(echo.after.leftShare).toBeLessThan(1e-6);
    const none = formOf(here.map((v, n) => v + 0.4 * other[n]));
    expect(none.after).toMatchObject({ form: { taps: 1 }, reachedTaps: 4096 });
  });

  it("takes no longer filter for noise that is only there", () => {
    const hiss = randomSignal(40_000, 33);
    expect(formFor([x], [x.map((v, n) => v + hiss[n])]).taps).toBe(1);
  });

  it("fits each channel its own", () => {
    const tone = fitEq([x, x], [x.map((v) => 0.5 * v), x.map((v) => -2 * v)], [ones(x.length)], {
      taps: 1,
      lead: 0,
      hasCrosstalk: false,
    });
    expect(throughEq([x, x], tone).map((s) => s[100] / x[100])).toEqual([
      expect.closeTo(0.5, 9),
      expect.closeTo(-2, 9),
    ]);
  });
});
