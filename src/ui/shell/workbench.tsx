"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { createContext, type ReactNode, useContext, useMemo } from "react";
import type { Alignment } from "@/core/alignment/alignment";
import type { PairFigures } from "@/core/difference/pair";
import type { PassageMatch } from "@/core/matching/match-passage";
import { database } from "@/store/database";
import type { Candidate, Comparison, Passage, Region, Render } from "@/store/records";
import { useAlignments, useFreshLevels, useMatch, usePairFigures } from "./use-line-up";

/** The passage being worked on, with its pair. */
export type Pair = { passage: Passage; renders: Render[]; dry: Render; here: Render; yonder: Render };

export type Workbench = {
  comparison: Comparison;
  passages: Passage[];
  candidates: Candidate[];
  renders: Render[];
  pair: Pair | null;
  /** The loop where one is marked, else the whole passage. */
  region: Region | null;
  /** How each render lies, as it is in force; and as it was found, where a person overruled it. */
  alignments: ReadonlyMap<string, Alignment>;
  foundAlignments: ReadonlyMap<string, Alignment>;
  match: PassageMatch | null;
  /** Whether all levels of the match are measured in step. */
  matchSettled: boolean;
  figures: PairFigures | null;
  /** What stopped the figures from being worked out, in words. */
  problem: string | null;
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
  const whole = useMemo(() => (pair ? { startFrame: 0, endFrame: pair.dry.frames } : null), [pair]);
  const region = pair?.passage.loop ?? whole;
  const {
    alignments,
    found,
    problem: alignmentProblem,
  } = useAlignments(tables.passages, tables.renders, pair?.passage.id);
  useFreshLevels(tables.renders);
  const { match, settled } = useMatch(pair);
  const { figures, problem } = usePairFigures(pair, region, match);

  const workbench = useMemo<Workbench>(
    () => ({
      ...tables,
      pair,
      region,
      alignments,
      foundAlignments: found,
      match,
      matchSettled: settled,
      figures,
      problem: problem ?? alignmentProblem,
      titleOf: (render) => tables.candidates.find((c) => c.id === render.candidateId)?.title ?? render.fileName,
    }),
    [tables, pair, region, alignments, found, match, settled, figures, problem, alignmentProblem],
  );
  return <WorkbenchContext value={workbench}>{children}</WorkbenchContext>;
}
