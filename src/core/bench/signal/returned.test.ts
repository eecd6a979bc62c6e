import { describe, expect, it } from "vitest";
import { scaleClip, sliceClip } from "../../audio/clip";
import { soundOf } from "../../audio/sound";
import { delayed, joined, noise, silence, sine } from "../../stimuli/signals";
import { sentSignal, through } from "../../testing/bench";
import { recording } from "../../testing/recordings";
import { benchRecording } from "../bench";
import { timingOnWay } from "../integrity/timing";
import { chirpOfFirstVersion, chirpSeconds } from "./marker";
import { returnedFrom } from "./returned";
import { markerCode } from "./signal";

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
      const returned = found(joined(before, sent.signal, silence(1, sampleRateHz)));
      expect(returned.plan.form).toEqual(sent.plan.form);
      expect(Math.abs(returned.atFrame - before.channels[0].length)).toBeLessThanOrEqual(4);
      const timing = timingOnWay(returned, sent.signal.channels);
      expect(timing).toMatchObject({ driftPpm: 0, jumps: [], unsteadySamples: null });
      expect(timing.marksFound).toBe(timing.marksSent);
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
      const told = timingOnWay(found(back), signal.channels);
      // The loop reads its input at 1 − ppm: what comes out is longer by 1 / (1 − ppm).
      const wanted = (1 / (1 - clockPpm * 1e-6) - 1) * 1e6;
      expect(Math.abs(told.driftPpm - wanted)).toBeLessThan(Math.max(0.003, told.driftErrorPpm));
      if (clockPpm === 0) expect(told.driftPpm).toBe(0);
      expect(told.jumps).toEqual([]);
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
    expect(late.reason).toMatch(/is cut: it starts after the test signal and holds/);
    // Whole, with its first marker beyond recognition: nothing was cut.
    const hidden = sliceClip(signal, 0, plan.frames);
    const channels = hidden.channels.map((channel) => channel.slice());
    for (const channel of channels)
      channel.subarray(plan.marker.startFrame, plan.marker.startFrame + plan.marker.frames).fill(0);
    expect(refused({ ...hidden, channels }).reason).toMatch(
      /^The start marker of the test signal was not found in back\.wav/,
    );
    // Something was taken out of the middle.
    const third = Math.round(plan.frames / 3);
    const edited = joined(sliceClip(signal, 0, third), sliceClip(signal, third + 8000, plan.frames));
    expect(refused(edited).reason).toMatch(/was cut, edited or played at another speed/);
  });

  it("is refused where it is something else, silent, of the first version or changed beyond knowing", () => {
    for (const other of [
      recording("guitar-48000"),
      recording("drums-88200"),
      silence(20),
      noise(20, 0.5, 9),
      sine({ hertz: 1000, peakDbfs: -6, seconds: 20 }),
      noise(0.05, 0.1, 3),
    ])
      expect(refused(other).reason).toMatch(/holds no test signal/);
    // Every chirp is turned round in time.
    const backwards = { ...signal, channels: signal.channels.map((c) => c.slice().reverse()) };
    expect(refused(backwards).reason).toMatch(/no test signal|cannot be read|changes too much|earlier version/);
    // The first version's chirps rose.
    const rising = sentSignal(small);
    for (const at of [rising.plan.marker.startFrame, rising.plan.marker.endFrame])
      rising.signal.channels[0].subarray(at, at + rising.plan.marker.frames).fill(0);
    const shape = chirpOfFirstVersion(8000);
    for (const seconds of chirpSeconds(markerCode(rising.plan.form, "start")))
      for (let i = 0; i < shape.length; i++)
        rising.signal.channels[0][rising.plan.marker.startFrame + Math.round(seconds * 8000) + i] = 0.25 * shape[i];
    expect(refused(rising.signal).reason).toMatch(/holds a test signal of an earlier version/);
  });

  it("tells polarity, gain, order and delay of what it came through", () => {
    const stereo = sentSignal({ sampleRateHz: 8000 });
    const [left, right] = stereo.signal.channels;
    const turned = scaleClip({ ...stereo.signal, channels: [right, left] }, -(10 ** (3 / 20)));
    const outcome = benchRecording("back.wav", soundOf(joined(silence(0.25, 8000), delayed(turned, 0.37, 8))));
    if (!outcome.ok) throw new Error(outcome.reason);
    expect(outcome.value).toMatchObject({ polarity: -1, swapped: true, transparent: "no", clockPpm: 0 });
    expect(outcome.value.gainDbAt1k).toBeCloseTo(3, 2);
    // What stood before it in the file is no latency of anything: it is reported as when it arrived.
    expect(outcome.value.latencySamples).toBeNull();
    expect(Math.abs((outcome.value.arrivalSamples ?? 0) - 2000.37)).toBeLessThan(0.01);
    expect(outcome.value.withheld).toContainEqual({ figure: "latency", channel: null, reason: "noReference" });
  });
});
