import { useEffect, useState } from "react";
import type { StretchLevels } from "@/core/loudness/measure";
import { levelsOver, matchRegion } from "@/store/levelling";
import { placementText } from "@/store/line-up";
import type { Render } from "@/store/records";
import { useWorkbench } from "@/ui/shell/workbench";

/** What a render reads before its match and with its gain, measured over the region that is matched. */
export type LevelsAround = { before: StretchLevels; after: StretchLevels };

/** Levels of every render of the passage, measured again with the gains in force, as they come. */
export function useLevelsAround(): (render: Render) => LevelsAround | undefined {
  const { pair, match, matchSettled } = useWorkbench();
  const [known, setKnown] = useState<ReadonlyMap<string, LevelsAround>>(new Map());
  const region = pair && matchRegion(pair.passage, pair.dry);
  const keyOf = (render: Render) => {
    const gainDb = match?.renders.get(render.id)?.gainDb ?? 0;
    const placed = render.hand ? placementText(render.hand.placement) : "";
    return [pair?.dry.id, render.id, placed, region?.startFrame, region?.endFrame, gainDb.toFixed(4)].join();
  };
  const keys = pair && matchSettled ? pair.renders.map(keyOf).join(" ") : "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: the keys hold all that the result hangs on
  useEffect(() => {
    if (!pair || !region || !match || !keys) return;
    let current = true;
    for (const render of pair.renders) {
      const key = keyOf(render);
      const gainDb = match.renders.get(render.id)?.gainDb ?? 0;
      Promise.all([levelsOver(render, pair.dry, region), levelsOver(render, pair.dry, region, gainDb)])
        .then(([before, after]) => current && setKnown((all) => new Map(all).set(key, { before, after })))
        // The same trouble shows where the pair is measured.
        .catch(() => {});
    }
    return () => {
      current = false;
    };
  }, [keys]);
  return (render) => known.get(keyOf(render));
}
