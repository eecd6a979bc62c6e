"use client";

import { FileAudio, Plus } from "lucide-react";
import { plural } from "@/ui/format";
import { StopHeading } from "@/ui/shell/stop-heading";
import { useWorkbench } from "@/ui/shell/workbench";
import { useImport } from "./import-provider";
import { RenderGrid } from "./render-grid";

export function GatherStop() {
  const { passages, renders } = useWorkbench();
  const { chooseFiles } = useImport();
  if (renders.length === 0) return <EmptyGather onChoose={chooseFiles} />;
  return (
    <section className="flex h-full flex-col gap-3 px-5 py-3.5">
      <StopHeading
        title="Gather"
        actions={
          <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={chooseFiles}>
            <Plus size={15} /> Add files
          </button>
        }
      >
        {plural(passages.length, "passage")}, {plural(renders.length, "render")}. Drop more WAV files anywhere on this
        page.
      </StopHeading>
      <RenderGrid />
    </section>
  );
}

function EmptyGather({ onChoose }: { onChoose: () => void }) {
  return (
    <section className="grid h-full place-content-center justify-items-center gap-3 text-center">
      <FileAudio size={36} strokeWidth={1.25} className="text-soft" aria-hidden="true" />
      <h1 className="font-semibold text-2xl">Drop the renders of one passage here.</h1>
      <p className="max-w-md text-soft">
        The dry one and whatever was made from it, as WAV. They stay in this browser; nothing is uploaded.
      </p>
      <button type="button" className="btn btn-primary btn-sm" onClick={onChoose}>
        <Plus size={15} /> Choose files
      </button>
    </section>
  );
}
