"use client";

import { Download } from "lucide-react";
import type { Run } from "@/core/blind/run";
import { runFile } from "@/store/run-records";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";

/** Saves a run as a file that verifies itself; of a pack, the one to send back. */
export function SaveRun({ run, primary = false }: { run: Run; primary?: boolean }) {
  const save = async () => {
    const { name, blob } = await runFile(run);
    download(name, blob);
  };
  return (
    <button
      type="button"
      className={`btn btn-sm w-fit ${primary ? "btn-primary" : "border-rule"}`}
      onClick={() => void save()}
    >
      <Download size={14} /> {primary ? LABELS.saveTheResultFile : LABELS.saveAsARecord}
    </button>
  );
}
