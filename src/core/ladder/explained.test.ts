import { describe, expect, it } from "vitest";
import type { Exception } from "../survey/survey";
import { isOtherProcessing } from "./explained";
import type { Chain } from "./stages";

const CURVE: Chain = [{ kind: "saturation", curves: [{ reach: 1, knots: new Float64Array(11), oversampling: 1 }] }];
const GAIN: Chain = [{ kind: "gain", gain: { edgesHz: [], isLinked: true, fits: [[]] } }];
const ROW: Chain = [{ kind: "cascade", sections: [[]] }];
const exception = (what: Exception["what"], residualDb: number | null): Exception => ({
  startSeconds: 6,
  endSeconds: 7.5,
  what,
  residualDb,
});

describe("a stretch that the model leaves more of", () => {
  // A soft clip between weak filters leaves −39 dB where a mix is 15 dB softer, and −86 dB of the rest: measured on a game's music through ffmpeg's asoftclip.
  it.each([
    ["no other processing under a curve, at −39 dB", CURVE, -39, false],
    ["nor under a gain that moves", GAIN, -39, false],
    ["but one at −20 dB", CURVE, -20, true],
    ["and one at −39 dB beside an equalizer alone", ROW, -39, true],
    ["and one beside nothing", [], -90, true],
  ] as const)("is %s", (_, chain, residualDb, isTold) => {
    expect(isOtherProcessing(exception("different", residualDb), chain, 1e-9, false)).toBe(isTold);
  });

  it.each([
    // Peaks of drums that a curve was not fitted at, by trial; and one sample of full scale among others at −20 dBFS, in a tenth of a second at 48 kHz (−17 dB).
    ["no click under a curve, at −33 dB", CURVE, -33, false],
    ["one at −17 dB", CURVE, -17, true],
    ["and one at −40 dB beside an equalizer", ROW, -40, true],
  ] as const)("is %s", (_, chain, residualDb, isTold) => {
    expect(isOtherProcessing(exception("click", residualDb), chain, 1e-9, false)).toBe(isTold);
  });

  it("is a click at −47 dB where a curve is known at what it was given there", () => {
    expect(isOtherProcessing(exception("click", -47), CURVE, 1e-9, true)).toBe(true);
    expect(isOtherProcessing(exception("click", -47), [...GAIN, ...CURVE], 1e-2, true)).toBe(false);
  });

  it("is told in any case where Yonder is muted or missing", () => {
    for (const what of ["muted", "missing in Yonder", "bypassed"] as const)
      expect(isOtherProcessing(exception(what, null), CURVE, 0.1, false)).toBe(true);
  });

  it("is no click where a gain leaves much everywhere", () => {
    expect(isOtherProcessing(exception("click", -3), GAIN, 0.01, false)).toBe(false);
    expect(isOtherProcessing(exception("click", -3), GAIN, 1e-6, false)).toBe(true);
    expect(isOtherProcessing(exception("click", -3), CURVE, 0.01, false)).toBe(true);
  });
});
