import { useQueries } from "@tanstack/react-query";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import {
  type CellFacts,
  candidateByRender,
  type DryDifference,
  type OpenBook,
  openBook,
  type PairFacts,
} from "@/core/findings/book";
import {
  againstDry,
  cellOfRender,
  differenceFromDry,
  factsOfPair,
  heardPairs,
  levelOffsetsOf,
  writtenBook,
} from "@/store/book";
import { measuredMatch } from "@/store/levelling";
import type { Passage, Render } from "@/store/records";
import { laidKey } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

type Known<T> = { data: T | undefined; isFetching: boolean };

/** Results as they come: React Query calls this only when one of them has changed. */
const known = <T>(results: Known<T>[]) => ({
  data: results.map((r) => r.data),
  isWorking: results.some((r) => r.isFetching),
});
const levelOffsetsKnown = known<Map<string, CellFacts["levelOffset"]>>;
const figuresKnown = known<Pick<CellFacts, "nullDb" | "identical">>;
const dryDifferenceKnown = known<DryDifference | null>;
const pairsKnown = known<PairFacts>;

/** How a passage's renders are brought to one level, as part of a key. */
const matchKey = ({ id, match, loop }: Passage, renders: readonly Render[], dry: Render): unknown[] => [
  id,
  match,
  match.over === "loop" ? loop : null,
  ...renders.map((r) => laidKey(r, dry)),
];

/**
 * What the findings of the comparison are made of: what was written and heard at once, figures as they come in behind it. With `isTakenApart` every
 * render is analysed, else only what was before is reported.
 */
export function useBook(isAnalysed: boolean): { book: OpenBook | null; isWorking: boolean } {
  const { comparison, passages, renders } = useWorkbench();
  const written = useLiveQuery(() => writtenBook(comparison.id), [comparison.id]);
  const heard = useLiveQuery(() => heardPairs(comparison.id), [comparison.id]);
  const rows = useMemo(
    () =>
      passages.flatMap((passage) => {
        const own = renders.filter((r) => r.passageId === passage.id);
        const dry = own.find((r) => r.id === passage.dryRenderId);
        return dry ? [{ passage, dry, own }] : [];
      }),
    [passages, renders],
  );
  const cells = useMemo(() => rows.flatMap(({ dry, own }) => own.map((render) => ({ render, dry }))), [rows]);
  const levelOffsets = useQueries({
    queries: rows.map(({ passage, dry, own }) => ({
      queryKey: ["edges", ...matchKey(passage, own, dry)],
      queryFn: async () => levelOffsetsOf(await measuredMatch(passage, dry, own)),
    })),
    combine: levelOffsetsKnown,
  });
  const figures = useQueries({
    queries: cells.map(({ render, dry }) => ({
      queryKey: ["against dry", ...laidKey(render, dry)],
      queryFn: ({ signal }: { signal: AbortSignal }) => againstDry(render, dry, { signal, rank: "background" }),
    })),
    combine: figuresKnown,
  });
  const dryDifference = useQueries({
    queries: cells.map(({ render, dry }) => ({
      queryKey: ["apart from dry", ...laidKey(render, dry), isAnalysed],
      // Null, for a query may not answer with nothing: it was not worked out.
      queryFn: async ({ signal }: { signal: AbortSignal }) =>
        (await differenceFromDry(render, dry, isAnalysed, { signal, rank: "background" })) ?? null,
      staleTime: isAnalysed ? Number.POSITIVE_INFINITY : 0,
    })),
    combine: dryDifferenceKnown,
  });
  const pairs = useQueries({
    queries: (heard ?? []).map((pair) => ({
      queryKey: ["facts of a pair", ...laidKey(pair.here, pair.dry), ...laidKey(pair.yonder, pair.dry)],
      queryFn: ({ signal }: { signal: AbortSignal }) => factsOfPair(pair, { signal, rank: "background" }),
    })),
    combine: pairsKnown,
  });
  const book = useMemo(() => {
    if (!written) return null;
    const levelOffsetOf = new Map(levelOffsets.data.flatMap((e) => [...(e ?? [])]));
    return openBook(
      {
        ...written,
        cells: cells.map(({ render, dry }, i) => ({
          ...cellOfRender(render, dry, levelOffsetOf.get(render.id)),
          ...figures.data[i],
          dryDifference: dryDifference.data[i] ?? undefined,
        })),
        pairs: pairs.data.filter((p) => p !== undefined),
      },
      candidateByRender(renders),
    );
  }, [written, cells, renders, levelOffsets.data, figures.data, dryDifference.data, pairs.data]);
  return { book, isWorking: levelOffsets.isWorking || figures.isWorking || dryDifference.isWorking };
}
