import { describe, expect, it } from "vitest";
import type { Clip } from "../../audio/clip";
import { seededRandom } from "../../audio/random";
import { soundOf } from "../../audio/sound";
import { SMALL_FORM, sentSignal, through } from "../../testing/bench";
import { benchRecording } from "../bench";
import { returnedFrom } from "../signal/returned";
import { clippedRows } from "./damage";
import { checked } from "./integrity";

// Faults of known place and size, put into the test signal: what is reported has to be what was put there, and nothing else.

const { plan, signal } = sentSignal(SMALL_FORM);
const rate = plan.form.sampleRateHz;
const [sent] = signal.channels;
const noise = (dbfs: number, seed: number) => {
  const random = seededRandom(seed);
  const rms = 10 ** (dbfs / 20);
  return (v: number) => v + rms * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
};
const clipOfOne = (channel: Float32Array): Clip => ({ sampleRateHz: rate, channels: [channel] });
const bearing = (channel: Float32Array) => {
  const returned = returnedFrom("back.wav", soundOf(clipOfOne(channel)));
  if (!returned.ok) throw new Error(returned.reason);
  return checked(returned.value, signal.channels);
};
const reportOf = (channel: Float32Array) => {
  const outcome = benchRecording("back.wav", soundOf(clipOfOne(channel)));
  if (!outcome.ok) throw new Error(outcome.reason);
  return outcome.value;
};
const without = (channel: Float32Array, at: number, frames: number) =>
  Float32Array.from([...channel.subarray(0, at), ...channel.subarray(at + frames)]);
const again = (channel: Float32Array, at: number, frames: number) =>
  Float32Array.from([...channel.subarray(0, at), ...channel.subarray(at - frames)]);

describe("a recording as it was sent", () => {
  it("bears everything: nothing is told of it, clean, coloured, compressed or bent", () => {
    for (const channel of [
      sent,
      ...[
        ["bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz: 700, gainDb: 9, q: 2 }] }],
        ["feed-forward-compressor", { thresholdDb: -40, ratio: 8 }],
        ["drive-stage", { driveDb: 30 }],
        ["soft-clip", {}],
        ["all-pass", { stages: 6 }],
        ["phase-rotator", { degrees: 90 }],
      ].map(([key, settings]) => through(signal, key as string, settings as object).channels[0]),
    ])
      expect(bearing(channel).findings).toEqual([]);
  });
});

/** A place is reported with its error: the truth lies within that and 20 ms. */
const expectPlaced = (
  { atSeconds, withinSeconds }: { atSeconds: number | null; withinSeconds: number | null },
  seconds: number,
) => expect(Math.abs((atSeconds ?? 0) - seconds)).toBeLessThan((withinSeconds ?? 0) + 0.02);

describe("samples that were lost or came twice", () => {
  it("are told by how many, when, and spoil what lies there alone", () => {
    for (const [seconds, frames] of [
      [9.3, 64],
      [20.1, 512],
      [31.7, 1],
      [44.2, 2000],
    ]) {
      const at = Math.round(seconds * rate);
      const { findings, spoiled, back } = bearing(without(sent, at, frames));
      expect(findings).toEqual([expect.objectContaining({ what: "lost", samples: frames, channel: null })]);
      expectPlaced(findings[0], seconds);
      // Four periods of the steady wave are missing anywhere in it alike; elsewhere the place is known.
      if (seconds !== 9.3) expect(findings[0].withinSeconds).toBeLessThan(0.2);
      expect(spoiled).toHaveLength(1);
      // What comes after is back in its place, to the sample.
      const { startFrame } = plan.repeats[2];
      if (at < startFrame) expect(back[0][startFrame + 5]).toBe(sent[startFrame + 5]);
    }
    const twice = bearing(again(sent, Math.round(27 * rate), 256)).findings;
    expect(twice).toEqual([expect.objectContaining({ what: "repeated", samples: 256 })]);
  });

  it("are placed no more closely than they are known to be, behind filters and in noise", () => {
    const processed = [
      ["bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz: 700, gainDb: 9, q: 2 }] }],
      [
        "bilinear-equalizer",
        { bands: [{ kind: "low cut", frequencyHz: 120, gainDb: 0, q: 0.71, slopeDbPerOctave: 12 }] },
      ],
      ["all-pass", { stages: 6 }],
      ["drive-stage", { driveDb: 18 }],
    ].map(([key, settings]) => through(signal, key as string, settings as object).channels[0]);
    for (const [n, channel] of processed.entries())
      for (const [seconds, frames] of [
        [20.1, 512],
        [22.6, 64],
        [30.4, 480],
        [44.2, 200],
      ]) {
        const at = Math.round(seconds * rate);
        for (const back of [without(channel, at, frames), without(channel, at, frames).map(noise(-55, n))]) {
          const [finding] = bearing(back).findings;
          expect(finding.what).toBe("lost");
          expectPlaced(finding, seconds);
        }
      }
  });

  it("are no clock, no limiter and no compressor", () => {
    const lost = reportOf(without(sent, Math.round(20.1 * rate), 512));
    expect(lost).toMatchObject({ clockPpm: 0, times: null, kind: { name: "wire" } });
    expect(lost.sentences.join(" ")).toMatch(/Lost on the way: 512\u2009samples at 0:20\.\d/);
  });
});

describe("what lies where nothing is sent", () => {
  it("is hum by its frequency to 0.1 Hz, a line, an offset or noise, and taken off where that can be", () => {
    const hummed = sent.map(
      (v, i) =>
        noise(-100, 3)(v) +
        [1, 2, 3].reduce((sum, n) => sum + (1e-3 / n) * Math.sin((2 * Math.PI * 49.9 * n * i) / rate + n), 0),
    );
    const hum = bearing(hummed);
    expect(hum.findings).toEqual([expect.objectContaining({ what: "hum" })]);
    expect(Math.abs((hum.findings[0].hertz ?? 0) - 49.9)).toBeLessThan(0.1);
    expect(hum.idle[0].lines.every(({ isSteady }) => isSteady)).toBe(true);
    // Without it the recording is what it was before, to the noise that was added.
    const { startFrame, frames } = plan.deep;
    let left = 0;
    for (let i = startFrame; i < startFrame + frames; i++) left += (hum.back[0][i] - sent[i]) ** 2 / frames;
    expect(10 * Math.log10(left)).toBeLessThan(-85);

    const whistle = bearing(
      sent.map((v, i) => noise(-100, 4)(v) + 2e-4 * Math.sin((2 * Math.PI * 1234.5 * i) / rate)),
    ).findings;
    expect(whistle).toEqual([expect.objectContaining({ what: "line" })]);
    expect(Math.abs((whistle[0].hertz ?? 0) - 1234.5)).toBeLessThan(0.1);

    const offset = bearing(sent.map((v) => v + 0.001));
    expect(offset.findings).toEqual([expect.objectContaining({ what: "dc", levelDbfs: expect.closeTo(-60, 1) })]);
    expect(bearing(sent.map(noise(-50, 5))).findings).toEqual([
      expect.objectContaining({ what: "noise", levelDbfs: expect.closeTo(-50, 0) }),
    ]);
  });

  it("does not hum where noise is louder towards the lows", () => {
    const [white, state] = [noise(0, 9), [0, 0, 0]];
    const pink = Float32Array.from(sent, (v) => {
      const w = 1e-5 * white(0);
      state[0] = 0.99765 * state[0] + w * 0.099046;
      state[1] = 0.963 * state[1] + w * 0.2965164;
      state[2] = 0.57 * state[2] + w * 1.0526913;
      return v + state[0] + state[1] + state[2] + w * 0.1848;
    });
    expect(bearing(pink).findings.filter(({ what }) => what !== "noise")).toEqual([]);
  });

  it("moves no figure of what is measured", () => {
    const compressed = through(signal, "feed-forward-compressor", { thresholdDb: -35, ratio: 4, kneeDb: 0 })
      .channels[0];
    const plain = reportOf(compressed);
    const spoiled = reportOf(compressed.map((v, i) => v + 0.001 + 5e-4 * Math.sin((2 * Math.PI * 60 * i) / rate)));
    for (const report of [plain, spoiled]) {
      expect(report.kind.name).toBe("compressor");
      expect(Math.abs((report.static?.thresholdDbfs ?? 0) + 35)).toBeLessThan(0.3);
      expect(Math.abs((report.static?.ratio ?? 0) - 4)).toBeLessThan(0.1);
      expect(report.fitted).toEqual([]);
    }
    expect(spoiled.integrity.map(({ what }) => what).toSorted()).toEqual(["dc", "hum"]);
  });
});

describe("damage", () => {
  it("is a dropout where a steady wave stops and goes on, in the sweep or in a tone", () => {
    for (const at of [
      plan.sweeps[0].startFrame + Math.round(0.6 * rate),
      plan.deep.startFrame + Math.round(0.5 * rate),
    ]) {
      const cut = sent.map((v, i) => (i >= at && i < at + 0.01 * rate ? 0 : v));
      const { findings, spoiled } = bearing(cut);
      expect(findings).toEqual([expect.objectContaining({ what: "dropout" })]);
      expect(Math.abs((findings[0].samples ?? 0) - 0.01 * rate)).toBeLessThan(0.003 * rate);
      expect(spoiled[0].fromFrame).toBeLessThan(at + 0.002 * rate);
    }
  });

  it("in the sweep withholds nothing else, and what it spoils is read elsewhere", () => {
    const at = plan.sweeps[0].startFrame + Math.round(0.6 * rate);
    const report = reportOf(sent.map((v, i) => (i >= at && i < at + 0.01 * rate ? 0 : v)));
    expect(report.kind.name).toBe("wire");
    expect(report.fitted).toEqual([]);
    expect(report.sentences.join(" ")).toMatch(/Dropout of \d+\u2009samples at 0:\d\d\.\d/);
  });

  it("is none where a gate closes, a clipper holds, or a dead zone swallows what is quiet", () => {
    for (const shape of [
      (v: number) => Math.max(-0.1, Math.min(0.1, v)),
      (v: number) => Math.sign(v) * Math.max(0, Math.abs(v) - 0.02),
      (v: number) => Math.round(v * 64) / 64,
    ])
      expect(bearing(sent.map(shape)).findings).toEqual([]);
  });

  it("is overload where samples stand at full scale in rows, and what was clipped is left out", () => {
    const soundWith = (values: number[]) => soundOf({ sampleRateHz: 48_000, channels: [Float32Array.from(values)] });
    expect(clippedRows(soundWith([0, 1, 0.5, -1, -1, 0]))).toEqual([]);
    expect(clippedRows(soundWith([0, 1, 1, 1, 1, 0, -1, -1, -1]))).toEqual([
      { channel: 0, frame: 1, count: 4 },
      { channel: 0, frame: 6, count: 3 },
    ]);
    const over = reportOf(sent.map((v) => Math.max(-1, Math.min(1, 6 * v))));
    expect(over.integrity).toEqual([expect.objectContaining({ what: "overload", levelDbfs: 0 })]);
    expect(over.kind.name).not.toBe("clipper");
    expect(over.sentences.join(" ")).toMatch(/Overload: \d+\u2009samples at full scale/);
  });
});

describe("pitch that moves", () => {
  it("is told by how much and how often, and leaves phase and kind untold", () => {
    const seconds = (at: number) => (1e-4 / (2 * Math.PI * 0.8)) * Math.sin((2 * Math.PI * 0.8 * at) / rate);
    const moved = Float32Array.from(sent, (_, i) => {
      const at = i - seconds(i) * rate;
      const whole = Math.floor(at);
      let sum = 0;
      for (let k = -23; k <= 24; k++) {
        const d = at - whole - k;
        const window = 0.5 + 0.5 * Math.cos((Math.PI * d) / 25);
        sum += (sent[whole + k] ?? 0) * window * (Math.abs(d) < 1e-9 ? 1 : Math.sin(Math.PI * d) / (Math.PI * d));
      }
      return sum;
    });
    const report = reportOf(moved);
    const [wow] = report.integrity;
    expect(wow).toMatchObject({ what: "wow" });
    // 0.01 % at its peak; 0.8 times a second is slower than a tone of 1.3 s tells.
    expect(Math.abs((wow.percent ?? 0) - 0.01)).toBeLessThan(0.003);
    expect(wow.hertz).toBeNull();
    expect(report).toMatchObject({ phaseKind: "unknown", addsDb: null, passesApartDb: null, fitted: [], times: null });
    expect(report.kind.name).toBe("unknown");
    // Nothing makes noise here: what a moving pitch leaves is not called that.
    expect(report.withheld.map(({ reason }) => reason)).not.toContain("noise");
    expect(report.sentences.join(" ")).not.toMatch(/[Rr]esponse spans|[Ff]lat within|harmonics above noise|THD/);
  });
});
