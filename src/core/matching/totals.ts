import type { Levels } from "../loudness/measure";
import { matchToReference } from "./match";

type TotalledRender = {
  id: string;
  passageId: string;
  candidateId: string;
  levels: Pick<Levels, "integratedLufs" | "rmsDbfs" | "truePeakDbtp">;
};

export type CandidateTotals = {
  /** Mean of its edges over the passages it is in; null where none can be reported. */
  meanLevelOffsetLu: number | null;
  truePeakDbtp: number | null;
};
export type PassageTotals = {
  loudestId: string | null;
  loudestLevelOffsetLu: number | null;
  highestPeakId: string | null;
};

export type GridTotals = {
  candidates: Map<string, CandidateTotals>;
  passages: Map<string, PassageTotals>;
  /** The candidate with the greatest mean edge, when it is above 0; what level alone would make the winner. */
  mostFavouredId: string | null;
  /** The candidate with the highest true peak of all. */
  highestPeakId: string | null;
};

const greatest = <T>(items: readonly T[], worth: (item: T) => number | null): T | null => {
  let best: T | null = null;
  for (const item of items) {
    const value = worth(item);
    if (value !== null && (best === null || value > (worth(best) ?? Number.NEGATIVE_INFINITY))) best = item;
  }
  return best;
};

/** What the heads of the grid say: edges against each passage's dry render, and true peaks. Dry renders are not counted. */
export function gridTotals(
  passages: readonly { id: string; dryRenderId: string }[],
  renders: readonly TotalledRender[],
) {
  const totals: GridTotals = { candidates: new Map(), passages: new Map(), mostFavouredId: null, highestPeakId: null };
  const edges = new Map<string, number | null>();
  const judged: TotalledRender[] = [];
  for (const { id, dryRenderId } of passages) {
    const own = renders.filter((r) => r.passageId === id && r.id !== dryRenderId);
    const dry = renders.find((r) => r.id === dryRenderId);
    for (const render of own) {
      edges.set(render.id, dry ? (matchToReference(dry.levels, render.levels)?.edgeLu ?? null) : null);
    }
    judged.push(...own);
    const loudest = greatest(own, (r) => edges.get(r.id) ?? null);
    totals.passages.set(id, {
      loudestId: loudest?.id ?? null,
      loudestLevelOffsetLu: loudest ? (edges.get(loudest.id) ?? null) : null,
      highestPeakId: greatest(own, (r) => r.levels.truePeakDbtp)?.id ?? null,
    });
  }
  for (const candidateId of new Set(judged.map((r) => r.candidateId))) {
    const own = judged.filter((r) => r.candidateId === candidateId);
    const told = own.map((r) => edges.get(r.id) ?? null).filter((levelOffset) => levelOffset !== null);
    totals.candidates.set(candidateId, {
      meanLevelOffsetLu: told.length ? told.reduce((sum, levelOffset) => sum + levelOffset, 0) / told.length : null,
      truePeakDbtp: greatest(own, (r) => r.levels.truePeakDbtp)?.levels.truePeakDbtp ?? null,
    });
  }
  const all = [...totals.candidates];
  const favoured = greatest(all, ([, t]) => t.meanLevelOffsetLu);
  totals.mostFavouredId = all.length > 1 && (favoured?.[1].meanLevelOffsetLu ?? 0) > 0 ? (favoured?.[0] ?? null) : null;
  totals.highestPeakId = all.length > 1 ? (greatest(all, ([, t]) => t.truePeakDbtp)?.[0] ?? null) : null;
  return totals;
}
