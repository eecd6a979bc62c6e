import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { CATCHES, hearingResult, hearingSteps, nextPresentation, type Presentation } from "./hearing";

const steps = hearingSteps(48_000);

/** Takes a check to its end. */
function checked(listens: (hertz: number | null) => boolean, seed: number) {
  const random = seededRandom(seed);
  const history: Presentation[] = [];
  for (let i = 0; i < 200; i++) {
    const next = nextPresentation(history, steps, random());
    if (next.done) return { history, result: hearingResult(history, steps) };
    history.push({ hertz: next.hertz, heard: listens(next.hertz) });
  }
  throw new Error("the check does not end");
}

describe("how high someone hears", () => {
  it("finds the highest tone heard and the one above it, for every limit and what is drawn", () => {
    for (const limit of steps) {
      for (let seed = 1; seed < 20; seed++) {
        const { result } = checked((hertz) => hertz !== null && hertz <= limit, seed);
        expect(result).toEqual({ known: true, highestHz: limit, nextHz: limit === 20_000 ? null : limit + 1000 });
      }
    }
  });

  it("says that none was heard where none was", () => {
    const { result } = checked(() => false, 3);
    expect(result).toEqual({ known: true, highestHz: null, nextHz: 8000 });
  });

  it("who says yes to everything is caught at once, and who tosses a coin in more than nine of ten checks", () => {
    const eager = checked(() => true, 5);
    expect(eager.result).toEqual({ known: false });
    expect(eager.history.length).toBeLessThan(25);
    const random = seededRandom(9);
    let passed = 0;
    for (let seed = 1; seed <= 1000; seed++) if (checked(() => random() < 0.5, seed).result.known) passed++;
    // One false alarm at the most in eight: (1 + 8) / 256 = 3.5 %.
    expect(passed / 1000).toBeLessThan(0.06);
  });

  it("shows enough silence in every check, so that it means something", () => {
    for (let seed = 1; seed < 50; seed++) {
      const { history } = checked((hertz) => hertz !== null && hertz <= 15_000, seed);
      expect(history.filter((p) => p.hertz === null).length).toBeGreaterThanOrEqual(CATCHES);
    }
  });

  it("begins under half the rate, and a check that was broken off tells nothing", () => {
    expect(hearingSteps(32_000)[0]).toBe(14_000);
    expect(hearingSteps(96_000)[0]).toBe(20_000);
    expect(hearingResult([{ hertz: 20_000, heard: true }], steps)).toEqual({ known: false });
  });
});
