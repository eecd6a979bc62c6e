import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { samplePeak } from "../../audio/clip";
import { bytesInMemory } from "../../formats/byte-source";
import { openPlain } from "../../formats/read-audio";
import { writeWav } from "../../formats/wav-write";
import { sentSignal } from "../../testing/bench";
import { markFrames } from "./marker";
import { formOfCode, markerCode, testSignal } from "./signal";
import { SIGNAL_RATES_HZ, type SignalForm, signalFormSchema, signalPlan } from "./signal-plan";

const forms = fc.record({
  sampleRateHz: fc.constantFrom(...SIGNAL_RATES_HZ),
  levelDbfs: fc.integer({ min: -40, max: -1 }),
  channelCount: fc.constantFrom(1 as const, 2 as const),
});

describe("a test signal", () => {
  it("tells by its markers how it was made, and which end they stand at", () => {
    fc.assert(
      fc.property(forms, fc.constantFrom("start" as const, "end" as const), (form, end) => {
        expect(formOfCode(markerCode(form, end))).toEqual({ form, end });
      }),
    );
    const codes = new Set<string>();
    for (const sampleRateHz of SIGNAL_RATES_HZ)
      for (const channelCount of [1, 2] as const)
        for (const end of ["start", "end"] as const)
          codes.add(markerCode({ sampleRateHz, levelDbfs: -12, channelCount }, end).join());
    expect(codes.size).toBe(4 * SIGNAL_RATES_HZ.length);
    expect(formOfCode([200, 3])).toBeNull();
    expect(formOfCode([3, 55])).toBeNull();
  });

  it("has every part in its place, one after the other, at every rate", () => {
    fc.assert(
      fc.property(forms, (form) => {
        const plan = signalPlan(form);
        const { bursts, beside } = plan;
        const parts = [
          { startFrame: plan.marker.startFrame, frames: plan.marker.frames },
          { startFrame: plan.marker.endFrame, frames: plan.marker.frames },
          plan.silence,
          plan.lastSilence,
          ...plan.marks.map((startFrame) => ({ startFrame, frames: markFrames(form.sampleRateHz) })),
          ...plan.lowLadder,
          ...plan.highLadder,
          ...Object.values(plan.afterLoud),
          ...(plan.opposed
            ? [...Object.values(plan.opposed.bursts), ...plan.opposed.ladder, ...plan.opposed.steady]
            : []),
          ...Object.values(bursts).filter((b) => b !== null),
          ...[...plan.quietSweeps, plan.middleSweep, ...plan.sweeps].map((s) => ({
            ...s,
            frames: s.frames + s.tailFrames,
          })),
          ...plan.ladder,
          plan.deep,
          ...plan.series,
          ...plan.high,
          plan.modulation,
          plan.differenceTone,
          ...plan.steady,
          ...beside.blocks,
          ...plan.repeats,
        ].toSorted((a, b) => a.startFrame - b.startFrame);
        for (const [i, part] of parts.entries()) {
          expect(Number.isInteger(part.startFrame) && Number.isInteger(part.frames)).toBe(true);
          const end = parts[i + 1]?.startFrame ?? plan.frames;
          expect(part.startFrame + part.frames).toBeLessThanOrEqual(end);
        }
        expect(plan.sweeps).toHaveLength(form.channelCount);
        expect(bursts.oneSide === null).toBe(form.channelCount === 1);
        expect(plan.opposed === null).toBe(form.channelCount === 1);
        // Something lost is known to six seconds at the worst.
        const marked = [plan.marker.startFrame, ...plan.marks, plan.marker.endFrame];
        for (const [i, at] of marked.slice(1).entries()) expect((at - marked[i]) / form.sampleRateHz).toBeLessThan(9);
      }),
      { numRuns: 40 },
    );
  });

  it("keeps harmonics and what folds back on bins of their own", () => {
    for (const sampleRateHz of SIGNAL_RATES_HZ) {
      const plan = signalPlan({ sampleRateHz, levelDbfs: -12, channelCount: 2 });
      for (const { bin, points } of [...plan.ladder, ...plan.series, ...plan.high]) {
        expect(bin % 2).toBe(1);
        const half = points / 2;
        const harmonics = new Set(Array.from({ length: Math.floor(half / bin) }, (_, i) => (i + 1) * bin));
        for (let order = harmonics.size + 1; order < 200; order++) {
          const inside = (order * bin) % points;
          expect(harmonics.has(inside <= half ? inside : points - inside)).toBe(false);
        }
      }
      // The long tone is the ladder's, so that the two can be compared.
      expect(plan.deep.hertz).toBeCloseTo(plan.ladder[0].hertz, 6);
    }
  });

  it("is never louder than its level, and written to 24 bits without loss", () => {
    for (const form of [
      { sampleRateHz: 48_000, levelDbfs: -1, channelCount: 2 },
      { sampleRateHz: 8000, levelDbfs: -12, channelCount: 1 },
      { sampleRateHz: 44_100, levelDbfs: -40, channelCount: 2 },
    ] satisfies SignalForm[]) {
      const { signal } = sentSignal(form);
      expect(20 * Math.log10(samplePeak(signal))).toBeCloseTo(form.levelDbfs, 1);
      const opened = openPlain(bytesInMemory(writeWav(signal, "24-bit")), "signal.wav");
      if (!opened.ok) throw new Error(opened.reason);
      const read = opened.value.sound.read(0, opened.value.sound.frames);
      expect(read.every((channel, c) => channel.every((v, i) => v === signal.channels[c][i]))).toBe(true);
    }
    const again = sentSignal({ sampleRateHz: 8000 });
    const { opposed, deep } = again.plan;
    const [left, right] = again.signal.channels;
    const inside = (opposed?.ladder[5].startFrame ?? 0) + 100;
    expect(right[inside]).toBe(-left[inside]);
    expect(right[deep.startFrame + 100]).toBe(left[deep.startFrame + 100]);
    expect(testSignal(again.plan).channels[1]).toEqual(again.signal.channels[1]);
  });

  it("is refused at rates, levels and channels it is not made for", () => {
    const usual = { sampleRateHz: 48_000, levelDbfs: -12, channelCount: 2 };
    expect(signalFormSchema.safeParse(usual).success).toBe(true);
    for (const wrong of [
      { sampleRateHz: 47_999 },
      { levelDbfs: 0 },
      { levelDbfs: -41 },
      { levelDbfs: -12.5 },
      { channelCount: 3 },
    ])
      expect(signalFormSchema.safeParse({ ...usual, ...wrong }).success).toBe(false);
  });
});
