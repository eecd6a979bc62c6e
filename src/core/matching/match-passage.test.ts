import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { gainToLoudness } from "../loudness/loudness";
import { measureLevels } from "../loudness/measure";
import { recording } from "../testing/recordings";
import { DELIVERY_TARGETS, deliveryVerdict, turnDown } from "./delivery";
import { DEFAULT_MATCH, MATCH_METHODS, type MatchEntry, type MatchSettings, matchPassage } from "./match-passage";

type Figures = { integrated?: number | null; shortTerm?: number | null; rms?: number | null; peak?: number | null };

const entry = (
  id: string,
  { integrated = -20, shortTerm = -18, rms = -21, peak = -6 }: Figures,
  fit?: number,
): MatchEntry => ({
  id,
  levels: { integratedLufs: integrated, maxShortTermLufs: shortTerm, rmsDbfs: rms, truePeakDbtp: peak },
  fitGainDb: fit,
  wholeTruePeakDbtp: peak,
});

const settings = (change: Partial<MatchSettings>): MatchSettings => ({ ...DEFAULT_MATCH, ...change });

describe("the match of a passage", () => {
  const dry = entry("dry", {}, 0);
  const loud = entry("loud", { integrated: -16, shortTerm: -13, rms: -19, peak: -3 }, -4.2);
  const quiet = entry("quiet", { integrated: -23, shortTerm: -22, rms: -23, peak: -9 }, 2.5);
  const all = [dry, loud, quiet];

  it.each([
    ["integrated", 4],
    ["short-term", 5],
    ["rms", 2],
    ["true peak", 3],
    ["least squares", 4.2],
  ] as const)("by %s takes away the edge it measures", (method, levelOffset) => {
    const match = matchPassage(all, "dry", settings({ method }));
    expect(match.method).toBe(method);
    expect(match.renders.get("dry")).toMatchObject({ gainDb: 0, levelOffset: 0 });
    expect(match.renders.get("loud")?.levelOffset).toBeCloseTo(levelOffset, 10);
    expect(match.renders.get("loud")?.gainDb).toBeCloseTo(-levelOffset, 10);
  });

  it("goes to the dry render, the quietest, or a figure", () => {
    const gains = (target: MatchSettings["target"]) =>
      all.map((e) => matchPassage(all, "dry", settings({ target })).renders.get(e.id)?.gainDb);
    expect(gains({ to: "dry" })).toEqual([0, -4, 3]);
    expect(gains({ to: "quietest" })).toEqual([-3, -7, 0]);
    expect(gains({ to: "figure", level: -24 })).toEqual([-4, -8, -1]);
  });

  it("comes down together when a true peak would pass the ceiling", () => {
    const match = matchPassage(all, "dry", settings({ target: { to: "figure", level: -12 } }));
    // The dry one would peak at −6 + 8 = +2, the loud one at −3 + 4, the quiet one at −9 + 11 = +2 dBTP.
    expect(match.trimDb).toBeCloseTo(-3, 10);
    expect(match.renders.get("dry")?.gainDb).toBeCloseTo(5, 10);
    expect(matchPassage(all, "dry", settings({ ceilingDbtp: -8 })).trimDb).toBeCloseTo(-2, 10);
  });

  it("goes by RMS where some render has no figure of the kind asked for, and lets silence be", () => {
    const short = entry("short", { integrated: null, shortTerm: null, rms: -25 });
    const silent = entry("silent", { integrated: null, shortTerm: null, rms: null, peak: null });
    const match = matchPassage([dry, short, silent], "dry", DEFAULT_MATCH);
    expect(match.method).toBe("rms");
    expect(match.renders.get("short")).toMatchObject({ gainDb: 4, levelOffset: -4 });
    expect(match.renders.get("silent")).toEqual({ gainDb: 0, levelOffset: null, level: null });
    expect(matchPassage([dry, silent], "dry", DEFAULT_MATCH).method).toBe("integrated");
    // A figure in LUFS is none in dBFS: the dry render is the target then.
    const figure = settings({ target: { to: "figure", level: -30 } });
    expect(matchPassage([dry, short], "dry", figure).targetLevel).toBe(-21);
  });

  it("leaves all that sounds at one level and under the ceiling, whatever the figures", () => {
    const level = fc.double({ min: -60, max: 0, noNaN: true });
    const figures = fc.record({ integrated: level, shortTerm: level, rms: level, peak: level });
    fc.assert(
      fc.property(
        fc.array(figures, { minLength: 1, maxLength: 8 }),
        fc.constantFrom(...MATCH_METHODS),
        (list, method) => {
          const entries = list.map((f, i) => entry(String(i), f, f.rms));
          const match = matchPassage(entries, "0", settings({ method, target: { to: "quietest" } }));
          const after = entries.map(
            (e) => (match.renders.get(e.id)?.level ?? 0) + (match.renders.get(e.id)?.gainDb ?? 0),
          );
          for (const figure of after) expect(figure).toBeCloseTo(after[0], 9);
          for (const e of entries) {
            expect((e.wholeTruePeakDbtp ?? 0) + (match.renders.get(e.id)?.gainDb ?? 0)).toBeLessThanOrEqual(-1 + 1e-9);
          }
        },
      ),
    );
  });

  it("holds when a recording is measured again with its gain, to a hundredth of a dB", () => {
    const tabla = recording("tabla-44100");
    const louder = scaleClip(tabla, amplitudeFromDb(5.3));
    const entryOf = (id: string, clip: typeof tabla): MatchEntry => {
      const levels = measureLevels(clip);
      return { id, levels, wholeTruePeakDbtp: levels.truePeakDbtp };
    };
    for (const method of ["integrated", "rms", "true peak"] as const) {
      const match = matchPassage([entryOf("dry", tabla), entryOf("x", louder)], "dry", settings({ method }));
      const gainOf = (id: string) => amplitudeFromDb(match.renders.get(id)?.gainDb ?? 0);
      const [a, b] = [scaleClip(tabla, gainOf("dry")), scaleClip(louder, gainOf("x"))].map(measureLevels);
      expect(Math.abs((a.integratedLufs ?? 0) - (b.integratedLufs ?? 9))).toBeLessThan(0.01);
      expect(b.truePeakDbtp).toBeLessThanOrEqual(-1 + 0.001);
    }
  });
});

describe("delivery", () => {
  const at = (integratedLufs: number | null, truePeakDbtp: number | null) => ({ integratedLufs, truePeakDbtp });

  it("passes within the tolerance and says by how much not", () => {
    const { broadcast, streaming } = DELIVERY_TARGETS;
    expect(deliveryVerdict(at(-23.4, -1.2), broadcast)).toMatchObject({ loudnessPasses: true, peakPasses: true });
    expect(deliveryVerdict(at(-9.2, 0.3), streaming)).toEqual({
      offLu: expect.closeTo(4.8, 10),
      loudnessPasses: false,
      overDb: expect.closeTo(1.3, 10),
      peakPasses: false,
    });
    expect(deliveryVerdict(at(null, null), streaming)).toEqual({
      offLu: null,
      loudnessPasses: null,
      overDb: null,
      peakPasses: null,
    });
  });

  it("is what EBU R 128 asks of broadcast: −23 LUFS ± 0.5 LU, −1 dBTP at most", () => {
    expect(DELIVERY_TARGETS.broadcast).toMatchObject({ integratedLufs: -23, toleranceLu: 0.5, truePeakDbtp: -1 });
    expect(deliveryVerdict(at(-22.5, -1), DELIVERY_TARGETS.broadcast)).toMatchObject({
      loudnessPasses: true,
      peakPasses: true,
    });
    expect(deliveryVerdict(at(-22.4, -0.9), DELIVERY_TARGETS.broadcast)).toMatchObject({
      loudnessPasses: false,
      peakPasses: false,
    });
  });

  it("turns down what is louder, leaves what is quieter, and says what could be lifted", () => {
    const { streaming } = DELIVERY_TARGETS;
    expect(turnDown(at(-8, -0.5), streaming)).toEqual({
      gainDb: -6,
      integratedLufs: -14,
      truePeakDbtp: -6.5,
      liftDb: 0,
    });
    expect(turnDown(at(-20, -4), streaming)).toEqual({
      gainDb: 0,
      integratedLufs: -20,
      truePeakDbtp: -4,
      liftDb: 3,
    });
    expect(turnDown(at(-15, -9), streaming)?.liftDb).toBe(1);
    expect(turnDown(at(null, -9), streaming)).toBeNull();
  });
});

describe("a match that holds after it is made", () => {
  const guitar = recording("guitar-48000");
  const levelsOf = (clip: typeof guitar) => measureLevels(clip);

  it("a render that lacks a part is held against the dry one where it has sound", () => {
    const whole = entry("dry", { integrated: -20 });
    const part: MatchEntry = {
      ...entry("part", { integrated: -24 }),
      dryLevels: entry("x", { integrated: -19 }).levels,
    };
    const match = matchPassage([whole, part], "dry", settings({}));
    expect(match.renders.get("part")).toMatchObject({ levelOffset: -5, gainDb: 5, level: -25 });
    const byRms = matchPassage(
      [whole, { ...part, dryLevels: entry("x", { rms: -22 }).levels }],
      "dry",
      settings({ method: "rms" }),
    );
    expect(byRms.renders.get("part")?.levelOffset).toBeCloseTo(1, 10);
  });

  it("settles where the gate lets in more once a quiet render is raised", () => {
    // Two seconds of sound, then much that lies under the gate of −70 LUFS until it is raised by 40 dB.
    const quiet = scaleClip(guitar, amplitudeFromDb(-46));
    const tail = scaleClip(guitar, amplitudeFromDb(-53));
    const clip = {
      ...guitar,
      channels: quiet.channels.map((c, i) => Float32Array.from([...c.subarray(0, 96_000), ...tail.channels[i]])),
    };
    const own = levelsOf(clip);
    expect(own.gating.length).toBeGreaterThan(1);
    for (const target of [-20, -30, -60]) {
      const gainDb = gainToLoudness(own.gating, target) ?? 0;
      const after = levelsOf(scaleClip(clip, amplitudeFromDb(gainDb))).integratedLufs ?? 0;
      expect(Math.abs(after - target), `to ${target}`).toBeLessThan(0.02);
    }
  });

  it("is the plain difference where the gate cuts nothing", () => {
    const own = levelsOf(guitar);
    expect(gainToLoudness(own.gating, -30)).toBeCloseTo(-30 - (own.integratedLufs ?? 0), 6);
    expect(gainToLoudness([], -30)).toBeNull();
  });
});
