import { describe, expect, it } from "vitest";
import { soundOf } from "../../audio/sound";
import { SMALL_FORM, sentSignal, through } from "../../testing/bench";
import { gainModel } from "../../testing/gain-models";
import { gaussian } from "../../testing/noise";
import { benchRecording } from "../bench";
import { partsOf } from "../read/parts";
import type { BenchReport } from "../report";
import { definedTimes } from "./defined-times";
import { gainCourses } from "./gain-cells";
import { curveOf, gainModels, simulated } from "./gain-model";
import { memorylessCurve, residualDb, throughCurve } from "./memoryless-model";

const { plan, signal } = sentSignal(SMALL_FORM);
const rate = plan.form.sampleRateHz;
const [sent] = signal.channels;

/** A feed-forward peak compressor written from Giannoulis, Massberg and Reiss (2012), eq. 4 and 17, not from ours. */
function compressed(
  x: Float32Array,
  threshold: number,
  ratio: number,
  attackMs: number,
  releaseMs: number,
): Float32Array {
  const pole = (ms: number) => (ms <= 0 ? 0 : Math.exp(-1000 / (ms * rate)));
  let state = 0;
  return x.map((v) => {
    const over = 20 * Math.log10(Math.abs(v) + 1e-15) - threshold;
    const wanted = over > 0 ? (1 / ratio - 1) * over : 0;
    state = wanted + (wanted < state ? pole(attackMs) : pole(releaseMs)) * (state - wanted);
    return v * 10 ** (state / 20);
  });
}

const measured = (channel: Float32Array): BenchReport => {
  const outcome = benchRecording("back.wav", soundOf({ sampleRateHz: rate, channels: [channel] }));
  if (!outcome.ok) throw new Error(outcome.reason);
  return outcome.value;
};
const noisy = (channel: Float32Array, dbfs: number): Float32Array => {
  const noise = gaussian(channel.length, 10 ** (dbfs / 20), 5);
  return channel.map((v, i) => v + noise[i]);
};

describe("a gain that follows level", () => {
  const model = gainModel();
  const steps = { lowDbfs: -42, highDbfs: -12, upSeconds: 0.7, downSeconds: 2 };

  it("comes to 63 % of its way after one time constant, down and up", () => {
    const { afterUpMs, afterDownMs } = definedTimes(model, steps);
    expect(Math.abs((afterUpMs ?? 0) / 10 - 1)).toBeLessThan(0.03);
    expect(Math.abs((afterDownMs ?? 0) / 100 - 1)).toBeLessThan(0.03);
    expect(definedTimes({ ...model, ratio: 1 }, steps)).toMatchObject({
      afterUpMs: null,
      afterDownMs: null,
      reductionDb: 0,
    });
  });

  it("is simulated as a compressor does it, sample by sample", () => {
    const channel = compressed(sent, -30, 4, 10, 100);
    const courses = gainCourses({ channel, plan, parts: partsOf(plan, "left"), noisePower: 0, isWhole: () => true });
    for (const course of courses) {
      const told = simulated(course, "gain", curveOf(model), model, 0);
      const off = course.cells.map((cell, i) => Math.abs(cell.gainDb - told[i]));
      expect(Math.max(...off)).toBeLessThan(0.15);
      expect(off.toSorted((a, b) => a - b)[off.length >> 1]).toBeLessThan(0.01);
    }
    const [best] = gainModels(courses, "downward", { downMs: 30, upMs: 300, holdMs: 0, lookAheadMs: 0 }, ["gain"]);
    expect(Math.abs(best.thresholdDbfs + 30)).toBeLessThan(0.1);
    expect(Math.abs(best.ratio - 4)).toBeLessThan(0.05);
    expect(Math.abs(best.downMs / 10 - 1)).toBeLessThan(0.02);
    expect(Math.abs(best.upMs / 100 - 1)).toBeLessThan(0.02);
    expect(best.heldOutDb).toBeLessThan(0.05);
  });
});

describe("a curve without memory", () => {
  it("is found from what went in and out, and predicts what it was not fitted on", () => {
    const input = Float32Array.from({ length: 20_000 }, (_, i) => 0.5 * Math.sin(0.03 * i) * Math.sin(0.0007 * i));
    const bent = (v: number) => Math.tanh(3 * v) / 3;
    const curve = memorylessCurve([{ input, output: input.map(bent) }]);
    const other = Float32Array.from({ length: 5000 }, (_, i) => 0.2 * Math.sin(0.11 * i) + 0.25 * Math.sin(0.053 * i));
    expect(residualDb([{ told: throughCurve(curve, other), output: other.map(bent) }], 0)).toBeLessThan(-60);
    expect(residualDb([{ told: other, output: other.map(bent) }], 0)).toBeGreaterThan(-30);
  });
});

describe("kinds that were once taken for others", () => {
  // Figures of each are what went in; noise is Gaussian, of an effective value in dBFS.
  it("are compressors: fast, slow, steep, in noise", () => {
    for (const [threshold, ratio, attack, release, noise] of [
      [-30, 20, 1, 50, -120],
      [-30, 20, 0, 5, -120],
      [-30, 4, 150, 500, -100],
      [-33, 3, 10, 300, -100],
      [-30, 4, 5, 100, -55],
    ]) {
      const name = `C(${threshold}, ${ratio}, ${attack}, ${release}), noise ${noise}`;
      const {
        kind,
        static: staticCurve,
        times,
        fitted,
        phaseKind,
      } = measured(noisy(compressed(sent, threshold, ratio, attack, release), noise));
      expect(["compressor", "limiter"], name).toContain(kind.name);
      expect(fitted, name).toEqual([]);
      expect(["none", "unknown"], name).toContain(phaseKind);
      if (staticCurve?.thresholdDbfs != null)
        expect(Math.abs(staticCurve.thresholdDbfs - threshold), name).toBeLessThan(1);
      if (staticCurve?.ratio != null && ratio < 20)
        expect(Math.abs(staticCurve.ratio / ratio - 1), name).toBeLessThan(0.1);
      if (times?.attackMs != null && attack > 1) expect(Math.abs(times.attackMs / attack - 1), name).toBeLessThan(0.12);
      if (times?.releaseMs != null) expect(Math.abs(times.releaseMs / release - 1), name).toBeLessThan(0.12);
      // At little noise all of it is reported.
      if (noise <= -100) expect([staticCurve?.thresholdDbfs, times?.releaseMs], name).not.toContain(null);
    }
  });

  it("are saturators and clippers, with no threshold, ratio or times, in noise as without it", () => {
    for (const shape of [
      (v: number) => Math.tanh(6 * v) / 6,
      (v: number) => Math.max(-0.1, Math.min(0.1, v)),
      (v: number) => v + 0.2 * v * v,
    ])
      for (const noise of [-120, -55]) {
        const { kind, static: staticCurve, times } = measured(noisy(sent.map(shape), noise));
        expect(["saturator", "clipper", ...(noise > -60 ? ["unknown"] : [])]).toContain(kind.name);
        expect([staticCurve?.thresholdDbfs ?? null, staticCurve?.ratio ?? null, times]).toEqual([null, null, null]);
      }
  });

  it("are a wire in noise, an equalizer, an all-pass, and something that moves by itself", () => {
    for (const noise of [-120, -70, -50]) {
      const wire = measured(noisy(sent, noise));
      expect(wire.kind.name).toBe("wire");
      expect(wire.fitted).toEqual([]);
      expect(wire.aliasDb === null || wire.aliasDb < -100).toBe(true);
    }
    expect(measured(sent.map((v, i) => v * (0.9 + 0.1 * Math.sin((2 * Math.PI * 0.7 * i) / rate)))).kind.name).toBe(
      "timeVarying",
    );
    const kindThrough = (key: string, settings: object) =>
      measured(through(signal, key, settings).channels[0]).kind.name;
    expect(kindThrough("bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz: 500, gainDb: -4, q: 1 }] })).toBe(
      "equalizer",
    );
    expect(kindThrough("all-pass", { frequencyHz: 400 })).toBe("allPass");
    expect(["dynamicEq", "unknown"]).toContain(
      kindThrough("dynamic-equalizer", { frequencyHz: 1200, q: 1.5, thresholdDb: -40 }),
    );
  });

  it("are parallel compression, which has no one threshold and ratio, and an expander, which has", () => {
    const dry = sent;
    const wet = compressed(sent, -30, 8, 5, 100);
    const parallel = measured(dry.map((v, i) => 0.5 * v + 0.5 * wet[i]));
    expect(parallel.kind.name).toBe("compressor");
    expect(parallel.static).toMatchObject({ thresholdDbfs: null, ratio: null });
    expect(parallel.static?.points.length).toBeGreaterThan(10);
    let [envelope, state] = [0, -40];
    const expanded = measured(
      sent.map((v) => {
        envelope = Math.max(Math.abs(v), Math.exp(-1 / (0.02 * rate)) * envelope);
        const wanted = Math.max(-40, Math.min(0, 20 * Math.log10(envelope + 1e-15) + 35));
        state = wanted + Math.exp(-1000 / ((wanted > state ? 1 : 100) * rate)) * (state - wanted);
        return v * 10 ** (state / 20);
      }),
    );
    expect(["expander", "gate"]).toContain(expanded.kind.name);
    if (expanded.static?.thresholdDbfs != null) expect(Math.abs(expanded.static.thresholdDbfs + 35)).toBeLessThan(1);
  });
});
