import { describe, expect, it } from "vitest";
import { gridTotals } from "./totals";

const render = (id: string, passageId: string, candidateId: string, lufs: number | null, peak: number | null) => ({
  id,
  passageId,
  candidateId,
  levels: { integratedLufs: lufs, rmsDbfs: lufs, truePeakDbtp: peak },
});

describe("totals of the grid", () => {
  const passages = [
    { id: "p", dryRenderId: "pd" },
    { id: "q", dryRenderId: "qd" },
  ];
  const renders = [
    render("pd", "p", "dry", -20, -3),
    render("pa", "p", "a", -18, -1),
    render("pb", "p", "b", -21, -0.2),
    render("qd", "q", "dry", -15, 0),
    render("qa", "q", "a", -11, -2),
    render("qs", "q", "silent", null, null),
  ];

  it("names who is favoured by level, by the mean of its edges, and the highest peak", () => {
    const { candidates, mostFavouredId, highestPeakId } = gridTotals(passages, renders);
    expect(candidates.get("a")).toEqual({ meanLevelOffsetLu: 3, truePeakDbtp: -1 });
    expect(candidates.get("b")?.meanLevelOffsetLu).toBe(-1);
    expect(candidates.get("silent")).toEqual({ meanLevelOffsetLu: null, truePeakDbtp: null });
    expect(candidates.has("dry")).toBe(false);
    expect([mostFavouredId, highestPeakId]).toEqual(["a", "b"]);
  });

  it("names the loudest and the widest peak of each passage", () => {
    const totals = gridTotals(passages, renders).passages;
    expect(totals.get("p")).toEqual({ loudestId: "pa", loudestLevelOffsetLu: 2, highestPeakId: "pb" });
    expect(totals.get("q")).toEqual({ loudestId: "qa", loudestLevelOffsetLu: 4, highestPeakId: "qa" });
  });

  it("favours no one where all are quieter than dry, or alone", () => {
    expect(gridTotals(passages, [renders[0], renders[2]]).mostFavouredId).toBeNull();
    expect(gridTotals([], []).candidates.size).toBe(0);
  });
});
