import { describe, expect, it } from "vitest";
import { type Clip, frameCount, scaleClip, sliceClip } from "../audio/clip";
import { resample } from "../audio/resample";
import { handDrums } from "../demo/passages";
import { bilinearEqualizer } from "../processors/bilinear-equalizer";
import { driveStage } from "../processors/drive-stage";
import { hardCeiling } from "../processors/hard-ceiling";
import { added, joined, noise, recording, shifted, silence } from "../testing/signals";
import { align } from "./align";
import { AS_IT_IS, placementOf } from "./alignment";
import { putInStep, sharedFrames } from "./in-step";

function found(reference: Clip, render: Clip) {
  const alignment = align(reference, render);
  if (!alignment.found) throw new Error(alignment.reason);
  return alignment;
}

const UPRIGHT = { left: 1, right: 1 };
const tabla = recording("tabla-44100");
const guitar = recording("guitar-48000");

describe("delay and polarity on recordings", () => {
  it.each([0, 1, -1, 7, 64, -333, 1234, 44_100, -44_100, 88_200, -88_200])(
    "finds a shift of %i samples exactly",
    (delay) => {
      const alignment = found(tabla, shifted(tabla, delay));
      expect(alignment.delaySamples).toBe(delay);
      expect(alignment).toMatchObject({ polarity: UPRIGHT, swapped: false, driftPpm: 0, delayErrorSamples: 0 });
    },
  );

  it("finds a flip, with gain and noise 40 dB down", () => {
    const render = added(scaleClip(shifted(guitar, 421), -0.7), noise(5, 0.001, 3));
    const alignment = found(guitar, render);
    expect(alignment).toMatchObject({ delaySamples: 421, polarity: { left: -1, right: -1 } });
    expect(alignment.confidence).toBeGreaterThan(0.5);
  });

  const equalized = (clip: Clip, bellDb: number, shelfDb: number) =>
    bilinearEqualizer.process(
      clip,
      bilinearEqualizer.parameters.parse({
        bands: [
          { kind: "low shelf", frequencyHz: 100, gainDb: shelfDb },
          { frequencyHz: 4000, gainDb: bellDb, q: 1 },
        ],
      }),
      {},
    );

  it.each([
    ["a bell and shelf of +6 dB", (c: Clip) => equalized(c, 6, 6)],
    ["a bell and shelf of −6 dB", (c: Clip) => equalized(c, -6, -6)],
    ["12 dB of drive", (c: Clip) => driveStage.process(c, driveStage.parameters.parse({ driveDb: 12 }), {})],
    ["9 dB into a hard ceiling", (c: Clip) => hardCeiling.process(c, { inputDb: 9, ceilingDb: -3 }, {})],
  ])("is not pulled by %s", (_, process) => {
    for (const clip of [tabla, guitar]) expect(found(clip, shifted(process(clip), 37)).delaySamples).toBe(37);
  });

  it("finds a render that lacks its beginning, and one with silence before and after", () => {
    expect(found(guitar, sliceClip(guitar, 12_345, frameCount(guitar))).delaySamples).toBe(-12_345);
    expect(found(guitar, joined(silence(3), guitar, silence(2))).delaySamples).toBe(144_000);
  });

  it("compares mono with stereo", () => {
    const mono = { ...tabla, channels: [tabla.channels[0]] };
    expect(found(tabla, shifted(mono, 99)).delaySamples).toBe(99);
  });

  it("finds wide material whose mid cancels", () => {
    const [left] = guitar.channels;
    const wide = { ...guitar, channels: [left, left.map((v) => -v)] };
    expect(found(wide, shifted(wide, 55))).toMatchObject({ delaySamples: 55, polarity: UPRIGHT });
  });
});

describe("clock drift", () => {
  // A render whose recorder ran 50 ppm fast holds 50 ppm more samples: converted from 48 000 to 48 002.4 Hz.
  it.each([
    [50, 48_000_000, 48_002_400],
    [-50, 48_000_000, 47_997_600],
  ])("of %i ppm over half a minute is read to 1 ppm", (ppm, from, to) => {
    const passage = joined(handDrums(), handDrums(), handDrums());
    const length = frameCount(passage);
    // Read at stretched places by a long windowed sinc: a plain, slow resampler of its own.
    const stretched = passage.channels.map((channel) =>
      Float32Array.from({ length }, (_, i) => sincAt(channel, (i * from) / to)),
    );
    const drift = found(passage, { ...passage, channels: stretched }).driftPpm;
    expect(Math.abs((drift ?? 999) - ppm)).toBeLessThan(1);
  });

  it("is told as none where there is none, and as unknown where the passage is too short", () => {
    expect(found(tabla, shifted(tabla, 20)).driftPpm).toBe(0);
    const short = sliceClip(tabla, 0, 44_100);
    expect(found(short, shifted(short, 5)).driftPpm).toBeNull();
  });
});

function sincAt(channel: Float32Array, position: number): number {
  const whole = Math.floor(position);
  let sum = 0;
  for (let k = -12; k <= 13; k++) {
    const distance = position - (whole + k);
    const taper = Math.cos((Math.PI * distance) / 28) ** 2;
    const sinc = Math.abs(distance) < 1e-9 ? 1 : Math.sin(Math.PI * distance) / (Math.PI * distance);
    sum += (channel[whole + k] ?? 0) * sinc * taper;
  }
  return sum;
}

describe("what cannot be lined up is not", () => {
  it("says so of other material", () => {
    const other = resample(recording("bell-96000"), 48_000);
    expect(align(guitar, other).found).toBe(false);
    expect(align(guitar, noise(5, 0.3, 11)).found).toBe(false);
    expect(align(guitar, resample(tabla, 48_000)).found).toBe(false);
  });

  it("says which of the two is silent", () => {
    expect(align(silence(2), guitar)).toMatchObject({ found: false, reason: "the dry render is silent" });
    expect(align(guitar, silence(2))).toMatchObject({ found: false, reason: "the render is silent" });
  });
});

describe("putting in step", () => {
  const render: Clip = { sampleRateHz: 8000, channels: [Float32Array.from([1, 2, 3, 4, 5, 6])] };
  const lying = (delaySamples: number, polarity: 1 | -1 = 1) =>
    ({ ...AS_IT_IS, delaySamples, polarity: { left: polarity, right: polarity } }) as const;
  const samples = (clip: Clip) => Array.from(clip.channels[0]);

  it("shifts by whole samples, flips, cuts and fills with silence", () => {
    expect(samples(putInStep(render, lying(2), 4))).toEqual([3, 4, 5, 6]);
    expect(samples(putInStep(render, lying(-2), 7))).toEqual([0, 0, 1, 2, 3, 4, 5]);
    expect(samples(putInStep(render, lying(4, -1), 3))).toEqual([-5, -6, -0]);
    expect(samples(putInStep(render, lying(10), 3))).toEqual([0, 0, 0]);
    expect(samples(putInStep(render, lying(-10), 3))).toEqual([0, 0, 0]);
  });

  it("hands back what already fits, and leaves what was not found where it is", () => {
    expect(putInStep(render, lying(0), 6)).toBe(render);
    expect(samples(putInStep(render, placementOf({ found: false, reason: "", confidence: 0 }), 2))).toEqual([1, 2]);
  });

  it("knows the stretch both cover", () => {
    expect(sharedFrames(100, 100, lying(30))).toEqual({ startFrame: 0, endFrame: 70 });
    expect(sharedFrames(100, 100, lying(-30))).toEqual({ startFrame: 30, endFrame: 100 });
    expect(sharedFrames(100, 20, lying(-200))).toEqual({ startFrame: 100, endFrame: 100 });
  });
});
