"use client";

import { createContext, type ReactNode, useContext, useMemo, useRef, useState } from "react";
import { useDropzone } from "react-dropzone";
import { type FileRead, readFile } from "@/store/import-files";
import { JobCancelled } from "@/workers/jobs";
import { SortDialog } from "./sort-dialog";

const ImportContext = createContext<{ chooseFiles: () => void } | null>(null);

export function useImport(): { chooseFiles: () => void } {
  const value = useContext(ImportContext);
  if (!value) throw new Error("useImport is used outside ImportProvider");
  return value;
}

const sentenceOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** Takes files dropped anywhere, or chosen; reads them, then shows where each belongs before anything is kept. */
export function ImportProvider({ children }: { children: ReactNode }) {
  const [files, setFiles] = useState<FileRead[] | null>(null);
  const [awaited, setAwaited] = useState(0);
  const cancel = useRef<AbortController | null>(null);

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
  const value = useMemo(() => ({ chooseFiles: open }), [open]);
  const close = () => {
    cancel.current?.abort();
    cancel.current = null;
    setFiles(null);
    setAwaited(0);
  };

  return (
    <ImportContext value={value}>
      <div {...getRootProps()}>
        <input {...getInputProps({ "aria-label": "Files to add" })} />
        {children}
        {files && (
          <SortDialog
            files={files}
            awaited={awaited}
            onKept={(ids) => setFiles((known) => known?.filter((f) => !ids.has(f.id)) ?? null)}
            onClose={close}
          />
        )}
        {isDragActive && (
          <div className="fixed inset-0 z-50 grid place-content-center bg-base-200/90 text-center">
            <p className="font-display font-semibold text-2xl">Let go to add these files.</p>
            <p className="text-soft">Each finds its passage by its sound; you see where before anything is kept.</p>
          </div>
        )}
      </div>
    </ImportContext>
  );
}
