"use client";

import { useState } from "react";
import type { FileForm } from "@/core/formats/file-form";
import { megabytes, plural } from "@/core/words/units";
import { writeRenderPack } from "@/store/render-pack";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";
import { ENCODINGS } from "@/ui/shell/encodings";
import { Choice } from "@/ui/shell/transport";
import { useWorkbench } from "@/ui/shell/workbench";
import { WritingDialog } from "@/ui/shell/writing-dialog";

const SAMPLE_BYTES = { "16-bit": 2, "24-bit": 3, "32-bit float": 4 } as const;

/** Chosen renders, matched, aligned and equally long, as one zip for someone else's session. */
export function PackDialog({ onClose }: { onClose: () => void }) {
  const { comparison, passages, candidates, renders } = useWorkbench();
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [encoding, setEncoding] = useState<FileForm["encoding"]>("24-bit");
  const [withDelivered, setDelivered] = useState(false);
  const [withResidual, setResidual] = useState(false);
  const [isBlind, setBlind] = useState(false);
  const toggle = (id: string) =>
    setLeft((now) => new Set(now.has(id) ? [...now].filter((other) => other !== id) : [...now, id]));
  const chosen = renders.filter((r) => !left.has(r.passageId) && !left.has(r.candidateId));
  const bytes = chosen.reduce((sum, render) => {
    const dry = renders.find((r) => r.id === passages.find((p) => p.id === render.passageId)?.dryRenderId) ?? render;
    return sum + dry.frames * render.channelCount * SAMPLE_BYTES[encoding];
  }, 0);
  const kinds = [...(withDelivered ? (["delivered"] as const) : []), ...(withResidual ? (["residual"] as const) : [])];
  const dryIds = new Set(passages.map(({ dryRenderId }) => dryRenderId));
  const residuals = withResidual ? chosen.filter((r) => !dryIds.has(r.id)).length : 0;
  const count = chosen.length * (withDelivered ? 2 : 1) + residuals;
  const order = {
    comparisonId: comparison.id,
    renderIds: chosen.map(({ id }) => id),
    kinds,
    form: { container: "WAV", encoding } as const,
    isBlind,
  };
  const writePack = async (signal: AbortSignal) => {
    const { pack, key } = await writeRenderPack(order, signal);
    download(pack.name, pack.blob);
    if (key) download(key.name, key.blob);
  };
  const list = (title: string, rows: readonly { id: string; title: string }[]) => (
    <fieldset className="grid content-start gap-1.5">
      <legend className="mb-1 font-display font-semibold">{title}</legend>
      {rows.map((row) => (
        <label key={row.id} className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={!left.has(row.id)}
            onChange={() => toggle(row.id)}
          />
          {row.title}
        </label>
      ))}
    </fieldset>
  );
  return (
    <WritingDialog
      title={LABELS.renderPack}
      width={760}
      what="The pack"
      begin={`Write ${plural(count, "file")}`}
      isOff={chosen.length === 0}
      write={writePack}
      onClose={onClose}
    >
      <div className="grid min-h-0 grid-cols-[1fr_1fr_1.2fr] gap-6 overflow-auto text-[13px]">
        {list("Passages", passages)}
        {list("Candidates", candidates)}
        <div className="grid content-start gap-2">
          <h3 className="font-display font-semibold">Files</h3>
          <Choice label={LABELS.wordLength} value={encoding} options={ENCODINGS} onChange={setEncoding} />
          <Toggle label="Also as delivered" isOn={withDelivered} onToggle={setDelivered} />
          <Toggle label={LABELS.alsoResiduals} isOn={withResidual} onToggle={setResidual} />
          <Toggle label="Blind names, with the list in a separate file" isOn={isBlind} onToggle={setBlind} />
          <p className="text-[12px] text-soft">
            Matched as at Line up, aligned to dry, all of a passage at one length and rate:{" "}
            <span className="figure">passage__candidate__matched.wav</span>, with a read-me and figures. About{" "}
            {megabytes(bytes * (1 + kinds.length))}.
          </p>
        </div>
      </div>
    </WritingDialog>
  );
}

function Toggle({ label, isOn, onToggle }: { label: string; isOn: boolean; onToggle: (isOn: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" className="toggle toggle-xs" checked={isOn} onChange={() => onToggle(!isOn)} />
      {label}
    </label>
  );
}
