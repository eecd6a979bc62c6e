import { useQueries, useQuery } from "@tanstack/react-query";
import type { Transient } from "@/core/alignment/transient";
import type { Residuals } from "@/core/difference/fit";
import { type Asking, residualsOf, samplesAround, transientsOf } from "@/store/line-up";
import type { Render } from "@/store/records";
import { rankOf } from "@/ui/shell/sight";
import { laidKey } from "@/ui/shell/use-results";
import type { Pair } from "@/ui/shell/workbench";
import type { AnswerOf } from "@/workers/registry";

/** Frames fetched to each side of an transient: as far as the view goes. */
export const REACH = 8192;

/** Samples around a frame, as delivered and aligned. */
export type Around = AnswerOf<"around">;

/**
 * One thing worked out for every render of the passage, as it comes; what came before stays in sight until the new one is there.
 */
function useForRenders<T>(
  pair: Pair | null,
  part: readonly (string | number)[],
  work: (render: Render, dry: Render, asking: Asking) => Promise<T>,
): (render: Render) => T | undefined {
  const renders = pair?.renders ?? [];
  const known = useQueries({
    queries: renders.map((render) => ({
      queryKey: [...part, ...laidKey(render, pair?.dry ?? render)],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        work(render, pair?.dry ?? render, { signal, rank: rankOf(render) }),
      placeholderData: (before: T | undefined) => before,
    })),
    combine: (results) => results.map((r) => r.data as T | undefined),
  });
  return (render) => known[renders.findIndex((r) => r.id === render.id)];
}

/** Samples of every render around a frame. */
export const useSamplesAround = (pair: Pair | null, frame: number | null): ((render: Render) => Around | undefined) =>
  useForRenders(frame === null ? null : pair, ["around", frame ?? 0], (render, dry, asking) =>
    samplesAround(render, dry, frame ?? 0, REACH, asking),
  );

/** What each render leaves against the dry one, before and after it is aligned. */
export const useResiduals = (pair: Pair | null): ((render: Render) => Residuals | undefined) =>
  useForRenders(pair, ["residuals"], residualsOf);

/** Where sounds set in in the dry render; null while they are looked for. */
export function useTransients(pair: Pair | null): Transient[] | null {
  const dry = pair?.dry;
  const { data } = useQuery({
    queryKey: ["onsets", dry?.audioHash],
    queryFn: ({ signal }) => (dry ? transientsOf(dry, { signal, rank: rankOf(dry) }) : null),
    enabled: dry !== undefined,
  });
  return data ?? null;
}
