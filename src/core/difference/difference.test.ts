import { describe, expect, it } from "vitest";
import { alignedClip, sharedFrames } from "../alignment/aligned";
import { AS_IT_IS } from "../alignment/alignment";
import { type Clip, frameCount, scaleClip, sliceClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { seededRandom } from "../audio/random";
import { resample, unknownEdgeFrames } from "../audio/resample";
import { joined, noise, shifted, silence, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { compareFiles, compareReportSchema } from "./compare";
import { atMatchGain, judgedRegion, measurePair } from "./pair";
import { identityOf, leastSquaresGain, residualDb } from "./residual";

const guitar = recording("guitar-48000");
const named = (file: string, sound: Clip) => ({ file, sound });

/** Rounded to `bits`, without dither or with triangular dither of two least significant bits peak to peak. */
function quantised(clip: Clip, bits: number, dithered: boolean): Clip {
  const full = 2 ** (bits - 1);
  const random = seededRandom(5);
  const dither = () => (dithered ? random() - random() : 0);
  return { ...clip, channels: clip.channels.map((c) => c.map((v) => Math.floor(v * full + dither() + 0.5) / full)) };
}

describe("the limits a null runs into", () => {
  it.each([
    [0.1, -38.7],
    [0.01, -58.8],
  ])("%d dB of gain error leaves %d dB (20 log10 of the gain less one)", (errorDb, expected) => {
    expect(residualDb(guitar, scaleClip(guitar, amplitudeFromDb(errorDb)), 1)).toBeCloseTo(expected, 1);
  });

  it("one sample of delay at 1 kHz and 48 kHz leaves −17.7 dB (2 sin of half the angle)", () => {
    const tone = sine({ hertz: 1000, peakDbfs: -6, seconds: 1 });
    const late = sine({ hertz: 1000, peakDbfs: -6, seconds: 1, phaseDegrees: -7.5 });
    expect(residualDb(tone, late, 1)).toBeCloseTo(-17.7, 1);
  });

  it("24 to 16 bit leaves −101.1 dBFS without dither, −96.3 with triangular dither (LSB/√12, and √3 of it)", () => {
    const full = noise(4, 0.5, 9);
    const rms = 20 * Math.log10(0.5 / Math.sqrt(3));
    expect((residualDb(full, quantised(full, 16, false), 1) ?? 0) + rms).toBeCloseTo(-101.1, 1);
    expect((residualDb(full, quantised(full, 16, true), 1) ?? 0) + rms).toBeCloseTo(-96.3, 1);
  });
});

describe("residual and identity", () => {
  it("is nothing at all for the same samples, and for a gain once that is found", () => {
    expect(residualDb(guitar, guitar, 1)).toBeNull();
    const softer = scaleClip(guitar, 0.25);
    expect(leastSquaresGain(guitar, softer)).toBe(4);
    expect(residualDb(guitar, softer, 4)).toBeNull();
  });

  it("at the best gain is what a plain sum says, however deep it is and however quietly the material begins", () => {
    // A second of almost nothing leads to a first gain that is off; the residuals lie between −150 dB and −10 dB.
    const loud = noise(6, 0.5, 21);
    const intros = [silence(0.5), noise(3, 2e-7, 3), noise(3, 1e-3, 4)];
    const copies = [
      (clip: Clip) => quantised(scaleClip(clip, 0.7), 24, true),
      (clip: Clip) => quantised(scaleClip(clip, 1.3), 16, true),
      (clip: Clip) => scaleClip(clip, 0.31),
      (clip: Clip) => ({ ...clip, channels: clip.channels.map((c) => c.map((v, i) => v * (0.5 + i * 1e-6))) }),
    ];
    for (const intro of intros) {
      const dry = joined(intro, loud);
      for (const copy of copies) {
        const render = copy(dry);
        const { nullDb, nullGainDb } = measurePair(dry, render, { startFrame: 0, endFrame: frameCount(dry) });
        const gain = amplitudeFromDb(nullGainDb ?? 0);
        let [left, whole] = [0, 0];
        for (const [c, channel] of dry.channels.entries()) {
          for (let i = 0; i < channel.length; i++) {
            left += (render.channels[c][i] * gain - channel[i]) ** 2;
            whole += channel[i] ** 2;
          }
        }
        expect(nullDb).toBeCloseTo(10 * Math.log10(left / whole), 2);
      }
    }
  });

  it("has no figure against silence", () => {
    expect(residualDb(silence(1), guitar, 1)).toBeNull();
    expect(leastSquaresGain(guitar, silence(5))).toBe(0);
  });

  it("tells bit-identical from equal to within one least significant bit", () => {
    expect(identityOf(guitar, { ...guitar })).toBe("bit");
    expect(identityOf(guitar, quantised(guitar, 24, false))).toBe("bit");
    expect(identityOf(guitar, quantised(guitar, 16, false))).toBe("16-bit");
    expect(identityOf(guitar, scaleClip(guitar, 1 + 2 ** -23))).toBe("24-bit");
    expect(identityOf(guitar, scaleClip(guitar, 0.99))).toBe("no");
  });

  it("takes mono as both sides of stereo", () => {
    const mono = { ...guitar, channels: [guitar.channels[0]] };
    const stereo = { ...guitar, channels: [guitar.channels[0], guitar.channels[0]] };
    expect(residualDb(mono, stereo, 1)).toBeNull();
    expect(identityOf(stereo, mono)).toBe("bit");
  });
});

describe("the comparison of files", () => {
  const late = shifted(joined(guitar, silence(0.05)), 1234);
  const report = compareFiles(named("dry.wav", guitar), [
    named("late.wav", scaleClip(late, amplitudeFromDb(3))),
    named("same.wav", guitar),
    named("flipped.wav", scaleClip(guitar, -1)),
    named("high.wav", resample(guitar, 96_000)),
    named("other.wav", noise(3, 0.2, 4)),
    named("nothing.wav", silence(2)),
  ]);
  const [lateRow, same, flipped, high, other, nothing] = report.renders;

  it("has the promised form", () => {
    expect(compareReportSchema.parse(JSON.parse(JSON.stringify(report)))).toEqual(report);
    expect(report.reference).toMatchObject({ file: "dry.wav", sampleRate: 48_000, channels: 2, frames: 240_000 });
  });

  it("finds 1234 samples and 3 dB, and nulls once both are taken away", () => {
    expect(lateRow.alignment).toMatchObject({
      found: true,
      delaySamples: 1234,
      polarity: 1,
      polarityRight: 1,
      swapped: false,
    });
    // The silence behind changes nothing: it is gated out.
    expect(lateRow.match.gainDb).toBeCloseTo(-3, 1);
    expect(lateRow.match.edgeLu).toBe(-(lateRow.match.gainDb ?? 0));
    expect(Math.abs(lateRow.match.remainingLu ?? 9)).toBeLessThan(0.005);
    expect(lateRow.difference.deliveredDb).toBeGreaterThan(0);
    expect(lateRow.difference.alignedDb).toBeCloseTo(20 * Math.log10(amplitudeFromDb(3) - 1), 1);
    expect(lateRow.difference.matchedDb).toBeLessThan(-120);
    expect(lateRow.difference.identical).toBe("no");
  });

  it("calls the same file identical, with no residual to give", () => {
    expect(same.difference).toEqual({
      deliveredDb: null,
      alignedDb: null,
      matchedDb: null,
      identical: "bit",
      judgedShare: 1,
    });
    expect(same.match).toEqual({ method: "integrated", gainDb: 0, edgeLu: 0, remainingLu: 0 });
  });

  it("puts polarity right", () => {
    expect(flipped.alignment).toMatchObject({ delaySamples: 0, polarity: -1 });
    expect(flipped.difference.deliveredDb).toBeCloseTo(6.02, 2);
    expect(flipped.difference.identical).toBe("bit");
  });

  it("compares across rates", () => {
    expect(high.alignment).toMatchObject({ found: true, delaySamples: 0 });
    expect(high.difference.matchedDb).toBeLessThan(-70);
    expect(high.sampleRate).toBe(96_000);
  });

  it("does not pretend with other material or silence", () => {
    expect(other.alignment).toMatchObject({ found: false, delaySamples: null, polarity: null, driftPpm: null });
    expect(other.difference).toMatchObject({ alignedDb: null, matchedDb: null, identical: "no" });
    expect(nothing.alignment.reason).toBe("the render is silent");
    expect(nothing.match).toEqual({ method: null, gainDb: null, edgeLu: null, remainingLu: null });
    expect(nothing.loudness.integratedLufs).toBeNull();
  });
});

describe("what a render lacks", () => {
  const quieter = scaleClip(guitar, amplitudeFromDb(-5));
  const frames = frameCount(guitar);
  const fifth = Math.round(0.8 * frames);
  const renders = {
    "its last fifth": sliceClip(quieter, 0, fifth),
    "its first fifth": sliceClip(quieter, frames - fifth, frames),
    "nothing, with silence around it": joined(silence(3), quieter, silence(2)),
    "nothing, with another sound before it": joined(scaleClip(noise(3, 0.8, 4), 1), quieter),
  };

  it.each(Object.entries(renders))("does not count as its level: %s", (name, render) => {
    const [row] = compareFiles(named("dry.wav", guitar), [named("render.wav", render)]).renders;
    expect(row.alignment.found, row.alignment.reason).toBe(true);
    expect(row.match.gainDb).toBeCloseTo(5, 2);
    expect(row.match.remainingLu).toBeCloseTo(0, 2);
    expect(row.difference.judgedShare).toBeCloseTo(name.includes("fifth") ? 0.8 : 1, 2);
  });
});

describe("the ends of what was read between the samples", () => {
  it("are not judged: noise that is cut hard and half a sample late nulls as deep as its middle does", () => {
    // Noise without its topmost band, read on the half samples twice: what remains is the filter's error and the ends'.
    const hiss = resample(noise(2, 0.5, 12, 1, 40_000), 48_000);
    const frames = frameCount(hiss);
    const [by, back] = [0.5, -0.5].map((delaySamples) => ({ ...AS_IT_IS, delaySamples }));
    const again = alignedClip(alignedClip(hiss, by, frames), back, frames);
    const { startFrame, endFrame } = sharedFrames(frames, frames, back);
    expect([startFrame, frames - endFrame]).toEqual([65, 64]);
    const judged = (clip: typeof hiss) => sliceClip(clip, startFrame + 65, endFrame - 65);
    expect(residualDb(judged(hiss), judged(again), 1)).toBeLessThan(-110);
    expect(residualDb(hiss, again, 1)).toBeGreaterThan(-90);
  });

  it("nor are those of a rate conversion", () => {
    expect(unknownEdgeFrames(48_000, 48_000)).toBe(0);
    expect(unknownEdgeFrames(96_000, 48_000)).toBeGreaterThan(64);
    const region = { startFrame: 0, endFrame: 48_000 };
    const lying = { placement: AS_IT_IS, frames: 48_000, edgeFrames: 90 };
    expect(judgedRegion(48_000, [lying], region)).toEqual({ startFrame: 90, endFrame: 47_910 });
  });
});

describe("two meanings of nulling that are one", () => {
  it("a flip leaves all of Here: no negative gain is allowed to hide it", () => {
    const flipped = scaleClip(guitar, -1);
    const region = { startFrame: 0, endFrame: frameCount(guitar) };
    const figures = measurePair(guitar, flipped, region);
    expect(figures.nullDb).toBeCloseTo(0, 9);
    expect(figures.nullGainDb).toBeNull();
    expect(figures.energies.product / figures.energies.here).toBeCloseTo(-1, 9);
    expect(figures.judged).toEqual(region);
  });
});

describe("a pair over a region", () => {
  it("measures again what is left after matching", () => {
    const louder = scaleClip(guitar, amplitudeFromDb(4));
    const figures = measurePair(guitar, louder, { startFrame: 48_000, endFrame: 144_000 });
    expect((figures.yonder.integratedLufs ?? 0) - (figures.here.integratedLufs ?? 0)).toBeCloseTo(4, 3);
    expect((atMatchGain(figures.yonder, -4).integratedLufs ?? 0) - (figures.here.integratedLufs ?? 0)).toBeCloseTo(
      0,
      3,
    );
    expect(figures.nullGainDb).toBeCloseTo(-4, 3);
    expect(figures.nullDb).toBeLessThan(-120);
  });

  it("judges only what both renders cover", () => {
    const lying = (delaySamples: number) => ({ ...AS_IT_IS, delaySamples });
    const frames = frameCount(guitar);
    const region = judgedRegion(
      frames,
      [
        { placement: lying(-500), frames, edgeFrames: 0 },
        { placement: lying(700), frames, edgeFrames: 0 },
      ],
      { startFrame: 0, endFrame: frames },
    );
    expect(region).toEqual({ startFrame: 500, endFrame: frames - 700 });
  });
});
