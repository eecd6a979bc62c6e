import { describe, expect, it } from "vitest";
import { type Clip, frameCount, scaleClip, sliceClip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { resample } from "../audio/resample";
import { bilinearEqualizer } from "../processors/bilinear-equalizer";
import { driveStage } from "../processors/drive-stage";
import { added, joined, noise, shifted, silence } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { doubtsWords, notAlignedWords } from "../words/alignment";
import { align } from "./align";

// Material and processors that once were answered wrong without a doubt. Truth is known by construction; hundreds of further cases
// on recordings from outside stand in `npm run trial`.

const guitar = recording("guitar-48000");
const tabla = resample(recording("tabla-44100"), 48_000);

function found(reference: Clip, render: Clip) {
  const alignment = align(reference, render);
  if (!alignment.found) throw new Error(notAlignedWords(alignment.reason));
  return alignment;
}

/** Rounded with triangular dither that no other copy shares. */
function worded(clip: Clip, bits: number, seed: number): Clip {
  const random = seededRandom(seed);
  const full = 2 ** (bits - 1);
  const channels = clip.channels.map((c) => c.map((v) => Math.round(v * full + random() - random()) / full));
  return { ...clip, channels };
}

const filtered = (clip: Clip, ...bands: object[]): Clip =>
  bilinearEqualizer.processClip(clip, bilinearEqualizer.parameters.parse({ bands }));
const highCut = (frequencyHz: number, slopeDbPerOctave = 12) => ({ kind: "high cut", frequencyHz, slopeDbPerOctave });
const lowCut = (frequencyHz: number, slopeDbPerOctave = 12) => ({ kind: "low cut", frequencyHz, slopeDbPerOctave });

const UPRIGHT = { polarity: { left: 1, right: 1 }, swapped: false, doubts: [] };

describe("little bandwidth", () => {
  const bass = filtered(tabla, highCut(150, 48));
  const telephone = filtered(guitar, lowCut(300, 24), highCut(3400, 36));
  const hats = filtered(tabla, lowCut(6000, 36));

  it.each([
    ["a bass under 150 Hz", bass],
    ["a telephone band", telephone],
    ["what lies over 6 kHz", hats],
  ])("%s, both copies dithered by themselves, is never off by more than the error told", (_, clip) => {
    for (const [bits, delay] of [
      [16, 333],
      [24, -597],
    ]) {
      const alignment = found(worded(clip, bits, 1), worded(shifted(clip, delay), bits, 2));
      expect(alignment).toMatchObject(UPRIGHT);
      expect(Math.abs(alignment.delaySamples - delay)).toBeLessThanOrEqual(alignment.delayErrorSamples + 0.01);
      expect(alignment.delayErrorSamples).toBeLessThan(12);
      expect(Math.abs(alignment.driftPpm ?? 0)).toBeLessThan(0.5);
    }
  });

  it("a large error is told in words", () => {
    const alignment = found(worded(guitar, 16, 3), worded(shifted(filtered(guitar, highCut(100, 48)), 50), 16, 4));
    expect(Math.abs(alignment.delaySamples - 50)).toBeLessThanOrEqual(alignment.delayErrorSamples);
    if (alignment.delayErrorSamples > 12)
      expect(alignment.doubts).toContainEqual(expect.objectContaining({ kind: "delay error" }));
  });
});

describe("a minimum-phase filter's phase is no flip and no delay", () => {
  it.each([
    ["12 dB an octave over 150 Hz", [highCut(150)]],
    ["12 dB an octave over 2 kHz", [highCut(2000)]],
    ["24 dB an octave over 1 kHz", [highCut(1000, 24)]],
    ["12 dB an octave under 300 Hz", [lowCut(300)]],
    ["a telephone band", [lowCut(300, 24), highCut(3400, 24)]],
  ])("cut by %s", (_, bands) => {
    for (const clip of [guitar, tabla]) {
      const alignment = found(worded(clip, 24, 5), worded(shifted(filtered(clip, ...bands), 64), 24, 6));
      expect(alignment).toMatchObject(UPRIGHT);
      expect(Math.abs(alignment.delaySamples - 64)).toBeLessThanOrEqual(alignment.delayErrorSamples);
    }
    expect(found(tabla, scaleClip(filtered(tabla, ...bands), -1)).polarity).toEqual({ left: -1, right: -1 });
  });

  it("a symmetric bend moves nothing beyond its error", () => {
    for (const driveDb of [6, 18]) {
      const bent = driveStage.processClip(tabla, driveStage.parameters.parse({ driveDb }));
      const alignment = found(tabla, shifted(bent, 7));
      expect(Math.abs(alignment.delaySamples - 7)).toBeLessThanOrEqual(alignment.delayErrorSamples + 0.01);
    }
  });
});

describe("channels, each held against each", () => {
  const [left, right] = guitar.channels;
  const of = (l: Float32Array, r: Float32Array): Clip => ({ ...guitar, channels: [l, r] });
  const times = (channel: Float32Array, gain: number) => channel.map((v) => v * gain);

  it("tell a flip of one side of panned and of dual mono", () => {
    const panned = of(times(left, 0.9), times(left, 0.35));
    expect(found(panned, shifted(of(panned.channels[0], times(panned.channels[1], -1)), 9))).toMatchObject({
      delaySamples: 9,
      polarity: { left: 1, right: -1 },
      swapped: false,
    });
    expect(found(of(left, left), of(left, times(left, -1)))).toMatchObject({
      polarity: { left: 1, right: -1 },
      swapped: false,
    });
    expect(found({ ...guitar, channels: [left] }, of(times(left, -1), left)).polarity).toEqual({ left: -1, right: 1 });
  });

  it("tell a swap of what is nearly mono, and a flip at another level", () => {
    const mid = left.map((v, i) => 0.5 * (v + right[i]));
    const nearly = of(
      mid.map((v, i) => v + 0.02 * (left[i] - right[i])),
      mid.map((v, i) => v - 0.02 * (left[i] - right[i])),
    );
    const swapped = of(nearly.channels[1], nearly.channels[0]);
    expect(found(worded(nearly, 24, 1), worded(swapped, 24, 2))).toMatchObject({ ...UPRIGHT, swapped: true });
    expect(found(guitar, of(left, times(right, -0.9)))).toMatchObject({
      polarity: { left: 1, right: -1 },
      swapped: false,
    });
  });

  it("tell a side that is late by itself", () => {
    for (const by of [7, -60]) {
      const { doubts } = found(guitar, of(left, shifted({ ...guitar, channels: [right] }, by).channels[0]));
      expect(doubtsWords(doubts)).toContain(`right channel ${Math.abs(by)} samples ${by > 0 ? "later" : "earlier"}`);
    }
  });
});

describe("what no one delay explains", () => {
  const drums = resample(recording("drums-88200"), 48_000);

  it("a loop moved by a bar fits at several places, and says so", () => {
    const bar = sliceClip(tabla, 0, 96_000);
    const six = joined(bar, bar, bar, bar, bar, bar);
    expect(found(six, sliceClip(six, 96_000, frameCount(six))).doubts[0]?.kind).toBe("other place");
  });

  it("a verse and a chorus over the same drums are not one passage", () => {
    const over = (top: Clip) => added(scaleClip(sliceClip(tabla, 0, 200_000), 0.2), sliceClip(top, 0, 200_000));
    const alignment = align(over(guitar), over(noise(5, 0.2, 8)));
    if (alignment.found) expect(alignment.doubts).not.toEqual([]);
  });

  it.each([
    ["3 lost", -3],
    ["441 lost", -441],
    ["512 played twice", 512],
  ])("%s half way are told as a jump, not as drift", (_, samples) => {
    const half = frameCount(guitar) >> 1;
    const render = joined(sliceClip(guitar, 0, half), sliceClip(guitar, half - samples, frameCount(guitar)));
    const { doubts, driftPpm } = found(guitar, render);
    expect(driftPpm ?? 0).toBe(0);
    const what = samples < 0 ? "missing" : "inserted";
    expect(doubtsWords(doubts)).toContain(`${Math.abs(samples)} samples ${what}`);
  });

  it.each([-1000, 5000])("a speed %i ppm off is measured and taken out", (ppm) => {
    // 0.1 and 0.5 % by a rate conversion of whole numbers, read as if it had been none.
    const render = { ...resample({ ...guitar, sampleRateHz: 1_000_000 }, 1_000_000 + ppm), sampleRateHz: 48_000 };
    const alignment = found(guitar, render);
    expect(Math.abs((alignment.driftPpm ?? 0) - ppm)).toBeLessThanOrEqual(alignment.driftErrorPpm ?? 0);
    expect(alignment.driftErrorPpm).toBeLessThan(0.5);
    expect(alignment.doubts).toEqual([]);
  });

  it("another speed is measured over the whole, not where the music repeats itself", () => {
    const bar = sliceClip(tabla, 0, 40_000);
    const over = (top: Clip) => added(bar, scaleClip(top, 0.06));
    const bars = Array.from({ length: 12 }, (_, i) => over(sliceClip(guitar, i * 9000, i * 9000 + 40_000)));
    const passage = joined(...bars);
    const render = { ...resample({ ...passage, sampleRateHz: 1_000_000 }, 999_000), sampleRateHz: 48_000 };
    const alignment = found(passage, render);
    expect(Math.abs((alignment.driftPpm ?? 0) + 1000)).toBeLessThanOrEqual(alignment.driftErrorPpm ?? 0);
    expect(Math.abs(alignment.delaySamples)).toBeLessThanOrEqual(alignment.delayErrorSamples + 0.01);
  });

  it("a clock that a short clip cannot tell is part of the delay's error", () => {
    const clip = sliceClip(guitar, 48_000, 144_000);
    const render = { ...resample({ ...clip, sampleRateHz: 1_000_000 }, 1_000_040), sampleRateHz: 48_000 };
    const alignment = found(clip, render);
    expect(alignment.driftPpm).toBeNull();
    expect(Math.abs(alignment.delaySamples)).toBeLessThanOrEqual(alignment.delayErrorSamples);
    expect(found(clip, shifted(clip, 20)).delayErrorSamples).toBeLessThan(0.02);
  });

  it("where samples are lost in music built of the same bars, the place that nulls to silence holds", () => {
    const verse = sliceClip(guitar, 0, 192_000);
    const chorus = added(verse, scaleClip(sliceClip(tabla, 0, 192_000), 0.15));
    const dry = joined(verse, chorus, chorus);
    const third = frameCount(dry) / 3;
    const render = joined(sliceClip(dry, 0, third), sliceClip(dry, third + 441, frameCount(dry)));
    const alignment = found(dry, render);
    expect([0, -441]).toContain(alignment.delaySamples);
    expect(doubtsWords(alignment.doubts)).toContain("missing");
  });

  it("strangers are not found", () => {
    expect(align(guitar, tabla).found).toBe(false);
    expect(align(tabla, drums).found).toBe(false);
  });
});

describe("short and sudden sounds", () => {
  const impulse = (frame: number, frames = 48_000): Clip => {
    const channel = new Float32Array(frames);
    channel[frame] = 0.9;
    return { sampleRateHz: 48_000, channels: [channel] };
  };

  it.each([
    [0, 0],
    [0, 100],
    [0, 5000],
    [100, 0],
    [47_999, 20_000],
  ])("an impulse at frame %i and at %i", (from, to) => {
    expect(found(impulse(from), impulse(to)).delaySamples).toBe(to - from);
  });

  it.each([0.05, 0.1, 0.3])("a clip of %f s, shorter than a window or hardly longer", (seconds) => {
    const clip = sliceClip(tabla, 9600, 9600 + Math.round(48_000 * seconds));
    for (const late of [0, 37]) {
      const render = joined(silence(late / 48_000), clip);
      expect(found(clip, render).delaySamples).toBe(late);
    }
  });

  it("a file that lacks one frame at its start or at its end", () => {
    const frames = frameCount(guitar);
    expect(found(guitar, sliceClip(guitar, 1, frames))).toMatchObject({ ...UPRIGHT, delaySamples: -1 });
    expect(found(guitar, sliceClip(guitar, 0, frames - 1))).toMatchObject({ ...UPRIGHT, delaySamples: 0 });
  });
});
