"use client";

import { createContext, type ReactNode, useContext, useMemo, useRef, useState } from "react";
import { useDropzone } from "react-dropzone";
import { type InspectedFile, inspectFile } from "@/store/import-files";
import { JobCancelled } from "@/workers/jobs";
import { AddFilesDialog } from "./add-files-dialog";

const ImportContext = createContext<{ chooseFiles: () => void } | null>(null);

export function useImport(): { chooseFiles: () => void } {
  const value = useContext(ImportContext);
  if (!value) throw new Error("useImport is used outside ImportProvider");
  return value;
}

/** Takes files dropped anywhere, or chosen; reads them one by one and then asks where they belong. */
export function ImportProvider({ children }: { children: ReactNode }) {
  const [files, setFiles] = useState<InspectedFile[] | null>(null);
  const [awaited, setAwaited] = useState(0);
  const cancel = useRef<AbortController | null>(null);

  const read = async (dropped: File[]) => {
    if (dropped.length === 0) return;
    const controller = new AbortController();
    cancel.current = controller;
    setFiles((known) => known ?? []);
    setAwaited((count) => count + dropped.length);
    await Promise.all(
      dropped.map(async (file) => {
        let inspected: InspectedFile | null = null;
        try {
          inspected = await inspectFile(file, controller.signal);
        } catch (error) {
          if (!(error instanceof JobCancelled)) {
            const reason = `${file.name} could not be read (${error instanceof Error ? error.message : String(error)}).`;
            inspected = { file, ok: false, reason, advice: "Check that the file is still there, and add it again." };
          }
        }
        setAwaited((count) => count - 1);
        if (inspected && !controller.signal.aborted) setFiles((known) => [...(known ?? []), inspected]);
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
    setFiles(null);
    setAwaited(0);
  };

  return (
    <ImportContext value={value}>
      <div {...getRootProps()}>
        <input {...getInputProps({ "aria-label": "Files to add" })} />
        {children}
        {isDragActive && (
          <div className="fixed inset-0 z-50 grid place-content-center bg-base-200/90 text-center">
            <p className="font-display font-semibold text-2xl">Let go to add these files.</p>
            <p className="text-soft">You are asked where they belong before anything is kept.</p>
          </div>
        )}
      </div>
      {files && <AddFilesDialog files={files} awaited={awaited} onClose={close} />}
    </ImportContext>
  );
}
