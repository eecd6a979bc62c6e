import { useQueries } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { PLAYBACK_SPL_DB } from "@/core/audibility/ear-model";
import { apartDb } from "@/core/audibility/excitation";
import type { Moment } from "@/core/audibility/heard";
import { mapOf, type PlaneMap } from "@/core/audibility/map";
import { eqDifferenceDb, TONE_POINTS, toneOf } from "@/core/explain/band-difference";
import { phaseTold } from "@/core/ladder/causes";
import { type Ladder, stepOf } from "@/core/ladder/ladder-schema";
import type { PhaseKind } from "@/core/spectrum/phase-kind";
import { excitationOf, readingOf, spectraOf } from "@/store/explaining";
import type { Region, Render } from "@/store/records";
import { laidKey, useMatch } from "@/ui/shell/use-results";
import type { Pair } from "@/ui/shell/workbench";
import { renderSource } from "./sources";
import { heardQuery, ladderQuery } from "./use-explained";

/** One render against the reference; undefined is not known yet, null has no figure. */
export type CandidateRow = {
  render: Render;
  title: string;
  ladder: Ladder | undefined;
  /** Left at one level; taken away by each step; left in the end: dB. */
  levelDb: number | null | undefined;
  eqImprovementDb: number | null | undefined;
  gainOverTimeImprovementDb: number | null | undefined;
  saturationImprovementDb: number | null | undefined;
  residualDb: number | null | undefined;
  eqDifferenceDb: number | null | undefined;
  gainRangeDb: number | null | undefined;
  crestDb: number | null | undefined;
  phase: PhaseKind | undefined;
  moment: Moment | null | undefined;
  probability: number | null | undefined;
};

/** How far under silence stands, so that it sorts as the least: dB. */
export const SILENT_DB = -300;

/** What sets each of some renders apart from a reference, as far as it is known. */
export function useCandidateRows(
  renders: readonly Render[],
  reference: Render,
  pair: Pair,
  region: Region,
  titleOf: (render: Render) => string,
): { rows: CandidateRow[]; isWorking: boolean } {
  const { match } = useMatch(pair);
  const { dry } = pair;
  const pairs = renders.map((yonder): Pair => ({ ...pair, here: reference, yonder }));
  const gainOf = (id: string) => match?.renders.get(id)?.gainDb ?? null;
  const apart = renders.map(({ id }) => {
    const [first, second] = [gainOf(reference.id), gainOf(id)];
    return first === null || second === null ? null : first - second;
  });
  const data = useCallback(
    (results: { data: unknown; isFetching: boolean }[]) => ({
      known: results.map((r) => r.data),
      isWorking: results.some((r) => r.isFetching),
    }),
    [],
  );
  const ladders = useQueries({
    queries: pairs.map((own) => ladderQuery({ pair: own, region }, "background")),
    combine: data,
  });
  const masks = useQueries({
    queries: pairs.map((own, i) => heardQuery({ pair: own, region }, apart[i], PLAYBACK_SPL_DB, "background")),
    combine: data,
  });
  const key = (name: string, own: Pair) => [
    name,
    ...laidKey(own.here, dry),
    ...laidKey(own.yonder, dry),
    `${region.startFrame}-${region.endFrame}`,
  ];
  const spectra = (own: Pair, points: number, signal: AbortSignal) =>
    spectraOf([own.here, own.yonder], dry, region, { points, view: "both", asking: { signal, rank: "background" } });
  const tones = useQueries({
    queries: pairs.map((own) => ({
      queryKey: key("tone apart", own),
      queryFn: async ({ signal }: { signal: AbortSignal }) => {
        const averaged = await spectra(own, TONE_POINTS, signal);
        return { tone: averaged && eqDifferenceDb(toneOf(averaged, 0)) };
      },
    })),
    combine: data,
  });
  const shapes = useQueries({
    queries: pairs.map((own) => ({
      queryKey: key("shape of", own),
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        readingOf("shape", renderSource(own.yonder), own, region, { signal, rank: "background" }),
    })),
    combine: data,
  });
  const rows = renders.map((render, i): CandidateRow => {
    const ladder = ladders.known[i] as Ladder | undefined;
    const left = (name: Parameters<typeof stepOf>[1]) => {
      if (!ladder) return undefined;
      const step = stepOf(ladder, name);
      return step ? (step.residualDb ?? SILENT_DB) : null;
    };
    const takes = (from: number | null | undefined, to: number | null | undefined) =>
      from === undefined || to === undefined ? undefined : from === null || to === null ? null : from - to;
    const [level, tone, overTime, saturation] = [left("level"), left("tone"), left("levelOverTime"), left("bend")];
    const eq = tones.known[i] as { tone: number | null } | undefined;
    const shape = shapes.known[i] as { crestDb: number | null } | null | undefined;
    const mask = masks.known[i] as { moments: Moment[] } | undefined;
    return {
      render,
      title: titleOf(render),
      ladder,
      levelDb: level,
      eqImprovementDb: takes(level, tone),
      gainOverTimeImprovementDb: takes(tone, overTime),
      saturationImprovementDb: takes(overTime, saturation),
      residualDb: left("left"),
      eqDifferenceDb: eq?.tone,
      phase: ladder && !ladder.isPartial ? phaseTold(ladder.causes) : undefined,
      gainRangeDb: ladder && (stepOf(ladder, "levelOverTime")?.rangeDb ?? null),
      crestDb: shape === undefined ? undefined : (shape?.crestDb ?? null),
      moment: mask && (mask.moments[0] ?? null),
      probability: mask && (mask.moments[0]?.probability ?? null),
    };
  });
  return { rows, isWorking: [ladders, masks, tones, shapes].some((r) => r.isWorking) };
}

/** Which of some renders are alike to an ear after the match, as places on a plane; null while that is worked out. */
export function useAlike(
  renders: readonly Render[],
  pair: Pair,
  region: Region,
): { map: PlaneMap | null; apart: (number | null)[][]; known: number } {
  const { match } = useMatch(pair);
  const gains = renders.map(({ id }) => match?.renders.get(id)?.gainDb ?? null);
  const excitations = useQueries({
    queries: renders.map((render, i) => ({
      queryKey: [
        "excitation",
        ...laidKey(render, pair.dry),
        `${region.startFrame}-${region.endFrame}`,
        gains[i]?.toFixed(2),
      ],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        excitationOf(render, pair.dry, region, gains[i] ?? 0, { signal, rank: "normal" }),
      enabled: gains[i] !== null,
    })),
    combine: useCallback(
      (results: { data: Awaited<ReturnType<typeof excitationOf>> | undefined }[]) => results.map((r) => r.data ?? null),
      [],
    ),
  });
  return useMemo(() => {
    const apart = excitations.map((a) => excitations.map((b) => (a && b ? (a === b ? 0 : apartDb(a, b)) : null)));
    const isWhole = excitations.length > 0 && apart.flat().every((v) => v !== null);
    return {
      apart,
      known: excitations.filter(Boolean).length,
      map: isWhole ? mapOf(apart.map((row) => row.map((v) => v ?? 0))) : null,
    };
  }, [excitations]);
}
