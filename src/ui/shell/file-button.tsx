"use client";

import { type ReactNode, useRef } from "react";

type Props = {
  /** Spoken name of what is chosen. */
  label: string;
  accept: string;
  isMany?: boolean;
  isOff?: boolean;
  children: ReactNode;
  onFiles: (files: File[]) => void;
};

/** A button that has files chosen; the same one can be chosen again. */
export function FileButton({ label, accept, isMany = false, isOff = false, children, onFiles }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple={isMany}
        accept={accept}
        aria-label={label}
        className="hidden"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          event.target.value = "";
          if (files.length > 0) onFiles(files);
        }}
      />
      <button
        type="button"
        className="btn btn-sm w-fit border-rule bg-base-100"
        disabled={isOff}
        onClick={() => input.current?.click()}
      >
        {children}
      </button>
    </>
  );
}

export const ZIP = ".zip,application/zip";
export const JSON_FILE = ".json,application/json";
