import { describe, expect, it } from "vitest";
import { type Clip, scaleClip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { clipOf, soundOf } from "../audio/sound";
import { measureLoudness } from "../loudness/loudness";
import { noise, silence, sine } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { recording } from "../testing/recordings";
import { againstTarget, spectrumLoudness } from "./against-target";
import { averagedSpectra } from "./averaged";
import { bandCentres } from "./bands";

function averaged(clip: Clip, points = 8192) {
  const found = averagedSpectra([soundOf(clip)], { startFrame: 0, endFrame: clip.channels[0].length }, points);
  if (!found) throw new Error("no segment fits");
  return found;
}
const thirds = bandCentres(3, 25, 20_000);

describe("loudness of a spectrum", () => {
  it("reads a sine of 997 Hz at full scale in one channel as BS.1770 says, at every rate", () => {
    for (const sampleRateHz of [44_100, 48_000, 96_000, 192_000]) {
      const tone = sine({ hertz: 997, peakDbfs: 0, seconds: 2, sampleRateHz, channels: 1 });
      expect(spectrumLoudness(averaged(tone, 16_384))).toBeCloseTo(-3.01, 1);
    }
  });

  it("is that of the meter on steady material, and near it on music, where gates make the difference", () => {
    const hiss = noise(4, 0.2, 5, 2);
    expect(spectrumLoudness(averaged(hiss))).toBeCloseTo(measureLoudness(hiss).integratedLufs ?? 0, 1);
    for (const clip of [music(10), recording("guitar-48000"), recording("drums-88200")]) {
      const off = spectrumLoudness(averaged(clip)) - (measureLoudness(clip).integratedLufs ?? 0);
      expect(Math.abs(off)).toBeLessThan(3);
    }
    expect(spectrumLoudness(averaged(silence(1)))).toBe(Number.NEGATIVE_INFINITY);
  });
});

describe("tone against a target", () => {
  const own = music(8);

  it("is nothing where the target is the same at another level, rate or as mono", () => {
    for (const target of [
      scaleClip(own, 0.3),
      clipOf(atRate(soundOf(own), 96_000)),
      { ...own, channels: [own.channels[0], own.channels[0]] },
    ]) {
      // Mono against the same on both sides: louder by 3 dB, and no other in tone.
      const alike = target.channels[1] === target.channels[0] ? { ...own, channels: [own.channels[0]] } : own;
      const points = target.sampleRateHz === 96_000 ? 16_384 : 8192;
      const apart = againstTarget(averaged(alike), 0, averaged(target, points), thirds, 3);
      for (const [i, db] of apart.entries())
        if (thirds[i] > 60 && thirds[i] < 16_000) expect(Math.abs(db)).toBeLessThan(0.2);
    }
  });

  it("shows a bell by how much it lifts, but for what it adds to loudness", () => {
    const lifted = throughProcessors(own, [
      "bilinear-equalizer",
      { bands: [{ kind: "bell", frequencyHz: 8000, gainDb: 6, q: 1.4 }] },
    ]);
    const apart = againstTarget(averaged(lifted), 0, averaged(own), thirds, 3);
    const at = (hz: number) => apart[thirds.findIndex((t) => Math.abs(t / hz - 1) < 0.1)];
    const louder = spectrumLoudness(averaged(lifted)) - spectrumLoudness(averaged(own));
    expect(louder).toBeGreaterThan(0);
    expect(at(8000) + louder).toBeCloseTo(6, 0);
    expect(at(500) + louder).toBeCloseTo(0, 1);
  });

  it("says nothing above half of the lower rate, nor of silence", () => {
    const low = clipOf(atRate(soundOf(own), 16_000));
    const apart = againstTarget(averaged(own), 0, averaged(low), thirds, 3);
    for (const [i, db] of apart.entries()) expect(Number.isNaN(db)).toBe(thirds[i] >= 8000);
    expect(againstTarget(averaged(own), 0, averaged(silence(1)), thirds, 3).every(Number.isNaN)).toBe(true);
  });
});
