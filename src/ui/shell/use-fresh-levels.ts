import { useQueries } from "@tanstack/react-query";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { refreshLevels } from "@/store/levelling";
import { rankOf } from "./sight";
import { useWorkbench } from "./workbench";

/** Files that are not measured yet, or by an earlier version, are measured behind what is asked for. */
export function useFreshLevels(): void {
  const { renders } = useWorkbench();
  useQueries({
    queries: renders
      .filter((r) => r.levelsVersion !== LEVELS_VERSION)
      .map((render) => ({
        queryKey: ["file levels", render.id, render.audioHash],
        queryFn: async ({ signal }: { signal: AbortSignal }) => {
          await refreshLevels(render, { signal, rank: rankOf(render) });
          return true;
        },
      })),
    combine: () => null,
  });
}
