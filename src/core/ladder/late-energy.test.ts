import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { lateEnergyOf } from "./late-energy";
import type { FilterStage } from "./stages";

const RATE = 16_000;
const TAPS = 32_768;
const LEAD = TAPS / 8;
const HERTZ = Array.from({ length: 210 }, (_, i) => 20 * 2 ** (i / 24));
const KNOWN = [new Float64Array(HERTZ.length)];

/** A filter that passes the sound itself, and what comes so many seconds later. */
function filterWith(late: (seconds: number) => number): FilterStage {
  const response = Float64Array.from({ length: TAPS }, (_, n) => late((n - LEAD) / RATE));
  response[LEAD] = 1;
  return {
    kind: "filter",
    eq: { taps: TAPS, lead: LEAD, hasCrosstalk: false, filters: [{ responses: [response], lead: LEAD }] },
  };
}
const told = (late: (seconds: number) => number) => lateEnergyOf(filterWith(late), KNOWN, HERTZ, RATE);
const random = seededRandom(4);
const noise = () => 2 * random() - 1;

// The backward integral of Schroeder (1965): noise that falls by 60 dB in T gives T.
describe("late energy of a filter", () => {
  it.each([0.3, 0.8])("is a reverberation of %s s", (seconds) => {
    const found = told((t) => (t > 0.005 ? 0.2 * noise() * 10 ** ((-3 * t) / seconds) : 0));
    if (found?.cause !== "reverb") throw new Error(`told ${found?.cause}`);
    expect(Math.abs(found.seconds / seconds - 1)).toBeLessThan(0.15);
  });

  it("is an echo at its time", () => {
    expect(told((t) => (Math.round(t * RATE) === 0.18 * RATE ? 0.3 : 0))).toEqual({
      cause: "echo",
      milliseconds: expect.closeTo(180, 0),
    });
  });

  it("is neither where there is none, or where it lasts for hundredths of a second", () => {
    expect(told(() => 0)).toBeNull();
    expect(told((t) => (t > 0.12 && t < 0.14 ? 0.02 * noise() : 0))).toBeNull();
  });
});
