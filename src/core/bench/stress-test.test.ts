import { describe, expect, it } from "vitest";
import { samplePeak } from "../audio/clip";
import { FORCE_DRIVES_DB, FORCE_MATERIALS, stressMaterial, stressTitle } from "./stress-test";

describe("material that is sent through by force", () => {
  it("stands at −6 dBFS and its drive, whatever it is, and is the same but for that", () => {
    for (const { key } of FORCE_MATERIALS) {
      const [soft, loud] = [stressMaterial(key, 0), stressMaterial(key, FORCE_DRIVES_DB[1])];
      expect(20 * Math.log10(samplePeak(soft))).toBeCloseTo(-6, 3);
      expect(20 * Math.log10(samplePeak(loud))).toBeCloseTo(18, 3);
      const factor = 10 ** (FORCE_DRIVES_DB[1] / 20);
      for (let i = 0; i < soft.channels[0].length; i += 4999)
        expect(Math.abs(loud.channels[0][i] - factor * soft.channels[0][i])).toBeLessThan(1e-5 * factor);
    }
  });
  it("is tonal and percussive: bells ring on where drums have died away", () => {
    // Crest factor: strokes stand further over their mean than what rings (common practice, no published source).
    const [bells, drums] = FORCE_MATERIALS.map(({ key }) => {
      const clip = stressMaterial(key, 0);
      const [channel] = clip.channels;
      return samplePeak(clip) / Math.sqrt(channel.reduce((sum, v) => sum + v * v, 0) / channel.length);
    });
    expect(drums).toBeGreaterThan(bells);
  });
  it("is named by what it is and how far it is driven, and is refused where there is none", () => {
    expect(stressTitle("hand drums", 24)).toBe("Stress test: hand drums, +24 dB");
    expect(() => stressMaterial("nothing", 0)).toThrow(RangeError);
  });
});
