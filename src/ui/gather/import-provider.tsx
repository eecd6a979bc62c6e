"use client";

import { createContext, type ReactNode, useContext, useMemo, useRef, useState } from "react";
import { useDropzone } from "react-dropzone";
import { type FileRead, readFile } from "@/store/import-files";
import { runChainsOn } from "@/store/run-chain";
import { LABELS } from "@/ui/labels";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import { SortDialog } from "./sort-dialog";

type Import = {
  chooseFiles: () => void;
  /** The same for files that came by another way; told which of them were kept. */
  addFiles: (files: File[], onKept: (files: readonly File[]) => void) => void;
};

const ImportContext = createContext<Import | null>(null);

export function useImport(): Import {
  const value = useContext(ImportContext);
  if (!value) throw new Error("useImport is used outside ImportProvider");
  return value;
}

const sentenceOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** Takes files dropped anywhere, or chosen; reads them, then shows where each belongs before anything is kept. */
export function ImportProvider({ children }: { children: ReactNode }) {
  const [files, setFiles] = useState<FileRead[] | null>(null);
  const [awaited, setAwaited] = useState(0);
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef<AbortController | null>(null);
  const told = useRef<((files: readonly File[]) => void) | null>(null);
  const { comparison } = useWorkbench();

  const read = async (dropped: File[]) => {
    if (dropped.length === 0) return;
    cancel.current ??= new AbortController();
    const { signal } = cancel.current;
    setFiles((known) => known ?? []);
    setAwaited((count) => count + dropped.length);
    await Promise.all(
      dropped.map(async (file, i) => {
        let result: FileRead | null = null;
        try {
          result = await readFile(file, signal);
        } catch (error) {
          if (!(error instanceof JobCancelled)) {
            const reason = `${file.name} could not be read (${sentenceOf(error)}).`;
            const advice = "Check that the file is still there, and add it again.";
            result = { id: `unread ${i} ${file.name}`, file, ok: false, reason, advice };
          }
        }
        if (signal.aborted) return;
        setAwaited((count) => count - 1);
        if (result) setFiles((known) => [...(known ?? []), result]);
      }),
    );
  };

  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (dropped) => void read(dropped),
    noClick: true,
    noKeyboard: true,
  });
  const latest = useRef(read);
  latest.current = read;
  const value = useMemo<Import>(
    () => ({
      chooseFiles: open,
      addFiles: (given, onKept) => {
        told.current = onKept;
        void latest.current(given);
      },
    }),
    [open],
  );
  const kept = (ids: ReadonlySet<string>, passageId: string | null) => {
    told.current?.((files ?? []).filter((f) => ids.has(f.id)).map((f) => f.file));
    setFiles((known) => known?.filter((f) => !ids.has(f.id)) ?? null);
    if (!comparison.runsChains || passageId === null) return;
    runChainsOn(comparison.id, passageId).catch((error: unknown) => {
      if (!(error instanceof JobCancelled)) setProblem(`Processing failed: ${sentenceOf(error)}`);
    });
  };
  const close = () => {
    cancel.current?.abort();
    cancel.current = null;
    told.current = null;
    setFiles(null);
    setAwaited(0);
  };

  return (
    <ImportContext value={value}>
      <div {...getRootProps()}>
        <input {...getInputProps({ "aria-label": "Files to add" })} />
        {children}
        {files && <SortDialog files={files} awaited={awaited} onKept={kept} onClose={close} />}
        {problem && (
          <p
            role="alert"
            className="fixed inset-x-0 bottom-32 z-40 flex gap-3 border-rule border-t bg-base-100 px-5 py-1.5 text-error"
          >
            {problem}
            <button type="button" className="btn btn-xs border-rule text-base-content" onClick={() => setProblem(null)}>
              Dismiss
            </button>
          </p>
        )}
        {isDragActive && (
          <div className="fixed inset-0 z-50 grid place-content-center bg-base-200/90 text-center">
            <p className="font-display font-semibold text-2xl">{LABELS.dropToAddTheseFiles}</p>
            <p className="text-soft">Each finds its passage by its sound. You confirm before anything is saved.</p>
          </div>
        )}
      </div>
    </ImportContext>
  );
}
