import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { samplePeak } from "../audio/clip";
import { dbFromAmplitude } from "../audio/decibels";
import { noise, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { truePeak } from "./true-peak";

function fadeIn(channel: Float32Array, frames: number): void {
  for (let i = 0; i < frames; i++) {
    const gain = Math.sin((Math.PI * i) / (2 * frames)) ** 2;
    channel[i] *= gain;
    channel[channel.length - 1 - i] *= gain;
  }
}

describe("true peak", () => {
  const rate = 48_000;
  const halfScale = 20 * Math.log10(0.5);
  const cases: [number, string, number, number, number, number][] = [
    [15, "a quarter of the rate, 0°", rate / 4, 0, halfScale, -6],
    [16, "a quarter of the rate, 45°", rate / 4, 45, halfScale, -6],
    [17, "a sixth of the rate, 60°", rate / 6, 60, halfScale, -6],
    [18, "an eighth of the rate, 67.5°", rate / 8, 67.5, halfScale, -6],
    [19, "a quarter of the rate, 45°, over full scale", rate / 4, 45, 20 * Math.log10(1.41), 3],
  ];
  it.each(cases)(
    "EBU Tech 3341 case %i: %s, within +0.2 and −0.4 dB",
    (_n, _what, hertz, phaseDegrees, peakDbfs, expected) => {
      const clip = sine({ hertz, phaseDegrees, peakDbfs, seconds: 1, channels: 1 });
      // A tone that begins in the middle of a swing overshoots in truth; the cases are about its steady part.
      for (const channel of clip.channels) fadeIn(channel, 480);
      const read = dbFromAmplitude(truePeak(clip));
      expect(read - expected).toBeLessThan(0.2);
      expect(read - expected).toBeGreaterThan(-0.4);
    },
  );

  // What the cases are made of is written down from memory; the sound's own peak is read off at sixteen times the rate.
  it.each([
    [20, 0],
    [21, 1],
    [22, 2],
    [23, 3],
  ])(
    "EBU Tech 3341 case %i: a burst of known peak, sampled %i quarters of a sample later, +0.2 and −0.4 dB",
    (_, quarters) => {
      // A sixth of the rate, one strong swing in a weaker row, soft at both ends: band-limited, and 1.0 at its highest.
      const burst = (seconds: number) => {
        const at = (seconds - 0.01) * rate;
        const soft = Math.abs(at) < 240 ? Math.cos((Math.PI * at) / 480) ** 2 : 0;
        const swell = 0.5 + 0.5 * Math.exp(-((at / 12) ** 2));
        return soft * swell * Math.cos((2 * Math.PI * at) / 6);
      };
      let highest = 0;
      for (let i = 0; i < 960 * 16; i++) highest = Math.max(highest, Math.abs(burst(i / (16 * rate))));
      const samples = Float32Array.from({ length: 960 }, (_, i) => burst((i + 0.37 + quarters / 4) / rate));
      const read = dbFromAmplitude(truePeak({ sampleRateHz: rate, channels: [samples] }));
      expect(dbFromAmplitude(highest)).toBeCloseTo(0, 2);
      expect(read).toBeLessThan(0.2);
      expect(read).toBeGreaterThan(-0.4);
    },
  );

  it("is never under the sample peak, whatever the samples", () => {
    fc.assert(
      fc.property(fc.array(fc.float({ min: -2, max: 2, noNaN: true }), { minLength: 1, maxLength: 300 }), (values) => {
        const clip = { sampleRateHz: 44_100, channels: [Float32Array.from(values)] };
        expect(truePeak(clip)).toBeGreaterThanOrEqual(samplePeak(clip));
      }),
    );
  });

  it("finds the overshoot between the last samples of a clip and beside a lone one", () => {
    const edge = { sampleRateHz: 48_000, channels: [new Float32Array(200)] };
    edge.channels[0].set([0.7, 0.7], 198);
    expect(truePeak(edge)).toBeGreaterThan(0.75);
    const pair = { sampleRateHz: 48_000, channels: [new Float32Array(200)] };
    pair.channels[0].set([0.7, 0.7], 63);
    expect(truePeak(pair)).toBeGreaterThan(0.85);
  });
});

/** The largest magnitude that a sinc of 8,000 samples reads anywhere near the top of a signal, sixteen times a sample. */
function sincPeak(signal: Float32Array): number {
  const reach = 4000;
  const points = 16;
  const top = signal.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
  let peak = top;
  for (let i = 1; i < signal.length; i++) {
    if (Math.max(Math.abs(signal[i]), Math.abs(signal[i - 1])) < 0.6 * top) continue;
    for (let p = 1; p < points; p++) {
      const at = i - 1 + p / points;
      const turn = Math.sin((Math.PI * p) / points) / Math.PI;
      let sum = 0;
      for (let k = Math.max(0, i - reach); k < Math.min(signal.length, i + reach); k++) {
        sum += (signal[k] * ((i - 1 - k) % 2 === 0 ? turn : -turn)) / (at - k);
      }
      peak = Math.max(peak, Math.abs(sum));
    }
  }
  return peak;
}

describe("true peak of material that is full to half the rate", () => {
  const clip = (channel: Float32Array) => ({ sampleRateHz: 48_000, channels: [channel] });
  const guitar = recording("guitar-48000").channels[0];

  it.each([
    ["noise", noise(0.08, 0.9, 3, 1).channels[0]],
    ["clipped noise", noise(0.08, 2, 4, 1).channels[0].map((v) => Math.max(-0.7, Math.min(0.7, v)))],
    ["a clipped guitar", guitar.slice(9600, 13_440).map((v) => Math.max(-0.1, Math.min(0.1, 8 * v)))],
    ["a sound cut hard", guitar.slice(20_000, 22_000)],
  ])("%s: within 0.1 dB of a sinc of 8,000 samples", (_, channel) => {
    expect(Math.abs(dbFromAmplitude(truePeak(clip(channel)) / sincPeak(channel)))).toBeLessThan(0.1);
  });
});
