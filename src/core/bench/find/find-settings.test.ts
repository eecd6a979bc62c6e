import { describe, expect, it } from "vitest";
import { type Clip, frameCount } from "../../audio/clip";
import { seededRandom } from "../../audio/random";
import { soundOf } from "../../audio/sound";
import type { Found, FoundFilter } from "../../ladder/found-chain";
import { averagedSpectra } from "../../spectrum/averaged";
import { click } from "../../stimuli/response";
import { BELL_AND_SHELF, music, throughProcessors } from "../../testing/chains";
import { settingsWords } from "../../words/bench-views";
import { benchChain } from "../bench";
import type { BenchReport } from "../report";
import { DEFAULT_FORM } from "../signal/signal-plan";
import { findSettings } from "./find-settings";
import { FINDABLE, foundSettingsSchema, type Wanted, wantedOf, wantedOfFound } from "./found-settings";

function asked(report: BenchReport): Wanted {
  const wanted = wantedOf(report);
  if (!wanted) throw new Error("hidden by noise");
  return wanted;
}
const measured = (processorKey: string, settings: object) =>
  asked(benchChain([{ processorKey, settings: { ...settings } }], { ...DEFAULT_FORM, channelCount: 1 }));
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
    expect(matched.unreached.join()).toMatch(/one is cramped towards Nyquist and the other is not/);
    // More bands come nearer; what they leave is judged by the processor itself.
    const more = findSettings(wanted, "matched-equalizer", 8);
    expect(more.mostLeftDb).toBeLessThan(matched.mostLeftDb);
    const again = benchChain(more.chain).response.magnitudeDb;
    for (const [i, hz] of more.hertz.entries())
      if (hz > 40 && hz < 20_000) expect(Math.abs(again[i] - more.curveDb[i])).toBeLessThan(0.02);
    expect(findSettings(wanted, "linear-phase-equalizer", 8).unreached.join()).toMatch(
      /no phase shift where the target has/,
    );
    expect(findSettings(wanted, "passive-low-pair", 8).unreached.join()).toMatch(/no setting gives that shape/);
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
    expect(drive.unreached.join(" ")).toMatch(/changes with level/);
    expect(() => findSettings(measured("gain", {}), "drive-stage", 8)).toThrow(RangeError);
  });
});

describe("a curve in noise", () => {
  const report = benchChain([{ processorKey: "bilinear-equalizer", settings: lift }], {
    ...DEFAULT_FORM,
    channelCount: 1,
  });
  const { hertz, magnitudeDb } = report.response;
  const random = seededRandom(3);
  const noisy = (errorDb: number[]): BenchReport => ({
    ...report,
    response: {
      ...report.response,
      magnitudeDb: magnitudeDb.map((db, i) => db + 3 * (random() - 0.5) * errorDb[i]),
      errorDb,
    },
  });

  it("is asked for where noise leaves it known, and what is left within noise is no reason", () => {
    const below200 = hertz.map((hz) => (hz < 200 ? 3 : 0.12));
    const wanted = asked(noisy(below200));
    expect(Math.min(...wanted.response.hertz)).toBeGreaterThan(199);
    const found = findSettings(wanted, "bilinear-equalizer", 4);
    expect(found.noiseDb).toBeCloseTo(0.12, 6);
    expect(found.leftDb).toBeLessThan(0.2);
    expect(found.unreached.join(" ")).not.toContain("the curves differ");
    expect(settingsWords(found)).toMatch(/^As close as noise shows: RMS error 0\.1\d.dB, noise 0\.12.dB\.$/);
    expect(settingsWords({ ...found, leftDb: 0.5, mostLeftDb: 1.2 })).toMatch(
      /^Not quite: RMS error 0\.50.dB, maximum/,
    );
  });

  it("is not asked for where noise hides it", () => {
    expect(wantedOf(noisy(hertz.map(() => 0.9)))).toBeNull();
  });
});

describe("a curve the ladder found", () => {
  const processorKey = "matched-equalizer";
  const rate = 16_000;
  const frames = 4096;
  const [taps] = throughProcessors(click(1, 1, rate, frames), [processorKey, BELL_AND_SHELF]).channels;
  const filter = { responses: [[Float64Array.from(taps)]], lead: frames / 2 };
  const foundOf = (own: FoundFilter, moves = false): Found => ({
    domain: "left-right",
    movedSide: { side: "right", samples: 0 },
    stages: [
      { kind: "filter", filter: own, inverse: null },
      ...(moves ? [{ kind: "gain" as const, edgesHz: [], isLinked: true, knotFrames: 480 }] : []),
    ],
    gains: { level: 1, tone: 1, levelOverTime: 1 },
  });
  const spectraOf = (here: Clip, yonder: Clip) => {
    const averaged = averagedSpectra([here, yonder].map(soundOf), { startFrame: 0, endFrame: frameCount(here) }, 2048);
    if (!averaged) throw new Error("too short");
    return averaged;
  };

  it("is asked for where both sounds follow each other, and its bands are found again", () => {
    const here = music(4, 1, 1, rate);
    const wanted = wantedOfFound(
      foundOf(filter, true),
      spectraOf(here, throughProcessors(here, [processorKey, BELL_AND_SHELF])),
    );
    expect(wanted?.signal.sampleRateHz).toBe(rate);
    if (!wanted) throw new Error("nothing known");
    const found = findSettings(wanted, processorKey, 3);
    expect(found.mostLeftDb).toBeLessThan(0.1);
    expect(found.unreached).toContain("The target changes with level; an EQ does not.");
    const { bands } = found.chain[0].settings as { bands: { kind: string; frequencyHz: number; gainDb: number }[] };
    const bell = bands.find((b) => b.kind === "bell");
    expect(Math.abs((bell?.frequencyHz ?? 0) / 200 - 1)).toBeLessThan(0.02);
    expect(bell?.gainDb).toBeCloseTo(6, 1);
  });

  it("is not asked for where one of them is noise, and is none where hardly anything is known", () => {
    const here = music(4, 1, 1, rate);
    const random = seededRandom(4);
    const low = throughProcessors(here, [
      processorKey,
      { bands: [{ kind: "high cut", frequencyHz: 1500, slopeDbPerOctave: 48 }] },
    ]);
    const noisy = { ...low, channels: low.channels.map((c) => c.map((v) => v + 0.003 * (2 * random() - 1))) };
    const wanted = wantedOfFound(foundOf(filter), spectraOf(here, noisy));
    expect(Math.max(...(wanted?.response.hertz ?? []))).toBeLessThan(4000);
    const other = { ...here, channels: here.channels.map((c) => c.map(() => 2 * random() - 1)) };
    expect(wantedOfFound(foundOf(filter), spectraOf(here, other))).toBeNull();
  });
});
