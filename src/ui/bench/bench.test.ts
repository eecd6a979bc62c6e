import { beforeEach, describe, expect, it } from "vitest";
import { PICTURE_COLUMNS, PICTURE_FLOOR_DB, PICTURE_ROWS, type SweepPicture } from "@/core/bench/read/sweep-picture";
import type { BenchTone } from "@/core/bench/report";
import { levelCheckWords } from "@/core/words/bench-live";
import { gainSettingsWords } from "@/core/words/bench-views";
import { distortionDb } from "./harmonics-view";
import { foldWords } from "./sweep-view";
import { toggleShown, useBenchSettings } from "./use-bench";

describe("what a level check says", () => {
  it("asks for a cable where nothing comes back, for less where it clips, and else tells the room there is", () => {
    expect(levelCheckWords(Number.NEGATIVE_INFINITY)).toMatch(/^Almost no signal returns \(silence\)/);
    expect(levelCheckWords(-63.2)).toMatch(/^Almost no signal returns \(−63\.2.dBFS\)/);
    expect(levelCheckWords(0)).toMatch(/^The return clips/);
    expect(levelCheckWords(-11.8)).toMatch(/Returns at −11\.8.dBFS: 11\.8.dB of headroom/);
  });
});

describe("what is seen of a sweep, in words", () => {
  const empty: SweepPicture = {
    sampleRateHz: 48_000,
    levelDbfs: -1,
    growSeconds: 0.3,
    levelsDb: new Array(PICTURE_COLUMNS * PICTURE_ROWS).fill(PICTURE_FLOOR_DB),
  };
  it("is nothing where nothing folds, and not told where there is no picture", () => {
    expect(foldWords(undefined)).toBeUndefined();
    expect(foldWords(empty)).toBe("no aliasing visible");
  });
  it("names the order that is drawn where it would fold, and its level", () => {
    const levelsDb = empty.levelsDb.slice();
    for (let column = 100; column < 140; column++) {
      const sent = ((column + 0.5) * 24_000) / PICTURE_COLUMNS;
      const row = Math.floor(((48_000 - 2 * sent) * PICTURE_ROWS) / 24_000);
      levelsDb[column * PICTURE_ROWS + row] = -37;
    }
    expect(foldWords({ ...empty, levelsDb })).toMatch(/^aliasing of H2, H2 up to −37.dB$/);
  });
});

describe("a distortion of a tone", () => {
  const tone: BenchTone = {
    hertz: 1000,
    levelDbfs: -12,
    outDbfs: -12,
    partialsDb: [-40, null, -60, null, null, null, null, null, null],
    partialErrorsDb: [0, null, 0, null, null, null, null, null, null],
    thdPercent: 1,
    thdNoisePercent: 10,
    aliasDb: null,
    aliasErrorDb: null,
  };
  it("is one harmonic, all of them or all that is not the tone, in dB over it", () => {
    expect(distortionDb(tone, "H2")).toBe(-40);
    expect(distortionDb(tone, "H4")).toBe(-60);
    expect(distortionDb(tone, "THD")).toBeCloseTo(-40, 9);
    expect(distortionDb(tone, "THD+N")).toBeCloseTo(-20, 9);
  });
  it("is none where noise hides it", () => {
    expect(distortionDb(tone, "H3")).toBeNaN();
    expect(distortionDb({ ...tone, thdPercent: null }, "THD")).toBeNaN();
    expect(distortionDb({ ...tone, thdPercent: 0 }, "THD")).toBeNaN();
  });
});

describe("the verdict on settings by gain", () => {
  const found = {
    chain: [],
    seconds: [],
    wantedDb: [],
    foundDb: [],
    leftDb: 0.04,
    mostLeftDb: 0.31,
    mostLeftSeconds: 3.25,
    movesDb: 2.2,
    unreached: [],
  };
  it("is yes where what is left is hardly there, and tells how far it is off either way", () => {
    expect(gainSettingsWords(found, "Verse")).toMatch(
      /^Yes, by gain over time on Verse: RMS error 0\.04.dB, maximum 0\.31.dB at 0:03\.250\.$/,
    );
    expect(gainSettingsWords({ ...found, leftDb: 0.4 }, "Verse")).toMatch(
      /^Not quite: RMS error 0\.40.dB.*gain range 2\.20.dB\.$/,
    );
  });
});

describe("what is drawn beside the pair", () => {
  beforeEach(() => useBenchSettings.setState({ shown: new Set() }));
  it("is ticked and unticked, each by itself", () => {
    toggleShown("a");
    toggleShown("b");
    toggleShown("a");
    expect([...useBenchSettings.getState().shown]).toEqual(["b"]);
  });
});
