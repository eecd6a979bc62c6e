"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { database } from "@/store/database";
import { writeNote } from "@/store/notes";
import { useWorkbench } from "@/ui/shell/workbench";

const KEEP_AFTER_MS = 400;

/** A note that is kept as it is written. */
export function NoteField({ label, runId, id }: { label: string; runId: string | null; id?: string }) {
  const { comparison } = useWorkbench();
  const kept = useLiveQuery(async () => {
    const notes = await database.notes.where({ comparisonId: comparison.id }).toArray();
    return notes.find((n) => n.runId === runId)?.text ?? "";
  }, [comparison.id, runId]);
  if (kept === undefined) return null;
  return <NoteArea id={id} label={label} initial={kept} onKeep={(text) => writeNote(comparison.id, runId, text)} />;
}

function NoteArea(props: { id?: string; label: string; initial: string; onKeep: (text: string) => Promise<void> }) {
  const { id, label, initial, onKeep } = props;
  const [text, setText] = useState(initial);
  const [state, setState] = useState<"kept" | "writing">("kept");
  useEffect(() => {
    if (state === "kept") return;
    const timer = setTimeout(() => void onKeep(text).then(() => setState("kept")), KEEP_AFTER_MS);
    return () => clearTimeout(timer);
  }, [text, state, onKeep]);
  return (
    <label className="grid max-w-3xl gap-1">
      <span className="flex justify-between text-[13px] text-soft">
        {label}
        <span role="status">{text && (state === "kept" ? "kept" : "…")}</span>
      </span>
      <textarea
        id={id}
        className="textarea min-h-14 w-full border-rule"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setState("writing");
        }}
      />
    </label>
  );
}
