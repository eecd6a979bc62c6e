import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { BELL_AND_SHELF, music, throughProcessors } from "../testing/chains";
import { fitCascade } from "./cascade-fit";
import { aroundPlace, fitStagesAlternately, gainAround } from "./chain-fit";
import { inBestOrder } from "./chain-order";
import { forChannels, onOneChannel } from "./for-channels";
import { energyOf, pairSignals } from "./pair-signals";
import { type Chain, causeOf, throughChain } from "./stages";

const LOW = 16_000;
const quiet = () => {};
const here = music(5, 1, 1, LOW);
const compressor: [string, Record<string, unknown>] = [
  "feed-forward-compressor",
  { thresholdDb: -30, attackMs: 15, releaseMs: 150 },
];
const pairOf = (yonder: typeof here, from = here) =>
  pairSignals(soundOf(from), soundOf(yonder), { startFrame: 0, endFrame: 5 * LOW });

/** A filter and a gain in one order or the other, fitted together. */
function fitted(pair: ReturnType<typeof pairOf>, filterFirst: boolean) {
  const equalized = pairOf(throughProcessors(here, ["bilinear-equalizer", BELL_AND_SHELF]));
  const eq = fitCascade(equalized, quiet);
  if (!eq) throw new Error("no filter was found");
  const place = filterFirst ? 1 : 0;
  const gain = gainAround(aroundPlace(pair, [eq.stage], place, pair.judged), LOW);
  const chain: Chain = filterFirst ? [eq.stage, { kind: "gain", gain }] : [{ kind: "gain", gain }, eq.stage];
  return fitStagesAlternately(pair, chain, { rounds: 1, pause: quiet });
}

describe("the order of stages", () => {
  it("is the one that leaves less, from whichever a chain begins", () => {
    for (const isFilterFirst of [true, false]) {
      const equalizer: [string, Record<string, unknown>] = ["bilinear-equalizer", BELL_AND_SHELF];
      const stages = isFilterFirst ? [equalizer, compressor] : [compressor, equalizer];
      const pair = pairOf(throughProcessors(here, ...stages));
      const whole = energyOf(pair.judged, pair.yonder);
      const wrong = fitted(pair, !isFilterFirst);
      const best = inBestOrder(pair, wrong, quiet);
      expect(best.left).toBeLessThanOrEqual(wrong.left);
      // An order is reported as the only one only where the other leaves half a dB more.
      if (best.alternatives.length === 0)
        expect(best.chain.map(causeOf)).toEqual(isFilterFirst ? ["eq", "gain"] : ["gain", "eq"]);
      expect(10 * Math.log10(best.left / whole)).toBeLessThan(-35);
    }
  });

  it("is not asked of a single stage", () => {
    const pair = pairOf(throughProcessors(here, ["bilinear-equalizer", BELL_AND_SHELF]));
    const eq = fitCascade(pair, quiet);
    if (!eq) throw new Error("no filter was found");
    const given = { chain: [eq.stage], left: eq.left };
    expect(inBestOrder(pair, given, quiet)).toEqual({ ...given, alternatives: [] });
  });
});

describe("stages found on one channel", () => {
  it("leave the other as it is but for its level, or do the same to both", () => {
    const stereo = music(5, 2, 1, LOW);
    const [left, right] = stereo.channels;
    const pair = pairOf({ ...stereo, channels: [left, right.map((v) => 0.5 * v)] }, stereo);
    const only = pairOf({ ...here, channels: [left] }, { ...here, channels: [left] });
    const gain = gainAround(aroundPlace(only, [], 0, only.judged), LOW);
    const taps = new Float64Array(32).fill(0.1);
    const filter = {
      kind: "filter" as const,
      eq: { filters: [{ responses: [taps], lead: 4 }], taps: 32, lead: 4, hasCrosstalk: false },
    };
    const curve = {
      reach: 1,
      knots: Float64Array.from({ length: 11 }, (_, k) => Math.tanh(k / 4 - 1.25)),
      oversampling: 1,
    };
    const chain: Chain = [filter, { kind: "gain", gain }, { kind: "saturation", curves: [curve] }];
    const [worked, other] = throughChain(pair.here, onOneChannel(pair, chain, 0), LOW);
    const judged = (a: Float64Array, b: Float64Array) => energyOf(pair.judged, [a], [b]) / energyOf(pair.judged, [b]);
    expect(judged(other, pair.yonder[1])).toBeLessThan(1e-10);
    const [alone] = throughChain([pair.here[0]], chain, LOW);
    expect(judged(worked, alone)).toBeLessThan(1e-20);
    const [, both] = throughChain(pair.here, forChannels(chain, 2), LOW);
    const [rightAlone] = throughChain([pair.here[1]], chain, LOW);
    expect(judged(both, rightAlone)).toBeLessThan(1e-20);
  });
});
