import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { noise } from "../stimuli/signals";
import { biquadsOf } from "./band-sections";
import { flatApart, servesBoth } from "./one-curve";
import { type PairSignals, pairSignals } from "./pair-signals";
import { type CascadeStage, throughCascade } from "./stages";

const RATE = 16_000;
const here = noise(3, 0.1, 3, 2, RATE);
const hiss = noise(3, 1, 9, 2, RATE);
const region = { startFrame: 0, endFrame: here.channels[0].length };
const bell = (gainDb: number) =>
  biquadsOf(
    {
      bands: [{ kind: "bell", hertz: 2000, gainDb, q: 1, slopeDbPerOctave: null }],
      gainDb: 0,
      realised: null,
      misfitDb: 0,
      mostDb: 0,
    },
    RATE,
  );

/** Noise through a bell on each channel, with other noise at a level re Here. */
function pairOf(gainsDb: readonly number[], noiseDb: number): PairSignals {
  const pair = pairSignals(soundOf(here), soundOf(here), region);
  const rest = pairSignals(soundOf(hiss), soundOf(hiss), region).here;
  const yonder = throughCascade(pair.here, gainsDb.map(bell));
  const level = 0.1 * 10 ** (noiseDb / 20);
  return { ...pair, yonder: yonder.map((y, c) => y.map((v, n) => v + level * rest[c][n])), isDoubled: false };
}
const rows = (...gainsDb: number[]): CascadeStage => ({ kind: "cascade", sections: gainsDb.map(bell) });

describe("channels share an equalizer", () => {
  it("where one of theirs does for both, as near as the residual tells", () => {
    expect(servesBoth(pairOf([6, 6], -40), [rows(6, 6.05)], 0, 0)).toBe(true);
    expect(servesBoth(pairOf([6, 6], -40), [rows(5.95, 6)], 0, 0)).toBe(true);
  });

  it("but not where one of them alone is equalized, or more, or where much is unexplained", () => {
    expect(servesBoth(pairOf([6, 0], -40), [rows(6, 0)], 0, 0)).toBe(false);
    expect(servesBoth(pairOf([6, 5], -40), [rows(6, 5)], 0, 0)).toBe(false);
    expect(servesBoth(pairOf([6, 0], -10), [rows(6, 0)], 0, 0)).toBe(false);
    expect(servesBoth(pairOf([6, 6], -20), [rows(6, 6)], 0, 0)).toBe(false);
  });

  it("and lie apart by the median gap of what is known of both", () => {
    const reading = (flatDb: number, gainDb: number[]) => ({ flatDb, gainDb: Float64Array.from(gainDb) }) as never;
    // Each flat gain is the median of another part: 3 dB by themselves, none where both are known.
    const [a, b] = [reading(0, [0, 1, 2, Number.NaN, Number.NaN]), reading(3, [Number.NaN, -2, -1, 0, 1])];
    expect(flatApart([a, b])).toBe(0);
    expect(flatApart([a])).toBe(0);
  });
});
