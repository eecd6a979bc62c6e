import { describe, expect, it } from "vitest";
import { wordFaults } from "../testing/word-rules";

describe("the check of words", () => {
  it.each([
    ["Bus told from Dry", "told"],
    ["left over", "left over"],
    ["0.02 LU left", "left"],
    ["Level apart 1.8 LU", "Level apart"],
    ["7 of 8 right are needed", "right"],
    ["Level 2.5 higher", "no unit behind 2.5"],
    ["Gain −0.0 dB", "minus nought"],
    ["gain of -3 dB", "hyphen"],
    [Array(21).fill("word").join(" "), "21 words"],
    ["Folding over level", "aliasing"],
  ])("finds what is planted: %s", (text, fault) => {
    expect(wordFaults(text).join("; ")).toContain(fault);
  });

  it.each([
    "Attack 5.0 ms, release 120 ms (to 63 % of 9.3 dB).",
    "0.02 LU remaining after matching: fair.",
    "p = 0.0106 ± 0.0002",
    "threshold −18.0 ±0.1 dBFS, ratio 4.0:1, Q 0.71",
    "90 % confidence interval: 51.5 to 93.1 %.",
    "Left channel inverted",
    "Loop 0:07.480 to 0:09.000",
    "A plan of twenty words is long enough; a second clause behind a semicolon is another sentence, and is counted for itself.",
  ])("lets plain words pass: %s", (text) => {
    expect(wordFaults(text)).toEqual([]);
  });
});
