import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Clip, frameCount, scaleClip } from "../audio/clip";
import { filtered } from "../audio/filtered";
import { clipOf, soundOf } from "../audio/sound";
import { noise, silence, sine } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { changeStrength, LIKELY, probabilityOf, stepSizeDb } from "./detection";
import { barkOf, Ear, earFrame, earWeightDb, hertzOf, internalNoiseDb, maskOffsetDb } from "./ear-model";
import { heardDifference } from "./heard";

const held = (here: Clip, yonder: Clip, gain = 1, splDb?: number) =>
  heardDifference(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: frameCount(here) }, gain, splDb);

const mixed = (a: Clip, b: Clip, gain: number): Clip => ({
  ...a,
  channels: a.channels.map((channel, c) => channel.map((v, i) => v + gain * b.channels[c][i])),
});

/** Noise about a frequency, half an octave wide: a windowed cosine as a filter. */
function bandNoise(hertz: number, seed: number): Clip {
  const taps = Float64Array.from({ length: 1025 }, (_, i) => {
    const t = (i - 512) / 48_000;
    const window = 0.5 + 0.5 * Math.cos((Math.PI * (i - 512)) / 512);
    return (window * 2 * Math.cos(2 * Math.PI * hertz * t)) / 512;
  });
  return clipOf(filtered(soundOf(noise(3, 0.25, seed, 1)), [taps], 512));
}

describe("the ear model of BS.1387 (constants from memory)", () => {
  it("has the Bark scale, 7·asinh(f / 650), and back", () => {
    // Schroeder's formula by hand: 7·asinh(1000 / 650) = 8.51.
    expect(barkOf(1000)).toBeCloseTo(8.51, 2);
    for (const hz of [80, 500, 4000, 18_000]) expect(hertzOf(barkOf(hz))).toBeCloseTo(hz, 6);
  });

  it("lets most through at 3 to 4 kHz, little at the ends", () => {
    // By the formula: −0.6·3.64 + 6.5·e^(−0.6·2.3²) − 0.001 = −1.91 dB at 1 kHz.
    expect(earWeightDb(1000)).toBeCloseTo(-1.91, 2);
    expect(earWeightDb(3300)).toBeGreaterThan(earWeightDb(1000) + 5);
    expect(earWeightDb(50)).toBeLessThan(-20);
    expect(earWeightDb(18_000)).toBeLessThan(-30);
    // 1.456 dB at 1 kHz.
    expect(internalNoiseDb(1000)).toBeCloseTo(1.456, 3);
  });

  it("has masks 3 dB under the excitation to 12 Bark, a quarter of the Bark beyond", () => {
    expect([5, 12, 16, 24].map(maskOffsetDb)).toEqual([3, 3, 4, 6]);
  });

  it("has frames that last about as long at every rate", () => {
    expect([8000, 44_100, 48_000, 96_000, 384_000].map(earFrame)).toEqual([256, 2048, 2048, 4096, 16_384]);
  });

  it("has 112 bands from 20 Hz to 18 kHz, and reads a full-scale tone at the playback level", () => {
    const ear = new Ear(48_000);
    expect(ear.bandCount).toBe(112);
    const tone = sine({ hertz: 1031.25, peakDbfs: 0, seconds: 0.1, channels: 1 }).channels[0].subarray(0, 2048);
    const power = ear.bandPowers([tone], [1])[0].reduce((sum, p) => sum + p, 0);
    // The three bins of a Hann window together hold 1.5 times the middle one.
    expect(10 * Math.log10(power / 1.5)).toBeCloseTo(92 + earWeightDb(1031.25), 0);
  });

  it("spreads 27 dB a Bark down, and less steeply up the louder it is", () => {
    const ear = new Ear(48_000);
    const slopes = (levelDb: number) => {
      const bands = new Float64Array(ear.bandCount).fill(0);
      bands[40] = 10 ** (levelDb / 10);
      const spread = ear.spread(bands);
      const db = (b: number) => 10 * Math.log10(spread[b]);
      return { down: (db(40) - db(36)) / 1, up: (db(40) - db(44)) / 1 };
    };
    expect(slopes(80).down).toBeGreaterThan(20);
    // 24 + 230/f − 0.2·80 is about 8 dB a Bark; the ear's own noise lies far under both.
    expect(slopes(80).up).toBeLessThan(12);
    expect(slopes(40).up).toBeGreaterThan(slopes(80).up + 4);
  });
});

/** ffmpeg's and our filters are checked elsewhere; here they are only ways to change a sound. */
const bands = (...list: object[]): [string, Record<string, unknown>] => ["bilinear-equalizer", { bands: list }];

describe("what is heard of a difference", () => {
  const here = music(5);
  const likely = (yonder: Clip, gain = 1) => Math.max(...Object.values(held(here, yonder, gain).highest));

  it("is a change of what is there, however the equalizer or the dynamics made it", () => {
    const changed: [string, Clip][] = [
      [
        "low shelf +4 dB at 150 Hz",
        throughProcessors(here, bands({ kind: "low shelf", frequencyHz: 150, gainDb: 4, q: 0.7 })),
      ],
      [
        "high shelf +3 dB at 8 kHz",
        throughProcessors(here, bands({ kind: "high shelf", frequencyHz: 8000, gainDb: 3, q: 0.7 })),
      ],
      [
        "high-pass 48 dB/oct at 70 Hz",
        throughProcessors(here, bands({ kind: "low cut", frequencyHz: 70, slopeDbPerOctave: 48 })),
      ],
      ["bell +9 dB at 45 Hz", throughProcessors(here, bands({ kind: "bell", frequencyHz: 45, gainDb: 9, q: 1 }))],
      ["8 dB of limiting", throughProcessors(scaleClip(here, 2.5), ["true-peak-limiter", { ceilingDbtp: -9 }])],
    ];
    for (const [name, yonder] of changed) expect(likely(yonder), name).toBeGreaterThan(LIKELY);
  });

  it("is a side that is late, by what changed between channels", () => {
    const late = Float32Array.from(here.channels[1], (_, i) => here.channels[1][i - 24] ?? 0);
    const { highest } = held(here, { ...here, channels: [here.channels[0], late] });
    expect(highest.betweenChannels).toBeGreaterThan(LIKELY);
    const sides = music(3);
    const leaning = { ...sides, channels: [sides.channels[0], sides.channels[1].map((v) => v * 0.7)] };
    expect(held(sides, leaning).highest.betweenChannels).toBeGreaterThan(LIKELY);
  });

  it("is not a tenth of a decibel, dither at 24 bits, or a bell of 0.2 dB", () => {
    expect(likely(scaleClip(here, 10 ** (0.1 / 20)))).toBeLessThan(LIKELY);
    expect(likely(scaleClip(here, 10 ** (-0.1 / 20)))).toBeLessThan(LIKELY);
    const step = 2 ** -23;
    const dither = mixed(noise(5, 0.5 * step, 3), noise(5, 0.5 * step, 4), 1);
    expect(likely(mixed(here, dither, 1))).toBeLessThan(0.01);
    expect(likely(throughProcessors(here, bands({ kind: "bell", frequencyHz: 1000, gainDb: 0.2, q: 1 })))).toBeLessThan(
      LIKELY,
    );
  });

  it("is a noise 10 dB over a masking noise in its band, and not one 24 dB under", () => {
    const masker = scaleClip(bandNoise(1000, 1), 0.5);
    const probe = bandNoise(1000, 2);
    const under = held(masker, mixed(masker, probe, 0.5 * 10 ** (-24 / 20)));
    const over = held(masker, mixed(masker, probe, 0.5 * 10 ** (10 / 20)));
    expect(under.meanOverMaskDb ?? -300).toBeLessThan((over.meanOverMaskDb ?? 0) - 20);
    expect(over.highest.added).toBeGreaterThan(LIKELY);
    expect(over.moments[0].lowHertz).toBeLessThan(1100);
    expect(over.moments[0].highHertz).toBeGreaterThan(900);
  });

  it("is not 16-bit dither at an ordinary level, in silence too", () => {
    const step = 2 ** -15;
    const hiss = mixed(noise(2, 0.5 * step, 3), noise(2, 0.5 * step, 4), 1);
    expect(held(silence(2), hiss, 1, 80).highest.added).toBeLessThan(LIKELY);
    expect(held(music(2), mixed(music(2), hiss, 1)).highest.added).toBeLessThan(LIKELY);
  });

  it("is the same where a gain only undoes what one side was turned up by", () => {
    const yonder = throughProcessors(here, ["bit-and-rate-reducer", { bits: 8 }]);
    const plain = held(here, yonder);
    const undone = held(scaleClip(here, 0.5), yonder, 2);
    for (const [i, p] of undone.probability.entries()) expect(p).toBeCloseTo(plain.probability[i], 3);
  });

  it("is found at the one moment that differs, and in the band it lies in", () => {
    const passage = music(6);
    const chirp = sine({ hertz: 6000, peakDbfs: -26, seconds: 0.4 });
    const yonder: Clip = { ...passage, channels: passage.channels.map((c) => c.slice()) };
    for (const [c, channel] of yonder.channels.entries())
      for (let i = 0; i < chirp.channels[c].length; i++) channel[3.2 * 48_000 + i] += chirp.channels[c][i];
    const { moments } = held(passage, yonder);
    expect(moments[0].startSeconds).toBeGreaterThan(2.9);
    expect(moments[0].endSeconds).toBeLessThan(4);
    expect(moments[0].lowHertz).toBeLessThan(6000);
    expect(moments[0].highHertz).toBeGreaterThan(6000);
    expect(moments[0].probability).toBeGreaterThan(LIKELY);
  });

  it("of one and the same is nothing, at any length and rate", () => {
    for (const [seconds, rate, channels] of [
      [0.05, 48_000, 1],
      [1, 8000, 2],
      [0.5, 384_000, 2],
    ] as const) {
      const clip = noise(seconds, 0.2, 2, channels, rate);
      const { moments, highest } = held(clip, clip);
      expect({ moments, highest }).toEqual({ moments: [], highest: { change: 0, added: 0, betweenChannels: 0 } });
    }
  });
});

describe("the chance of hearing a change (BS.1387, constants from memory)", () => {
  it("is one half for a change of one step size, whose size at 60 dB is about 0.64 dB", () => {
    expect(stepSizeDb(60)).toBeCloseTo(0.64, 1);
    for (const level of [30, 60, 90]) {
      const size = stepSizeDb(level);
      // The level is 0.3 of the louder and 0.7 of the quieter: the change is laid about it.
      expect(probabilityOf(changeStrength(level - 0.3 * size, level + 0.7 * size))).toBeGreaterThan(0.4);
      expect(probabilityOf(changeStrength(level + 0.7 * size, level - 0.3 * size))).toBeLessThan(0.6);
    }
    expect(stepSizeDb(0)).toBe(Number.POSITIVE_INFINITY);
  });

  it("grows with the change and never leaves 0 to 1", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -20, max: 110, noNaN: true }),
        fc.double({ min: 0, max: 40, noNaN: true }),
        (level, change) => {
          const p = probabilityOf(changeStrength(level, level + change));
          const more = probabilityOf(changeStrength(level, level + change + 0.5));
          expect(p).toBeGreaterThanOrEqual(0);
          expect(more).toBeLessThanOrEqual(1);
          if (change > 0.5) expect(more).toBeGreaterThanOrEqual(p - 1e-9);
        },
      ),
    );
  });

  it("is hardly any for a tenth of a decibel on broadband sound, and nearly sure for half of one", () => {
    // 112 bands at 60 dB: their strengths add up.
    const all = (db: number) => probabilityOf(112 * changeStrength(60, 60 + db));
    expect(all(0.1)).toBeLessThan(0.02);
    expect(all(0.5)).toBeGreaterThan(0.99);
  });
});
