import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { overlapAdd } from "../audio/overlap-add";
import { soundOf } from "../audio/sound";
import { joined, noise, shifted, silence, sine } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { readFixture, recording } from "../testing/recordings";
import { bandCrest } from "./band-crest";
import { cellFramesOf, levelCells, powerOf, secondsOf } from "./cells";
import { gainOverTime, levelCurve, levelOverTime, smoothed, stereoOverTime } from "./over-time";
import { phaseRotation } from "./rotation";
import { BIN_DB, shapeOf } from "./shape";
import { readTransient, transientShapes } from "./transient-shape";

// numpy and scipy.signal's hilbert and sosfiltfilt: fixtures/make_over_time.py.
const scipy = JSON.parse(readFixture("over-time.json"));

const all = (clip: Clip) => ({ startFrame: 0, endFrame: clip.channels[0].length });
/** Without its ends, at which a tone begins and ends hard. */
const inside = (clip: Clip) => ({ startFrame: 24_000, endFrame: clip.channels[0].length - 24_000 });
const cellsOf = (clip: Clip) => levelCells(soundOf(clip), all(clip));
const left = (clip: Clip): Clip => ({ ...clip, channels: [clip.channels[0]] });
const guitar = left(recording("guitar-48000"));
const times = (clip: Clip, gain: number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel) => channel.map((v) => v * gain)),
});
const tone = (hertz: number, peakDbfs: number, seconds: number, channels = 1) =>
  sine({ hertz, peakDbfs, seconds, channels });
const known = (values: Float32Array) => [...values].filter(Number.isFinite);

describe("a sound cell by cell", () => {
  it("adds up to its mean square, at every rate, and never holds too many", () => {
    fc.assert(
      fc.property(fc.constantFrom(8000, 44_100, 384_000), fc.constantFrom(1, 2), (rate, channels) => {
        const clip = noise(0.5, 0.5, 8, channels, rate);
        const cells = cellsOf(clip);
        const power = powerOf(cells);
        expect(secondsOf(cells)).toBeCloseTo(0.001, 4);
        // Uniform noise of amplitude a has a mean square of a² / 3.
        expect(power.reduce((sum, v) => sum + v, 0) / power.length).toBeCloseTo(0.25 / 3, 2);
      }),
      { numRuns: 6 },
    );
    expect(600 / ((600 * 48_000) / cellFramesOf(48_000, 600 * 48_000))).toBeGreaterThan(0);
    expect((600 * 48_000) / cellFramesOf(48_000, 600 * 48_000)).toBeLessThanOrEqual(1 << 17);
    expect(cellsOf({ sampleRateHz: 48_000, channels: [new Float32Array(20)] }).left.length).toBe(0);
  });

  it("is smoothed by what lies around, and keeps what is steady", () => {
    expect([...smoothed(Float32Array.of(1, 1, 1, 1, 1), 3)]).toEqual([1, 1, 1, 1, 1]);
    const one = smoothed(Float32Array.of(0, 0, 0, 9, 0, 0, 0), 3);
    expect([...one]).toEqual([0, 1, 2, 3, 2, 1, 0]);
  });

  it("tells a level: −3.01 dB of a full-scale sine, and none in silence", () => {
    const level = levelOverTime(cellsOf(joined(tone(1000, 0, 1), silence(1, 48_000, 1))), 0.05);
    expect(level[500]).toBeCloseTo(-3.01, 1);
    expect(level[1800]).toBeNaN();
  });
});

describe("gain over time", () => {
  it("is the gain where there is one, and no figure where the first is silent", () => {
    const [first, second] = [
      joined(guitar, silence(0.5, 48_000, 1)),
      joined(times(guitar, 0.5), noise(0.5, 0.1, 3, 1)),
    ];
    const gain = gainOverTime(cellsOf(first), cellsOf(second), 0.02);
    const told = known(gain.slice(0, Math.floor(guitar.channels[0].length / 48) - 20));
    expect(told.length).toBeGreaterThan(1000);
    for (const v of told) expect(v).toBeCloseTo(-6.02, 1);
    expect(gain[gain.length - 100]).toBeNaN();
  });

  it("shows a compressor's own gain, attack and release", () => {
    const steps = joined(tone(1000, -30, 1), tone(1000, -6, 1), tone(1000, -30, 1));
    const squeezed = throughProcessors(steps, [
      "feed-forward-compressor",
      { thresholdDb: -20, ratio: 4, kneeDb: 0, attackMs: 20, releaseMs: 200, detector: "peak" },
    ]);
    const gain = gainOverTime(cellsOf(steps), cellsOf(squeezed), 0.004);
    const at = (seconds: number) => gain[Math.round(seconds * 1000)];
    const resting = at(0.9);
    // 14 dB over the threshold at 4 to 1 is 10.5 dB less; the detector lets go a little between the peaks of a sine.
    expect(at(1.9) - resting).toBeLessThan(-8.8);
    expect(at(1.9) - resting).toBeGreaterThan(-10.6);
    expect(at(1.004) - resting).toBeGreaterThan(-5);
    expect(at(1.06) - resting).toBeLessThan(-7);
    // And it lets go slowly.
    expect(at(2.03) - resting).toBeLessThan(-6);
    expect(at(2.95) - resting).toBeGreaterThan(-0.7);
  });
});

describe("level out against level in", () => {
  it("is a straight line for a gain, with no spread", () => {
    const { curve, inDb, outDb } = levelCurve(cellsOf(guitar), cellsOf(times(guitar, amplitudeFromDb(-4))));
    expect(inDb.length).toBe(outDb.length);
    expect(curve.length).toBeGreaterThan(5);
    for (const { inDb: x, medianDb, lowDb, highDb } of curve) {
      expect(medianDb - x).toBeCloseTo(-4, 2);
      expect(highDb - lowDb).toBeLessThan(0.01);
    }
  });

  it("bends over a compressor's threshold as its ratio says", () => {
    // Steps of a tone from −50 to −2 dBFS, half a second each: settled moments outweigh the rest.
    const steps = joined(...Array.from({ length: 13 }, (_, i) => tone(1000, -50 + 4 * i, 0.5)));
    const squeezed = throughProcessors(steps, [
      "feed-forward-compressor",
      { thresholdDb: -22, ratio: 3, kneeDb: 0, attackMs: 5, releaseMs: 60, detector: "peak" },
    ]);
    const { curve } = levelCurve(cellsOf(steps), cellsOf(squeezed));
    const out = (inDb: number) => curve.find((step) => Math.abs(step.inDb - inDb) < 1)?.medianDb ?? Number.NaN;
    // A sine's mean square lies 3 dB under its peak.
    expect(out(-33) - out(-41)).toBeCloseTo(8, 0);
    expect(out(-5) - out(-17)).toBeCloseTo(4, 0);
  });
});

describe("how samples lie", () => {
  it("is what numpy counts", () => {
    const shape = shapeOf(soundOf(guitar), all(guitar));
    expect(shape.upDbfs).toBeCloseTo(scipy.shape.upDbfs, 4);
    expect(shape.downDbfs).toBeCloseTo(scipy.shape.downDbfs, 4);
    expect(shape.rmsDbfs).toBeCloseTo(scipy.shape.rmsDbfs, 4);
    expect(shape.nearPeak).toBeCloseTo(scipy.shape.nearPeak, 5);
    for (const [b, share] of (scipy.shape.shares as number[]).entries())
      expect(Math.abs(shape.shares[b] - share)).toBeLessThan(0.1 * share + 2e-4);
  });

  it("sees what was cut off flat, and leaves what was not alone", () => {
    const plain = tone(997, -6, 1);
    const cut: Clip = {
      ...plain,
      channels: plain.channels.map((c) => c.map((v) => Math.max(-0.25, Math.min(0.25, v)))),
    };
    const [whole, flat] = [plain, cut].map((clip) => shapeOf(soundOf(clip), all(clip)));
    // |sin| is over 1/2 for two thirds of the time: 16 samples of 48.1 each way.
    expect(flat.longestRun).toBeGreaterThanOrEqual(32 / 2);
    expect(flat.nearPeak).toBeGreaterThan(0.66);
    expect(flat.runs).toBeGreaterThan(1900);
    // A sine's own top: within 0.01 dB for cos φ > 0.99885, 2.7° each way, less than a sample.
    expect(whole.longestRun).toBeLessThan(3);
    expect(whole.crestDb).toBeCloseTo(3.01, 1);
    // Nearest its peak a sine is most of the time: within 1 dB for 30 % of it (arccos 0.891 / 90°).
    expect(whole.nearPeak).toBeCloseTo(0.3, 1);
  });

  it("is bounded, tells asymmetry, and nothing of silence", () => {
    const silent = silence(0.1);
    expect(shapeOf(soundOf(silent), all(silent))).toMatchObject({
      upDbfs: null,
      rmsDbfs: null,
      crestDb: null,
      longestRun: 0,
    });
    const leaning: Clip = {
      sampleRateHz: 48_000,
      channels: [tone(100, 0, 0.5).channels[0].map((v) => (v > 0 ? v : v / 2))],
    };
    const { upDbfs, downDbfs, shares } = shapeOf(soundOf(leaning), all(leaning));
    expect((upDbfs ?? 0) - (downDbfs ?? 0)).toBeCloseTo(6.02, 1);
    const louder = tone(100, 6, 0.5);
    const over = shapeOf(soundOf(louder), all(louder));
    // What is over full scale is counted in the first half decibel: most of a sine that is 6 dB over.
    expect(over.shares[0]).toBeGreaterThan(0.6);
    for (const values of [shares, over.shares]) expect(values.reduce((a, b) => a + b, 0)).toBeLessThanOrEqual(1.000001);
    expect(BIN_DB * shares.length).toBe(96);
  });
});

describe("crest in octaves", () => {
  it("is that of the sine in one, and of noise in all", () => {
    const clip = tone(1000, -12, 3);
    const { hertz, crestDb, rmsDbfs } = bandCrest(soundOf(clip), inside(clip));
    const at = hertz.findIndex((hz) => Math.abs(hz - 1000) < 1);
    expect(crestDb[at]).toBeCloseTo(3.01, 0);
    expect(rmsDbfs[at]).toBeCloseTo(-15, 0);
    const hiss = noise(4, 0.5, 11, 2);
    const noisy = bandCrest(soundOf(hiss), all(hiss));
    // Noise through a filter is about Gaussian: 4 to 5 sigma at so many samples, less where there are fewer waves.
    for (const crest of noisy.crestDb.slice(3)) {
      expect(crest).toBeGreaterThan(10);
      expect(crest).toBeLessThan(16);
    }
  });

  it("agrees with octaves of scipy to what their edges differ", () => {
    const { hertz, crestDb } = bandCrest(soundOf(guitar), all(guitar));
    for (const [centre, wanted] of Object.entries(scipy.crestDb as Record<string, number>)) {
      const at = hertz.findIndex((hz) => Math.abs(hz - Number(centre)) < 0.05 * Number(centre));
      expect(Math.abs(crestDb[at] - wanted)).toBeLessThan(1.5);
    }
  });

  it("is no figure where a band is empty, at any rate", () => {
    fc.assert(
      fc.property(fc.constantFrom(8000, 44_100, 384_000), (rate) => {
        const clip = sine({ hertz: 1000, peakDbfs: -6, seconds: 1, sampleRateHz: rate, channels: 1 });
        const { hertz } = bandCrest(soundOf(clip), all(clip));
        expect(Math.max(...hertz)).toBeLessThan(rate / 2);
        const silent = silence(0.2, rate, 1);
        expect([...bandCrest(soundOf(silent), all(silent)).crestDb].every(Number.isNaN)).toBe(true);
      }),
      { numRuns: 3 },
    );
  });
});

describe("windows that add up", () => {
  it("are the sound itself when nothing is done to their spectra, whatever the region", () => {
    const clip = noise(0.5, 0.5, 21, 2);
    const region = { startFrame: 1000, endFrame: 20_001 };
    const out = clip.channels.map(() => new Float64Array(24_000));
    overlapAdd(
      soundOf(clip),
      region,
      4096,
      (spectrum) => [spectrum],
      (frame, c, [half], plain) => {
        expect(half.length).toBe(plain.length);
        out[c].set(half, frame);
      },
    );
    for (const [c, channel] of out.entries())
      for (let n = region.startFrame; n < region.endFrame; n++)
        if (Math.abs(channel[n] - clip.channels[c][n]) > 1e-9) throw new Error(`frame ${n} of channel ${c} differs`);
    expect(out[0][region.endFrame]).toBe(0);
  });
});

describe("phases turned", () => {
  it("peak where scipy's Hilbert transform does", () => {
    const { degrees, peakDbfs } = phaseRotation(soundOf(guitar), all(guitar));
    for (const [i, angle] of (scipy.degrees as number[]).entries())
      expect(Math.abs(peakDbfs[degrees.indexOf(angle)] - scipy.peakDbfs[i])).toBeLessThan(0.05);
  });

  it("keep a sine's peak, raise a square's, and are the sound again at 180°", () => {
    const clip = tone(500, -6, 2);
    const plain = phaseRotation(soundOf(clip), inside(clip));
    for (const peak of plain.peakDbfs.slice(0, -1)) expect(Math.abs(peak + 6)).toBeLessThan(0.05);
    const square: Clip = { ...clip, channels: [clip.channels[0].map((v) => 0.25 * Math.sign(v))] };
    const { degrees, peakDbfs } = phaseRotation(soundOf(square), all(square));
    const at = (angle: number) => peakDbfs[degrees.indexOf(angle)];
    expect(at(180)).toBeCloseTo(at(0), 6);
    // A square's Hilbert transform has poles at its edges.
    expect(at(90) - at(0)).toBeGreaterThan(4);
  });

  it("cost before onsets, where there is something after them", () => {
    const clicks = joined(...Array.from({ length: 4 }, () => joined(silence(0.3, 48_000, 1), tone(200, -6, 0.2))));
    const { degrees, beforeDb, onsets: transients } = phaseRotation(soundOf(clicks), all(clicks));
    expect(transients).toBeGreaterThanOrEqual(3);
    // Silence before: turned, something comes before it.
    const at = (angle: number) => beforeDb[degrees.indexOf(angle)];
    expect(at(90)).toBeGreaterThan(-60);
    expect(Number.isNaN(at(0)) || at(0) < at(90) - 20).toBe(true);
    const silent = silence(1, 48_000, 1);
    expect([...phaseRotation(soundOf(silent), all(silent)).peakDbfs].every(Number.isNaN)).toBe(true);
  });
});

describe("onsets", () => {
  const hits = joined(
    ...Array.from({ length: 6 }, (_, i) => joined(silence(0.25, 48_000, 1), times(noise(0.25, 0.5, 30 + i, 1), 0.9))),
  );
  const region = all(hits);
  const readings = (...clips: Clip[]) => {
    const shapes = transientShapes(clips.map(soundOf), region);
    return { shapes, of: (sound: number, only: number | null = null) => readTransient(shapes, sound, only) };
  };

  it("hold nothing before a sound that sets in out of silence, and half of what is steady after half of the time", () => {
    const { shapes, of } = readings(hits, times(hits, 0.5));
    expect(shapes.frames.length).toBe(6);
    const [own, softer] = [of(0), of(1)];
    expect(own?.beforeDb).toBeNull();
    expect(own?.halfMs).toBeCloseTo(10, 0);
    const lead = shapes.leadCells;
    expect(own?.levelDb[lead - 40]).toBeNaN();
    expect((softer?.levelDb[lead + 30] ?? 0) - (own?.levelDb[lead + 30] ?? 0)).toBeCloseTo(-6.02, 1);
  });

  it("show what a linear phase rings before them, and what a filter smears", () => {
    const bands = [{ kind: "bell", frequencyHz: 400, gainDb: 15, q: 8 }];
    const linear = throughProcessors(hits, ["linear-phase-equalizer", { bands }]);
    const plain = throughProcessors(hits, ["bilinear-equalizer", { bands }]);
    const { of } = readings(hits, linear, plain);
    expect(of(1)?.beforeDb).toBeGreaterThan(-30);
    expect(of(2)?.beforeDb ?? -200).toBeLessThan(-60);
    // One by one as well.
    expect(of(1, 2)?.beforeDb).toBeGreaterThan(-35);
  });

  it("come as late as a fade lets them", () => {
    const faded: Clip = {
      ...hits,
      channels: hits.channels.map((channel) =>
        channel.map((v, i) => v * Math.min(1, Math.max(0, ((i % 24_000) - 12_000) / 480))),
      ),
    };
    // A straight fade of 10 ms has a third of its energy, 3.33 of 13.33: half of it, 6.67, is there 3.33 ms after its end.
    const late = readings(hits, faded).of(1)?.halfMs ?? 0;
    expect(Math.abs(late - 13.33)).toBeLessThan(0.7);
  });

  it("are where the first sound has them: a later one is seen later", () => {
    const { shapes, of } = readings(hits, shifted(hits, 480));
    const first = (of(1)?.levelDb ?? []).findIndex((v) => v > -20);
    expect((first - shapes.leadCells) * shapes.cellSeconds).toBeCloseTo(0.01, 3);
    const silent = silence(1, 48_000, 1);
    expect(readTransient(transientShapes([soundOf(silent)], all(silent)), 0, null)).toBeNull();
  });
});

describe("width over time", () => {
  it("is told moment by moment, and not of mono", () => {
    const [a, b] = noise(1, 0.3, 5).channels;
    const clip = joined(
      { sampleRateHz: 48_000, channels: [a, a] },
      { sampleRateHz: 48_000, channels: [a, b] },
      { sampleRateHz: 48_000, channels: [a, a.map((v) => -v / 2)] },
    );
    const found = stereoOverTime(cellsOf(clip), 0.4);
    if (!found) throw new Error("it is stereo");
    const at = (values: Float32Array) => [0.5, 1.5, 2.5].map((second) => values[second * 1000]);
    const [one, unlike, opposite] = at(found.correlation);
    expect(one).toBeCloseTo(1, 5);
    expect(Math.abs(unlike)).toBeLessThan(0.05);
    expect(opposite).toBeCloseTo(-1, 5);
    expect(at(found.balanceDb)[2]).toBeCloseTo(-6.02, 1);
    expect(at(found.monoLossDb)[0]).toBeCloseTo(0, 3);
    expect(at(found.monoLossDb)[1]).toBeCloseTo(-3.01, 0);
    expect(at(found.widthDb)[0]).toBeNaN();
    // m = a/4, s = 3a/4: 9.54 dB.
    expect(at(found.widthDb)[2]).toBeCloseTo(9.54, 1);
    expect(stereoOverTime(cellsOf(guitar), 0.4)).toBeNull();
  });

  it("keeps to its bounds on music", () => {
    const found = stereoOverTime(cellsOf(music(4)), 0.1);
    for (const v of known(found?.correlation ?? new Float32Array(0))) expect(Math.abs(v)).toBeLessThanOrEqual(1);
    for (const v of known(found?.monoLossDb ?? new Float32Array(0))) expect(v).toBeLessThanOrEqual(0.001);
  });
});

describe("all of it, over the whole of its range", () => {
  it("keeps to its bounds from 8 to 384 kHz, mono or stereo, 50 ms or longer, sound or silence", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(8000, 44_100, 192_000, 384_000),
        fc.constantFrom(1, 2),
        fc.constantFrom(0.05, 0.3),
        fc.constantFrom(0, 1e-6, 0.5, 4),
        (rate, channels, seconds, amplitude) => {
          const clip = noise(seconds, amplitude, 3, channels, rate);
          const [sound, region] = [soundOf(clip), all(clip)];
          const isSilent = amplitude === 0;
          const cells = levelCells(sound, region);
          expect(cells.left.length).toBeGreaterThanOrEqual(Math.floor(seconds * 1000) - 3);
          expect(known(levelOverTime(cells, 0.02)).length > 0).toBe(!isSilent);
          expect(known(gainOverTime(cells, cells, 0.02)).every((v) => Math.abs(v) < 1e-5)).toBe(true);
          const shape = shapeOf(sound, region);
          expect(shape.crestDb === null).toBe(isSilent);
          // Uniform noise: √3 over its effective value, 4.77 dB.
          if (!isSilent) expect(Math.abs((shape.crestDb ?? 0) - 4.77)).toBeLessThan(0.3);
          const { peakDbfs } = phaseRotation(sound, region);
          expect(peakDbfs.every((v) => Number.isNaN(v) === isSilent)).toBe(true);
          if (!isSilent)
            expect(Math.abs(peakDbfs[0] - Math.max(shape.upDbfs ?? -300, shape.downDbfs ?? -300))).toBeLessThan(1e-6);
          const { crestDb } = bandCrest(sound, region);
          expect(crestDb.every((v) => Number.isNaN(v) || v > 0)).toBe(true);
          const shapes = transientShapes([sound], region);
          expect(shapes.frames.every((frame) => frame >= 0 && frame < sound.frames)).toBe(true);
        },
      ),
      { numRuns: 12 },
    );
  });

  it("is not told of a gain where what goes in has sunk away", () => {
    // 80 dB down there may be anything; what is added there is no gain of a processor.
    const fading: Clip = {
      sampleRateHz: 48_000,
      channels: [guitar.channels[0].map((v, i) => v * (i < 96_000 ? 1 : 1e-5))],
    };
    const hissing: Clip = { ...fading, channels: [fading.channels[0].map((v, i) => v + 1e-3 * Math.sin(i * i))] };
    const gain = gainOverTime(cellsOf(fading), cellsOf(hissing), 0.02);
    expect(known(gain.slice(2100)).length).toBe(0);
    for (const v of known(gain.slice(0, 1900))) expect(Math.abs(v)).toBeLessThan(3);
  });

  it("finds no onset in what swells, flutters or only goes on", () => {
    const swell: Clip = {
      sampleRateHz: 48_000,
      channels: [noise(3, 0.5, 12, 1).channels[0].map((v, i) => (v * i) / 144_000)],
    };
    for (const clip of [swell, noise(3, 0.4, 13, 1), tone(60, -6, 3)]) {
      // A sound that begins at the region's own first frame sets in there, and nowhere else.
      const frames = transientShapes([soundOf(clip)], inside(clip)).frames;
      expect(frames.length).toBeLessThanOrEqual(1);
    }
  });
});
