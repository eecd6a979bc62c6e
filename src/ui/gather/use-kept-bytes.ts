import { useLiveQuery } from "dexie-react-hooks";
import { megabytes, plural } from "@/core/words/units";
import { database } from "@/store/database";
import { useWorkbench } from "@/ui/shell/workbench";

/** "8 renders · 41 MB stored in this browser": each content counted once. */
export function useKeptBytes(): string {
  const { renders } = useWorkbench();
  const hashes = [...new Set(renders.map((r) => r.audioHash))].join();
  const bytes = useLiveQuery(async () => {
    const kept = await database.audio.bulkGet(hashes.split(","));
    return kept.reduce((sum, audio) => sum + (audio?.bytes.size ?? 0), 0);
  }, [hashes]);
  return bytes === undefined ? "" : `${plural(renders.length, "render")} · ${megabytes(bytes)} stored in this browser`;
}
