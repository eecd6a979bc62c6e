import { describe, expect, it } from "vitest";
import { csvText } from "../csv";
import { type PackFigures, packFileNames, packReadMe } from "./pack-files";

const matched = (passage: string, candidate: string) => ({ passage, candidate, kind: "matched" as const });

describe("the files of a render pack", () => {
  it("have tidy names, no two alike, whatever their titles are", () => {
    expect(
      packFileNames(
        [
          matched("Crossing theme", "Bus compressor, v2.1"),
          matched("Crossing theme", "Bus compressor v2 1"),
          { ...matched("Crossing theme", "Bus compressor v2 1"), kind: "residual" },
          matched("../..", "Ärger & Söhne"),
          matched("日本", "😀"),
        ],
        "wav",
      ),
    ).toEqual([
      "crossing-theme__bus-compressor-v2-1__matched.wav",
      "crossing-theme__bus-compressor-v2-1-2__matched.wav",
      "crossing-theme__bus-compressor-v2-1__residual.wav",
      "untitled__arger-sohne__matched.wav",
      "日本__untitled__matched.wav",
    ]);
  });

  const figures = (file: string, integratedLufs: number | null): PackFigures => ({
    file,
    passage: "Chime",
    candidate: "Bus",
    kind: "matched",
    sampleRateHz: 48_000,
    channelCount: 2,
    frames: 120_000,
    gainDb: -1.5,
    integratedLufs,
    truePeakDbtp: -2.04,
    rmsDbfs: -20,
  });

  it("are told in the read-me with what was measured, what was left out, and whether names are blind", () => {
    const text = packReadMe("Ferry", "2026-11-27T10:00:00.000Z", [figures("a.wav", -19.3), figures("b.wav", null)], {
      isBlind: true,
      leftOut: ["Chime, Reverb"],
    });
    expect(text).toContain("  a.wav: -19.3 LUFS, -2.0 dBTP, 2.500 s\r\n");
    expect(text).toContain("  b.wav: no LUFS, -2.0 dBTP");
    expect(text).toContain("Candidates go by letters");
    expect(text).toContain("  Chime, Reverb");
    expect(text).not.toContain("residual");
    expect(
      packReadMe("Ferry", "2026-11-27T10:00:00.000Z", [figures("a.wav", -19.3)], { isBlind: false, leftOut: [] }),
    ).not.toMatch(/letters|Left out/);
  });
});

describe("rows as CSV", () => {
  it("are quoted where they need it, and no number that is none is written (RFC 4180)", () => {
    expect(
      csvText([
        ["a,b", 'say "x"', "two\nlines"],
        [1.25, null, Number.NaN],
        ["-1 dB", "+3", "=1+1"],
      ]),
    ).toBe(`"a,b","say ""x""","two\nlines"\r\n1.25,,\r\n'-1 dB,'+3,'=1+1\r\n`);
  });
});
