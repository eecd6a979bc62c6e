import { describe, expect, it } from "vitest";
import { DEFAULT_MATCH } from "../matching/match-passage";
import { type Copied, copyOf, templateOf } from "./copies";
import type { Candidate, Finding, Measurement, Render } from "./rows";

const AT = "2026-11-27T10:00:00.000Z";
const LATER = "2026-11-28T10:00:00.000Z";
const own = { comparisonId: "c" };
const candidate = (id: string, versionOf: string | null = null) => ({ ...own, id, title: id, versionOf }) as Candidate;
const render = (id: string, candidateId: string) =>
  ({ ...own, id, passageId: "p", candidateId, audioHash: `of ${id}` }) as Render;
const finding = (id: string, passageId: string | null, change: Partial<Finding>): Finding => ({
  ...own,
  id,
  passageId,
  candidateId: "bus",
  verdict: "first choice",
  good: "loud",
  bad: "",
  price: "",
  effort: "",
  updatedAt: AT,
  ...change,
});

const whole = (): Copied => ({
  comparison: {
    id: "c",
    title: "Ferry",
    demoVersion: 4,
    createdAt: AT,
    updatedAt: AT,
    passageId: "p",
    runsChains: false,
  },
  passages: [
    {
      ...own,
      id: "p",
      title: "Chime",
      position: 0,
      dryRenderId: "r dry",
      hereRenderId: "r dry",
      yonderRenderId: "r bus",
      loop: null,
      match: DEFAULT_MATCH,
    },
  ],
  candidates: [candidate("dry"), candidate("bus"), candidate("bus 2", "bus")],
  renders: [render("r dry", "dry"), render("r bus", "bus"), render("r bus 2", "bus 2")],
  notes: [
    { ...own, id: "n", runId: null, text: "of all", updatedAt: AT },
    { ...own, id: "of a run", runId: "run", text: "of a run", updatedAt: AT },
  ],
  moments: [{ ...own, id: "m", passageId: "p", renderId: null, frame: 4, words: [], text: "x", createdAt: AT }],
  sightedVerdicts: [
    {
      ...own,
      id: "s",
      passageId: "p",
      renderId: "r bus",
      sure: 50,
      why: "",
      heard: [{ renderId: "r dry", seconds: 3, matched: true }],
      createdAt: AT,
    },
  ],
  measurements: [
    { ...own, id: "b", candidateId: "bus", title: "Bus", fileName: "x.wav", createdAt: AT } as Measurement,
  ],
  findings: [finding("f", "p", {}), finding("g", null, { price: "89", good: "quick" })],
});

const counted = () => {
  let n = 0;
  return () => `new ${++n}`;
};

describe("a comparison once more", () => {
  it("is the same under other ids that point to each other as the first ones did, but for its runs", () => {
    const first = whole();
    const copy = copyOf(first, "Ferry, copy", LATER, counted());
    expect(copy.comparison).toMatchObject({ title: "Ferry, copy", demoVersion: null, createdAt: LATER });
    const [passage] = copy.passages;
    const byId = (id: string) => copy.renders.find((r) => r.id === id);
    expect(copy.comparison.passageId).toBe(passage.id);
    expect(byId(passage.dryRenderId)?.audioHash).toBe("of r dry");
    expect(byId(passage.yonderRenderId)?.audioHash).toBe("of r bus");
    const [dry, bus, later] = copy.candidates;
    expect(copy.renders.map((r) => r.candidateId)).toEqual([dry.id, bus.id, later.id]);
    expect(later.versionOf).toBe(bus.id);
    expect(copy.notes.map(({ text }) => text)).toEqual(["of all"]);
    expect(copy.moments[0]).toMatchObject({ passageId: passage.id, renderId: null });
    expect(byId(copy.sightedVerdicts[0].renderId ?? "")?.audioHash).toBe("of r bus");
    expect(byId(copy.sightedVerdicts[0].heard[0].renderId)?.audioHash).toBe("of r dry");
    expect(copy.findings.map(({ passageId, candidateId }) => [passageId, candidateId])).toEqual([
      [passage.id, bus.id],
      [null, bus.id],
    ]);
    // Nothing of it is a row of the first.
    const ids = (rows: Copied) =>
      Object.values(rows)
        .flat()
        .map((row) => (row as { id: string }).id);
    expect(ids(copy).filter((id) => ids(first).includes(id))).toEqual([]);
    expect(new Set(ids(copy)).size).toBe(ids(copy).length);
    expect(first).toEqual(whole());
  });

  it("as a template has the candidates alone, with what belongs to them whatever the song is", () => {
    const template = templateOf(whole(), "New song", LATER, counted());
    expect(template.comparison).toMatchObject({ title: "New song", passageId: null, runsChains: true });
    expect(template.candidates.map(({ title }) => title)).toEqual(["bus", "bus 2"]);
    expect(
      [template.passages, template.renders, template.notes, template.moments, template.sightedVerdicts].flat(),
    ).toEqual([]);
    expect(template.findings).toMatchObject([
      { verdict: null, good: "", price: "89", candidateId: template.candidates[0].id },
    ]);
    expect(template.measurements).toMatchObject([{ candidateId: template.candidates[0].id }]);
  });
});
