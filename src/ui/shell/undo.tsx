"use client";

import { Undo2, X } from "lucide-react";
import { useEffect } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { create } from "zustand";
import { putBack, type Removed } from "@/store/removing";
import { LABELS } from "@/ui/labels";

type Undoable = { words: string; putBack: () => Promise<void> };

const useUndo = create<{ last: Undoable | null }>(() => ({ last: null }));

/** Offers to put back what was just removed, until it is dismissed or the next removal. */
export const offerUndo = (words: string, removed: Removed): void => {
  if (removed.renders.length > 0) offerPutBack(words, () => putBack(removed));
};

/** The same for anything else that can be put back. */
export const offerPutBack = (words: string, putBackIt: () => Promise<void>): void =>
  useUndo.setState({ last: { words, putBack: putBackIt } });

const dismiss = () => useUndo.setState({ last: null });

async function undo(): Promise<void> {
  const { last } = useUndo.getState();
  if (!last) return;
  dismiss();
  await last.putBack();
}

/** One line over the transport: what was removed, and the way back. */
export function UndoStrip() {
  const last = useUndo((state) => state.last);
  useHotkeys("mod+z", () => void undo(), { preventDefault: true });
  useEffect(() => dismiss, []);
  if (!last) return null;
  return (
    <section
      aria-label={LABELS.justRemoved}
      className="flex h-8 shrink-0 items-center gap-3 border-rule border-t px-5 text-[12px]"
    >
      <span role="status">{last.words}</span>
      <button type="button" className="btn btn-xs border-rule" onClick={() => void undo()}>
        <Undo2 size={12} /> {LABELS.undo} <kbd className="kbd kbd-xs">Ctrl Z</kbd>
      </button>
      <button type="button" aria-label="Dismiss" className="btn btn-ghost btn-xs ml-auto" onClick={dismiss}>
        <X size={12} />
      </button>
    </section>
  );
}
