"use client";

import { Archive } from "lucide-react";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { writeArchive } from "@/store/archive-write";
import { download } from "@/ui/shell/download";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";

/** Writes the whole comparison as one file. */
export function ArchiveButton({ onProblem }: { onProblem: (words: string | null) => void }) {
  const { comparison } = useWorkbench();
  const [isWriting, setIsWriting] = useState(false);
  const write = async () => {
    setIsWriting(true);
    onProblem(null);
    try {
      const { name, blob } = await writeArchive(comparison.id);
      download(name, blob);
    } catch (error) {
      if (!(error instanceof JobCancelled))
        onProblem(`The archive could not be written: ${error instanceof Error ? error.message : String(error)}`);
    }
    setIsWriting(false);
  };
  useHotkeys("z", () => !isWriting && void write(), stopKeyOptions("z"));
  return (
    <button
      type="button"
      className="btn btn-sm border-rule bg-base-100"
      title="The whole comparison as one file, to keep or to open elsewhere"
      disabled={isWriting}
      onClick={() => void write()}
    >
      <Archive size={15} /> {isWriting ? "Archiving…" : "Archive"} <kbd className="kbd kbd-xs">Z</kbd>
    </button>
  );
}
