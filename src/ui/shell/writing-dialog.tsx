"use client";

import { type ReactNode, useRef, useState } from "react";
import { JobCancelled } from "@/workers/jobs";
import { JobStrip } from "./job-strip";
import { CloseButton, Modal } from "./modal";

type Props = {
  title: string;
  width: number;
  /** What is written, at the beginning of a sentence: "The pack". */
  what: string;
  /** The button that begins it. */
  begin: string;
  isOff?: boolean;
  write: (signal: AbortSignal) => Promise<void>;
  onClose: () => void;
  children: ReactNode;
};

/** A dialog that writes something which takes a while: shows how far it is, says what went wrong, calls it off when it is closed. */
export function WritingDialog({ title, width, what, begin, isOff = false, write, onClose, children }: Props) {
  const [isWriting, setWriting] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef(new AbortController());
  const run = async (close: () => void) => {
    setWriting(true);
    setProblem(null);
    cancel.current = new AbortController();
    try {
      await write(cancel.current.signal);
      close();
    } catch (error) {
      if (!(error instanceof JobCancelled))
        setProblem(`${what} could not be written: ${error instanceof Error ? error.message : String(error)}`);
    }
    setWriting(false);
  };
  return (
    <Modal
      title={title}
      width={width}
      onClose={() => {
        cancel.current.abort();
        onClose();
      }}
      actions={(close) => (
        <>
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={isWriting || isOff}
            onClick={() => void run(close)}
          >
            {isWriting ? "Writing…" : begin}
          </button>
        </>
      )}
    >
      {children}
      {isWriting && <JobStrip askedOnly />}
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
    </Modal>
  );
}
