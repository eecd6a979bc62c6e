"use client";

import { Download } from "lucide-react";
import { useState } from "react";
import type { FileForm } from "@/core/formats/file-form";
import { plural } from "@/core/words/units";
import { exportRenders } from "@/store/export-renders";
import type { Render } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";
import { ENCODINGS } from "@/ui/shell/encodings";
import { Choice } from "@/ui/shell/transport";
import { useWorkbench } from "@/ui/shell/workbench";
import { WritingDialog } from "@/ui/shell/writing-dialog";

const CONTAINERS = [
  { value: "WAV", title: "WAV", hint: "RIFF WAVE, little-endian" },
  { value: "AIFF", title: LABELS.aiff, hint: "AIFF, big-endian; floats as AIFF-C" },
] as const;

/** Opens the export of some renders. */
export function ExportButton({ renders, className }: { renders: Render[]; className: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className={className} disabled={renders.length === 0} onClick={() => setOpen(true)}>
        <Download size={13} aria-hidden="true" /> {LABELS.export}
        {renders.length > 1 ? " all" : ""}
      </button>
      {open && <ExportDialog renders={renders} onClose={() => setOpen(false)} />}
    </>
  );
}

/** In which form renders are written, as delivered: no gain, no shift. One is a file, several are a zip. */
function ExportDialog({ renders, onClose }: { renders: Render[]; onClose: () => void }) {
  const { comparison } = useWorkbench();
  const [form, setForm] = useState<FileForm>({ container: "WAV", encoding: "24-bit" });
  const writeAll = async (signal: AbortSignal) => {
    const { name, blob } = await exportRenders(renders, form, comparison.title, signal);
    download(name, blob);
  };
  return (
    <WritingDialog
      title={`Export ${plural(renders.length, "render")}`}
      width={520}
      what="The export"
      begin="Export"
      write={writeAll}
      onClose={onClose}
    >
      <div className="grid grid-cols-[7rem_1fr] items-center gap-x-4 gap-y-2 text-[13px]">
        <span className="text-soft">{LABELS.file}</span>
        <Choice
          label={LABELS.file}
          value={form.container}
          options={CONTAINERS}
          onChange={(container) => setForm({ ...form, container })}
        />
        <span className="text-soft">{LABELS.wordLength}</span>
        <Choice
          label={LABELS.wordLength}
          value={form.encoding}
          options={ENCODINGS}
          onChange={(encoding) => setForm({ ...form, encoding })}
        />
      </div>
      <p className="text-[13px] text-soft">
        {ENCODINGS.find((e) => e.value === form.encoding)?.hint}. As delivered: own rate, level and timing.
        {renders.length > 1 && " All go into one zip."} Always a new file; nothing is overwritten.
      </p>
    </WritingDialog>
  );
}
