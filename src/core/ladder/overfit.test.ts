import { describe, expect, it } from "vitest";
import { tanh } from "../audio/exact-math";
import { seededRandom } from "../audio/random";
import { soundOf } from "../audio/sound";
import { music, throughProcessors } from "../testing/chains";
import { fitStagesAlternately } from "./chain-fit";
import { crossValidated } from "./cross-validation";
import { withoutOverfit } from "./overfit";
import { pairSignals } from "./pair-signals";
import { SaturationFit } from "./saturation-curve";
import type { Chain } from "./stages";

const LOW = 16_000;
const pause = () => {};

/** Music without anything over 500 Hz, two seconds: a long filter is known at next to none of its frequencies. */
const dull = throughProcessors(music(2, 1, 1, LOW), [
  "bilinear-equalizer",
  { bands: [{ kind: "high cut", frequencyHz: 500, slopeDbPerOctave: 48 }] },
]);
const random = seededRandom(9);
const driven = dull.channels[0].map((v) => tanh(6 * v) / 6 + 3e-6 * (2 * random() - 1));
const pair = pairSignals(soundOf(dull), soundOf({ ...dull, channels: [driven] }), {
  startFrame: 0,
  endFrame: driven.length,
});
const curve = (): Chain[number] => {
  const fit = new SaturationFit({ under: pair.here, target: pair.yonder, weight: pair.judged });
  return { kind: "saturation", curves: [fit.fit(16).curve] };
};
/** A filter of so many taps that changes nothing, to begin with. */
const plain = (taps: number): Chain[number] => {
  const response = new Float64Array(taps);
  const lead = taps / 8;
  response[lead] = 1;
  return { kind: "filter", eq: { taps, lead, hasCrosstalk: false, filters: [{ responses: [response], lead }] } };
};
const judged = (chain: Chain) => {
  const settled = fitStagesAlternately(pair, chain, { rounds: 3, pause });
  return { ...settled, crossValidated: crossValidated(pair, settled.chain, pause) };
};

describe("a chain with more unknowns than its sound tells of", () => {
  it("loses those that do not hold on the half they were not fitted on", () => {
    const long = judged([curve(), plain(8192)]);
    expect(long.crossValidated.bend).toBeGreaterThan(30 * long.left);
    const simple = withoutOverfit(pair, long, pause);
    expect(simple.crossValidated.bend).toBeLessThan(0.1 * long.crossValidated.bend);
    expect(simple.chain.some(({ kind }) => kind === "saturation")).toBe(true);
  });

  it("and stays as it is where it holds, or has no filter beside something else", () => {
    const short = judged([curve()]);
    expect(withoutOverfit(pair, short, pause)).toBe(short);
    const long = judged([plain(256)]);
    expect(withoutOverfit(pair, long, pause)).toBe(long);
  });
});
