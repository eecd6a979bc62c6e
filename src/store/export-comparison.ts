import { figuresOnly } from "@/core/bench/report";
import { EXPORT_SCHEMA } from "@/core/findings/export";
import type { PassageMatch } from "@/core/matching/match-passage";
import { now } from "./comparisons";
import { database, SCHEMA_VERSION } from "./database";
import { measuredMatch } from "./levelling";
import { alignmentOf, inForce } from "./line-up";
import { measuredOf } from "./measurements";
import type { Passage, Render } from "./records";

/**
 * Everything known of a comparison but the audio itself, as plain data for JSON: passages, candidates, renders with their
 * levels, alignment and match, runs, notes and sighted verdicts. The order of a run that is still open stays sealed.
 */
export async function exportComparison(comparisonId: string): Promise<object> {
  const comparison = await database.comparisons.get(comparisonId);
  if (!comparison) throw new Error("This comparison is no longer in this browser.");
  const [passages, candidates, renders, runs, notes, moments, sightedVerdicts, measurements] = await Promise.all([
    database.passages.where({ comparisonId }).sortBy("position"),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.renders.where({ comparisonId }).toArray(),
    database.runs.where({ comparisonId }).sortBy("createdAt"),
    database.notes.where({ comparisonId }).toArray(),
    database.moments.where({ comparisonId }).toArray(),
    database.sightedVerdicts.where({ comparisonId }).toArray(),
    database.measurements.where({ comparisonId }).toArray(),
  ]);
  const renderRows = await Promise.all(
    passages.map(async (passage) => {
      const own = renders.filter((r) => r.passageId === passage.id);
      const dry = own.find((r) => r.id === passage.dryRenderId);
      if (!dry) return [];
      const match = await measuredMatch(passage, dry, own);
      return Promise.all(own.map((render) => exportedRender(render, dry, passage, match)));
    }),
  );
  return {
    schema: EXPORT_SCHEMA,
    databaseVersion: SCHEMA_VERSION,
    exportedAt: now(),
    comparison,
    passages,
    candidates,
    renders: renderRows.flat(),
    runs,
    notes,
    moments,
    sightedVerdicts,
    measurements: measurements.map((m) => ({ ...m, report: figuresOnly(m.report) })),
    /** What the bench told of candidates that were made here. */
    bench: (await measuredOf(comparisonId))
      .filter(({ candidate }) => candidate.chain)
      .map(({ candidate, report }) => ({ candidateId: candidate.id, report: figuresOnly(report) })),
  };
}

async function exportedRender(render: Render, dry: Render, passage: Passage, match: PassageMatch) {
  const { overview: _drawn, hand, ...facts } = render;
  return {
    ...facts,
    alignment: { ...inForce(render, dry, await alignmentOf(render, dry)), byHand: hand !== null },
    match: {
      method: match.method,
      over: passage.match.over,
      target: passage.match.target,
      ceilingDbtp: passage.match.ceilingDbtp,
      gainDb: match.renders.get(render.id)?.gainDb ?? null,
      edge: match.renders.get(render.id)?.edge ?? null,
      commonTrimDb: match.trimDb,
    },
  };
}
