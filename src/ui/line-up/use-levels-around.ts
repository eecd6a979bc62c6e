import { useEffect, useState } from "react";
import type { StretchLevels } from "@/core/loudness/measure";
import { levelsOver, matchRegion } from "@/store/levelling";
import { coveredPart, placementText } from "@/store/line-up";
import type { Region, Render } from "@/store/records";
import { useWorkbench } from "@/ui/shell/workbench";

/**
 * What a render reads before its match and with its gain, measured over what it covers of the region that is matched; what the dry render reads
 * there; and how much of the region that is, 0 to 1.
 */
export type LevelsAround = { before: StretchLevels; after: StretchLevels; dryThere: StretchLevels; share: number };

async function levelsAround(render: Render, dry: Render, region: Region, gainDb: number): Promise<LevelsAround> {
  const covered = await coveredPart(render, dry, region);
  const [before, after, dryThere] = await Promise.all([
    levelsOver(render, dry, covered),
    levelsOver(render, dry, covered, gainDb),
    levelsOver(dry, dry, covered),
  ]);
  const share = (covered.endFrame - covered.startFrame) / Math.max(1, region.endFrame - region.startFrame);
  return { before, after, dryThere, share };
}

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
      levelsAround(render, pair.dry, region, gainDb)
        .then((levels) => current && setKnown((all) => new Map(all).set(key, levels)))
        // The same trouble shows where the pair is measured.
        .catch(() => {});
    }
    return () => {
      current = false;
    };
  }, [keys]);
  return (render) => known.get(keyOf(render));
}
