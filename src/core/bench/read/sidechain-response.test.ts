import { describe, expect, it } from "vitest";
import { type Chain, chainSchema } from "../../processors/chain";
import { processorOf } from "../../processors/registry";
import { SMALL_FORM, sentSignal } from "../../testing/bench";
import { sidechainSentence } from "../../words/bench-sidechain";
import { benchChain } from "../bench";
import { csvRows } from "../csv";
import { sidechainResponse } from "./sidechain-response";

const KEYED = "feed-forward-compressor";
const { plan, signal } = sentSignal({ sampleRateHz: 16_000, channelCount: 1 });
const chainOf = (processorKey: string, settings: object = {}): Chain =>
  chainSchema.parse([{ processorKey, settings: processorOf(processorKey)?.parameters.parse(settings) ?? {} }]);
const read = (settings: object = {}) => {
  const key = sidechainResponse(chainOf(KEYED, settings), plan, signal);
  if (!key) throw new Error("takes no key");
  return key;
};

describe("response to an external key", () => {
  it("is none of what takes no key", () => {
    expect(sidechainResponse(chainOf("gain"), plan, signal)).toBeNull();
    expect(sidechainSentence(null)).toBeNull();
  });

  // Giannoulis, Massberg and Reiss 2012: what the panel sets is what a wave of one magnitude reads.
  it.each([
    { thresholdDb: -20, ratio: 4, attackMs: 10, releaseMs: 120 },
    { thresholdDb: -40, ratio: 2, kneeDb: 0, attackMs: 50, releaseMs: 300, makeupDb: 6 },
    { thresholdDb: -30, ratio: 10, kneeDb: 12, attackMs: 1, releaseMs: 40 },
    { thresholdDb: -25, ratio: 3, attackMs: 20, releaseMs: 500, mixPercent: 100 },
  ])("tells threshold, ratio, attack and release of %o", (settings) => {
    const key = read(settings);
    expect(Math.abs((key.thresholdDbfs ?? 0) - settings.thresholdDb)).toBeLessThan(0.5);
    expect(Math.abs((key.ratio ?? 0) / settings.ratio - 1)).toBeLessThan(0.05);
    expect(Math.abs((key.attackMs ?? 0) / settings.attackMs - 1)).toBeLessThan(0.1);
    expect(Math.abs((key.releaseMs ?? 0) / settings.releaseMs - 1)).toBeLessThan(0.1);
    // The sound itself lies 20 dB lower: its own level never asks for as much.
    const loudest = key.levels[key.levels.length - 1];
    const over = loudest.keyDbfs - settings.thresholdDb;
    expect(loudest.gainDb).toBeCloseTo(-over * (1 - 1 / settings.ratio), 1);
  });

  it("is deaf where the key's low cut takes its bottom away, and alike at all frequencies without one", () => {
    const gains = (keyLowCutHz: number) => read({ keyLowCutHz, attackMs: 1 }).frequencies;
    const flat = gains(0).map(({ gainDb }) => gainDb);
    expect(Math.max(...flat) - Math.min(...flat)).toBeLessThan(0.5);
    const cut = gains(500);
    // A second-order cut is 40 dB down a decade below: a key of −12 dBFS is far under −20 there.
    expect(cut[0].gainDb).toBeGreaterThan(-0.3);
    expect(cut[cut.length - 1].gainDb).toBeLessThan(-4);
    expect(sidechainSentence(read({ keyLowCutHz: 500, attackMs: 1 }))).toMatch(/Low sensitivity at .*Hz/);
  });

  it("is not known where steps are over before the gain has come to rest", () => {
    const slow = read({ attackMs: 500, releaseMs: 5000 });
    expect(slow.thresholdDbfs).toBeNull();
    expect(slow.ratio).toBeNull();
    expect(slow.levels).toEqual([]);
    expect(slow.frequencies).toEqual([]);
    expect(sidechainSentence(slow)).toMatch(/a 30\sdB step reduces gain by/);
  });

  it("stands among the figures that are saved, and is missing where nothing takes a key", () => {
    const rows = (chain: Chain) =>
      csvRows([{ title: "One", report: benchChain(chain, SMALL_FORM) }]).rows.filter(([, figure]) =>
        /sidechain/.test(String(figure)),
      );
    const keyed = rows(chainOf(KEYED, { thresholdDb: -24, ratio: 4 }));
    expect(Number(keyed.find(([, figure]) => figure === "sidechain threshold")?.[3])).toBeCloseTo(-24, 0);
    expect(keyed.filter(([, figure]) => figure === "gain vs sidechain frequency").length).toBeGreaterThan(4);
    expect(rows(chainOf("gain"))).toEqual([]);
  });

  it("says so where no key is loud enough", () => {
    const none = read({ thresholdDb: 0, kneeDb: 0 });
    expect(none.reductionDb).toBe(0);
    expect(sidechainSentence(none)).toMatch(/no gain change/);
  });
});
