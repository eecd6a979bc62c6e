import { describe, expect, it } from "vitest";
import { bilinear, cutSections } from "../audio/analogue";
import type { Biquad } from "../audio/biquad";
import { flatCauses, polarityAtEnds, polarityOfRows } from "./chain-causes";
import type { Placed } from "./ladder-schema";
import { besideAllPass, leastDelayBesideEq, offsetCauses, placedCauses } from "./plain-causes";

const placed = (more: Partial<Placed> = {}): Placed => ({ delaySamples: 0, polarity: 1, driftPpm: 0, ...more });
const delays = (of: ReturnType<typeof placedCauses>) =>
  of.flatMap((c) => (c.cause === "delay" ? [[c.channels, c.samples]] : []));

describe("a delay is told", () => {
  it("from a twentieth of a sample on, and beside an equalizer only where its phase cannot be it", () => {
    expect(delays(placedCauses(placed({ delaySamples: 0.04 })))).toEqual([]);
    expect(delays(placedCauses(placed({ delaySamples: 0.06 })))).toEqual([["both", 0.06]]);
    const told = (delaySamples: number, rateHz: number) =>
      delays(placedCauses(placed({ delaySamples }), undefined, leastDelayBesideEq(rateHz, delaySamples)));
    // Whole samples from 10 µs on: one at 48 kHz, two at 192.
    expect(told(1, 8000)).toHaveLength(1);
    expect(told(-1, 48_000)).toHaveLength(1);
    expect(told(1, 192_000)).toEqual([]);
    expect(told(2.01, 192_000)).toHaveLength(1);
    // Parts of one from 50 µs on: +7.6 dB under 216 Hz move a tabla by 1.66 samples at 96 kHz (ffmpeg's shelf, by alignment).
    expect(told(1.66, 96_000)).toEqual([]);
    expect(told(2.3, 48_000)).toEqual([]);
    expect(told(-2.45, 48_000)).toHaveLength(1);
    expect(told(0.45, 8000)).toEqual([]);
  });

  it("of the side that is late, though the render was laid by the other", () => {
    // Laid by the right side, 22 samples late; the left is 22.1 before that: it is where it was.
    expect(delays(placedCauses(placed({ delaySamples: 22 }), { side: "left", samples: -22.1 }))).toEqual([
      ["right", 22],
    ]);
    expect(delays(placedCauses(placed({ delaySamples: 0.01 }), { side: "right", samples: 9 }))).toEqual([
      ["right", 9.01],
    ]);
    // Both are late, by what is no error.
    expect(delays(placedCauses(placed({ delaySamples: 22 }), { side: "left", samples: -20 }))).toEqual([
      ["both", 22],
      ["left", -20],
    ]);
  });
});

describe("polarity, swap, drift and DC are told", () => {
  it("of the channels that have them, and not where there are none", () => {
    expect(placedCauses(placed())).toEqual([]);
    const channels = (more: Partial<Placed>) => placedCauses(placed(more)).map((c) => [c.cause, c.channels]);
    expect(channels({ polarity: -1 })).toEqual([["polarity", "both"]]);
    expect(channels({ polarityRight: -1 })).toEqual([["polarity", "right"]]);
    expect(channels({ polarity: -1, polarityRight: 1 })).toEqual([["polarity", "left"]]);
    expect(channels({ swapped: true, driftPpm: 50 })).toEqual([
      ["drift", "both"],
      ["swap", "both"],
    ]);
  });

  it("from −80 dBFS on, by channel", () => {
    expect(offsetCauses([9e-5, 0], 2)).toEqual([]);
    expect(offsetCauses([0, 2e-4], 2)).toMatchObject([{ cause: "dc", channels: "right", fullScale: 2e-4 }]);
    expect(offsetCauses([2e-4, 3e-4], 2)).toMatchObject([{ channels: "both" }]);
    expect(offsetCauses([2e-4], 1)).toMatchObject([{ channels: "both" }]);
  });
});

describe("balance and width are told", () => {
  it("where they are more than the residual leaves open, and never beside much that is unexplained", () => {
    expect(flatCauses([0, 1], "left-right", 1e-6)).toMatchObject([{ cause: "balance", balanceDb: 1 }]);
    expect(flatCauses([0, 1], "mid-side", 1e-6)).toMatchObject([{ cause: "width", widthDb: 1 }]);
    expect(flatCauses([0, -80], "mid-side", 1e-6)).toMatchObject([{ cause: "width", widthDb: null }]);
    // 20·log10(1 + 0.1) = 0.83 dB at −20 dB, on either side; at −8 dB nothing is, however far apart.
    expect(flatCauses([0, 1.6], "left-right", 0.01)).toEqual([]);
    expect(flatCauses([0, 1.7], "left-right", 0.01)).toHaveLength(1);
    expect(flatCauses([0, 5.73], "left-right", 0.16)).toEqual([]);
    expect(flatCauses([0, 0.04], "left-right", 0)).toEqual([]);
    expect(flatCauses([3], "left-right", 0)).toEqual([]);
  });
});

describe("polarity beside an all-pass", () => {
  const RATE = 48_000;
  // First order: (c + z⁻¹) / (1 + c z⁻¹), c = (tan(πf/r) − 1) / (tan(πf/r) + 1); second: two of them (Regalia and Mitra 1987, from memory).
  const c = (Math.tan((Math.PI * 500) / RATE) - 1) / (Math.tan((Math.PI * 500) / RATE) + 1);
  const first: Biquad = { b0: c, b1: 1, b2: 0, a1: c, a2: 0 };
  const inverted: Biquad = { b0: -1, b1: 0, b2: 0, a1: 0, a2: 0 };
  const chain = (...sections: Biquad[]) => [{ kind: "cascade" as const, sections: [sections] }];

  it("is another at each end where the order is odd, the same where it is even", () => {
    expect(polarityAtEnds(chain(first), RATE)).toEqual([1, -1]);
    expect(polarityAtEnds(chain(first, inverted), RATE)).toEqual([-1, 1]);
    expect(polarityAtEnds(chain(first, first), RATE)).toEqual([1, 1]);
    expect(polarityAtEnds(chain(first, first, inverted), RATE)).toEqual([-1, -1]);
    expect(polarityAtEnds([], RATE)).toEqual([1, 1]);
  });

  it("is that of the first sample where all is rows of minimum phase, however much those turn", () => {
    // Four high-passes of second order at 70 Hz turn a sound near their corner by a whole turn, and are not inverted.
    const cut = bilinear(cutSections("low cut", 70, 2)[0], RATE);
    const negative = { ...cut, b0: -cut.b0, b1: -cut.b1, b2: -cut.b2 };
    expect(polarityOfRows(chain(cut, cut, cut, cut))).toBe(1);
    expect(polarityOfRows(chain(cut, cut, cut, negative))).toBe(-1);
    expect(polarityOfRows(chain(negative, cut, cut, negative))).toBe(1);
    expect(polarityOfRows(chain(first, cut))).toBe(null);
    expect(polarityOfRows([])).toBe(null);
    // One side alone is not judged by it, nor a filter of taps.
    expect(polarityOfRows([{ kind: "cascade", sections: [[cut], [negative]] }])).toBe(null);
    const eq = { taps: 2, lead: 0, hasCrosstalk: false, filters: [{ responses: [Float64Array.of(1, 0.5)], lead: 0 }] };
    expect(polarityOfRows([...chain(cut), { kind: "filter", eq }])).toBe(null);
  });

  it("is told as what both together come to, and of neither end where they disagree", () => {
    const told = (polarity: 1 | -1, ends: [1 | -1, 1 | -1] | null) =>
      placedCauses(besideAllPass(placed({ polarity, polarityRight: polarity }), ends)).some(
        ({ cause }) => cause === "polarity",
      );
    expect(told(-1, null)).toBe(true);
    expect(told(-1, [-1, -1])).toBe(false);
    expect(told(1, [-1, -1])).toBe(true);
    expect(told(-1, [1, 1])).toBe(true);
    expect(told(-1, [1, -1])).toBe(false);
    expect(told(-1, [-1, 1])).toBe(false);
  });
});
