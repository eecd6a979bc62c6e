import { describe, expect, it } from "vitest";
import type { Chain } from "../processors/chain";
import { PROCESSORS } from "../processors/registry";
import type { SettingLine } from "./candidate";
import { settingsOfChain, summaryOfChain } from "./chain-settings";
import { parityOf, quantityOf } from "./parity";

const line = (parameter: string, value: string, unit = "", note = ""): SettingLine => ({
  parameter,
  value,
  unit,
  note,
});

describe("quantities as people write them", () => {
  it.each([
    ["4", "kHz", 4000, "hz"],
    ["4k", "Hz", 4000, "hz"],
    ["4,2 kHz", "", 4200, "hz"],
    ["−3.5", "dB", -3.5, "db"],
    ["+2", "dB", 2, "db"],
    ["0.1", "s", 100, "ms"],
    ["4:1", "", 4, ":1"],
    [".5", "x", 0.5, "×"],
  ])("%s %s is %d %s", (value, unit, number, base) => {
    expect(quantityOf({ value, unit })).toEqual({ number, unit: base });
  });

  it("leaves words as words", () => {
    expect(quantityOf({ value: "Linear phase", unit: "" })).toEqual({ words: "linear phase" });
  });
});

describe("parity", () => {
  it("marks what is unequal, with the reason noted, and sees through units", () => {
    const rows = parityOf([
      [
        line("Frequency", "4", "kHz"),
        line("Gain", "4", "dB"),
        line("Attack", "100", "ms"),
        line("Phase mode", "Linear"),
      ],
      [
        line("frequency", "4000", "Hz"),
        line("Gain", "4.5", "dB", "steps 3 and 4.5"),
        line("Attack", "0.1", "s"),
        line("Phase mode", "minimum"),
        line("Drive", "3", "dB"),
      ],
    ]);
    expect(rows.map((r) => [r.parameter, r.state])).toEqual([
      ["Frequency", "equal"],
      ["Gain", "unequal"],
      ["Attack", "equal"],
      ["Phase mode", "unequal"],
      ["Drive", "given by some"],
    ]);
    expect(rows[1].lines[1]?.note).toBe("steps 3 and 4.5");
    expect(rows[4].lines[0]).toBeNull();
  });

  it("keeps a parameter said twice in two rows", () => {
    const bands = [line("Gain", "3", "dB"), line("Gain", "-2", "dB")];
    expect(parityOf([bands, bands]).map((r) => r.state)).toEqual(["equal", "equal"]);
  });

  it("of one candidate is all equal", () => {
    expect(parityOf([[line("Gain", "3")]])).toMatchObject([{ state: "equal" }]);
    expect(parityOf([])).toEqual([]);
  });
});

describe("a chain as settings", () => {
  const chain: Chain = [
    {
      processorKey: "matched-equalizer",
      settings: {
        bands: [
          { kind: "high shelf", frequencyHz: 12_000, gainDb: 5 },
          { kind: "low cut", frequencyHz: 30, slopeDbPerOctave: 24 },
        ],
        outputDb: -1.5,
      },
    },
  ];

  it("is written out line by line, cuts with their slope", () => {
    const lines = settingsOfChain(chain);
    expect(lines).toContainEqual(line("Band 1 frequency", "12000", "Hz"));
    expect(lines).toContainEqual(line("Band 2 slope", "24", "dB/oct"));
    expect(lines.some((l) => l.parameter === "Band 2 gain")).toBe(false);
    expect(lines).toContainEqual(line("Output", "−1.5", "dB"));
  });

  it("names its stages when there are several", () => {
    const two: Chain = [...chain, { processorKey: "feed-forward-compressor", settings: { ratio: 2 } }];
    expect(settingsOfChain(two)).toContainEqual(line("Stage 2: ratio", "2", ":1"));
  });

  it("is summed up by what was changed", () => {
    expect(summaryOfChain(chain)).toBe("high shelf 12 kHz +5, low cut 30 Hz 24 dB/oct, output −1.5");
    expect(summaryOfChain([{ processorKey: "feed-forward-compressor", settings: { ratio: 2 } }])).toBe("ratio 2:1");
    expect(summaryOfChain([{ processorKey: "gain", settings: {} }])).toBe("Gain");
  });

  it("can be written for every processor", () => {
    for (const { key } of PROCESSORS) {
      for (const { parameter } of settingsOfChain([{ processorKey: key, settings: {} }])) {
        expect(parameter).not.toContain("undefined");
      }
    }
  });
});
