import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { recording } from "../testing/recordings";
import { coarsen } from "./coarse-signals";
import { coarseCorrelations } from "./correlate";
import { fullerView, viewsOf } from "./view";

const random = seededRandom(11);
const noise = (count: number) => Float32Array.from({ length: count }, () => random() - 0.5);
const late = (signal: Float32Array, by: number) => {
  const output = new Float32Array(signal.length);
  output.set(signal.subarray(0, signal.length - by), by);
  return output;
};

const whitenedPeaks = (...args: Parameters<typeof coarseCorrelations>) => coarseCorrelations(...args).whitened;

describe("the whitened correlation", () => {
  it("peaks where one is late, or early, upright or flipped", () => {
    const a = noise(20_000);
    const [first] = whitenedPeaks(a, late(a, 777), 4, 10);
    expect(first).toMatchObject({ lag: 777 });
    expect(first.value).toBeGreaterThan(0.5);
    const [early] = whitenedPeaks(late(a, 300), a, 4, 10);
    expect(early.lag).toBe(-300);
    const flipped = late(a, 50).map((v) => -v);
    expect(whitenedPeaks(a, flipped, 4, 10)[0]).toMatchObject({ lag: 50, value: expect.closeTo(-0.9, 0) });
  });

  it("gives places apart from each other, best first, as many as asked for", () => {
    const a = noise(30_000);
    const twice = late(a, 100).map((v, i) => v + 0.6 * (late(a, 5000)[i] ?? 0));
    const peaks = whitenedPeaks(a, twice, 3, 20);
    expect(peaks.map((p) => p.lag).slice(0, 2)).toEqual([100, 5000]);
    for (const [i, p] of peaks.entries()) {
      for (const q of peaks.slice(i + 1)) {
        expect(Math.abs(p.lag - q.lag)).toBeGreaterThan(20);
        expect(Math.abs(q.value)).toBeLessThanOrEqual(Math.abs(p.value));
      }
    }
  });

  it("is not drawn to the ends of files that are cut hard at one length", () => {
    const steady = Float32Array.from(
      { length: 40_000 },
      (_, i) => 0.4 + 0.01 * (random() - 0.5) + 0.1 * Math.sin(i / 9),
    );
    const [first] = whitenedPeaks(steady, late(steady, 1000).fill(0.4, 0, 1000), 4, 10);
    expect(first.lag).toBe(1000);
  });
});

describe("thinning for the coarse search", () => {
  const guitar = recording("guitar-48000");

  it("leaves short files as they are and keeps the place of a long one", () => {
    const view = fullerView(viewsOf(guitar));
    expect(coarsen(view, view).decimation).toBe(1);
    const repeats = 8;
    const channels = guitar.channels.map((c) => {
      const output = new Float32Array(repeats * c.length);
      for (let n = 0; n < repeats; n++)
        for (let i = 0; i < c.length; i++) output[n * c.length + i] = c[i] * (1 - n / 20);
      return output;
    });
    const long = { ...guitar, channels };
    const delayed = { ...guitar, channels: channels.map((c) => late(c, 4800)) };
    const coarse = coarsen(fullerView(viewsOf(long)), fullerView(viewsOf(delayed)));
    expect(coarse.decimation).toBe(8);
    expect(coarse.a).toHaveLength(Math.ceil(channels[0].length / 8));
    expect(whitenedPeaks(coarse.a, coarse.b, 2, 10)[0].lag).toBe(600);
  });

  it("takes the swells of a sound that has no lows", () => {
    // Bursts of a tone a quarter of the rate high, at uneven times: nothing of it is left under a sixteenth.
    const frames = 1_300_000;
    const left = new Float32Array(frames);
    for (let at = 1000; at < frames - 3000; at += 7000 + Math.round(9000 * random())) {
      for (let i = 0; i < 2000; i++) left[at + i] = Math.sin((Math.PI * i) / 2000) * [0, 1, 0, -1][i % 4];
    }
    const clip = { sampleRateHz: 48_000, channels: [left] };
    const delayed = { sampleRateHz: 48_000, channels: [late(left, 9600)] };
    const { a, b, decimation } = coarsen(fullerView(viewsOf(clip)), fullerView(viewsOf(delayed)));
    expect(decimation).toBe(8);
    expect(whitenedPeaks(a, b, 2, 10)[0].lag).toBe(1200);
  });
});

describe("the half-whitened correlation", () => {
  it("finds a bass among dither, whose many empty bins outvote it where all count alike", () => {
    const frames = 60_000;
    const bass = new Float32Array(frames + 400);
    for (let n = 0; n < 40; n++) {
      const [at, hertz] = [1400 * n + Math.round(300 * random()), 45 + 90 * random()];
      for (let i = 0; i < 1300 && at + i < bass.length; i++) {
        bass[at + i] += 0.3 * Math.sin((Math.PI * i) / 1300) * Math.sin((2 * Math.PI * hertz * i) / 48_000);
      }
    }
    const dithered = (signal: Float32Array) => signal.map((v) => Math.round(v * 32_768 + random() - random()) / 32_768);
    const { halfWhitened } = coarseCorrelations(
      dithered(bass.subarray(333)),
      dithered(bass.subarray(0, frames)),
      4,
      96,
    );
    expect(halfWhitened().some((p) => Math.abs(p.lag - 333) < 100)).toBe(true);
  });
});
