import { createHash } from "node:crypto";
import { describe, expect, it } from "vitest";
import { type AbxSide, orderFromBytes, planAbx, scoreAbx, sealText } from "./abx";
import { abxVerdict, oddsInWords, probabilityText } from "./verdict";

const sides = (text: string) => text.split("") as AbxSide[];

describe("an ABX plan", () => {
  it("fixes trials and the score that is needed", () => {
    expect(planAbx(16)).toEqual({ kind: "abx", trials: 16, rightNeeded: 12 });
    expect(() => planAbx(4)).toThrow(RangeError);
    expect(() => planAbx(1000)).toThrow();
  });

  it("takes one side from each byte, evenly", () => {
    expect(orderFromBytes(Uint8Array.from([0, 1, 2, 255]))).toEqual(sides("ABAB"));
    const all = orderFromBytes(Uint8Array.from({ length: 256 }, (_, i) => i));
    expect(all.filter((s) => s === "A")).toHaveLength(128);
  });

  it("seals run, salt and order in a text whose SHA-256 anyone can work out", () => {
    const text = sealText("run", "00ff", sides("ABBA"));
    expect(text).toBe("yonder-pair/seal@1\nrun\n00ff\nABBA");
    expect(createHash("sha256").update(text).digest("hex")).toHaveLength(64);
    expect(sealText("run", "00ff", sides("ABBB"))).not.toBe(text);
  });
});

describe("the score of a run", () => {
  const plan = planAbx(10);
  const order = sides("ABABABABAB");

  it("counts the right ones and says heard from the planned score on", () => {
    const nine = scoreAbx(plan, order, sides("ABABABABAA"));
    expect(nine).toMatchObject({ answered: 10, right: 9, outcome: "heard" });
    expect(nine.guessing).toBeCloseTo(11 / 1024, 10);
    const eight = scoreAbx(plan, order, sides("ABABABABBA"));
    expect(eight).toMatchObject({ right: 8, outcome: "not shown" });
  });

  it("decides nothing when left early, even with all right", () => {
    const early = scoreAbx(plan, order, sides("ABABABABA"));
    expect(early).toMatchObject({ answered: 9, right: 9, outcome: "left early" });
    expect(scoreAbx(plan, order, [])).toMatchObject({ answered: 0, guessing: 1, abilityLow: 0, abilityHigh: 1 });
  });

  it("says so in plain words, with the exact odds", () => {
    const heard = abxVerdict(plan, scoreAbx(plan, order, order));
    expect(heard.headline).toBe("You heard a difference.");
    expect(heard.detail).toContain("10 of 10 right");
    expect(heard.detail).toContain("1 in 1 000");
    expect(heard.detail).toContain("p = 0.0010");
    const not = abxVerdict(plan, scoreAbx(plan, order, sides("ABABABABBA")));
    expect(not.headline).toBe("No difference was shown.");
    expect(not.detail).toContain("not proof that there is none");
    const early = abxVerdict(plan, scoreAbx(plan, order, sides("AB")));
    expect(early.headline).toContain("decides nothing");
    expect(early.detail).not.toContain("p =");
  });

  it("rounds odds to what a person can hold", () => {
    expect(oddsInWords(0.171875)).toBe("1 in 6");
    expect(oddsInWords(0.6)).toBe("60 in 100");
    expect(oddsInWords(1 / 32768)).toBe("1 in 33 000");
    expect(probabilityText(0.00001)).toBe("p < 0.0001");
  });
});
