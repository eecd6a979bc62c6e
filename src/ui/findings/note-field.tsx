"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { database } from "@/store/database";
import { writeNote } from "@/store/notes";
import { KeptText } from "@/ui/shell/kept-text";
import { useWorkbench } from "@/ui/shell/workbench";

/** A note that is kept as it is written. */
export function NoteField({ label, runId, id }: { label: string; runId: string | null; id?: string }) {
  const { comparison } = useWorkbench();
  const kept = useLiveQuery(async () => {
    const notes = await database.notes.where({ comparisonId: comparison.id }).toArray();
    return notes.find((n) => n.runId === runId)?.text ?? "";
  }, [comparison.id, runId]);
  if (kept === undefined) return null;
  return (
    <KeptText
      id={id}
      label={label}
      initial={kept}
      onKeep={(text) => writeNote(comparison.id, runId, text)}
      className="min-h-14"
    />
  );
}
