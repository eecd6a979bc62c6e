import { describe, expect, it } from "vitest";
import { benchChain } from "./bench";
import { findSettings } from "./find-settings";
import { FINDABLE, foundSettingsSchema, wantedOf } from "./found-settings";
import { DEFAULT_FORM } from "./signal-plan";

const measured = (processorKey: string, settings: object) =>
  wantedOf(benchChain([{ processorKey, settings: { ...settings } }], { ...DEFAULT_FORM, channelCount: 1 }));
const lift = {
  bands: [
    { kind: "high shelf", frequencyHz: 12_000, gainDb: 5, q: 0.71 },
    { kind: "bell", frequencyHz: 300, gainDb: -2, q: 1 },
  ],
  outputDb: -2.5,
};

describe("a settings finder", () => {
  it("finds the very settings where a processor is to be like itself, in as many bands as it takes", () => {
    const found = findSettings(measured("bilinear-equalizer", lift), "bilinear-equalizer", 2);
    expect(foundSettingsSchema.safeParse(found).success).toBe(true);
    expect(found.mostLeftDb).toBeLessThan(0.02);
    expect(found.unreached).toEqual([]);
    const { bands, outputDb } = found.chain[0].settings as {
      bands: { frequencyHz: number; gainDb: number }[];
      outputDb: number;
    };
    expect(bands.map((b) => Math.round(b.frequencyHz))).toEqual([300, 12_000]);
    expect(bands[1].gainDb).toBeCloseTo(5, 1);
    expect(outputDb).toBeCloseTo(-2.5, 1);
    const path = findSettings(
      measured("parallel-high-shelf", { levelDb: -3, slopeDbPerOctave: 12 }),
      "parallel-high-shelf",
      8,
    );
    expect(path.mostLeftDb).toBeLessThan(0.1);
    expect(path.chain[0].settings).toMatchObject({ slopeDbPerOctave: 12 });
  });

  it("says how near another comes, and what it cannot reach", () => {
    const wanted = measured("bilinear-equalizer", lift);
    const matched = findSettings(wanted, "matched-equalizer", 2);
    expect(matched.mostLeftDb).toBeGreaterThan(0.1);
    expect(matched.unreached.join()).toMatch(/one is squeezed towards half the rate and the other is not/);
    // More bands come nearer; what they leave is judged by the processor itself.
    const more = findSettings(wanted, "matched-equalizer", 8);
    expect(more.mostLeftDb).toBeLessThan(matched.mostLeftDb);
    const again = benchChain(more.chain).response.magnitudeDb;
    for (const [i, hz] of more.hertz.entries())
      if (hz > 40 && hz < 20_000) expect(Math.abs(again[i] - more.curveDb[i])).toBeLessThan(0.02);
    expect(findSettings(wanted, "linear-phase-equalizer", 8).unreached.join()).toMatch(
      /turns no phase where the other does/,
    );
    expect(findSettings(wanted, "passive-low-pair", 8).unreached.join()).toMatch(/its shape is its own/);
  });

  it("keeps to the panel's bounds, and knows what no equalizer does", () => {
    const steep = findSettings(
      measured("bilinear-equalizer", { bands: [{ kind: "low cut", frequencyHz: 300, slopeDbPerOctave: 48 }] }),
      "bilinear-equalizer",
      8,
    );
    expect(steep.mostLeftDb).toBeLessThan(0.5);
    expect(foundSettingsSchema.safeParse(steep).success).toBe(true);
    const drive = findSettings(measured("drive-stage", { driveDb: 18 }), FINDABLE[0], 8);
    expect(drive.unreached.join(" ")).toMatch(/adds harmonics/);
    expect(drive.unreached.join(" ")).toMatch(/moves with level/);
    expect(() => findSettings(measured("gain", {}), "drive-stage", 8)).toThrow(RangeError);
  });
});
