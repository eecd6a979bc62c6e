import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { forwardReal } from "../audio/fft";
import { soundOf } from "../audio/sound";
import { noise, silence, sine } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { readFixture, recording } from "../testing/recordings";
import { bandPowerOf } from "../testing/spectra";
import { type Averaged, averagedSpectra, PEAK_FACTOR } from "./averaged";
import { bandCentres, bandSums } from "./bands";
import { minimumPhaseOf, phaseReading } from "./phase-kind";
import { phaseOf } from "./phase-of";
import { ringingOf, tapsOf } from "./ringing";
import { bandTransfer, freedFromChance } from "./transfer";

// scipy.signal's welch, csd, coherence, group_delay and minimum_phase: fixtures/make_ladder.py.
const scipy = JSON.parse(readFixture("spectra.json"));

const averaged = (clips: readonly Clip[], points: number): Averaged => {
  const found = averagedSpectra(clips.map(soundOf), { startFrame: 0, endFrame: clips[0].channels[0].length }, points);
  if (!found) throw new Error("no segment fits");
  return found;
};
const oneChannel = (clip: Clip, c: number): Clip => ({ ...clip, channels: [clip.channels[c]] });

describe("averaged spectra", () => {
  it("are scipy's welch, csd and coherence", () => {
    const guitar = recording("guitar-48000");
    const found = averaged([oneChannel(guitar, 0), oneChannel(guitar, 1)], scipy.points);
    expect(found.segments).toBe(scipy.segments);
    // scipy's scaling "spectrum" reads the square of a sine's effective value at its bin; ours adds up over bins: 1.5 bins of noise bandwidth (Hann).
    for (const [i, k] of (scipy.bins as number[]).entries()) {
      const [power, other] = [found.powers[0][0][k], found.powers[1][0][k]];
      const [re, im] = [found.crosses[0][0][2 * k], found.crosses[0][0][2 * k + 1]];
      expect(power * 1.5).toBeCloseTo(scipy.welch[i], 12);
      expect(Math.abs(power * 1.5 - scipy.welch[i]) / scipy.welch[i]).toBeLessThan(1e-6);
      expect(Math.abs(re * 1.5 - scipy.csdRe[i])).toBeLessThan(1e-6 * Math.abs(scipy.csdRe[i]) + 1e-18);
      expect(Math.abs(im * 1.5 - scipy.csdIm[i])).toBeLessThan(1e-6 * Math.abs(scipy.csdIm[i]) + 1e-18);
      expect((re * re + im * im) / (power * other)).toBeCloseTo(scipy.coherence[i], 6);
    }
  });

  it("read a full-scale sine as 0 dBFS, and add up to its mean square", () => {
    const tone = sine({ hertz: 48_000 / 48, peakDbfs: 0, seconds: 2, channels: 1 });
    const { powers } = averaged([tone], 4096);
    const at = powers[0][0].reduce((best, p, k, all) => (p > all[best] ? k : best), 0);
    // Between two bins a Hann window reads up to 1.42 dB low (Harris 1978).
    expect(10 * Math.log10(powers[0][0][at] * PEAK_FACTOR)).toBeGreaterThan(-1.5);
    expect(10 * Math.log10(powers[0][0][at] * PEAK_FACTOR)).toBeLessThan(0.01);
    expect(bandPowerOf(powers[0][0])).toBeCloseTo(0.5, 3);
  });

  it("hold the power of noise at every length, mono or stereo, and nothing of silence", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(1024, 4096, 16_384, 65_536),
        fc.constantFrom(8000, 48_000, 384_000),
        (points, rate) => {
          const clip = noise(Math.max(1, (points * 3) / rate), 0.5, 9, 2, rate);
          const { powers, maxima } = averaged([clip], points);
          for (const [c, power] of powers[0].entries()) {
            const meanSquare = clip.channels[c].reduce((sum, v) => sum + v * v, 0) / clip.channels[c].length;
            expect(Math.abs(bandPowerOf(power) / meanSquare - 1)).toBeLessThan(0.1);
            for (const [k, p] of power.entries()) expect(maxima[0][c][k]).toBeGreaterThanOrEqual(p * 0.999_999);
          }
        },
      ),
      { numRuns: 8 },
    );
    expect(bandPowerOf(averaged([silence(1)], 1024).powers[0][0])).toBe(0);
    expect(averagedSpectra([soundOf(silence(0.01))], { startFrame: 0, endFrame: 480 }, 1024)).toBeNull();
  });
});

describe("bands", () => {
  it("stand at the third-octave centres of IEC 61260-1 (value from memory)", () => {
    const centres = bandCentres(3, 20, 20_000);
    expect(centres.map((hz) => Number(hz.toPrecision(4)))).toEqual(
      expect.arrayContaining([25.12, 31.62, 100, 125.9, 1000, 1259, 10_000, 15_850]),
    );
    expect(centres).toHaveLength(30);
  });

  it("share out bins without losing any", () => {
    const flat = new Float64Array(2049).fill(0.25);
    const centres = bandCentres(3, 20, 20_000);
    const sums = bandSums(flat, 48_000 / 4096, centres, 3);
    for (const [i, centre] of centres.entries()) {
      const width = centre * (10 ** 0.05 - 10 ** -0.05);
      expect(sums[i]).toBeCloseTo((0.25 * width) / (48_000 / 4096), 6);
    }
  });
});

describe("a transfer", () => {
  const here = noise(6, 0.3, 4, 2);

  it("reads the bilinear bell of 12 kHz, Q 1, +12 dB at 48 kHz where calculations know it", () => {
    const bell = throughProcessors(here, [
      "bilinear-equalizer",
      { bands: [{ kind: "bell", frequencyHz: 12_000, gainDb: 12, q: 1 }] },
    ]);
    const { differenceDb, coherence } = bandTransfer(averaged([here, bell], 8192), 1, [18_000, 20_000, 23_000], 48);
    // +2.74, +1.15, +0.07 dB: the page of calculations.
    for (const [i, db] of [2.74, 1.15, 0.07].entries()) expect(differenceDb[i]).toBeCloseTo(db, 1);
    expect(Math.min(...coherence)).toBeGreaterThan(0.999);
  });

  it("of a single segment has no coherence, for one is coherent with anything", () => {
    const short = noise(0.1, 0.3, 4, 1);
    const found = bandTransfer(averaged([short, noise(0.1, 0.3, 5, 1)], 4096), 1, bandCentres(3, 100, 16_000), 3);
    expect([...found.coherence].every((c) => c === 0)).toBe(true);
    expect([0.2, 0.95, 1].map((c) => freedFromChance(c, 1))).toEqual([0, 0, 0]);
    // Of a hundred segments chance gives about a hundredth.
    expect(freedFromChance(1, 100)).toBe(1);
    expect(freedFromChance(0.0105, 100)).toBeCloseTo(0, 3);
    expect(phaseOf(averaged([short, short], 4096)).kind).toBe("unknown");
  });

  it("of what has nothing to do with it has no coherence, and of silence no figure", () => {
    const found = bandTransfer(averaged([here, noise(6, 0.3, 5, 2)], 4096), 1, bandCentres(3, 50, 16_000), 3);
    expect(Math.max(...found.coherence)).toBeLessThan(0.1);
    const none = bandTransfer(averaged([silence(1), here], 4096), 1, [1000], 3);
    expect(none.differenceDb[0]).toBeNaN();
    expect(none.coherence[0]).toBe(0);
  });
});

describe("the kind of phase", () => {
  const here = music(8);
  const kindOf = (key: string, settings: Record<string, unknown>) =>
    phaseOf(averaged([here, throughProcessors(here, [key, settings])], 16_384));
  const bell = { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 8, q: 1 }] };

  it("is told for each of them", () => {
    expect(kindOf("bilinear-equalizer", bell).kind).toBe("minimum");
    expect(kindOf("linear-phase-equalizer", bell).kind).toBe("linear");
    expect(kindOf("gain", { gainDb: -6 }).kind).toBe("none");
    expect(kindOf("all-pass", {}).kind).toBe("all-pass");
  });

  it("is mixed where a bell stands before a linear one of its size, and says nothing of other material", () => {
    const both = throughProcessors(
      here,
      ["bilinear-equalizer", bell],
      ["linear-phase-equalizer", bell],
      ["all-pass", {}],
    );
    expect(phaseOf(averaged([here, both], 16_384)).kind).toBe("mixed");
    expect(phaseOf(averaged([here, noise(8, 0.2, 3, 2)], 16_384)).kind).toBe("unknown");
  });

  it("has scipy's minimum phase", () => {
    const { taps, hertz, radians } = scipy.minimumPhase;
    const spectrum = forwardReal(Float64Array.from(taps as number[]), 16_384);
    const logs = Float64Array.from(
      { length: 8193 },
      (_, k) => 0.5 * Math.log(spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2 + 1e-20),
    );
    const phase = minimumPhaseOf(logs);
    for (const [i, hz] of (hertz as number[]).entries()) {
      const [k, part] = [Math.floor((hz * 16_384) / 48_000), ((hz * 16_384) / 48_000) % 1];
      // Whole turns do not matter.
      const off = phase[k] + part * (phase[k + 1] - phase[k]) - radians[i];
      expect(off - 2 * Math.PI * Math.round(off / (2 * Math.PI))).toBeCloseTo(0, 2);
    }
  });

  it("has scipy's group delay, and takes a delay off", () => {
    const { b, a, hertz, samples } = scipy.groupDelay as {
      b: number[];
      a: number[];
      hertz: number[];
      samples: number[];
    };
    const impulse = new Float64Array(16_384);
    for (let n = 0; n < impulse.length; n++)
      impulse[n] = (b[n] ?? 0) - a.slice(1).reduce((sum, c, k) => sum + c * (impulse[n - 1 - k] ?? 0), 0);
    const reading = phaseReading(forwardReal(impulse, 16_384), new Float64Array(8193).fill(1), 48_000);
    expect(reading.kind).toBe("minimum");
    for (const [i, hz] of hertz.entries()) {
      const at = reading.hertz.reduce(
        (best, v, n) => (Math.abs(v - hz) < Math.abs(reading.hertz[best] - hz) ? n : best),
        0,
      );
      // Between neighbours of a twelfth of an octave, at the frequency nearest by.
      expect(Math.abs(reading.groupDelayMs[at] * 48 - samples[i])).toBeLessThan(0.05 * samples[i] + 0.3);
    }
    const late = new Float64Array(16_384);
    late.set(impulse.subarray(0, 16_000), 37);
    const delayed = phaseReading(forwardReal(late, 16_384), new Float64Array(8193).fill(1), 48_000);
    expect(delayed.delaySamples).toBeCloseTo(37, 0);
  });

  it("shows ringing before time zero only where there is some", () => {
    const rings = (key: string) => {
      const { response } = kindOf(key, { bands: [{ kind: "bell", frequencyHz: 500, gainDb: 9, q: 4 }] });
      const { taps, lead } = tapsOf(response);
      return ringingOf(taps, lead, 48_000);
    };
    const [least, linear] = [rings("bilinear-equalizer"), rings("linear-phase-equalizer")];
    expect(least.afterMs).toBeGreaterThan(5);
    expect(linear.beforeMs).toBeGreaterThan(5);
    expect(Math.abs(linear.beforeMs - linear.afterMs)).toBeLessThan(2);
    expect(least.beforeMs).toBeLessThan(linear.beforeMs / 2);
  });
});
