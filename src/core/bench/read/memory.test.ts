import { describe, expect, it } from "vitest";
import { SMALL_FORM, sentSignal, through } from "../../testing/bench";
import { gaussian } from "../../testing/noise";
import { hiddenMemoryDb, memoryOf, rememberedDb } from "./memory";
import { channelOf, partsOf } from "./parts";
import { sweptImpulse } from "./responses";
import { trimmed } from "./sweep-response";
import { throughResponse, undoing } from "./through-response";

const { plan, signal } = sentSignal(SMALL_FORM);
const [sent] = signal.channels;
const rate = SMALL_FORM.sampleRateHz;
const parts = partsOf(plan, "left");
const read = (channel: Float32Array, linear: Float32Array, noisePower = 0) =>
  memoryOf({
    channel,
    linear,
    parts,
    rate,
    steadyPeriod: plan.steadyPeriod,
    noisePowerAt: () => noisePower,
    isWhole: () => true,
  });
const compressed = (settings: object) => through(signal, "feed-forward-compressor", settings).channels[0];

describe("what is remembered of a loud wave", () => {
  it("is nothing in a wire, a curve and noise, and is said to be hidden where noise is loud", () => {
    for (const channel of [sent, sent.map((v) => Math.tanh(5 * v)), sent.map((v) => 0.3 * v)])
      for (const reading of read(channel, sent)) expect(rememberedDb(reading)).toBe(0);
    const noise = gaussian(sent.length, 10 ** (-50 / 20), 7);
    const noisy = sent.map((v, i) => v + noise[i]);
    const readings = read(noisy, sent, 1e-5);
    for (const reading of readings) expect(rememberedDb(reading)).toBe(0);
    expect(hiddenMemoryDb(readings)).toBeGreaterThan(10 * hiddenMemoryDb(read(sent, sent, 1e-9)));
  });

  it("is a compressor's reduction, dying away as its release does, after bursts and after tones of each ladder", () => {
    const readings = read(compressed({ thresholdDb: -32, ratio: 4, kneeDb: 0, attackMs: 2, releaseMs: 80 }), sent);
    expect(readings.map(({ after }) => after)).toEqual(["burst", "low", "middle", "high"]);
    for (const reading of readings) expect(rememberedDb(reading)).toBeLessThan(-5);
    // From 8 to 20 ms and from 50 to 120 ms after: exp(−t / 80 ms) of what was taken off.
    const [burst] = readings;
    const [earlier, later] = [burst.windows[2], burst.windows[4]];
    expect(earlier.gainDb / later.gainDb).toBeCloseTo(Math.exp((85 - 14) / 80), 0);
  });

  it("is not what a filter rings, where the linear response says so", () => {
    const narrow = through(signal, "bilinear-equalizer", {
      bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 12, q: 12 }],
    }).channels[0];
    for (const reading of read(narrow, narrow)) expect(rememberedDb(reading)).toBe(0);
  });
});

describe("a response", () => {
  const quiet = sweptImpulse(plan.quietSweeps[1], rate, sent, sent);
  it("of nothing but a wire gives back what was sent, anywhere", () => {
    const { startFrame, frames } = plan.repeats[1];
    const told = throughResponse(sent, trimmed(quiet), startFrame, frames);
    let [left, all] = [0, 0];
    for (let i = 0; i < frames; i++) {
      left += (told[i] - sent[startFrame + i]) ** 2;
      all += sent[startFrame + i] ** 2;
    }
    // White noise reaches to both ends of the band, where the sweep does not.
    expect(10 * Math.log10(left / all)).toBeLessThan(-20);
  });

  it("is undone by its own undoing, and loses what is noise before and after it", () => {
    const shelved = through(signal, "bilinear-equalizer", {
      bands: [{ kind: "high shelf", frequencyHz: 2000, gainDb: 6, q: 0.7 }],
    }).channels[0];
    const response = trimmed(sweptImpulse(plan.quietSweeps[1], rate, sent, shelved));
    const { startFrame, frames } = plan.deep;
    const back = throughResponse(shelved, undoing(response), startFrame + 2000, frames - 4000);
    const off = back.map((v, i) => v - sent[startFrame + 2000 + i]);
    expect(Math.max(...off.map(Math.abs))).toBeLessThan(0.003);
    const noise = gaussian(sent.length, 1e-3, 9);
    const noisy = sweptImpulse(
      plan.quietSweeps[1],
      rate,
      sent,
      shelved.map((v, i) => v + noise[i]),
    );
    const count = (taps: Float64Array) => taps.reduce((sum, v) => sum + (v === 0 ? 0 : 1), 0);
    expect(count(trimmed(noisy).taps)).toBeLessThan(0.2 * count(noisy.taps));
  });
});

describe("channels", () => {
  it("are left and right, half their sum and half their difference; a single one is its own mid", () => {
    const channels = [Float32Array.from([1, 0.5]), Float32Array.from([0, -0.5])];
    expect(Array.from(channelOf(channels, "mid"))).toEqual([0.5, 0]);
    expect(Array.from(channelOf(channels, "side"))).toEqual([0.5, 0.5]);
    expect(channelOf(channels, "right")).toBe(channels[1]);
    expect(Array.from(channelOf(channels.slice(0, 1), "side"))).toEqual([0, 0]);
    const stereo = sentSignal({ sampleRateHz: 16_000 }).plan;
    expect(partsOf(stereo, "side").steady).toBe(stereo.opposed?.steady);
    expect(partsOf(stereo, "right").alone).toBe(stereo.bursts.otherSide);
    expect(partsOf(stereo, "mid").alone).toBeNull();
  });
});
