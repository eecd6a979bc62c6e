import { describe, expect, it } from "vitest";
import { type LiveBlock, liveFigures, SHORT_TERM_BLOCKS } from "./live";

const block = (weighted: [number, number], left = weighted[0], right = weighted[1], product = 0): LiveBlock => ({
  frames: 4800,
  weighted,
  left,
  right,
  product,
});
const many = (n: number, one: LiveBlock) => Array.from({ length: n }, () => one);

describe("what is heard, told live", () => {
  it("is −0.691 + 10 log of the power of both channels (BS.1770-5), over what there is of three seconds", () => {
    // A mean square of one half in each channel: 10 log 1.
    expect(liveFigures(many(30, block([2400, 2400])), 48_000)).toMatchObject({ seconds: 3 });
    expect(liveFigures(many(30, block([2400, 2400])), 48_000).shortTermLufs).toBeCloseTo(-0.691, 6);
    expect(liveFigures(many(4, block([2400, 0])), 48_000).seconds).toBeCloseTo(0.4, 6);
  });

  it("forgets what was heard more than three seconds ago", () => {
    const blocks = [...many(50, block([2400, 2400])), ...many(SHORT_TERM_BLOCKS, block([24, 24]))];
    expect(liveFigures(blocks, 48_000).shortTermLufs).toBeCloseTo(-20.691, 6);
  });

  it("silence has no loudness, and a silent side no correlation", () => {
    expect(liveFigures(many(10, block([0, 0])), 48_000)).toMatchObject({ shortTermLufs: null, correlation: null });
    expect(liveFigures(many(10, block([100, 0])), 48_000).correlation).toBeNull();
    expect(liveFigures([], 48_000)).toMatchObject({ shortTermLufs: null, seconds: 0 });
    expect(liveFigures(many(5, block([100, 100], 100, 100, -100)), 48_000).correlation).toBeCloseTo(-1, 9);
  });
});
