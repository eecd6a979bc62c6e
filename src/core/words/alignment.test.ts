import { describe, expect, it } from "vitest";
import { type Alignment, type FoundAlignment, IN_STEP } from "../alignment/alignment";
import { alignmentWords } from "./alignment";

const aligned = (change: Partial<FoundAlignment>): Alignment => ({ ...IN_STEP, ...change });

describe("how a render is aligned, in words", () => {
  it("says aligned only of what is", () => {
    expect(alignmentWords(aligned({}))).toEqual({ words: "Aligned", short: "Aligned", tone: "good" });
    expect(alignmentWords(undefined)).toMatchObject({ words: "Aligning…", tone: "none" });
    const lost: Alignment = { found: false, reason: { kind: "render silent" }, confidence: 0 };
    expect(alignmentWords(lost)).toMatchObject({ words: "Not aligned: the render is silent", tone: "wrong" });
  });

  it("names each correction with its sign: positive delay is late, positive drift runs long", () => {
    expect(alignmentWords(aligned({ delaySamples: 64 })).words).toBe("Aligned: delay +64 samples");
    expect(alignmentWords(aligned({ delaySamples: -1 })).words).toBe("Aligned: delay −1 sample");
    const inverted = aligned({ polarity: { left: -1, right: -1 }, delaySamples: 5 });
    expect(alignmentWords(inverted).words).toBe("Aligned: delay +5 samples, inverted");
    expect(alignmentWords(aligned({ driftPpm: -3.1, delaySamples: 2.254 }))).toEqual({
      words: "Aligned: delay +2.25 samples, drift −3.1\u2009ppm (runs short)",
      short: "+2.25\u2009smp, −3.1\u2009ppm",
      tone: "good",
    });
    expect(alignmentWords(aligned({ driftPpm: 999, delaySamples: -0.001 })).words).toBe(
      "Aligned: drift +999.0\u2009ppm (runs long)",
    );
    const right = aligned({ polarity: { left: 1, right: -1 }, swapped: true });
    expect(alignmentWords(right).words).toBe("Aligned: R inverted, L/R swapped");
  });

  it("says what lowers the confidence", () => {
    const doubted = aligned({ delaySamples: 3, doubts: [{ kind: "steady tone", everyMs: 2.27 }] });
    expect(alignmentWords(doubted)).toEqual({
      words: "Aligned: delay +3 samples. Low confidence: a steady tone fits again every 2.27\u2009ms",
      short: "? +3\u2009smp",
      tone: "care",
    });
  });
});
