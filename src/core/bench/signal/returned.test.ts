import { describe, expect, it } from "vitest";
import { scaleClip, sliceClip } from "../../audio/clip";
import { soundOf } from "../../audio/sound";
import { delayed, joined, noise, silence, sine } from "../../stimuli/signals";
import { sentSignal, through } from "../../testing/bench";
import { recording } from "../../testing/recordings";
import { benchRecording } from "../bench";
import { returnedFrom } from "./returned";

const small = { sampleRateHz: 8000, channelCount: 1 } as const;
const { plan, signal } = sentSignal(small);
const found = (clip: Parameters<typeof soundOf>[0]) => {
  const returned = returnedFrom("back.wav", soundOf(clip));
  if (!returned.ok) throw new Error(returned.reason);
  return returned.value;
};
const refused = (clip: Parameters<typeof soundOf>[0]) => {
  const outcome = benchRecording("back.wav", soundOf(clip));
  if (outcome.ok) throw new Error("it was measured");
  return outcome;
};

describe("a recording of the test signal", () => {
  it("is found wherever it begins, with its form, at any rate", () => {
    for (const sampleRateHz of [8000, 44_100, 96_000]) {
      const sent = sentSignal({ sampleRateHz, levelDbfs: -20 });
      const before = noise(0.5, 0.4, 5, 2, sampleRateHz);
      const { atFrame, clockPpm, plan: told } = found(joined(before, sent.signal, silence(1, sampleRateHz)));
      expect(told.form).toEqual(sent.plan.form);
      expect(Math.abs(atFrame - before.channels[0].length)).toBeLessThanOrEqual(4);
      expect(clockPpm).toBe(0);
    }
  });

  it("tells a clock to a thousandth of a part per million, and none where there is none", () => {
    for (const [clockPpm, noiseFloorDbfs] of [
      [50, -80],
      [-120, -60],
      [0.2, -100],
      [0, -80],
    ]) {
      const back = through(signal, "outboard-loop", { clockPpm, noiseFloorDbfs, latencySamples: 33.4 });
      const told = found(back);
      // The loop reads its input at 1 − ppm: what comes out is longer by 1 / (1 − ppm).
      const wanted = (1 / (1 - clockPpm * 1e-6) - 1) * 1e6;
      expect(Math.abs(told.clockPpm - wanted)).toBeLessThan(Math.max(0.003, told.clockErrorPpm));
      if (clockPpm === 0) expect(told.clockPpm).toBe(0);
    }
  });

  it("survives what a processor does to its markers", () => {
    const cases: [string, object][] = [
      ["bilinear-equalizer", { bands: [{ kind: "low cut", frequencyHz: 1500, slopeDbPerOctave: 24 }] }],
      ["feed-forward-compressor", { thresholdDb: -50, ratio: 20, attackMs: 1 }],
      ["drive-stage", { driveDb: 36, oversampling: 1 }],
      ["all-pass", { stages: 12, frequencyHz: 800 }],
      ["bit-and-rate-reducer", { bits: 3, rateHz: 8000 }],
    ];
    for (const [key, settings] of cases)
      expect(found(through(signal, key, settings)).plan.form, key).toEqual(plan.form);
  });

  it("is refused where it is cut, with how much is missing", () => {
    const short = refused(sliceClip(signal, 0, Math.round(0.6 * plan.frames)));
    expect(short.reason).toMatch(/^back\.wav is cut: .* ends \d+\.\d s before the signal does\.$/);
    expect(short.advice).toMatch(/Export the test signal/);
    const late = refused(sliceClip(signal, Math.round(0.3 * plan.frames), plan.frames));
    expect(late.reason).toMatch(/is cut: it begins after the test signal did/);
    // Something was taken out of the middle.
    const third = Math.round(plan.frames / 3);
    const edited = joined(sliceClip(signal, 0, third), sliceClip(signal, third + 8000, plan.frames));
    expect(refused(edited).reason).toMatch(/was cut, edited or played at another speed/);
  });

  it("is refused where it is something else, silent, clipped or changed beyond knowing", () => {
    for (const other of [
      recording("guitar-48000"),
      recording("drums-88200"),
      silence(20),
      noise(20, 0.5, 9),
      sine({ hertz: 1000, peakDbfs: -6, seconds: 20 }),
      noise(0.05, 0.1, 3),
    ])
      expect(refused(other).reason).toMatch(/holds no test signal/);
    const clipped = { ...signal, channels: signal.channels.map((c) => c.map((v) => Math.max(-1, Math.min(1, 8 * v)))) };
    expect(refused(clipped)).toMatchObject({
      reason: expect.stringMatching(/is clipped: \d+ samples stand at full scale/),
      advice: expect.stringMatching(/turned down/),
    });
    // Every chirp is turned round in time.
    const backwards = { ...signal, channels: signal.channels.map((c) => c.slice().reverse()) };
    expect(refused(backwards).reason).toMatch(/no test signal|cannot be read|changes too much/);
  });

  it("leaves out only what was clipped where that is the loudest steps alone", () => {
    // A bump that only the steady steps and the bursts reach, as an equalizer makes it.
    const { steady } = plan;
    const loudest = steady[steady.length - 1];
    const channels = signal.channels.map((c) => c.slice());
    for (let i = loudest.startFrame; i < loudest.startFrame + loudest.frames; i++)
      channels[0][i] = Math.sign(channels[0][i]);
    const outcome = benchRecording("back.wav", soundOf({ ...signal, channels }));
    if (!outcome.ok) throw new Error(outcome.reason);
    expect(outcome.value.sentences.join(" ")).toMatch(/loudest steps came back clipped/);
    expect(outcome.value.static).toBeNull();
  });

  it("tells polarity, gain, order and delay of what it came through", () => {
    const stereo = sentSignal({ sampleRateHz: 8000 });
    const [left, right] = stereo.signal.channels;
    const turned = scaleClip({ ...stereo.signal, channels: [right, left] }, -(10 ** (3 / 20)));
    const outcome = benchRecording("back.wav", soundOf(joined(silence(0.25, 8000), delayed(turned, 0.37, 8))));
    if (!outcome.ok) throw new Error(outcome.reason);
    expect(outcome.value).toMatchObject({ polarity: -1, swapped: true, transparent: "no", clockPpm: 0 });
    expect(outcome.value.gainDbAt1k).toBeCloseTo(3, 2);
    expect(Math.abs(outcome.value.latencySamples - 2000.37)).toBeLessThan(0.01);
  });
});
