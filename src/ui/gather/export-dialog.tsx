"use client";

import { Download } from "lucide-react";
import { useState } from "react";
import type { FileForm } from "@/core/formats/file-form";
import { exportRenders } from "@/store/export-renders";
import type { Render } from "@/store/records";
import { plural } from "@/ui/format";
import { download } from "@/ui/shell/download";
import { JobStrip } from "@/ui/shell/job-strip";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { Choice } from "@/ui/shell/transport";
import { useWriting } from "@/ui/shell/use-writing";
import { useWorkbench } from "@/ui/shell/workbench";

const CONTAINERS = [
  { value: "WAV", title: "WAV", hint: "RIFF WAVE, little-endian" },
  { value: "AIFF", title: "AIFF", hint: "AIFF, big-endian; floats as AIFF-C" },
] as const;
export const ENCODINGS = [
  { value: "16-bit", title: "16 bit", hint: "With triangular dither, unless the render is 16-bit already" },
  { value: "24-bit", title: "24 bit", hint: "Rounded to nearest, clipped at full scale" },
  { value: "32-bit float", title: "32 float", hint: "Every sample as it is, over full scale too" },
] as const;

/** Opens the export of some renders. */
export function ExportButton({ renders, className }: { renders: Render[]; className: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className={className} disabled={renders.length === 0} onClick={() => setOpen(true)}>
        <Download size={13} aria-hidden="true" /> Export{renders.length > 1 ? " all" : ""}
      </button>
      {open && <ExportDialog renders={renders} onClose={() => setOpen(false)} />}
    </>
  );
}

/** In which form renders are written, as delivered: no gain, no shift. One is a file, several are a zip. */
function ExportDialog({ renders, onClose }: { renders: Render[]; onClose: () => void }) {
  const { comparison } = useWorkbench();
  const [form, setForm] = useState<FileForm>({ container: "WAV", encoding: "24-bit" });
  const { isWriting, problem, write, callOff } = useWriting("The export");
  const writeAll = async (signal: AbortSignal) => {
    const { name, blob } = await exportRenders(renders, form, comparison.title, signal);
    download(name, blob);
  };
  return (
    <Modal
      title={`Export ${plural(renders.length, "render")}`}
      width={520}
      onClose={() => {
        callOff();
        onClose();
      }}
      actions={(close) => (
        <>
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={isWriting}
            onClick={() => void write(writeAll, close)}
          >
            {isWriting ? "Writing…" : "Export"}
          </button>
        </>
      )}
    >
      <div className="grid grid-cols-[7rem_1fr] items-center gap-x-4 gap-y-2 text-[13px]">
        <span className="text-soft">File</span>
        <Choice
          label="File"
          value={form.container}
          options={CONTAINERS}
          onChange={(container) => setForm({ ...form, container })}
        />
        <span className="text-soft">Word length</span>
        <Choice
          label="Word length"
          value={form.encoding}
          options={ENCODINGS}
          onChange={(encoding) => setForm({ ...form, encoding })}
        />
      </div>
      <p className="text-[13px] text-soft">
        {ENCODINGS.find((e) => e.value === form.encoding)?.hint}. As delivered: at its own rate and level, not shifted.
        {renders.length > 1 && " All of them come as one zip."} A new file every time; nothing is written over.
      </p>
      {isWriting && <JobStrip askedOnly />}
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}
