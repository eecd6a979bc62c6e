import type {
  Candidate,
  Comparison,
  Finding,
  Measurement,
  Moment,
  Note,
  Passage,
  Render,
  SightedVerdict,
} from "./rows";

/** What of a comparison can be copied. Runs and packs stay where they were taken: a run counts once, and its seal holds its own id. */
export type Copied = {
  comparison: Comparison;
  passages: Passage[];
  candidates: Candidate[];
  renders: Render[];
  notes: Note[];
  moments: Moment[];
  sightedVerdicts: SightedVerdict[];
  measurements: Measurement[];
  findings: Finding[];
};

/** The same under other ids, which point to each other as the first ones did. `newId` gives one that was never given before. */
export function copyOf(whole: Copied, title: string, at: string, newId: () => string): Copied {
  const ids = new Map<string, string>();
  const of = (id: string): string => {
    const known = ids.get(id) ?? newId();
    ids.set(id, known);
    return known;
  };
  const maybe = (id: string | null): string | null => (id === null ? null : of(id));
  const comparisonId = of(whole.comparison.id);
  const own = <Row extends { id: string; comparisonId: string }>(row: Row): Row => ({
    ...row,
    id: of(row.id),
    comparisonId,
  });
  return {
    comparison: {
      ...whole.comparison,
      id: comparisonId,
      title,
      demoVersion: null,
      createdAt: at,
      updatedAt: at,
      passageId: maybe(whole.comparison.passageId),
    },
    passages: whole.passages.map((row) => ({
      ...own(row),
      dryRenderId: of(row.dryRenderId),
      hereRenderId: of(row.hereRenderId),
      yonderRenderId: of(row.yonderRenderId),
    })),
    candidates: whole.candidates.map((row) => ({ ...own(row), versionOf: maybe(row.versionOf) })),
    renders: whole.renders.map((row) => ({
      ...own(row),
      passageId: of(row.passageId),
      candidateId: of(row.candidateId),
    })),
    // Notes on runs stay with them.
    notes: whole.notes.filter(({ runId }) => runId === null).map(own),
    moments: whole.moments.map((row) => ({ ...own(row), passageId: of(row.passageId), renderId: maybe(row.renderId) })),
    sightedVerdicts: whole.sightedVerdicts.map((row) => ({
      ...own(row),
      passageId: of(row.passageId),
      renderId: maybe(row.renderId),
      heard: row.heard.map((heard) => ({ ...heard, renderId: of(heard.renderId) })),
    })),
    measurements: whole.measurements.map((row) => ({ ...own(row), candidateId: maybe(row.candidateId) })),
    findings: whole.findings.map((row) => ({
      ...own(row),
      passageId: maybe(row.passageId),
      candidateId: of(row.candidateId),
    })),
  };
}

/** The same candidates for another passage: no passages, no renders, nothing heard; price and effort, and what the bench reported, stay with each. */
export function templateOf(whole: Copied, title: string, at: string, newId: () => string): Copied {
  const dryIds = new Set(whole.passages.map(({ dryRenderId }) => dryRenderId));
  const dry = new Set(whole.renders.filter(({ id }) => dryIds.has(id)).map(({ candidateId }) => candidateId));
  const candidates = whole.candidates.filter(({ id }) => !dry.has(id));
  const isOf = ({ candidateId }: { candidateId: string | null }) => candidates.some(({ id }) => id === candidateId);
  const copy = copyOf(
    {
      ...whole,
      comparison: { ...whole.comparison, passageId: null, runsChains: true },
      candidates,
      passages: [],
      renders: [],
      notes: [],
      moments: [],
      sightedVerdicts: [],
      measurements: whole.measurements.filter(isOf),
      findings: whole.findings
        .filter((finding) => finding.passageId === null && isOf(finding) && (finding.price || finding.effort))
        .map((finding) => ({ ...finding, verdict: null, good: "", bad: "" })),
    },
    title,
    at,
    newId,
  );
  return copy;
}
