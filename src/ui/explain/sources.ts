import { useQueries, useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { type ReadingName, readingOf, type Source, transientShapesOf } from "@/store/explaining";
import type { Region, Render } from "@/store/records";
import { sentenceOf } from "@/ui/shell/queries";
import { laidKey } from "@/ui/shell/use-results";
import type { Pair } from "@/ui/shell/workbench";
import type { AnswerOf } from "@/workers/registry";

export const renderSource = (render: Render): Source => ({ of: "render", render });

/** A source as part of a key: a ladder found is known by what it was found on. */
export function sourceKey(source: Source, { here, yonder, dry }: Pair): string[] {
  const pairKey = [...laidKey(here, dry), ...laidKey(yonder, dry)];
  switch (source.of) {
    case "render":
      return ["render", ...laidKey(source.render, dry)];
    case "difference":
      return ["difference", ...pairKey, source.gainDb.toFixed(3)];
    case "left":
      return ["left", ...pairKey, source.upTo, `${source.region.startFrame}-${source.region.endFrame}`];
  }
}

type Readings<Name extends ReadingName> = { data: (AnswerOf<Name> | null)[]; problem: string | null };

/** What a task reads of each of some sources over what the pair covers of a region; null where it is not known yet. */
export function useReadings<Name extends ReadingName>(
  name: Name,
  sources: readonly Source[],
  pair: Pair,
  region: Region,
): Readings<Name> {
  const combine = useCallback(
    (results: { data: unknown; error: unknown }[]): Readings<Name> => ({
      data: results.map(({ data }) => (data as AnswerOf<Name> | null | undefined) ?? null),
      problem: firstProblem(results),
    }),
    [],
  );
  return useQueries({
    queries: sources.map((source) => ({
      queryKey: [name, ...sourceKey(source, pair), `${region.startFrame}-${region.endFrame}`],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        readingOf(name, source, pair, region, { signal, rank: "normal" }),
    })),
    combine,
  });
}

const firstProblem = (results: readonly { error: unknown }[]): string | null => {
  const error = results.find((r) => r.error)?.error;
  return error ? sentenceOf(error) : null;
};

/** Powers around the transients of the first of some renders. */
export function useTransientShapes(renders: readonly Render[], pair: Pair, region: Region) {
  const { data = null, error } = useQuery({
    queryKey: [
      "onset shapes",
      ...renders.flatMap((r) => laidKey(r, pair.dry)),
      `${region.startFrame}-${region.endFrame}`,
    ],
    queryFn: ({ signal }) => transientShapesOf(renders, pair.dry, region, { signal, rank: "normal" }),
  });
  return { shapes: data, problem: error ? sentenceOf(error) : null };
}
