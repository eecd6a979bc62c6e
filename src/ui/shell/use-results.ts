import {
  queryOptions,
  type SkipToken,
  skipToken,
  type UseQueryResult,
  useQueries,
  useQuery,
} from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import type { Alignment } from "@/core/alignment/alignment";
import { atMatchGain, type PairFigures, type PairLevel } from "@/core/difference/pair";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { type MatchEntry, type MatchSettings, matchPassage, type PassageMatch } from "@/core/matching/match-passage";
import { placementText } from "@/core/recipes/recipe";
import { fileEntryOf, matchEntryOf, matchRegion, pairFigures } from "@/store/levelling";
import { alignmentOf, handOf, inForce } from "@/store/line-up";
import type { Region, Render } from "@/store/records";
import { sentenceOf } from "./queries";
import { rankOf } from "./sight";
import { type Pair, useWorkbench, type Workbench } from "./workbench";

/** What a render's figures hang on besides its audio: worked out anew when it is set by hand. */
export const handKey = (render: Render, dry: Render): string => {
  const hand = handOf(render, dry);
  return hand ? placementText(hand.placement) : "found";
};

/** A render aligned, as part of a key. */
export const laidKey = (render: Render, dry: Render): string[] => [
  dry.audioHash,
  render.audioHash,
  handKey(render, dry),
];

const alignmentQuery = (render: Render | undefined, dry: Render | undefined) =>
  queryOptions({
    queryKey: ["alignment", dry?.audioHash, render?.audioHash],
    queryFn: render && dry ? ({ signal }) => alignmentOf(render, dry, { signal, rank: rankOf(render) }) : skipToken,
  });

/** How one render lies, as it is in force. */
export function useAlignment(render: Render | undefined, dry: Render | undefined): Alignment | undefined {
  const { data } = useQuery(alignmentQuery(render, dry));
  return render && dry && data ? inForce(render, dry, data) : undefined;
}

export type Alignments = {
  /** How each render lies, by its id: as it is in force; and as it was found, where a person overruled it. */
  alignments: ReadonlyMap<string, Alignment>;
  foundAlignments: ReadonlyMap<string, Alignment>;
  problem: string | null;
};

/** The first thing that went wrong among results, in words. */
const problemOf = (results: readonly UseQueryResult[]): string | null => {
  const error = results.find((r) => r.error)?.error;
  return error ? sentenceOf(error) : null;
};

/** How every render of the passage lies against its dry one. */
export function useAlignments(pair: Pair | null): Alignments {
  const combine = useCallback(
    (results: UseQueryResult<Alignment>[]): Alignments => {
      const alignments = new Map<string, Alignment>();
      const foundAlignments = new Map<string, Alignment>();
      for (const [i, render] of (pair?.renders ?? []).entries()) {
        const found = results[i]?.data;
        if (!pair || !found) continue;
        foundAlignments.set(render.id, found);
        alignments.set(render.id, inForce(render, pair.dry, found));
      }
      return { alignments, foundAlignments, problem: problemOf(results) };
    },
    [pair],
  );
  return useQueries({ queries: (pair?.renders ?? []).map((r) => alignmentQuery(r, pair?.dry)), combine });
}

const entryQuery = (render: Render, dry: Render, region: Region, method: MatchSettings["method"]) =>
  queryOptions({
    queryKey: ["match entry", ...laidKey(render, dry), region.startFrame, region.endFrame, method],
    // Levels of the file serve until these are there: what has nothing to stand in for it goes first.
    queryFn: ({ signal }) => matchEntryOf(render, dry, region, method, { signal, rank: "normal" }),
  });

export type Match = {
  match: PassageMatch | null;
  /** Whether all levels of the match are measured aligned. */
  matchSettled: boolean;
};

/**
 * Gains that bring the passage's renders to one level, as its settings say. What is not measured aligned yet stands with the levels
 * of its file, so that there are gains soon.
 */
export function useMatch(pair: Pair | null): Match {
  const combine = useCallback(
    (results: UseQueryResult<MatchEntry>[]): Match => {
      if (!pair) return { match: null, matchSettled: false };
      const known = pair.renders.flatMap((render, i) => {
        const measured = results[i]?.data;
        // One entry may stand for two renders of one content.
        if (measured) return [{ ...measured, id: render.id }];
        return render.levelsVersion === LEVELS_VERSION ? [fileEntryOf(render)] : [];
      });
      const isWhole = known.length === pair.renders.length;
      return {
        match: isWhole ? matchPassage(known, pair.dry.id, pair.passage.match) : null,
        matchSettled: isWhole && results.every((r) => r.data !== undefined),
      };
    },
    [pair],
  );
  const queries = pair
    ? pair.renders.map((r) => entryQuery(r, pair.dry, matchRegion(pair.passage, pair.dry), pair.passage.match.method))
    : [];
  return useQueries({ queries, combine });
}

/** What sets the pair apart, and both levels as they are with the gains of the match; null while that is worked out. */
export type MatchedFigures = PairFigures & { hereMatched: PairLevel; yonderMatched: PairLevel };

function figuresQuery(pair: Pair | null, region: Region | null) {
  // A render against itself is no pair.
  if (!pair || !region || pair.here.id === pair.yonder.id)
    return queryOptions({ queryKey: ["pair"], queryFn: skipToken as SkipToken | Asked });
  const { here, yonder, dry } = pair;
  return queryOptions({
    queryKey: [
      "pair",
      ...laidKey(here, dry),
      ...laidKey(yonder, dry),
      String(region.startFrame),
      String(region.endFrame),
    ],
    queryFn: (({ signal }) => pairFigures(here, yonder, dry, region, { signal, rank: rankOf(here) })) as
      | SkipToken
      | Asked,
  });
}

type Asked = (context: { signal: AbortSignal }) => Promise<PairFigures>;

export type Figures = {
  figures: MatchedFigures | null;
  /** What stopped them from being worked out, in words. */
  problem: string | null;
};

export function useFigures({ pair, region }: Workbench, match: PassageMatch | null): Figures {
  const { data, error } = useQuery(figuresQuery(pair, region));
  const [hereGain, yonderGain] = [pair?.here, pair?.yonder].map((r) => r && match?.renders.get(r.id)?.gainDb);
  const figures = useMemo<MatchedFigures | null>(
    () =>
      data && typeof hereGain === "number" && typeof yonderGain === "number"
        ? {
            ...data,
            hereMatched: atMatchGain(data.here, hereGain),
            yonderMatched: atMatchGain(data.yonder, yonderGain),
          }
        : null,
    [data, hereGain, yonderGain],
  );
  return { figures, problem: error ? sentenceOf(error) : null };
}

export type Results = Workbench & Omit<Alignments, "problem"> & Match & Figures;

/** The workbench with all that is worked out for its pair and passage: for what shows most of it. */
export function useResults(): Results {
  const workbench = useWorkbench();
  const { problem: alignmentProblem, ...alignments } = useAlignments(workbench.pair);
  const match = useMatch(workbench.pair);
  const { figures, problem } = useFigures(workbench, match.match);
  return { ...workbench, ...alignments, ...match, figures, problem: problem ?? alignmentProblem };
}
