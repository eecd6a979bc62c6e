import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readWav } from "../formats/wav-read";
import { writeWav } from "../formats/wav-write";
import { BELL_AND_SHELF, music, taken, throughProcessors } from "../testing/chains";
import { filterCurve, filterOf, impulseOf } from "./found-filter";

describe("the filter that was found", () => {
  it("is kept as an impulse response of every path, tap by tap", () => {
    const [a, b] = [Float64Array.of(0, 1, 0.5), Float64Array.of(0.25, -1, 0)];
    expect(impulseOf({ responses: [[a], [b]], lead: 1 }, 48_000).channels.map((c) => [...c])).toEqual([[...a], [...b]]);
    const crossed = impulseOf(
      {
        responses: [
          [a, b],
          [b, a],
        ],
        lead: 1,
      },
      44_100,
    );
    expect(crossed.channels.map((c) => c[1])).toEqual([1, -1, -1, 1]);
    const back = readWav(
      writeWav({ ...crossed, channels: crossed.channels.slice(0, 2) }, "32-bit float"),
      "filter.wav",
    );
    expect(back.ok && [...back.value.clip.channels[1]]).toEqual([0.25, -1, 0]);
  });

  it("has the gain and phase of its taps, time zero taken off", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 64 }), fc.constantFrom(8000, 48_000, 384_000), (taps, rate) => {
        const lead = Math.floor(taps / 2);
        const delay = new Float64Array(taps);
        delay[lead] = 0.5;
        const { hertz, responses } = filterCurve({ responses: [[delay]], lead }, rate);
        expect(hertz[hertz.length - 1]).toBeLessThanOrEqual(rate / 2);
        for (const gain of responses[0].gainDb) expect(gain).toBeCloseTo(-6.0206, 3);
        for (const angle of responses[0].degrees) expect(Math.abs(angle)).toBeLessThan(1e-6);
      }),
      { numRuns: 12 },
    );
    // One sample late at 12 kHz and 48 kHz is a quarter turn.
    const late = filterCurve({ responses: [[Float64Array.of(0, 1)]], lead: 0 }, 48_000);
    const at = late.hertz.findIndex((hz) => hz > 11_900);
    expect(late.responses[0].degrees[at]).toBeCloseTo((-360 * late.hertz[at]) / 48_000, 6);
  });

  it("reads what an equalizer was set to: a shelf and a bell by their own formulas", () => {
    const passage = music(3, 1);
    const ladder = taken(passage, throughProcessors(passage, ["bilinear-equalizer", BELL_AND_SHELF]));
    if (!ladder.found) throw new Error("nothing was found");
    const { hertz, responses } = filterCurve(
      filterOf(ladder.found, 48_000) ?? { responses: [[Float64Array.of(0)]], lead: 0 },
      48_000,
    );
    const gainAt = (hz: number) => responses[0].gainDb[hertz.findIndex((h) => h >= hz)];
    // A bell of +6 dB at 200 Hz, a shelf of +4 dB from 6 kHz: at the bell's own frequency, and far above the shelf's (values by definition).
    expect(gainAt(200)).toBeCloseTo(6, 1);
    expect(gainAt(15_000)).toBeCloseTo(4, 0);
    expect(Math.abs(gainAt(1500))).toBeLessThan(0.3);
  });
});
