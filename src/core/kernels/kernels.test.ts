import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import FFT from "fft.js";
import { describe, expect, it } from "vitest";
import { compileKernels } from "../../../scripts/kernels";
import { cos, cosh, exp, log, log2, log10, pow, sin, tan, tanh } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { seededRandom } from "../audio/random";
import { KERNEL_BYTES } from "./bytes";
import { filterPolyphase, peakBetween, polyphaseInput, readThrough, readThroughInput, thinnedMix } from "./filters";
import { readIntegers } from "./integers";
import { doubles, kernels, memoryFor, whileLaid } from "./kernels";
import {
  blockProducts,
  extremesWithin,
  innerProduct,
  largestMagnitude,
  midAndSideBandEnergies,
  pairSums,
  sumOfSamples,
} from "./sums";

const random = seededRandom(7);
const noise = (count: number) => Float32Array.from({ length: count }, () => 2 * random() - 1);

/** Σ signal[start + k] · taps[k], plainly. */
function plainSum(signal: Float32Array, start: number, taps: Float64Array): number {
  return taps.reduce((sum, tap, k) => sum + tap * (signal[start + k] ?? 0), 0);
}

describe("the compiled loops", () => {
  it("are what their source compiles to", () => {
    expect(compileKernels()).toBe(KERNEL_BYTES);
  });

  it("are the only functions core uses whose last bit a host is free in", () => {
    const folder = fileURLToPath(new URL("..", import.meta.url));
    const files = readdirSync(folder, { recursive: true, encoding: "utf8" });
    const sources = files.filter((f) => f.endsWith(".ts") && !f.endsWith(".test.ts") && !f.startsWith("testing/"));
    // Squares, and powers of two with whole exponents, are exact.
    const free =
      /Math\.(a?sinh?|a?cosh?|a?tanh?|atan2|exp|expm1|log|log10|log1p|log2|pow|cbrt|hypot)\b|(?<!\b2 )\*\* (?!2\b)/;
    const found = sources.flatMap((file) =>
      readFileSync(join(folder, file), "utf8")
        .split("\n")
        .filter((line) => free.test(line) && !/^\s*(\/?\*|\/\/)/.test(line))
        .map((line) => `${file}: ${line.trim()}`),
    );
    expect(sources.length).toBeGreaterThan(80);
    expect(found).toEqual([]);
  });

  it("agree with the host's functions to the last few bits", () => {
    const near = (own: number, host: number) =>
      expect(Math.abs(own - host)).toBeLessThanOrEqual(4 * Number.EPSILON * Math.max(1e-300, Math.abs(host)));
    for (let i = 0; i < 2000; i++) {
      const x = 20 * (random() - 0.5);
      near(sin(x), Math.sin(x));
      near(cos(x), Math.cos(x));
      near(exp(x), Math.exp(x));
      near(tanh(x), Math.tanh(x));
      near(cosh(x), Math.cosh(x));
      near(tan(x / 8), Math.tan(x / 8));
      near(log(Math.abs(x)), Math.log(Math.abs(x)));
      near(log2(Math.abs(x)), Math.log2(Math.abs(x)));
      near(log10(Math.abs(x)), Math.log10(Math.abs(x)));
      near(pow(10, x / 20), 10 ** (x / 20));
    }
    expect(pow(10, 0)).toBe(1);
    expect(log10(0)).toBe(Number.NEGATIVE_INFINITY);
    expect(sin(0)).toBe(0);
  });

  it.each([4, 8, 16, 32, 1024, 2048, 65_536])("transform %i points as fft.js does, and back", (size) => {
    const signal = noise(size);
    const spectrum = forwardReal(signal, size);
    const reference = new FFT(size);
    const expected = reference.createComplexArray();
    reference.realTransform(expected, Array.from(signal));
    reference.completeSpectrum(expected);
    const scale = Math.sqrt(size);
    expect(spectrum).toHaveLength(size + 2);
    let farthest = 0;
    for (let i = 0; i < spectrum.length; i++)
      farthest = Math.max(farthest, Math.abs(spectrum[i] - expected[i]) / scale);
    expect(farthest).toBeLessThan(1e-13);
    const back = inverseReal(spectrum);
    for (let i = 0; i < size; i++) farthest = Math.max(farthest, Math.abs(back[i] - signal[i]));
    expect(farthest).toBeLessThan(1e-13);
  });

  it("pad with zeros what is shorter than the transform", () => {
    const signal = noise(100);
    const padded = new Float32Array(128);
    padded.set(signal);
    expect(forwardReal(signal, 128)).toEqual(forwardReal(padded, 128));
  });

  it("filter in pieces as a plain sum does, silence outside", () => {
    const [up, down, taps, lead] = [3, 2, 16, 5];
    const bank = Float64Array.from(noise(up * taps));
    const signal = noise(200_000);
    const count = 300_100;
    const filter = { bank, taps, lead, up, down };
    const output = filterPolyphase(signal, filter, { count });
    for (const n of [0, 1, 2, 7, 131_071, 131_072, 131_073, 262_144, 299_990, count - 1]) {
      const row = (n * down) % up;
      const expected = plainSum(
        signal,
        Math.floor((n * down) / up) - lead,
        bank.subarray(row * taps, (row + 1) * taps),
      );
      expect(output[n], `output ${n}`).toBe(Math.fround(output[n]));
      expect(output[n], `output ${n}`).toBeCloseTo(expected, 6);
    }
    // A stretch asked for by itself, with the frames it needs and no more, is the same to the last bit.
    for (const [first, wanted] of [
      [0, 1],
      [131_071, 3],
      [70_001, 140_000],
    ]) {
      const { start, end } = polyphaseInput(filter, { first, count: wanted });
      const given = Float32Array.from({ length: end - start }, (_, i) => signal[start + i] ?? 0);
      const part = filterPolyphase(given, filter, { first, count: wanted, signalStart: start });
      expect(part).toEqual(output.slice(first, first + wanted));
    }
  });

  it("read between samples with taps interpolated between two rows", () => {
    const table = Float64Array.from(noise(3 * 8));
    const signal = noise(400_000);
    const filter = { table, taps: 8, lead: 3, phases: 2 };
    const output = readThrough(signal, filter, -2.3, 1.001, { count: 300_000 });
    for (const n of [0, 1, 131_072, 200_001, 299_999]) {
      const at = -2.3 + n * 1.001;
      const place = (at - Math.floor(at)) * 2;
      const row = Math.floor(place);
      const [low, high] = [row, row + 1].map((r) =>
        plainSum(signal, Math.floor(at) - 3, table.subarray(8 * r, 8 * (r + 1))),
      );
      expect(output[n]).toBeCloseTo(low + (place - row) * (high - low), 5);
    }
    for (const [first, wanted] of [
      [0, 1],
      [8191, 2],
      [123_456, 70_000],
      [299_999, 1],
    ]) {
      const { start, end } = readThroughInput(filter, -2.3, 1.001, { first, count: wanted });
      const given = Float32Array.from({ length: end - start }, (_, i) => signal[start + i] ?? 0);
      const part = readThrough(given, filter, -2.3, 1.001, { first, count: wanted, signalStart: start });
      expect(part).toEqual(output.slice(first, first + wanted));
    }
  });

  it("find the largest reading anywhere, also across the seams of their pieces", () => {
    const bank = new Float64Array(8);
    bank[2] = 1;
    bank[5] = 0.5;
    for (const at of [0, 3, 131_064, 131_069, 131_075, 199_999]) {
      // The first place lies seven frames before the sound.
      const signal = new Float32Array(200_007);
      signal[7 + at] = -0.5;
      if (at >= 3) signal[7 + at - 3] = -0.25;
      // Tap 2 meets the later sample's neighbour three before it, tap 5 the sample: −0.25 · 1 − 0.5 · 0.5.
      const { peak, blockPeaks } = peakBetween(signal, signal.length, bank, 8, 1.5, 0);
      expect(peak, `at ${at}`).toBeCloseTo(0.5, 12);
      // Tap 5 falls on the sample.
      expect(blockPeaks[Math.floor((at - 5 + 7) / 64)]).toBeCloseTo(0.5, 12);
      expect(peakBetween(signal, signal.length, bank, 8, 1.5, 0.8).peak).toBe(0.8);
    }
  });

  it("sum products, differences and magnitudes over any length", () => {
    for (const count of [0, 1, 3, 4, 131_073]) {
      const [a, b] = [noise(count), noise(count)];
      const product = a.reduce((sum, v, i) => sum + v * b[i], 0);
      const difference = a.reduce((sum, v, i) => sum + (0.7 * b[i] - v) ** 2, 0);
      expect(innerProduct(a, b)).toBeCloseTo(product, 8);
      const sums = pairSums(a, b, 0.7);
      expect(sums.product).toBe(innerProduct(a, b));
      expect([sums.a, sums.b]).toEqual([innerProduct(a, a), innerProduct(b, b)]);
      expect(sums.atGain).toBeCloseTo(difference, 8);
      expect(sums.difference).toBeCloseTo(
        a.reduce((sum, v, i) => sum + (b[i] - v) ** 2, 0),
        8,
      );
      expect(largestMagnitude(a)).toBe(a.reduce((most, v) => Math.max(most, Math.abs(v)), 0));
      expect(sums.largestDifference).toBe(a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0));
    }
    const [a, b] = [noise(300_001), noise(300_001)];
    const blocks = blockProducts(a, b, 4096);
    expect(blocks).toHaveLength(3 * 74);
    for (const block of [0, 31, 32, 73]) {
      const [partA, partB] = [a, b].map((v) => v.subarray(block * 4096, (block + 1) * 4096));
      const expected = [innerProduct(partA, partA), innerProduct(partB, partB), innerProduct(partA, partB)];
      expect(Array.from(blocks.subarray(3 * block, 3 * block + 3))).toEqual(expected.map((v) => expect.closeTo(v, 8)));
    }
    const same = noise(1001);
    expect(pairSums(same, same.slice(), 1)).toMatchObject({ difference: 0, atGain: 0, largestDifference: 0 });
  });

  it("give the same of signals that are laid once for several of them, in pieces of any length", () => {
    for (const frames of [1, 4096, 131_072, 150_001]) {
      const [a, b] = [noise(frames), noise(frames)];
      const all = () => [
        pairSums(a, b, 0.3),
        innerProduct(a, b),
        sumOfSamples(b),
        largestMagnitude(a),
        extremesWithin(b, [1, frames]),
        blockProducts(a, b, 4096),
        midAndSideBandEnergies(a, b, 1, [frames], [0.1, 0.2, 0.3], new Float64Array(6)),
      ];
      const apart = all();
      expect(whileLaid([a, b, a], all)).toEqual(apart);
      a.fill(0.5);
      expect(whileLaid([a, b], () => largestMagnitude(a))).toBe(0.5);
      expect(() => whileLaid([a], () => whileLaid([b], all))).toThrow("laid already");
      expect(all().slice(1, 3)).toEqual([innerProduct(a, b), sumOfSamples(b)]);
    }
  });

  it("read little-endian integers exactly, to the last one in the file", () => {
    const frames = 131_075;
    const values = Int32Array.from({ length: 2 * frames }, (_, i) => ((i * 2_654_435_761) >> 8) | 0);
    values.set([-8_388_608, 8_388_607, 0, -1]);
    const bytes = new Uint8Array(6 * frames);
    for (const [i, v] of values.entries()) bytes.set([v & 255, (v >> 8) & 255, (v >> 16) & 255], 3 * i);
    const channels = [new Float32Array(frames), new Float32Array(frames)];
    readIntegers(bytes, 3, frames, channels);
    for (const [c, channel] of channels.entries()) {
      expect(channel).toEqual(Float32Array.from({ length: frames }, (_, i) => values[2 * i + c] / 8_388_608));
    }
    const words = new Float32Array(3);
    readIntegers(Uint8Array.from([0, 128, 255, 127, 255, 255]), 2, 3, [words]);
    expect(Array.from(words)).toEqual([-1, 32_767 / 32_768, -1 / 32_768]);
  });

  it("find lowest and highest of stretches, and what is no number", () => {
    const signal = noise(1003);
    const ends = [0, 3, 8, 500, 1003];
    const found = extremesWithin(signal, ends);
    for (const [i, end] of ends.entries()) {
      const part = Array.from(signal.subarray(ends[i - 1] ?? 0, end));
      expect(found[i]).toEqual({ low: Math.min(...part), high: Math.max(...part) });
    }
    for (const at of [0, 401, 1002]) {
      const broken = signal.slice();
      broken[at] = Number.NaN;
      expect(extremesWithin(broken, [1003])[0].low).toBeNaN();
      expect(extremesWithin(broken, [1003])[0].high).toBeNaN();
    }
  });

  it.each([1, 5])(
    "split mid and side into bands as plain one-pole filters do, %i frames summed, from call to call",
    (by) => {
      const [left, right] = [noise(2000 * by), noise(2000 * by)];
      const keeps = [0.01, 0.1, 0.6];
      const state = new Float64Array(6);
      const found = [
        ...midAndSideBandEnergies(
          left.subarray(0, 900 * by),
          right.subarray(0, 900 * by),
          by,
          [400, 900],
          keeps,
          state,
        ),
        ...midAndSideBandEnergies(left.subarray(900 * by), right.subarray(900 * by), by, [1100], keeps, state),
      ];
      for (const [side, sign] of [1, -1].entries()) {
        const held = [0, 0, 0];
        const expected = new Float64Array(12);
        for (let i = 0; i < 2000; i++) {
          let x = 0;
          for (let k = 0; k < by; k++) x += left[i * by + k] + sign * right[i * by + k];
          for (const k of [0, 1, 2]) held[k] += keeps[k] * (x - held[k]);
          const parts = [held[0], held[1] - held[0], held[2] - held[1], x - held[2]];
          for (const [b, part] of parts.entries()) expected[4 * (i < 400 ? 0 : i < 900 ? 1 : 2) + b] += part * part;
        }
        for (const [i, value] of expected.entries()) expect(found[2 * i + side] / value).toBeCloseTo(1, 4);
      }
    },
  );

  it.each([1, 2, 3, 131_073])("read %i stereo frames of 24 bits exactly", (frames) => {
    const bytes = Uint8Array.from({ length: 6 * frames }, (_, i) => (i * 97 + (i >> 3)) & 255);
    const channels = [new Float32Array(frames), new Float32Array(frames)];
    readIntegers(bytes, 3, frames, channels);
    const at = (o: number) => ((bytes[o] | (bytes[o + 1] << 8) | (bytes[o + 2] << 16)) << 8) >> 8;
    for (const [c, channel] of channels.entries()) {
      expect(channel).toEqual(Float32Array.from({ length: frames }, (_, i) => at(6 * i + 3 * c) / 8_388_608));
    }
  });

  it("sum samples in 64 bits", () => {
    const signal = noise(131_077);
    expect(sumOfSamples(signal)).toBeCloseTo(
      signal.reduce((sum, v) => sum + v, 0),
      8,
    );
  });

  it("thin the half sum or difference of two signals as a plain filter does, across pieces too", () => {
    const [left, right] = [noise(300_001), noise(300_001)];
    const bank = Float32Array.from({ length: 32 }, (_, k) => Math.cos(k) / (1 + k));
    for (const sign of [1, -1] as const) {
      const mixed = left.map((v, i) => 0.5 * (v + sign * right[i]));
      const found = thinnedMix([left.subarray(0, 1001), left.subarray(1001)], [right], sign, bank, 8, 37_501);
      expect(found).toHaveLength(37_501);
      for (const n of [0, 1, 2, 16_383, 16_384, 16_385, 37_499, 37_500]) {
        expect(found[n]).toBeCloseTo(plainSum(mixed, 8 * n, Float64Array.from(bank)), 5);
      }
    }
    const alone = thinnedMix([left], [left], -1, bank, 3, 100);
    expect(alone[77]).toBeCloseTo(plainSum(left, 3 * 77, Float64Array.from(bank)), 5);
  });

  it("predict a signal from its autocorrelation as the equations themselves ask (Levinson 1947)", () => {
    for (const order of [1, 2, 3, 7, 8, 64]) {
      const signal = noise(4000);
      const lag = (m: number) => signal.reduce((sum, v, i) => sum + v * (signal[i + m] ?? 0), m === 0 ? 1e-3 : 0);
      const correlation = Float64Array.from({ length: order + 1 }, (_, m) => lag(m));
      const [turnedAt, predictionAt] = memoryFor(8 * (order + 1), 8 * (order + 1));
      doubles(turnedAt, order + 1).set(correlation.slice().reverse());
      const prediction = doubles(predictionAt, order + 1);
      prediction.fill(0);
      prediction[0] = 1;
      const error = kernels.levinson(turnedAt, order, predictionAt);
      // The matrix times the prediction is the power of the error, and then nothing.
      for (let row = 0; row <= order; row++) {
        const sum = prediction.reduce((all, a, k) => all + a * correlation[Math.abs(row - k)], 0);
        expect(sum).toBeCloseTo(row === 0 ? error : 0, 6);
      }
    }
  });
});
