import { EXPORT_SCHEMA } from "@/core/findings/export";
import { now } from "./comparisons";
import { database, SCHEMA_VERSION } from "./database";
import { alignmentOf, matchPassage, type PassageMatch } from "./line-up";
import type { Render } from "./records";

/**
 * Everything known of a comparison but the audio itself, as plain data for JSON: passages, candidates, renders with their
 * levels, alignment and match, runs and notes. The order of a run that is still open stays sealed.
 */
export async function exportComparison(comparisonId: string): Promise<object> {
  const comparison = await database.comparisons.get(comparisonId);
  if (!comparison) throw new Error("This comparison is no longer in this browser.");
  const [passages, candidates, renders, runs, notes] = await Promise.all([
    database.passages.where({ comparisonId }).sortBy("position"),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.renders.where({ comparisonId }).toArray(),
    database.runs.where({ comparisonId }).sortBy("createdAt"),
    database.notes.where({ comparisonId }).toArray(),
  ]);
  const renderRows = await Promise.all(
    passages.map(async (passage) => {
      const own = renders.filter((r) => r.passageId === passage.id);
      const dry = own.find((r) => r.id === passage.dryRenderId);
      if (!dry) return [];
      const match = matchPassage(dry, own, new Map());
      return Promise.all(own.map((render) => exportedRender(render, dry, match)));
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
  };
}

async function exportedRender(render: Render, dry: Render, match: PassageMatch) {
  const { overview: _drawn, ...facts } = render;
  return {
    ...facts,
    alignment: await alignmentOf(render, dry),
    match: {
      method: match.method,
      over: "passage",
      gainDb: match.gainsDb.get(render.id) ?? null,
      commonTrimDb: match.trimDb,
    },
  };
}
