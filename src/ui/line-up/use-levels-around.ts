import { useQueries } from "@tanstack/react-query";
import type { StretchLevels } from "@/core/loudness/measure";
import { levelsOver, matchRegion } from "@/store/levelling";
import { type Asking, coveredPart, wholeOf } from "@/store/line-up";
import type { Region, Render } from "@/store/records";
import { rankOf } from "@/ui/shell/sight";
import { laidKey, useMatch } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

/**
 * What a render reads before its match and with its gain, measured over what it covers of the region that is matched; what the dry render reads
 * there; and how much of the region that is, 0 to 1.
 */
export type LevelsAround = { before: StretchLevels; after: StretchLevels; dryThere: StretchLevels; share: number };

async function levelsAround(
  render: Render,
  dry: Render,
  region: Region,
  gainDb: number,
  asking: Asking,
): Promise<LevelsAround> {
  const covered = await coveredPart(render, dry, region);
  const [before, after, dryThere] = await Promise.all([
    levelsOver(render, dry, covered, 0, asking),
    levelsOver(render, dry, covered, gainDb, asking),
    levelsOver(dry, dry, covered, 0, asking),
  ]);
  const share = (covered.endFrame - covered.startFrame) / Math.max(1, region.endFrame - region.startFrame);
  return { before, after, dryThere, share };
}

/** Levels of every render of the passage, measured again with the gains in force, as they come. */
export function useLevelsAround(): (render: Render) => LevelsAround | undefined {
  const { pair } = useWorkbench();
  const { match, matchSettled } = useMatch(pair);
  const region = pair && matchRegion(pair.passage, pair.dry);
  const renders = pair?.renders ?? [];
  const levels = useQueries({
    queries: renders.map((render) => {
      const gainDb = match?.renders.get(render.id)?.gainDb ?? 0;
      const dry = pair?.dry ?? render;
      return {
        queryKey: ["levels around", ...laidKey(render, dry), region?.startFrame, region?.endFrame, gainDb.toFixed(4)],
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          levelsAround(render, dry, region ?? wholeOf(dry), gainDb, {
            signal,
            rank: rankOf(render),
          }),
        enabled: matchSettled,
      };
    }),
    combine: (results) => results.map((r) => r.data),
  });
  return (render) => levels[renders.findIndex((r) => r.id === render.id)];
}
