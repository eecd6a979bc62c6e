import { describe, expect, it } from "vitest";
import { align } from "../alignment/align";
import { type Clip, energy, frameCount, samplePeak } from "../audio/clip";
import { readBetween } from "../audio/read-between";
import { BIN_HZ, responseOf, toneDb } from "../stimuli/response";
import { joined, noise, silence, sine } from "../stimuli/signals";
import { phaseOf } from "../testing/phase";
import { recording } from "../testing/recordings";
import { allPass } from "./all-pass";
import { codedBand } from "./coded-band";
import { converter } from "./converter";
import { gain } from "./gain";
import { outboardLoop } from "./outboard-loop";
import { phaseRotator } from "./phase-rotator";

const rmsDb = (clip: Clip) => 10 * Math.log10(energy(clip) / (frameCount(clip) * clip.channels.length));

describe("gain", () => {
  it("is gain, balance and polarity, exactly", () => {
    const clip = noise(0.1, 0.5, 1);
    const out = gain.processClip(clip, gain.parameters.parse({ gainDb: -6, rightOffsetDb: -1, flipped: true }));
    expect(out.channels[0][99]).toBeCloseTo(-clip.channels[0][99] * 10 ** (-6 / 20), 7);
    expect(out.channels[1][99]).toBeCloseTo(-clip.channels[1][99] * 10 ** (-7 / 20), 7);
    expect(gain.processClip(clip, gain.parameters.parse({})).channels[0]).toEqual(clip.channels[0]);
  });
});

describe("phase rotator", () => {
  const rotate = (clip: Clip, degrees: number) => phaseRotator.processClip(clip, { degrees });

  it.each([-120, -45, 30, 90])("turns every frequency by %i° and leaves the spectrum alone", (degrees) => {
    const at = responseOf((c) => rotate(c, degrees));
    for (const hertz of [40, 100, 1000, 15_000]) {
      expect(Math.abs(at(hertz).gainDb)).toBeLessThan(0.02);
      expect((phaseOf(at(hertz)) * 180) / Math.PI).toBeCloseTo(degrees, 0);
    }
  });

  it("by 180° is a flip, by 0° nothing", () => {
    const clip = noise(0.2, 0.5, 1, 1);
    expect(Math.max(...rotate(clip, 180).channels[0].map((v, i) => Math.abs(v + clip.channels[0][i])))).toBeLessThan(
      1e-7,
    );
    expect(rotate(clip, 0).channels[0]).toEqual(clip.channels[0]);
  });

  it("changes peaks: what helps one sound harms another (common practice, no published source)", () => {
    // A pulse train has all its peaks on one side; turned by 90° it has less of them.
    const pulses: Clip = {
      sampleRateHz: 48_000,
      channels: [
        Float32Array.from({ length: 48_000 }, (_, i) => {
          let sum = 0;
          for (let k = 1; k <= 12; k++) sum += Math.cos((2 * Math.PI * 200 * k * i) / 48_000) / 12;
          return 0.5 * sum;
        }),
      ],
    };
    const middle = (clip: Clip) => samplePeak({ ...clip, channels: [clip.channels[0].subarray(12_000, 36_000)] });
    expect(middle(rotate(pulses, 90))).toBeLessThan(0.85 * middle(pulses));
    expect(middle(rotate(rotate(pulses, 90), -90))).toBeGreaterThan(0.99 * middle(pulses));
  });
});

describe("all-pass", () => {
  it("is flat, and a second-order stage turns by half a circle at its frequency", () => {
    const at = responseOf((c) => allPass.processClip(c, allPass.parameters.parse({ frequencyHz: 500 })));
    for (const hertz of [30, 500, 10_000]) expect(Math.abs(at(hertz).gainDb)).toBeLessThan(1e-3);
    expect(Math.abs(phaseOf(at(500)))).toBeCloseTo(Math.PI, 3);
    const first = responseOf((c) => allPass.processClip(c, allPass.parameters.parse({ frequencyHz: 500, order: 1 })));
    expect(Math.abs(phaseOf(first(500)))).toBeCloseTo(Math.PI / 2, 3);
  });
});

describe("converter", () => {
  const errorDbfs = (dither: string) => {
    const clip = noise(2, 0.3, 11);
    const out = converter.processClip(clip, converter.parameters.parse({ rateHz: 48_000, wordLength: 16, dither }));
    return rmsDb({ ...clip, channels: clip.channels.map((c, n) => c.map((v, i) => out.channels[n][i] - v)) });
  };

  it("16 bits leave −101.1 dBFS without dither, −98.1 with rectangular, −96.3 with triangular (step²/12, /6, /4)", () => {
    expect(errorDbfs("none")).toBeCloseTo(-101.1, 1);
    expect(errorDbfs("rectangular")).toBeCloseTo(-98.1, 1);
    expect(errorDbfs("triangular")).toBeCloseTo(-96.3, 1);
  });

  it("leaves the result at the rate asked for", () => {
    const out = converter.processClip(sine({ hertz: 997, peakDbfs: -6, seconds: 1 }), converter.parameters.parse({}));
    expect(out.sampleRateHz).toBe(44_100);
    expect(frameCount(out)).toBe(44_100);
  });
});

describe("lossy-like band limit", () => {
  const coded = (clip: Clip, given: object) => codedBand.processClip(clip, codedBand.parameters.parse(given));

  it("lets nothing through above the limit and drops what a strong neighbour hides", () => {
    const high = sine({ hertz: 1500 * BIN_HZ, peakDbfs: -6, seconds: 1, channels: 1 });
    expect(toneDb(coded(high, {}), 1500)).toBeLessThan(-90);
    const strong = sine({ hertz: 100 * BIN_HZ, peakDbfs: -6, seconds: 1, channels: 1 });
    const weak = sine({ hertz: 112 * BIN_HZ, peakDbfs: -60, seconds: 1, channels: 1 });
    const both = { ...strong, channels: [strong.channels[0].map((v, i) => v + weak.channels[0][i])] };
    expect(toneDb(coded(both, { dropDb: -30 }), 112)).toBeLessThan(-72);
    expect(toneDb(coded(both, { dropDb: -90 }), 112)).toBeGreaterThan(-63);
  });

  it("gives back what it neither cuts nor drops", () => {
    const tone = sine({ hertz: 100 * BIN_HZ, peakDbfs: -6, seconds: 1, channels: 1 });
    const out = coded(tone, { dropDb: -90 });
    for (let i = 4000; i < 40_000; i += 997) expect(out.channels[0][i]).toBeCloseTo(tone.channels[0][i], 3);
  });
});

describe("outboard loop", () => {
  const loop = (clip: Clip, given: object) => outboardLoop.processClip(clip, outboardLoop.parameters.parse(given));
  const still = { noiseFloorDbfs: -140, rightOffsetDb: 0 };

  it("reads between the samples to −100 dB, at 0.44 of the rate too", () => {
    for (const hertz of [100, 5000, 20_000]) {
      const tone = sine({ hertz, peakDbfs: 0, seconds: 0.2, channels: 1 }).channels[0];
      const read = readBetween(tone, 1000.37, 1, 4000);
      let worst = 0;
      for (let n = 0; n < 4000; n++) {
        worst = Math.max(worst, Math.abs(read[n] - Math.sin((2 * Math.PI * hertz * (1000.37 + n)) / 48_000)));
      }
      expect(20 * Math.log10(worst), `${hertz} Hz`).toBeLessThan(hertz > 15_000 ? -60 : -100);
    }
  });

  it("comes back late by its latency, to the hundredth of a sample", () => {
    const tone = sine({ hertz: 997, peakDbfs: -6, seconds: 1, channels: 1 });
    const out = loop(tone, { ...still, latencySamples: 64.25 });
    const w = (2 * Math.PI * 997) / 48_000;
    let re = 0;
    let im = 0;
    for (let i = 10_000; i < 10_000 + 48_000 * 0.5; i++) {
      re += out.channels[0][i] * Math.cos(w * i);
      im += out.channels[0][i] * Math.sin(w * i);
    }
    // out = sin(w·(i − delay)): the delay is read off its phase, modulo a period.
    const delay = Math.atan2(-re, im) / w;
    const period = 48_000 / 997;
    expect(((delay % period) + period) % period).toBeCloseTo(64.25 % period, 2);
  });

  it("is found by the alignment: delay, flip and clock error", () => {
    const clip = joined(...Array.from({ length: 4 }, () => recording("tabla-44100")));
    const found = align(clip, loop(clip, { latencySamples: 300, clockPpm: 40, flipped: true }));
    expect(found).toMatchObject({ found: true, polarity: { left: -1, right: -1 } });
    expect(found.found && found.driftPpm).toBeCloseTo(40, 1);
  });

  it("has the noise floor and mismatch it is set to", () => {
    expect(rmsDb(loop(silence(1), { noiseFloorDbfs: -90 }))).toBeCloseTo(-90, 1);
    const out = loop(
      noise(1, 0.5, 3, 1).channels.length ? sine({ hertz: 997, peakDbfs: -6, seconds: 1 }) : silence(1),
      {
        ...still,
        rightOffsetDb: 0.2,
      },
    );
    const side = (c: number) => rmsDb({ sampleRateHz: 48_000, channels: [out.channels[c].subarray(2000, 46_000)] });
    expect(side(1) - side(0)).toBeCloseTo(0.2, 3);
  });
});
