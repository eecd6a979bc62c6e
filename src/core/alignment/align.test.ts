import { describe, expect, it } from "vitest";
import { bilinear, cutSections } from "../audio/analogue";
import { filterInPlace } from "../audio/biquad";
import { type Clip, frameCount, scaleClip, sliceClip } from "../audio/clip";
import { forwardReal, inverseReal } from "../audio/fft";
import { seededRandom } from "../audio/random";
import { readBetween } from "../audio/read-between";
import { resample } from "../audio/resample";
import { handDrums } from "../demo/passages";
import { residualDb } from "../difference/residual";
import { bilinearEqualizer } from "../processors/bilinear-equalizer";
import { driveStage } from "../processors/drive-stage";
import { hardCeiling } from "../processors/hard-ceiling";
import { added, delayed, joined, noise, shifted, silence, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { doubtsWords, notAlignedWords } from "../words/alignment";
import { align } from "./align";
import { alignedClip, overhang, sharedFrames } from "./aligned";
import { AS_IT_IS, type Placement, placementOf } from "./alignment";

function found(reference: Clip, render: Clip) {
  const alignment = align(reference, render);
  if (!alignment.found) throw new Error(notAlignedWords(alignment.reason));
  return alignment;
}

const UPRIGHT = { left: 1, right: 1 };
const tabla = recording("tabla-44100");
const guitar = recording("guitar-48000");

const equalized = (clip: Clip, bellDb: number, shelfDb: number) =>
  bilinearEqualizer.processClip(
    clip,
    bilinearEqualizer.parameters.parse({
      bands: [
        { kind: "low shelf", frequencyHz: 100, gainDb: shelfDb },
        { frequencyHz: 4000, gainDb: bellDb, q: 1 },
      ],
    }),
    {},
  );

describe("delay and polarity on recordings", () => {
  it.each([0, 1, -1, 7, 64, -333, 1234, 44_100, -44_100, 88_200, -88_200])(
    "finds a shift of %i samples exactly",
    (delay) => {
      const alignment = found(tabla, shifted(tabla, delay));
      expect(alignment.delaySamples).toBe(delay);
      expect(alignment).toMatchObject({ polarity: UPRIGHT, swapped: false, doubts: [] });
      expect(alignment.delayErrorSamples).toBeLessThan(0.001);
    },
  );

  it("finds a flip, with gain and noise 40 dB down", () => {
    const render = added(scaleClip(shifted(guitar, 421), -0.7), noise(5, 0.001, 3));
    const alignment = found(guitar, render);
    expect(alignment).toMatchObject({ delaySamples: 421, polarity: { left: -1, right: -1 } });
    expect(alignment.confidence).toBeGreaterThan(0.5);
  });

  it.each([
    ["a bell and shelf of +6 dB", (c: Clip) => equalized(c, 6, 6)],
    ["a bell and shelf of −6 dB", (c: Clip) => equalized(c, -6, -6)],
    ["12 dB of drive", (c: Clip) => driveStage.processClip(c, driveStage.parameters.parse({ driveDb: 12 }))],
    ["9 dB into a hard ceiling", (c: Clip) => hardCeiling.processClip(c, { inputDb: 9, ceilingDb: -3 })],
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

describe("fractions of a sample", () => {
  it.each([0.25, -0.5, 37.37, 1000.01])("a delay of %f alone is found to a hundredth", (delay) => {
    for (const clip of [tabla, guitar]) {
      const alignment = found(clip, delayed(clip, delay));
      expect(Math.abs(alignment.delaySamples - delay)).toBeLessThan(0.01);
      expect(alignment.driftPpm).toBe(0);
      expect(alignment.confidence).toBeGreaterThan(0.9);
    }
  });

  it("is found to half a sample after a minimum-phase equalizer of ±6 dB, and its error told", () => {
    for (const db of [6, -6]) {
      const alignment = found(guitar, delayed(equalized(guitar, db, db), 37.4));
      expect(Math.abs(alignment.delaySamples - 37.4)).toBeLessThan(0.5);
      expect(Math.abs(alignment.delaySamples - 37.4)).toBeLessThan(alignment.delayErrorSamples);
    }
  });

  it("nulls under −90 dB once it is taken out, to what a file of 32-bit floats and the filter leave", () => {
    const render = delayed(guitar, 12.345);
    const aligned = alignedClip(render, placementOf(align(guitar, render)), frameCount(guitar));
    const middle = (clip: Clip) => sliceClip(clip, 4800, frameCount(clip) - 4800);
    expect(residualDb(middle(guitar), middle(aligned), 1)).toBeLessThan(-90);
    expect(residualDb(middle(guitar), middle(render), 1)).toBeGreaterThan(-30);
  });

  it("one sample at 1 kHz and 48 kHz leaves −17.7 dB, a hundredth −57.7 dB (trade fact: 2 sin(π f τ))", () => {
    const tone = sine({ hertz: 1000, peakDbfs: -6, seconds: 1 });
    const late = (samples: number) => alignedClip(tone, { ...AS_IT_IS, delaySamples: -samples }, frameCount(tone));
    const middle = (clip: Clip) => sliceClip(clip, 1000, 47_000);
    expect(residualDb(middle(tone), middle(late(1)), 1)).toBeCloseTo(-17.67, 1);
    expect(residualDb(middle(tone), middle(late(0.01)), 1)).toBeCloseTo(-57.66, 1);
  });
});

describe("channels", () => {
  const [left, right] = guitar.channels;
  const minus = (channel: Float32Array) => channel.map((v) => -v);
  const of = (l: Float32Array, r: Float32Array) => shifted({ ...guitar, channels: [l, r] }, 31);

  it.each([
    ["as they were", of(left, right), 1, 1, false],
    ["both flipped", of(minus(left), minus(right)), -1, -1, false],
    ["left flipped", of(minus(left), right), -1, 1, false],
    ["right flipped", of(left, minus(right)), 1, -1, false],
    ["swapped", of(right, left), 1, 1, true],
    ["swapped and both flipped", of(minus(right), minus(left)), -1, -1, true],
    ["swapped, left flipped", of(right, minus(left)), -1, 1, true],
    ["swapped, right flipped", of(minus(right), left), 1, -1, true],
  ] as const)("%s are found and put back bit for bit", (_, render, l, r, swapped) => {
    const alignment = found(guitar, render);
    expect(alignment).toMatchObject({ delaySamples: 31, polarity: { left: l, right: r }, swapped });
    const aligned = alignedClip(render, alignment, frameCount(guitar));
    const kept = frameCount(guitar) - 31;
    const bits = (channel: Float32Array) => Buffer.from(channel.slice(0, kept).buffer);
    expect(bits(aligned.channels[0]).equals(bits(left))).toBe(true);
    expect(bits(aligned.channels[1]).equals(bits(right))).toBe(true);
  });

  it("are not called swapped where both hold the same", () => {
    const mono = { ...guitar, channels: [left, left] };
    expect(found(mono, shifted(mono, 3))).toMatchObject({ polarity: UPRIGHT, swapped: false });
  });
});

describe("doubt", () => {
  it("a steady tone says how far apart the places are that fit as well", () => {
    const tone = added(sine({ hertz: 440, peakDbfs: -10, seconds: 4 }), noise(4, 0.0005, 5));
    const late = added(sine({ hertz: 440, peakDbfs: -10, seconds: 4, phaseDegrees: -211 }), noise(4, 0.0005, 6));
    const alignment = found(tone, late);
    expect(alignment.confidence).toBeLessThan(0.3);
    expect(doubtsWords(alignment.doubts)).toBe("a steady tone fits again every 2.27\u2009ms");
    // 211° of 440 Hz are 63.9 samples; the nearest place that fits is 45.2 earlier.
    expect(((alignment.delaySamples % 109.09) + 109.09) % 109.09).toBeCloseTo(63.9, 0);
  });

  it("a passage that is played twice says where the other place is", () => {
    const twice = joined(tabla, tabla);
    const { doubts, confidence } = found(tabla, twice);
    expect(confidence).toBeLessThan(0.3);
    expect(doubtsWords(doubts)).toMatch(/^\d+\.\d\d\sms (later|earlier) fits nearly as well$/);
    expect(found(tabla, tabla).doubts).toEqual([]);
  });
});

describe("clock drift", () => {
  // Thirty seconds of drums. A render whose recorder ran 50 ppm fast holds 50 ppm more samples.
  const drums = sliceClip(
    { ...handDrums(), channels: [joined(handDrums(), handDrums(), handDrums()).channels[0]] },
    0,
    30 * 48_000,
  );

  it.each([50, -50, 3])("of %f ppm over half a minute is read to 0.5 ppm and taken out", (ppm) => {
    // Read at stretched places by a plain windowed sinc of its own, too short a one to null deeper than −38 dB.
    const stretched = drums.channels.map((channel) =>
      Float32Array.from({ length: channel.length }, (_, i) => sincAt(channel, i / (1 + ppm * 1e-6))),
    );
    const render = { ...drums, channels: stretched };
    const alignment = found(drums, render);
    expect(Math.abs((alignment.driftPpm ?? 999) - ppm)).toBeLessThanOrEqual(alignment.driftErrorPpm ?? 0);
    expect(alignment.driftErrorPpm).toBeLessThan(0.5);
    const aligned = alignedClip(render, alignment, frameCount(drums));
    const late = (clip: Clip) => sliceClip(clip, 24 * 48_000, 29 * 48_000);
    expect(residualDb(late(drums), late(aligned), 1)).toBeLessThan(-35);
    expect(residualDb(late(drums), late(render), 1)).toBeGreaterThan(-20);
  });

  it("is told as none where there is none, and as unknown where the passage is too short", () => {
    expect(found(tabla, shifted(tabla, 20)).driftPpm).toBe(0);
    const short = sliceClip(tabla, 0, 44_100);
    expect(found(short, shifted(short, 5)).driftPpm).toBeNull();
  });

  it("does not take an equalizer's phase for one", () => {
    for (const clip of [tabla, guitar]) expect(found(clip, equalized(clip, 6, -6)).driftPpm).toBe(0);
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
    expect(align(silence(2), guitar)).toMatchObject({ found: false, reason: { kind: "dry silent" } });
    expect(align(guitar, silence(2))).toMatchObject({ found: false, reason: { kind: "render silent" } });
  });
});

describe("putting in step", () => {
  const render: Clip = { sampleRateHz: 8000, channels: [Float32Array.from([1, 2, 3, 4, 5, 6])] };
  const lying = (delaySamples: number, polarity: 1 | -1 = 1) =>
    ({ ...AS_IT_IS, delaySamples, polarity: { left: polarity, right: polarity } }) as const;
  const samples = (clip: Clip) => Array.from(clip.channels[0]);

  it("shifts by whole samples, flips, cuts and fills with silence", () => {
    expect(samples(alignedClip(render, lying(2), 4))).toEqual([3, 4, 5, 6]);
    expect(samples(alignedClip(render, lying(-2), 7))).toEqual([0, 0, 1, 2, 3, 4, 5]);
    expect(samples(alignedClip(render, lying(4, -1), 3))).toEqual([-5, -6, -0]);
    expect(samples(alignedClip(render, lying(10), 3))).toEqual([0, 0, 0]);
    expect(samples(alignedClip(render, lying(-10), 3))).toEqual([0, 0, 0]);
  });

  it("hands back what already fits, and leaves what was not found where it is", () => {
    expect(alignedClip(render, lying(0), 6)).toBe(render);
    expect(
      samples(alignedClip(render, placementOf({ found: false, reason: { kind: "unlike" }, confidence: 0 }), 2)),
    ).toEqual([1, 2]);
  });

  it("swaps channels back before it turns them up", () => {
    const stereo: Clip = { sampleRateHz: 8000, channels: [Float32Array.from([1, 2]), Float32Array.from([-3, -4])] };
    const order = { ...AS_IT_IS, swapped: true, polarity: { left: -1, right: 1 } } as const;
    expect(alignedClip(stereo, order, 2).channels.map((c) => Array.from(c))).toEqual([
      [3, 4],
      [1, 2],
    ]);
    expect(Array.from(stereo.channels[0])).toEqual([1, 2]);
  });

  it("says what hangs over the dry render at either end", () => {
    expect(overhang(100, 150, lying(20))).toEqual({
      leadInFrames: 20,
      lackingStartFrames: 0,
      tailFrames: 30,
      lackingEndFrames: 0,
    });
    expect(overhang(100, 60, lying(-10))).toMatchObject({ lackingStartFrames: 10, lackingEndFrames: 30 });
  });

  it("knows the stretch both cover", () => {
    expect(sharedFrames(100, 100, lying(30))).toEqual({ startFrame: 0, endFrame: 70 });
    expect(sharedFrames(100, 100, lying(-30))).toEqual({ startFrame: 30, endFrame: 100 });
    expect(sharedFrames(100, 20, lying(-200))).toEqual({ startFrame: 100, endFrame: 100 });
  });
});

/** 12 dB/oct at 9 kHz, by the usual bilinear recipe. */
const LOW_PASS = bilinear(cutSections("high cut", 9000, 2)[0], 48_000);

describe("what is played and nulled is refined on the residual itself", () => {
  // Facts of the arithmetic: noise under 12 kHz (three low-passes of ours), read between its samples by a sinc of 128 taps.
  const random = seededRandom(3);
  const low = Float64Array.from({ length: 158_400 }, () => 0.2 * (random() + random() - 1));
  for (let times = 0; times < 4; times++) filterInPlace(low, LOW_PASS);
  const here: Clip = { sampleRateHz: 48_000, channels: [Float32Array.from(low)] };
  const nullDb = (yonder: Clip, placement: Placement) => {
    const { startFrame, endFrame } = sharedFrames(frameCount(here), frameCount(yonder), placement);
    const laid = alignedClip(yonder, placement, frameCount(here));
    return residualDb(sliceClip(here, startFrame, endFrame), sliceClip(laid, startFrame, endFrame), 1);
  };

  it.each([7.37, -12.5, 333.25])("3.3 s of noise, %f samples late", (delay) => {
    const yonder = delayed(here, delay, Math.max(0, Math.ceil(delay)));
    const placed = found(here, yonder);
    expect(Math.abs(placed.delaySamples - delay)).toBeLessThan(2e-5);
    // The bound stays what can be reported.
    expect(placed.delayErrorSamples).toBeGreaterThan(1e-4);
    expect(nullDb(yonder, placed)).toBeLessThan(-88);
  });
  it.each([7.37, -12.5, 333.25])(
    "noise to 20 kHz moved by %f samples in its spectrum nulls to rounding (shift theorem)",
    (delay) => {
      const size = 2 ** 18;
      const spectrum = forwardReal(
        Float64Array.from({ length: size }, () => 0.2 * (random() + random() - 1)),
        size,
      );
      spectrum.fill(0, 2 * Math.ceil((20_000 * size) / 48_000));
      const moved = spectrum.map((v, i) => {
        const angle = (-2 * Math.PI * (i >> 1) * delay) / size;
        const other = spectrum[i ^ 1];
        return v * Math.cos(angle) + (i % 2 === 0 ? -other : other) * Math.sin(angle);
      });
      const part = (of: Float64Array): Clip => ({
        sampleRateHz: 48_000,
        channels: [Float32Array.from(inverseReal(of).subarray(20_000, 178_400))],
      });
      const [dry, late] = [part(spectrum), part(moved)];
      const placed = found(dry, late);
      expect(Math.abs(placed.delaySamples - delay)).toBeLessThan(1e-6);
      const laid = alignedClip(late, placed, frameCount(dry));
      const middle = (clip: Clip) => sliceClip(clip, 1000, 157_000);
      expect(residualDb(middle(dry), middle(laid), 1)).toBeLessThan(-115);
    },
  );
  it("and of a clock 20 ppm off, over 8 s", () => {
    const whole = Float64Array.from({ length: 400_000 }, () => 0.2 * (random() + random() - 1));
    for (let times = 0; times < 4; times++) filterInPlace(whole, LOW_PASS);
    const long: Clip = { sampleRateHz: 48_000, channels: [Float32Array.from(whole)] };
    const off = { ...long, channels: [readBetween(long.channels[0], 0, 1 / (1 + 20e-6), 384_000)] };
    expect(Math.abs((found(long, off).driftPpm ?? 0) - 20)).toBeLessThan(0.0005);
  });
});

describe("DC is nothing that both share", () => {
  const sound = (seed: number) => {
    const random = seededRandom(seed);
    return Float32Array.from({ length: 96_000 }, () => 0.1 * (random() - 0.5));
  };
  const stereo: Clip = { sampleRateHz: 48_000, channels: [sound(1), sound(2)] };
  const lifted = (clip: Clip, by: number): Clip => ({
    ...clip,
    channels: clip.channels.map((c) => c.map((v) => v + by)),
  });
  it.each([
    [0, 0.1],
    [0.1, 0],
    [0.1, 0.1],
  ])("%f here and %f yonder", (here, yonder) => {
    const placed = align(lifted(stereo, here), lifted(delayed(stereo, 333, 333), yonder));
    expect(placed).toMatchObject({ found: true, delaySamples: 333, swapped: false, polarity: { left: 1, right: 1 } });
    expect(placed.confidence).toBeGreaterThan(0.9);
  });
  it("a silent side says nothing of order or place", () => {
    const lone = { ...stereo, channels: [stereo.channels[0], new Float32Array(96_000).map((_, n) => 1e-7 * (n % 2))] };
    expect(align(stereo, lone)).toMatchObject({ found: true, delaySamples: 0, swapped: false, doubts: [] });
  });
  it("a flip of one side is not a swap", () => {
    const flipped = { ...stereo, channels: [stereo.channels[0].map((v) => -v), stereo.channels[1]] };
    expect(align(stereo, flipped)).toMatchObject({ swapped: false, polarity: { left: -1, right: 1 }, doubts: [] });
  });
});
