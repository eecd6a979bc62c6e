import { describe, expect, it } from "vitest";
import { scaleClip, sliceClip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { clipOf, soundOf } from "../audio/sound";
import { delayed, noise } from "../stimuli/signals";
import { music, throughProcessors } from "../testing/chains";
import { explainPair, explainReportSchema } from "./explain";

const LOW = 16_000;

describe("a pair explained from its files", () => {
  const dry = music(6, 2, 1, LOW);
  const named = (file: string, clip: typeof dry) => ({ file, sound: soundOf(clip) });
  const bell = { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] };
  const report = (ask: Parameters<typeof explainPair>[0]) => {
    const outcome = explainPair(ask);
    if (!outcome.ok) throw new Error(outcome.reason);
    return explainReportSchema.parse(JSON.parse(JSON.stringify(outcome.value)));
  };

  it("aligns and levels it, and names the EQ", () => {
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
    expect(sentence).toContain("EQ: bell 1");
    expect(sentence).toContain("Delay +64");
  });

  it.each([
    // Rounding to 32-bit floats; a invert and a delay are undone bit for bit.
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

  it("explains what a lower rate took", () => {
    const full = music(3);
    const lower = clipOf(atRate(soundOf(full), 44_100));
    const { ladder: steps, sentence } = report({ here: named("a.wav", full), yonder: named("b.wav", lower) });
    expect(steps[3].residualDb ?? 0).toBeLessThan(-70);
    // What neither file holds up there is not drawn as a filter.
    expect(sentence).not.toContain("Saturation");
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

  it("says of strangers that they could not be aligned, and invents no figures", () => {
    const found = report({ here: named("a.wav", dry), yonder: named("b.wav", noise(6, 0.2, 5, 2, LOW)) });
    expect(found.problem).toContain("could not be aligned");
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
    expect(found.sentence).toBe("Every sample is the same.");
    expect(found.identity).toEqual({ is: "same", judgedShare: 1 });
    const short = sliceClip(dry, 0, LOW / 20);
    expect(report({ here: named("a.wav", short), yonder: named("b.wav", short) }).ladder[0].residualDb).toBeNull();
  });
});
