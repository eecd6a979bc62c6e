import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { atRate } from "../audio/resample";
import { clipOf, soundOf } from "../audio/sound";
import { explainPair } from "../explain/explain";
import { laddered, music, stepResidualDb, taken, throughProcessors } from "../testing/chains";
import { type CauseFound, causesOf } from "./causes";
import { ladderOf } from "./ladder-report";

// What processors do is known by how they were set; ffmpeg's and sox's are met by `npm run trial -- explain`.

const LOW = 16_000;
const mono = music(6, 1, 1, LOW);
const stereo = music(6, 2, 1, LOW);
type Stage = [string, Record<string, unknown>];
const eq = (...bands: object[]): Stage => ["bilinear-equalizer", { bands }];
const BELL = { kind: "bell", frequencyHz: 1000, gainDb: 4, q: 1 };
const compressor: Stage = ["feed-forward-compressor", { thresholdDb: -30, attackMs: 15, releaseMs: 150 }];
/** Causes that claim something, level apart. */
const claims = (causes: readonly CauseFound[]) =>
  causes
    .filter(({ cause }) => cause !== "level" && cause !== "unexplained")
    .map(({ cause, channels }) => `${cause} ${channels}`);
const gainAt = ({ hertz, gainDb }: { hertz: number[]; gainDb: (number | null)[] }, hz: number) =>
  gainDb[hertz.reduce((best, h, i) => (Math.abs(h - hz) < Math.abs(hertz[best] - hz) ? i : best), 0)];
const each = (clip: Clip, work: (v: number) => number): Clip => ({
  ...clip,
  channels: clip.channels.map((c) => c.map(work)),
});
const mixed = (clip: Clip, work: (l: number, r: number, n: number) => [number, number]): Clip => {
  const [l, r] = clip.channels;
  const pairs = Array.from(l, (v, n) => work(v, r[n], n));
  return { ...clip, channels: [0, 1].map((c) => Float32Array.from(pairs, (p) => p[c])) };
};

/** A pair laid by its mid, where the side of Yonder comes so many frames before. */
function midLate(frames: number): { here: Clip; yonder: Clip } {
  const [l, r] = stereo.channels;
  const side = (n: number) => ((l[n] ?? 0) - (r[n] ?? 0)) / 2;
  const yonder = mixed(stereo, (a, b, n) => [(a + b) / 2 + side(n + frames), (a + b) / 2 - side(n + frames)]);
  return { here: stereo, yonder };
}

describe("an equalizer is told from the fitted filter", () => {
  it("with its bands, its curve without the flat gain, and the kind of its phase", () => {
    const { causes } = taken(
      mono,
      throughProcessors(mono, eq(BELL, { kind: "low cut", frequencyHz: 80, slopeDbPerOctave: 24 })),
    );
    expect(claims(causes)).toEqual(["eq both"]);
    const [found] = causesOf(causes, "eq");
    expect(found.phase).toBe("minimum");
    expect(gainAt(found, 1000)).toBeCloseTo(4, 1);
    expect(gainAt(found, 5000)).toBeCloseTo(0, 0);
    expect(found.place).toBeNull();
  });

  it("but not where it moves: that is gain over time of a bell, and no equalizer of what it does on average", () => {
    const settings = {
      frequencyHz: 2000,
      q: 1.5,
      thresholdDb: -45,
      ratio: 4,
      rangeDb: -12,
      attackMs: 5,
      releaseMs: 100,
    };
    const { causes } = taken(mono, throughProcessors(mono, ["dynamic-equalizer", settings]));
    expect(claims(causes)).toEqual(["gainInBands both"]);
    const [{ bell, rangeDb }] = causesOf(causes, "gainInBands");
    expect(Math.abs((bell?.hertz ?? 0) / 2000 - 1)).toBeLessThan(0.05);
    expect(rangeDb).toBeGreaterThan(1);
  });

  it("to a decibel and a half where it is deep and narrow", () => {
    const { causes } = taken(mono, throughProcessors(mono, eq({ kind: "bell", frequencyHz: 100, gainDb: -18, q: 10 })));
    const [{ bands }] = causesOf(causes, "eq");
    expect(bands).toHaveLength(1);
    expect(Math.abs(bands[0].hertz - 100)).toBeLessThan(3);
    expect(Math.abs((bands[0].gainDb ?? 0) + 18)).toBeLessThan(1.5);
  });

  it("on the channels it works on, and on no others", () => {
    const [left] = throughProcessors({ ...stereo, channels: [stereo.channels[0]] }, eq(BELL)).channels;
    expect(claims(taken(stereo, { ...stereo, channels: [left, stereo.channels[1]] }).causes)).toEqual(["eq left"]);
    const inMid = mixed(stereo, (l, r) => [(l + r) / 2, (l - r) / 2]);
    const [mid] = throughProcessors({ ...inMid, channels: [inMid.channels[0]] }, eq(BELL)).channels;
    const yonder = mixed({ ...inMid, channels: [mid, inMid.channels[1]] }, (m, s) => [m + s, m - s]);
    expect(claims(taken(stereo, yonder).causes)).toEqual(["eq mid"]);
  });
});

describe("routing comes under its own name", () => {
  it.each([
    ["balance", mixed(stereo, (l, r) => [l, r * 10 ** (1 / 20)]), { balanceDb: expect.closeTo(1, 2) }],
    [
      "width",
      mixed(stereo, (l, r) => [(l + r) / 2 + 0.7 * (l - r), (l + r) / 2 - 0.7 * (l - r)]),
      { widthDb: expect.closeTo(20 * Math.log10(1.4), 2) },
    ],
  ] as const)("%s", (cause, yonder, told) => {
    const { causes } = taken(stereo, yonder);
    expect(claims(causes)).toEqual([`${cause} both`]);
    expect(causes.find((c) => c.cause === cause)).toMatchObject(told);
  });

  it("swap, polarity of a side, a side that is late, parts that one of them lacks", () => {
    const explained = (yonder: Clip) => {
      const outcome = explainPair({
        here: { file: "a", sound: soundOf(stereo) },
        yonder: { file: "b", sound: soundOf(yonder) },
      });
      if (!outcome.ok) throw new Error(outcome.reason);
      return outcome.value;
    };
    expect(claims(explained({ ...stereo, channels: stereo.channels.toReversed() }).causes)).toEqual(["swap both"]);
    expect(claims(explained(mixed(stereo, (l, r) => [l, -r])).causes)).toEqual(["polarity right"]);
    // The mid alone later, as of a limiter that looks ahead, in the middle only: laid by the mid, sides have nothing in common.
    const { here, yonder } = midLate(240);
    const placed = { delaySamples: 240, polarity: 1, swapped: true, driftPpm: null } as const;
    const task = { ...laddered(here, yonder), placed };
    expect(claims(ladderOf(task, () => {}).causes)).not.toContain("swap both");
    expect(claims(ladderOf({ ...laddered(stereo, stereo), placed }, () => {}).causes)).toContain("swap both");
    // A high-pass takes the lows, in which most of the sides' difference may lie.
    const cut = throughProcessors(stereo, eq({ kind: "low cut", frequencyHz: 400, slopeDbPerOctave: 12 }));
    expect(claims(ladderOf({ ...laddered(stereo, cut), placed }, () => {}).causes)).toContain("swap both");
    const [l, r] = stereo.channels;
    const late = { ...stereo, channels: [l, Float32Array.from(r, (_, n) => r[n - 9] ?? 0)] };
    const { causes } = taken(stereo, late);
    expect(claims(causes)).toEqual(["delay right"]);
    expect(causesOf(causes, "delay")[0].samples).toBeCloseTo(9, 1);
    const longer = {
      ...stereo,
      channels: stereo.channels.map((c) =>
        Float32Array.from({ length: c.length + LOW }, (_, n) => c[n] ?? c[n - 3 * LOW]),
      ),
    };
    const { exceptions, sentence } = explained(longer);
    expect(exceptions).toMatchObject([{ what: "missing in Here", startSeconds: expect.closeTo(6, 1) }]);
    expect(sentence).toContain("missing in Here");
  });
});

describe("late energy is told by the filter where there is sound to know it by", () => {
  it("of an echo on what has nothing above some frequency", () => {
    // At half the rate there is nothing in the upper half: what a filter is there is anybody's guess.
    const low = clipOf(atRate(soundOf(music(9, 1, 1, LOW)), LOW / 2));
    const dull = clipOf(atRate(soundOf(low), LOW));
    const echoed = { ...dull, channels: dull.channels.map((c) => c.map((v, n) => v + 0.35 * (c[n - 2880] ?? 0))) };
    const { causes } = taken(dull, echoed);
    expect(claims(causes)).toEqual(["echo both"]);
    expect(causesOf(causes, "echo")[0].milliseconds).toBeCloseTo(180, 0);
  });
});

describe("level is by energy, not by the gain of the deepest null", () => {
  it("where phase makes that small", () => {
    // Four all-passes of second order turn the phase by up to four whole turns and leave the level alone (by definition).
    const turned = throughProcessors(
      mono,
      ...[150, 400, 1000, 2500].map((frequencyHz): Stage => ["all-pass", { frequencyHz }]),
    );
    const { steps } = taken(mono, {
      ...turned,
      channels: turned.channels.map((c) => c.map((v) => v * 10 ** (-3 / 20))),
    });
    const level = steps.find((s) => s.step === "level");
    expect(level?.step === "level" && level.gainDb).toBeCloseTo(-3, 0);
    expect(level?.step === "level" && (level.nullGainDb ?? -100)).toBeLessThan(-4);
  });
});

describe("a chain's stages are each named", () => {
  // On both sides, and in the other order: chains.test.ts.
  it("an equalizer of +4 dB and a compressor on one side alone, where the other is as it was", () => {
    const [left] = throughProcessors({ ...stereo, channels: [stereo.channels[0]] }, eq(BELL), compressor).channels;
    const { causes } = taken(stereo, { ...stereo, channels: [left, stereo.channels[1]] });
    expect(claims(causes).toSorted()).toEqual(["balance both", "eq left", "gainOverTime left"]);
    expect(gainAt(causesOf(causes, "eq")[0], 1000)).toBeCloseTo(4, 0);
    for (const { worthDb } of causes) if (worthDb !== null) expect(worthDb).toBeGreaterThan(1);
  });

  it("in an order that is told as not known where the other one does as well", () => {
    const ridden = throughProcessors(mono, eq(BELL));
    const yonder = {
      ...ridden,
      channels: ridden.channels.map((c) => c.map((v, n) => v * (0.7 + 0.3 * Math.sin((2 * Math.PI * n) / (2 * LOW))))),
    };
    const { alternatives, causes } = taken(mono, yonder);
    expect(claims(causes).toSorted()).toEqual(["eq both", "gainOverTime both"]);
    if (alternatives.length > 0) expect(causesOf(causes, "eq")[0].place).toBeNull();
    else expect(causesOf(causes, "eq")[0].place).toBe("before");
  });

  it("even and odd saturation, by what it adds at the output", () => {
    // x + a·x²: the second harmonic is a·A/2 of the first, and nothing is odd (by hand).
    const even = { ...mono, channels: mono.channels.map((c) => c.map((v) => v + 0.3 * v * v)) };
    const [bent] = causesOf(taken(mono, even).causes, "saturation");
    expect((bent.evenDb ?? -300) - (bent.oddDb ?? -300)).toBeGreaterThan(20);
  });
});

describe("what was added comes under its own name", () => {
  const added = (rest: (n: number) => number): Clip => ({
    ...mono,
    channels: mono.channels.map((c) => c.map((v, n) => v + rest(n))),
  });

  it("DC, a line to a tenth of a hertz, hum by its fundamental", () => {
    expect(
      causesOf(
        taken(
          mono,
          added(() => 0.01),
        ).causes,
        "dc",
      )[0].fullScale,
    ).toBeCloseTo(0.01, 3);
    const line = taken(
      mono,
      added((n) => 0.002 * Math.sin((2 * Math.PI * 1234.5 * n) / LOW)),
    ).causes;
    expect(causesOf(line, "line")[0].hertz).toBeCloseTo(1234.5, 1);
    const hum = taken(
      mono,
      added((n) => 0.004 * (Math.sin((2 * Math.PI * 50.1 * n) / LOW) + Math.sin((2 * Math.PI * 150.3 * n) / LOW))),
    ).causes;
    expect(causesOf(hum, "hum")[0].hertz).toBeCloseTo(50.1, 1);
    expect(claims(hum)).toEqual(["hum both"]);
    // A held note of the same pitch does not hide it.
    const held = (v: number, n: number) => 0.5 * v + 0.2 * Math.sin((2 * Math.PI * 50 * n) / LOW + Math.sin(n / 9000));
    const under = { ...mono, channels: mono.channels.map((c) => c.map(held)) };
    const over = {
      ...under,
      channels: under.channels.map((c) => c.map((v, n) => v + 0.001 * Math.sin((2 * Math.PI * 50.1 * n) / LOW))),
    };
    expect(claims(taken(under, over).causes)).toEqual(["hum both"]);
  });
});

describe("nothing is claimed that is not there", () => {
  it("of a copy with noise, of sides that differ by less than what is left, of DC that a filter makes", () => {
    const random = seededRandom(5);
    const noisy = { ...stereo, channels: stereo.channels.map((c) => c.map((v) => v + 0.01 * (random() - 0.5))) };
    expect(claims(taken(stereo, noisy).causes)).toEqual(["noise both"]);
    const leaning = mixed(stereo, (l, r) => [l + 0.3 * l ** 3, 1.0002 * (r + 0.3 * r ** 3)]);
    expect(claims(taken(stereo, leaning).causes)).toEqual(["saturation both"]);
  });

  it("of an uneven curve before a coupling capacitor, but the curve", () => {
    // 5 Hz, first order: −0.26 dB at 20 Hz, and what follows the sound like an offset is gone.
    const yonder = throughProcessors(mono, ["biased-stage", { driveDb: 12, bias: 0.4, oversampling: 1 }]);
    const { causes, steps } = taken(mono, yonder);
    expect(claims(causes).filter((c) => c !== "eq both")).toEqual(["saturation both"]);
    for (const { bands, mostDb } of causesOf(causes, "eq")) {
      expect(bands).toEqual([]);
      expect(Math.abs(mostDb)).toBeLessThan(0.5);
    }
    expect(stepResidualDb(steps, "left")).toBeLessThan(-45);
  });

  it("of the same equalizer twice, before and after a curve and a slow ride", () => {
    const driven = throughProcessors(mono, ["drive-stage", { driveDb: 9, oversampling: 1 }]);
    const ridden = {
      ...driven,
      channels: driven.channels.map((c) => c.map((v, n) => v * (0.8 + 0.1 * Math.sin((2 * Math.PI * n) / (3 * LOW))))),
    };
    const shelf = { kind: "high shelf", frequencyHz: 2500, gainDb: 9, q: 0.7 };
    const { causes } = taken(mono, throughProcessors(ridden, eq({ ...BELL, gainDb: 6, q: 3 }, shelf)));
    expect(claims(causes).toSorted()).toEqual(["eq both", "gainOverTime both", "saturation both"]);
    const [{ bands }] = causesOf(causes, "eq");
    expect(bands.map(({ kind }) => kind).toSorted()).toEqual(["bell", "high shelf"]);
    expect(bands.find(({ kind }) => kind === "bell")?.gainDb).toBeCloseTo(6, 0);
  });

  it("of DC where a curve makes it of a wave that leans to one side, or a filter of Here's own; but of DC behind a curve", () => {
    // Rectified a little, as a plucked string or a drum is.
    const leaning = each(mono, (v) => v + 0.3 * Math.abs(v) - 0.01);
    const bent = each(leaning, (v) => Math.tanh(6 * v) / 6);
    expect(claims(taken(leaning, bent).causes)).toEqual(["saturation both"]);
    const [{ fullScale }] = causesOf(
      taken(
        leaning,
        each(bent, (v) => v + 0.008),
      ).causes,
      "dc",
    );
    expect(fullScale).toBeCloseTo(0.008, 3);
    const shelved = throughProcessors(leaning, eq({ kind: "low shelf", frequencyHz: 200, gainDb: 7, q: 0.7 }));
    expect(claims(taken(leaning, shelved).causes)).toEqual(["eq both"]);
  });

  it("but a stretch that another processing made is told, beside a saturator as well", () => {
    const long = music(14.5, 1, 1, LOW);
    const driven = (clip: Clip) => throughProcessors(clip, ["drive-stage", { driveDb: 12, oversampling: 1 }]);
    const [usual, other] = [driven(long), driven(throughProcessors(long, eq({ ...BELL, gainDb: 9 })))];
    const inside = (n: number) => n >= 6 * LOW && n < 7.5 * LOW;
    const yonder = {
      ...usual,
      channels: usual.channels.map((c, k) => c.map((v, n) => (inside(n) ? other.channels[k][n] : v))),
    };
    const outcome = explainPair({
      here: { file: "a", sound: soundOf(long) },
      yonder: { file: "b", sound: soundOf(yonder) },
    });
    if (!outcome.ok) throw new Error(outcome.reason);
    const { exceptions, causes } = outcome.value;
    expect(claims(causes)).toContain("saturation both");
    expect(exceptions.map(({ what }) => what)).toEqual(["different"]);
    expect(exceptions[0].startSeconds).toBeCloseTo(6, 0);
    expect(exceptions[0].endSeconds).toBeCloseTo(7.5, 0);
  });

  it("of other music, and of one and the same", () => {
    expect(claims(taken(mono, music(6, 1, 9, LOW)).causes)).toEqual([]);
    expect(taken(mono, mono).causes).toEqual([]);
  });
});
