import { useEffect, useState } from "react";
import type { Onset } from "@/core/alignment/onset";
import type { Residuals } from "@/core/difference/fit";
import { onsetsOf, placementText, residualsOf, samplesAround } from "@/store/line-up";
import type { Render } from "@/store/records";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import type { Around } from "@/workers/tasks";

/** Frames fetched to each side of an onset: as far as the view goes. */
export const REACH = 8192;

/** What stands for a render's placement in a key: it is fetched anew when that changes. */
function usePlacementKey(): (render: Render) => string {
  const { alignments } = useWorkbench();
  return (render) => {
    const alignment = alignments.get(render.id);
    return alignment?.found ? placementText(alignment) : alignment ? "lost" : "";
  };
}

/**
 * One thing worked out for every render of the passage, by render id, as it comes; what came before stays in sight until the
 * new one is there.
 */
function useForRenders<T>(pair: Pair | null, part: string, work: (render: Render, dry: Render) => Promise<T>) {
  const [known, setKnown] = useState<ReadonlyMap<string, { key: string; value: T }>>(new Map());
  const keyFor = usePlacementKey();
  const wanted = pair?.renders.filter((r) => keyFor(r) !== "") ?? [];
  const keyOf = (render: Render) => [pair?.dry.id, render.id, keyFor(render), part].join();
  const keys = wanted.map(keyOf).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the keys hold all that the result hangs on
  useEffect(() => {
    if (!pair) return;
    let current = true;
    for (const render of wanted) {
      const key = keyOf(render);
      if (known.get(render.id)?.key === key) continue;
      work(render, pair.dry)
        .then((value) => current && setKnown((before) => new Map(before).set(render.id, { key, value })))
        // A render whose audio is gone is told of where the pair is measured.
        .catch(() => {});
    }
    return () => {
      current = false;
    };
  }, [keys]);
  return (render: Render): T | undefined => known.get(render.id)?.value;
}

/** Samples of every render around a frame. */
export function useSamplesAround(pair: Pair | null, frame: number | null): (render: Render) => Around | undefined {
  return useForRenders(frame === null ? null : pair, String(frame), (render, dry) =>
    samplesAround(render, dry, frame ?? 0, REACH),
  );
}

/** What each render leaves against the dry one, before and after it is in step. */
export const useResiduals = (pair: Pair | null): ((render: Render) => Residuals | undefined) =>
  useForRenders(pair, "", residualsOf);

/** Where sounds set in in the dry render; null while they are looked for. */
export function useOnsets(pair: Pair | null): Onset[] | null {
  const [state, setState] = useState<{ dryId: string; onsets: Onset[] } | null>(null);
  const dry = pair?.dry;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the id stands for the render; the object is made anew at every write
  useEffect(() => {
    if (!dry) return;
    let current = true;
    onsetsOf(dry)
      .then((onsets) => current && setState({ dryId: dry.id, onsets }))
      .catch(() => {});
    return () => {
      current = false;
    };
  }, [dry?.id]);
  return dry && state?.dryId === dry.id ? state.onsets : null;
}
