import { describe, expect, it } from "vitest";
import { type Clip, frameCount } from "../audio/clip";
import { clipOf, piecesOf, type Sound, soundOf } from "../audio/sound";
import { noise } from "../stimuli/signals";
import { type Chain, chainFamily, chainLatencySamples, chainSchema, runChain as soundThrough } from "./chain";
import { FAMILIES } from "./processor";
import { PROCESSORS, processorOf } from "./registry";

const runChain = (clip: Clip, chain: Chain, options: { key?: Clip; keepLatency?: boolean } = {}) =>
  clipOf(soundThrough(soundOf(clip), chain, { ...options, key: options.key && soundOf(options.key) }));
const stage = (processorKey: string, settings: Record<string, unknown> = {}) => ({ processorKey, settings });

describe("the registry", () => {
  it("has every key once, and processors of every family", () => {
    expect(new Set(PROCESSORS.map((p) => p.key)).size).toBe(PROCESSORS.length);
    expect(new Set(PROCESSORS.map((p) => p.family))).toEqual(new Set(FAMILIES));
    expect(processorOf("nothing")).toBeUndefined();
  });

  it.each(PROCESSORS.map((p) => [p.key, p] as const))(
    "%s: labels, units and defaults; mono and stereo at low and high rates; input untouched",
    (_, processor) => {
      const defaults = processor.parameters.parse({});
      expect(processor.parameters.parse(defaults)).toEqual(defaults);
      for (const field of Object.values(processor.parameters.shape)) {
        expect(field.meta()).toMatchObject({ label: expect.stringMatching(/^[A-Z]/), unit: expect.any(String) });
      }
      for (const [channels, rate] of [
        [1, 8_000],
        [2, 48_000],
        [2, 192_000],
      ] as const) {
        const clip = noise(0.05, 0.9, 7, channels, rate);
        const before = clip.channels.map((c) => c.slice());
        const out = processor.processClip(clip, defaults);
        expect(clip.channels).toEqual(before);
        expect(out.channels).toHaveLength(channels);
        expect(out.channels.every((c) => c.every(Number.isFinite))).toBe(true);
        const seconds = frameCount(out) / out.sampleRateHz;
        expect(seconds).toBeGreaterThanOrEqual(0.05 - 1e-3);
      }
    },
  );
});

describe("a chain", () => {
  const clip = noise(0.3, 0.8, 2);

  it("runs in its order: clip then gain is not gain then clip", () => {
    const clipFirst: Chain = [stage("hard-ceiling", { ceilingDb: -6 }), stage("gain", { gainDb: 6 })];
    const gainFirst: Chain = [...clipFirst].reverse();
    const peak = (chain: Chain) => Math.max(...runChain(clip, chain).channels[0]);
    expect(peak(clipFirst)).toBeCloseTo(1, 2);
    expect(peak(gainFirst)).toBeCloseTo(0.5, 2);
  });

  it("adds its stages' latencies up, and leaves the delay in when asked to", () => {
    const chain: Chain = [stage("true-peak-limiter", { lookAheadMs: 2 }), stage("linear-phase-equalizer")];
    expect(chainLatencySamples(chain, 48_000)).toBe(96 + 8191);
    const out = runChain(clip, chain, { keepLatency: true });
    expect(frameCount(out)).toBe(frameCount(clip) + 96 + 8191);
    expect(out.channels[0].subarray(0, 96 + 8191).every((v) => v === 0)).toBe(true);
  });

  it("hands an external key to those that take one, at the rate they run at", () => {
    const chain: Chain = [
      stage("converter", { rateHz: 44_100 }),
      stage("feed-forward-compressor", { thresholdDb: -60, ratio: 20, attackMs: 0 }),
    ];
    const silent = { ...clip, channels: clip.channels.map((c) => c.map(() => 0)) };
    const keyed = runChain(clip, chain, { key: silent });
    expect(keyed.channels[0]).toEqual(runChain(clip, chain.slice(0, 1)).channels[0]);
  });

  it.each([
    ["phase-rotator", {}],
    ["linear-phase-equalizer", { bands: [{ gainDb: 3 }], route: "mid" }],
    ["tape-stage", { mixPercent: 50 }],
  ])("works out what %s hears once, however far one reader is ahead of another, at 384 kHz", (key, settings) => {
    const long = soundOf(noise(4, 0.5, 3, 2, 384_000));
    let read = 0;
    const counted: Sound = {
      ...long,
      read: (from, count) => {
        read += Math.max(0, Math.min(long.frames, from + count) - Math.max(0, from));
        return long.read(from, count);
      },
    };
    // The gain in front has to work out its level from the beginning wherever that was let go.
    const chain: Chain = [stage("slow-leveller", {}), stage(key, settings)];
    for (const _ of piecesOf(soundThrough(counted, chain)));
    expect(read / long.frames).toBeLessThan(1.5);
  });

  it("is named by its family, and by chain when there are several", () => {
    expect(chainFamily([stage("soft-clip"), stage("true-peak-limiter")])).toBe("limiter");
    expect(chainFamily([stage("soft-clip"), stage("gain")])).toBe("chain");
  });

  it("is refused with a sentence when a key is unknown or a setting out of range", () => {
    expect(chainSchema.safeParse([]).success).toBe(false);
    expect(chainSchema.safeParse([stage("nothing")]).error?.message).toContain('there is no processor \\"nothing\\"');
    expect(chainSchema.safeParse([stage("gain", { gainDb: 99 })]).success).toBe(false);
    expect(chainSchema.safeParse([stage("gain", { gainDb: 3 })]).success).toBe(true);
    expect(() => runChain(clip, [stage("nothing")])).toThrow(RangeError);
  });
});
