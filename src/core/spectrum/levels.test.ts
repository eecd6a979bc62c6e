import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { soundOf } from "../audio/sound";
import { noise, silence, sine } from "../stimuli/signals";
import { averagedSpectra } from "./averaged";
import { bandCentres } from "./bands";
import { bandLevels, bandPowers } from "./levels";

function averaged(clip: Clip, points = 8192) {
  const found = averagedSpectra([soundOf(clip)], { startFrame: 0, endFrame: clip.channels[0].length }, points);
  if (!found) throw new Error("no segment fits");
  return { channels: found.powers[0], binHz: found.sampleRateHz / points };
}
const thirds = bandCentres(3, 25, 20_000);

describe("levels of bands", () => {
  it("read a full-scale sine as 0 dBFS in the third octave it lies in, mono or stereo, at every rate", () => {
    fc.assert(
      fc.property(fc.constantFrom(44_100, 96_000, 192_000), fc.constantFrom(1, 2), (rate, channels) => {
        const tone = sine({ hertz: 1000, peakDbfs: -6, seconds: 2, sampleRateHz: rate, channels });
        const { channels: powers, binHz } = averaged(tone, 16_384);
        const levels = bandLevels(powers, binHz, thirds, 3);
        const at = thirds.findIndex((hz) => Math.abs(hz - 1000) < 1);
        expect(levels[at]).toBeCloseTo(-6, 1);
        // Two bands away next to nothing of it is left (Hann).
        expect(levels[at + 2]).toBeLessThan(-70);
      }),
      { numRuns: 6 },
    );
  });

  it("add up to all there is: third octaves of noise hold its mean square", () => {
    const hiss = noise(4, 0.5, 17, 2);
    const { channels, binHz } = averaged(hiss);
    const sum = bandPowers(channels, binHz, thirds, 3).reduce((a, b) => a + b, 0);
    // Uniform noise of a half has a mean square of 1/12; the bands reach from 22 Hz to 22.4 kHz of 24.
    expect(sum / (0.25 / 3)).toBeCloseTo(22.4 / 24, 1);
  });

  it("of narrow bands read what a sine in them would, so that they do not sink as they get narrower", () => {
    const hiss = noise(8, 0.5, 18, 1);
    const { channels, binHz } = averaged(hiss);
    const mean = (perOctave: number) => {
      const hertz = bandCentres(perOctave, 500, 8000);
      const levels = bandLevels(channels, binHz, hertz, perOctave);
      return levels.reduce((a, b) => a + b, 0) / levels.length;
    };
    expect(mean(12)).toBeCloseTo(mean(48), 0);
    // Thirds of noise rise by their width: 10 dB from 500 Hz to 5 kHz.
    const wide = bandLevels(channels, binHz, [500, 5000], 3);
    expect(wide[1] - wide[0]).toBeCloseTo(10, 0);
  });

  it("are −∞ where there is nothing", () => {
    const { channels, binHz } = averaged(silence(1));
    for (const perOctave of [3, 12])
      expect([...bandLevels(channels, binHz, [100, 1000], perOctave)]).toEqual([-Infinity, -Infinity]);
  });
});
