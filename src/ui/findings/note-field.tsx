"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { database } from "@/store/database";
import { writeNote } from "@/store/notes";
import { useWorkbench } from "@/ui/shell/workbench";

const KEEP_AFTER_MS = 400;

/** A note that is kept as it is written. */
export function NoteField({ label, runId }: { label: string; runId: string | null }) {
  const { comparison } = useWorkbench();
  const kept = useLiveQuery(async () => {
    const notes = await database.notes.where({ comparisonId: comparison.id }).toArray();
    return notes.find((n) => n.runId === runId)?.text ?? "";
  }, [comparison.id, runId]);
  if (kept === undefined) return null;
  return <NoteArea label={label} initial={kept} onKeep={(text) => writeNote(comparison.id, runId, text)} />;
}

function NoteArea(props: { label: string; initial: string; onKeep: (text: string) => Promise<void> }) {
  const { label, initial, onKeep } = props;
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
        className="textarea min-h-16 w-full border-rule"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setState("writing");
        }}
      />
    </label>
  );
}
