import { describe, expect, it } from "vitest";
import { type Clip, frameCount, scaleClip } from "../audio/clip";
import { filtered } from "../audio/filtered";
import { clipOf, soundOf } from "../audio/sound";
import { noise, silence, sine } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { barkOf, Ear, earFrame, earWeightDb, hertzOf, internalNoiseDb, maskOffsetDb } from "./ear-model";
import { overMask } from "./over-mask";

const held = (here: Clip, yonder: Clip, gain = 1, splDb?: number) =>
  overMask(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: frameCount(here) }, gain, splDb);

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

  it("has 109 bands from 80 Hz to 18 kHz, and reads a full-scale tone at the playback level", () => {
    const ear = new Ear(48_000);
    expect(ear.bandCount).toBe(109);
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

describe("where a difference stands out", () => {
  it("a noise 24 dB under a masking noise in its band is under, one 10 dB over is over", () => {
    const masker = scaleClip(bandNoise(1000, 1), 0.5);
    const probe = bandNoise(1000, 2);
    const under = held(masker, mixed(masker, probe, 0.5 * 10 ** (-24 / 20)));
    const over = held(masker, mixed(masker, probe, 0.5 * 10 ** (10 / 20)));
    const middle = (highest: Float32Array) => highest.slice(5, -5).toSorted()[Math.floor((highest.length - 10) / 2)];
    expect(middle(under.highestDb)).toBeLessThan(0);
    expect(middle(over.highestDb)).toBeGreaterThan(0);
    expect(over.moments[0].lowHertz).toBeLessThan(1100);
    expect(over.moments[0].highHertz).toBeGreaterThan(900);
  });

  it("16-bit dither at an ordinary level is under the threshold of hearing, in silence too", () => {
    const quiet = silence(2);
    const step = 2 ** -15;
    const hiss = mixed(noise(2, 0.5 * step, 3), noise(2, 0.5 * step, 4), 1);
    expect(Math.max(...held(quiet, hiss, 1, 80).highestDb)).toBeLessThan(0);
    expect(Math.max(...held(music(2), mixed(music(2), hiss, 1)).highestDb)).toBeLessThan(0);
  });

  it("both louder by 6 dB is no other difference, and a gain that undoes one is none at all", () => {
    const here = music(3);
    const yonder = throughProcessors(here, ["bit-and-rate-reducer", { bits: 8 }]);
    const [plain, turned] = [held(here, yonder), held(scaleClip(here, 2), scaleClip(yonder, 2))];
    expect(Math.abs((plain.meanDb ?? 0) - (turned.meanDb ?? 0))).toBeLessThan(6);
    // A gain that only undoes what one side was turned up by changes nothing at all.
    expect(held(scaleClip(here, 0.5), yonder, 2).meanDb).toBeCloseTo(plain.meanDb ?? 0, 5);
  });

  it("finds the one moment that differs, and the band it lies in", () => {
    const here = music(6);
    const chirp = sine({ hertz: 6000, peakDbfs: -26, seconds: 0.4 });
    const yonder: Clip = { ...here, channels: here.channels.map((c) => c.slice()) };
    for (const [c, channel] of yonder.channels.entries())
      for (let i = 0; i < chirp.channels[c].length; i++) channel[3.2 * 48_000 + i] += chirp.channels[c][i];
    const { moments, shareOver } = held(here, yonder);
    expect(moments[0].startSeconds).toBeGreaterThan(2.9);
    expect(moments[0].endSeconds).toBeLessThan(4);
    expect(moments[0].lowHertz).toBeLessThan(6000);
    expect(moments[0].highHertz).toBeGreaterThan(6000);
    expect(moments[0].overMaskDb).toBeGreaterThan(0);
    expect(shareOver).toBeGreaterThan(0);
  });

  it("of one and the same there is nothing to tell, at any length and rate", () => {
    for (const [seconds, rate] of [
      [0.05, 48_000],
      [1, 8000],
      [0.5, 384_000],
    ] as const) {
      const clip = noise(seconds, 0.2, 2, 1, rate);
      const { moments, meanDb, shareOver } = held(clip, clip);
      expect({ moments, meanDb, shareOver }).toEqual({ moments: [], meanDb: null, shareOver: 0 });
    }
  });
});
