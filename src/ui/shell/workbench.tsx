"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { createContext, type ReactNode, useContext, useEffect, useMemo } from "react";
import { database } from "@/store/database";
import type { Candidate, Comparison, Passage, Region, Render } from "@/store/records";
import { look } from "./sight";

/** The passage being worked on, with its pair. */
export type Pair = { passage: Passage; renders: Render[]; dry: Render; here: Render; yonder: Render };

/** The comparison as it stands in the database. What is worked out from its sound is asked for where it is shown (use-results.ts). */
export type Workbench = {
  comparison: Comparison;
  passages: Passage[];
  candidates: Candidate[];
  renders: Render[];
  pair: Pair | null;
  /** The loop where one is marked, else the whole passage. */
  region: Region | null;
  titleOf: (render: Render) => string;
};

const WorkbenchContext = createContext<Workbench | null>(null);

export function useWorkbench(): Workbench {
  const workbench = useContext(WorkbenchContext);
  if (!workbench) throw new Error("useWorkbench is used outside a comparison");
  return workbench;
}

type Tables = Pick<Workbench, "comparison" | "passages" | "candidates" | "renders">;

/** undefined while loading, null when there is no such comparison. */
export function useComparisonTables(comparisonId: string): Tables | null | undefined {
  return useLiveQuery(async () => {
    const comparison = await database.comparisons.get(comparisonId);
    if (!comparison) return null;
    const [passages, candidates, renders] = await Promise.all([
      database.passages.where({ comparisonId }).sortBy("position"),
      database.candidates.where({ comparisonId }).sortBy("position"),
      database.renders.where({ comparisonId }).toArray(),
    ]);
    const column = new Map(candidates.map((c, i) => [c.id, i]));
    const columnOf = (render: Render) => column.get(render.candidateId) ?? 0;
    return { comparison, passages, candidates, renders: renders.toSorted((a, b) => columnOf(a) - columnOf(b)) };
  }, [comparisonId]);
}

function pairOf({ comparison, passages, candidates, renders }: Tables): Pair | null {
  const passage = passages.find((p) => p.id === comparison.passageId) ?? passages[0];
  if (!passage) return null;
  const hidden = new Set(candidates.filter((c) => c.hidden).map((c) => c.id));
  const { dryRenderId, hereRenderId, yonderRenderId } = passage;
  // What is hidden is neither offered nor matched with, unless it is one of the two, or dry.
  const needed = (r: Render) => [dryRenderId, hereRenderId, yonderRenderId].includes(r.id);
  const own = renders
    .filter((r) => r.passageId === passage.id && (!hidden.has(r.candidateId) || needed(r)))
    .toSorted((a, b) => Number(b.id === dryRenderId) - Number(a.id === dryRenderId));
  const find = (id: string) => own.find((r) => r.id === id);
  const dry = find(passage.dryRenderId) ?? own[0];
  if (!dry) return null;
  return {
    passage,
    renders: own,
    dry,
    here: find(passage.hereRenderId) ?? dry,
    yonder: find(passage.yonderRenderId) ?? dry,
  };
}

export function WorkbenchProvider({ tables, children }: { tables: Tables; children: ReactNode }) {
  const pair = useMemo(() => pairOf(tables), [tables]);
  useEffect(() => {
    if (pair) look(pair.passage.id, [pair.dry.id, pair.here.id, pair.yonder.id]);
  }, [pair]);
  const workbench = useMemo<Workbench>(
    () => ({
      ...tables,
      pair,
      region: pair && (pair.passage.loop ?? { startFrame: 0, endFrame: pair.dry.frames }),
      titleOf: (render) => tables.candidates.find((c) => c.id === render.candidateId)?.title ?? render.fileName,
    }),
    [tables, pair],
  );
  return <WorkbenchContext value={workbench}>{children}</WorkbenchContext>;
}
