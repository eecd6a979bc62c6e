import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { recording } from "../testing/signals";
import { coarsen } from "./coarse-signals";
import { coarseCorrelation } from "./correlate";
import { fullerView, viewsOf } from "./view";

const random = seededRandom(11);
const noise = (count: number) => Float32Array.from({ length: count }, () => random() - 0.5);
const late = (signal: Float32Array, by: number) => {
  const output = new Float32Array(signal.length);
  output.set(signal.subarray(0, signal.length - by), by);
  return output;
};

describe("the whitened correlation", () => {
  it("peaks where one is late, or early, upright or flipped", () => {
    const a = noise(20_000);
    const [first] = coarseCorrelation(a, late(a, 777), 4, 10).peaks;
    expect(first).toMatchObject({ lag: 777 });
    expect(first.value).toBeGreaterThan(0.5);
    const [early] = coarseCorrelation(late(a, 300), a, 4, 10).peaks;
    expect(early.lag).toBe(-300);
    const flipped = late(a, 50).map((v) => -v);
    expect(coarseCorrelation(a, flipped, 4, 10).peaks[0]).toMatchObject({ lag: 50, value: expect.closeTo(-0.9, 0) });
  });

  it("gives places apart from each other, best first, as many as asked for", () => {
    const a = noise(30_000);
    const twice = late(a, 100).map((v, i) => v + 0.6 * (late(a, 5000)[i] ?? 0));
    const { peaks } = coarseCorrelation(a, twice, 3, 20);
    expect(peaks.map((p) => p.lag).slice(0, 2)).toEqual([100, 5000]);
    for (const [i, p] of peaks.entries()) {
      for (const q of peaks.slice(i + 1)) {
        expect(Math.abs(p.lag - q.lag)).toBeGreaterThan(20);
        expect(Math.abs(q.value)).toBeLessThanOrEqual(Math.abs(p.value));
      }
    }
  }, 60_000);

  it("stands far above its surroundings for the same sound, and not for strangers", () => {
    const a = noise(30_000);
    expect(coarseCorrelation(a, late(a, 12), 4, 10).significance).toBeGreaterThan(50);
    expect(coarseCorrelation(a, noise(30_000), 4, 10).significance).toBeLessThan(8);
    expect(coarseCorrelation(a, new Float32Array(30_000), 4, 10)).toEqual({ peaks: [], significance: 0 });
  });

  it("is not drawn to the ends of files that are cut hard at one length", () => {
    const steady = Float32Array.from(
      { length: 40_000 },
      (_, i) => 0.4 + 0.01 * (random() - 0.5) + 0.1 * Math.sin(i / 9),
    );
    const [first] = coarseCorrelation(steady, late(steady, 1000).fill(0.4, 0, 1000), 4, 10).peaks;
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
    expect(coarseCorrelation(coarse.a, coarse.b, 2, 10).peaks[0].lag).toBe(600);
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
    expect(coarseCorrelation(a, b, 2, 10).peaks[0].lag).toBe(1200);
  });
});
