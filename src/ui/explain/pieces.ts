import { type QueryFunctionContext, useQueries } from "@tanstack/react-query";
import { useCallback } from "react";
import { pieceOf, type Source } from "@/store/explaining";
import type { Span } from "@/ui/charts/chart-frame";
import { sentenceOf } from "@/ui/shell/queries";
import { tellSoFar, useSoFar } from "@/ui/shell/so-far";
import type { Pair } from "@/ui/shell/workbench";
import type { AnswerOf } from "@/workers/registry";
import { sourceKey } from "./sources";

/** Columns a picture is to have at the least where there are frames enough: about one for each pixel of a wide chart. */
const COLUMNS = 900;

/** A piece of a picture over time, and which frames it shows. */
export type Piece<T> = { startFrame: number; columnFrames: number; data: T };

/** The grid of pieces that shows a view: how long columns are, powers of two, so that every view at one zoom finds the same pieces. */
export function columnFramesFor(view: Span, least: number): number {
  let frames = least;
  while ((view[1] - view[0]) / frames > COLUMNS) frames *= 2;
  return frames;
}

/** Starts of all pieces of a grid that touch a view. */
export function piecesIn([from, to]: Span, columnFrames: number, columns: number): number[] {
  const length = columnFrames * columns;
  const first = Math.floor(from / length);
  return Array.from({ length: Math.ceil(to / length) - first }, (_, i) => (first + i) * length);
}

type Ask = {
  name: "spectrogram" | "extremes";
  source: Source;
  pair: Pair;
  /** All frames there are to see, and those in sight. */
  whole: Span;
  view: Span;
  /** Columns of a piece, and frames of the shortest column. */
  columns: number;
  least: number;
  /** What else is asked for, the same for all pieces. */
  more: Record<string, string | number | boolean>;
};

/**
 * The pieces of a picture over time for what is in sight, and those of all of it, which stand in for what is not there yet: coarse ones first, so
 * that fine ones are laid over them. What is out of sight is not worked on any more.
 */
export function usePieces<Name extends "spectrogram" | "extremes">(
  ask: Ask & { name: Name },
): { pieces: Piece<AnswerOf<Name>>[]; isWorking: boolean; problem: string | null } {
  const { name, source, pair, whole, view, columns, least, more } = ask;
  const [coarse, fine] = [columnFramesFor(whole, least), columnFramesFor(view, least)];
  const grids = coarse === fine ? [coarse] : [coarse, fine];
  const wanted = grids.flatMap((columnFrames) =>
    piecesIn(columnFrames === coarse ? whole : view, columnFrames, columns).map((startFrame) => ({
      startFrame,
      columnFrames,
      key: [name, ...sourceKey(source, pair), startFrame, columnFrames, ...Object.values(more)],
    })),
  );
  const combine = useCallback(
    (results: { data: unknown; error: unknown; isFetching: boolean }[]) => ({
      answers: results.map(({ data }) => (data as AnswerOf<Name> | undefined) ?? null),
      isWorking: results.some((r) => r.isFetching),
      error: results.find((r) => r.error)?.error ?? null,
    }),
    [],
  );
  const { answers, isWorking, error } = useQueries({
    queries: wanted.map(({ startFrame, columnFrames, key }) => ({
      queryKey: key,
      queryFn: ({ signal, client, queryKey }: QueryFunctionContext) => {
        const own = { ...more, ...(name === "extremes" ? { columns } : {}), startFrame, columnFrames };
        return pieceOf(name, source, pair, own as never, { signal, rank: "urgent" }, (part) =>
          tellSoFar(client, queryKey, part),
        );
      },
    })),
    combine,
  });
  const soFar = useSoFar<AnswerOf<Name>>(wanted.map(({ key }) => key));
  const pieces = wanted.flatMap(({ startFrame, columnFrames }, i) => {
    const data = answers[i] ?? soFar[i];
    return data ? [{ startFrame, columnFrames, data }] : [];
  });
  return { pieces, isWorking, problem: error ? sentenceOf(error) : null };
}
