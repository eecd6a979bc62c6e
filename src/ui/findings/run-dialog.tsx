"use client";

import { useRouter } from "next/navigation";
import type { Run } from "@/store/records";
import { RunVerdict } from "@/ui/blind/run-verdict";
import { SaveRun } from "@/ui/blind/save-run";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { NoteField } from "./note-field";

/** A run as it ended, with its note and its record; one that is open can be gone on with. */
export function RunDialog({ run, onClose }: { run: Run; onClose: () => void }) {
  const router = useRouter();
  return (
    <Modal
      title={`Run on ${run.passageTitle}`}
      onClose={onClose}
      actions={(close) => (
        <>
          <CloseButton onClick={close}>{LABELS.close}</CloseButton>
          {!run.finishedAt && (
            <button type="button" className="btn btn-primary btn-sm" onClick={() => router.push(`/booth/${run.id}`)}>
              {LABELS.goOn}
            </button>
          )}
        </>
      )}
    >
      <div className="grid min-h-0 gap-3 overflow-auto">
        {run.finishedAt ? (
          <>
            <RunVerdict run={run} />
            <SaveRun run={run} />
          </>
        ) : (
          <p>Unfinished: no result yet.</p>
        )}
        <NoteField label={LABELS.noteOnThisRun} runId={run.id} />
      </div>
    </Modal>
  );
}
