"use client";

import { type ReactNode, useEffect, useId, useRef } from "react";

type Props = {
  title: string;
  /** Called when it has closed, by whatever way. */
  onClose: () => void;
  children: ReactNode;
  /** Buttons of the lower edge; `close` closes. */
  actions: (close: () => void) => ReactNode;
  /** Width in pixels; the window's when that is narrower. */
  width?: number;
};

/** The one dialog: opens when it is mounted, Escape closes it, its middle scrolls. */
export function Modal({ title, onClose, children, actions, width = 880 }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const titleId = useId();
  useEffect(() => {
    if (dialog.current?.open) return;
    dialog.current?.showModal();
    // Not its first button: that may be one that cancels.
    box.current?.focus();
  }, []);
  return (
    <dialog ref={dialog} className="modal" aria-labelledby={titleId} onClose={onClose}>
      <div
        ref={box}
        tabIndex={-1}
        className="modal-box flex max-h-[calc(100vh-4rem)] max-w-[calc(100vw-4rem)] flex-col gap-3 border border-rule shadow-none"
        style={{ width, outline: "none" }}
      >
        <h2 id={titleId} className="font-semibold text-lg">
          {title}
        </h2>
        {children}
        <div className="modal-action mt-1 items-center">{actions(() => dialog.current?.close())}</div>
      </div>
    </dialog>
  );
}

/** The way out of a dialog that keeps nothing. */
export function CloseButton({ onClick, children = "Cancel" }: { onClick: () => void; children?: ReactNode }) {
  return (
    <button type="button" className="btn btn-sm border-rule" onClick={onClick}>
      {children}
    </button>
  );
}
