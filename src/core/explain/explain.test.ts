import { describe, expect, it } from "vitest";
import { scaleClip, sliceClip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { clipOf, soundOf } from "../audio/sound";
import type { Ladder, LadderStep } from "../ladder/ladder-report";
import { delayed, noise } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { explainPair, explainReportSchema } from "./explain";
import { toneShape } from "./tone-shape";
import { hertzWords, ladderSentence, maskSentence, rangeWords } from "./words";

const LOW = 16_000;
const step = (name: LadderStep["step"], residualDb: number | null, more: object = {}) =>
  ({ step: name, residualDb, ...more }) as LadderStep;

function ladder(
  residuals: [number | null, number | null, number | null, number | null, number | null, number | null],
  more: Partial<Ladder> = {},
): Ladder {
  const [delivered, time, level, tone, overTime, bend] = residuals;
  return {
    steps: [
      step("delivered", delivered),
      step("time", time, { delaySamples: 64, polarity: 1, driftPpm: 0 }),
      step("level", level, { gainDb: -2.7 }),
      step("tone", tone, { fittedDb: tone, taps: 1024, isCrossed: false }),
      step("levelOverTime", overTime, { fittedDb: overTime, bands: 1, edgesHz: [], isLinked: true, rangeDb: 3 }),
      step("bend", bend, { fittedDb: bend, evenDb: -60, oddDb: -30, folds: null, foldsByDb: null }),
      step("left", bend, { kinds: [] }),
    ],
    judged: { seconds: 8, stretches: 5 },
    found: null,
    curve: [],
    problem: null,
    isPartial: false,
    ...more,
  };
}

describe("the sentence over the ladder", () => {
  it.each([
    [ladder([null, null, null, null, null, null]), "The two are the same, sample for sample."],
    [ladder([-8, null, null, null, null, null]), "Put in time, the two are the same, sample for sample."],
    [ladder([-8, -12, -140, -140, -140, -140]), "Nothing but time and level sets the two apart."],
    [ladder([-8, -12, -24, -58.6, -58.6, -58.6]), "Nearly all of it is tone. Nothing above −58 dB is left to explain."],
    [
      ladder([-8, -12, -13, -13, -52, -52]),
      "Nearly all of it is level over time. Nothing above −52 dB is left to explain.",
    ],
    [
      ladder([-8, -12, -18, -18, -18, -70]),
      "Nearly all of it is odd harmonics of a static bend. Nothing above −70 dB is left to explain.",
    ],
    [
      ladder([-2, -3, -10, -14, -45, -45]),
      "Most of it is tone, then level over time. Nothing above −45 dB is left to explain.",
    ],
    [
      ladder([-2, -3, -12, -12, -12, -12]),
      "Neither a filter, nor a gain over time, nor a bend explains what sets them apart. What is left, −12 dB, no step explains.",
    ],
    [
      ladder([2, -20.6, -22.4, -22.4, -22.4, -22.4]),
      "Neither a filter, nor a gain over time, nor a bend explains what sets them apart. What is left, −22 dB, no step explains.",
    ],
    [
      ladder([3, 3, 0, 0, 0, 0]),
      "No step explains anything of it: by all that can be seen, this is different material.",
    ],
  ])("says no more than the figures, case %#", (given, sentence) => {
    expect(ladderSentence(given, null)).toBe(sentence);
  });

  it("says where a filter works, and how much at most", () => {
    const tone = { rangeHz: [7000, 20_000] as [number, number], mostHz: 12_000, mostDb: 4.21 };
    expect(ladderSentence(ladder([-8, -12, -24, -60, -60, -60]), tone)).toBe(
      "Nearly all of it is tone, most of it above 7 kHz, up to +4.2 dB near 12 kHz. Nothing above −60 dB is left to explain.",
    );
    expect(rangeWords([20, 150])).toBe(" below 150 Hz");
    expect(rangeWords([20, 20_000])).toBe("");
    expect([85, 1234, 12_345].map(hertzWords)).toEqual(["85 Hz", "1.2 kHz", "12 kHz"]);
  });

  it("speaks of masks as of an estimate", () => {
    const base = {
      stepSeconds: 0.1,
      highestDb: new Float32Array(1),
      edgesHz: new Float64Array(2),
      mapDb: new Float32Array(1),
      playbackSplDb: 92,
    };
    const at = (overMaskDb: number) => ({
      startSeconds: 1,
      endSeconds: 2,
      lowHertz: 9000,
      highHertz: 16_000,
      overMaskDb,
    });
    expect(maskSentence({ ...base, moments: [at(-3)], shareOver: 0, meanDb: -20 })).toContain(
      "By estimate all of this difference lies under",
    );
    expect(maskSentence({ ...base, moments: [at(6)], shareOver: 0.1, meanDb: -8 })).toBe(
      "By estimate most of this difference lies under the masking threshold; what stands out most is above 9 kHz.",
    );
    expect(maskSentence({ ...base, moments: [], shareOver: 0, meanDb: null })).toBe("There is no difference to hear.");
  });
});

describe("the shape of a tone", () => {
  const hertz = [100, 200, 400, 800, 1600];
  it("is the narrowest run of bands with four fifths of what it does, and its largest change", () => {
    const shape = toneShape(
      hertz,
      Float64Array.of(0, 0, 6, 6, 0.1),
      new Float64Array(5).fill(1),
      new Float64Array(5).fill(1),
      1,
    );
    expect(shape?.rangeHz.map(Math.round)).toEqual([Math.round(400 / Math.SQRT2), Math.round(800 * Math.SQRT2)]);
    expect(shape?.mostDb).toBe(6);
    expect(
      toneShape(hertz, new Float64Array(5), new Float64Array(5).fill(1), new Float64Array(5).fill(1), 1),
    ).toBeNull();
  });
  it("takes its largest change only from where the two go together", () => {
    const shape = toneShape(
      hertz,
      Float64Array.of(20, 0, 3, 0, 0),
      Float64Array.of(0.1, 1, 1, 1, 1),
      new Float64Array(5).fill(1),
      1,
    );
    expect(shape).toMatchObject({ mostHz: 400, mostDb: 3 });
  });
});

describe("a pair explained from its files", () => {
  const dry = music(6, 2, 1, LOW);
  const named = (file: string, clip: typeof dry) => ({ file, sound: soundOf(clip) });
  const bell = { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] };
  const report = (ask: Parameters<typeof explainPair>[0]) => {
    const outcome = explainPair(ask);
    if (!outcome.ok) throw new Error(outcome.reason);
    return explainReportSchema.parse(JSON.parse(JSON.stringify(outcome.value)));
  };

  it("puts it in time and at one level, and says what is left to tone", () => {
    const yonder = delayed(scaleClip(throughProcessors(dry, ["bilinear-equalizer", bell]), 0.7), 64);
    const {
      ladder: steps,
      tone,
      phase,
      stereo,
      dynamics,
      sentence,
      telling,
    } = report({ here: named("a.wav", dry), yonder: named("b.wav", yonder) });
    expect(steps.map((s) => s.step)).toEqual(["delivered", "time", "level", "tone", "levelOverTime", "bend", "left"]);
    expect(steps[1]).toMatchObject({ delaySamples: 64, polarity: 1 });
    expect(steps[3].residualDb ?? 0).toBeLessThan(-50);
    const at = tone.hertz.findIndex((hz) => Math.abs(hz - 1000) < 1);
    const away = tone.hertz.findIndex((hz) => Math.abs(hz - 100) < 1);
    expect((tone.differenceDb[at] ?? 0) - (tone.differenceDb[away] ?? 0)).toBeCloseTo(6, 0);
    expect(phase.kind).toBe("minimum");
    expect(stereo.correlationHere).not.toBeNull();
    expect(dynamics.crestHereDb).toBeGreaterThan(3);
    expect(telling.length).toBeGreaterThan(0);
    expect(sentence).toContain("Nearly all of it is tone");
  });

  it.each([
    // Rounding to 32-bit floats; a flip and a delay are undone bit for bit.
    ["a gain", (clip: typeof dry) => scaleClip(clip, 0.25), "level", -140, { gainDb: -12.041 }],
    ["a delay", (clip: typeof dry) => delayed(clip, 333), "time", -300, { delaySamples: 333, polarity: 1 }],
    ["a flip", (clip: typeof dry) => scaleClip(clip, -1), "time", -300, { delaySamples: 0, polarity: -1 }],
  ] as const)("is silent after %s has been undone, and from there on", (_, change, at, boundDb, told) => {
    const { ladder: steps } = report({ here: named("a.wav", dry), yonder: named("b.wav", change(dry)) });
    const from = steps.findIndex((s) => s.step === at);
    expect(steps[from]).toMatchObject(told);
    for (const { residualDb } of steps.slice(from)) expect(residualDb ?? -300).toBeLessThanOrEqual(boundDb);
  });

  it("is silent after another rate has been undone, where the sound lies within both", () => {
    const within = clipOf(atRate(soundOf(dry), 48_000));
    for (const rate of [44_100, 96_000]) {
      const yonder = clipOf(atRate(soundOf(within), rate));
      const { ladder: steps } = report({ here: named("a.wav", within), yonder: named("b.wav", yonder), to: 3 });
      for (const { residualDb } of steps.slice(1)) expect(residualDb ?? -300).toBeLessThan(-90);
    }
  });

  it("says of what a lower rate took that it is tone up there", () => {
    const full = music(3);
    const lower = clipOf(atRate(soundOf(full), 44_100));
    const { ladder: steps, sentence } = report({ here: named("a.wav", full), yonder: named("b.wav", lower) });
    expect(steps[3].residualDb ?? 0).toBeLessThan(-70);
    expect(sentence).toContain("most of it above 19 kHz");
  });

  it("reads polarity and clock of both sides against the dry render", () => {
    const found = report({
      here: named("a.wav", scaleClip(dry, -1)),
      yonder: named("b.wav", delayed(dry, 40)),
      dry: named("d.wav", dry),
    });
    expect(found.ladder[1]).toMatchObject({ delaySamples: 40, polarity: -1, driftPpm: 0, residualDb: null });
  });

  it("keeps to what is asked for, laid on a dry render", () => {
    const yonder = throughProcessors(dry, ["bilinear-equalizer", bell]);
    const found = report({
      here: named("a.wav", delayed(dry, 100)),
      yonder: named("b.wav", yonder),
      dry: named("d.wav", dry),
      from: 1,
      to: 3,
    });
    expect(found.region).toEqual({ startSeconds: 1, endSeconds: 3 });
    expect(found.ladder[1]).toMatchObject({ delaySamples: -100 });
    for (const { startSeconds, endSeconds } of found.telling) {
      expect(startSeconds).toBeGreaterThanOrEqual(1);
      expect(endSeconds).toBeLessThanOrEqual(3.001);
    }
    const outside = explainPair({ here: named("a.wav", dry), yonder: named("b.wav", yonder), from: 60 });
    expect(outside).toMatchObject({ ok: false, reason: expect.stringContaining("a.wav") });
  });

  it("says of strangers that they could not be put in step, and invents no figures", () => {
    const found = report({ here: named("a.wav", dry), yonder: named("b.wav", noise(6, 0.2, 5, 2, LOW)) });
    expect(found.problem).toContain("could not be put in step");
    expect(found.ladder.map((s) => s.step)).toEqual(["delivered", "time"]);
    expect(found).toMatchObject({ tone: { hertz: [] }, phase: { kind: "unknown" }, telling: [] });
  });

  it("takes mono against stereo, and a short stretch", () => {
    const mono = { ...dry, channels: [dry.channels[0]] };
    const found = report({
      here: named("a.wav", mono),
      yonder: named("b.wav", { ...dry, channels: [dry.channels[0], dry.channels[0]] }),
    });
    expect(found.ladder[1].residualDb).toBeNull();
    expect(found.sentence).toBe("The two are the same, sample for sample.");
    const short = sliceClip(dry, 0, LOW / 20);
    expect(report({ here: named("a.wav", short), yonder: named("b.wav", short) }).ladder[0].residualDb).toBeNull();
  });
});
