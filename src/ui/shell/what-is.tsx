"use client";

import { CircleQuestionMark } from "lucide-react";
import type { ReactNode } from "react";
import { create } from "zustand";
import { FIGURES, type FigureKey } from "@/core/words/figures";
import { openGuide } from "@/ui/guide/guide";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "./modal";

const useAsked = create<{ figure: FigureKey | null }>(() => ({ figure: null }));

/** The name of a figure that can be asked what it is: its definition on hover, all of it on a press. */
export function WhatIs({
  figure,
  className = "",
  children,
}: {
  figure: FigureKey;
  className?: string;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className={`-my-1 cursor-help py-1 text-inherit decoration-dotted underline-offset-2 hover:underline ${className}`}
      title={FIGURES[figure].definition}
      aria-label={`${FIGURES[figure].title}: what is this?`}
      onClick={() => useAsked.setState({ figure })}
    >
      {children}
    </button>
  );
}

/** The mark beside what is pressed for something else: as wide as a target has to be, and no wider than its place in a row. */
export function WhatIsMark({ figure, inHead }: { figure: FigureKey; inHead?: boolean }) {
  return (
    <WhatIs figure={figure} className={`min-w-6 font-normal ${inHead ? "-mr-2.5 pl-0.5 text-left" : ""}`}>
      <CircleQuestionMark size={inHead ? 11 : 14} className="inline text-soft" aria-hidden="true" />
    </WhatIs>
  );
}

/** The answer, over whatever is on screen. */
export function WhatIsHost() {
  const figure = useAsked((asked) => asked.figure);
  if (!figure) return null;
  const { title, section, definition, reference, source, error } = FIGURES[figure];
  const close = () => useAsked.setState({ figure: null });
  const rows = [
    ["Reference", reference],
    ["Source", source],
    ["Error", error],
  ] as const;
  return (
    <Modal
      title={title}
      width={520}
      onClose={close}
      actions={(shut) => (
        <>
          <button
            type="button"
            className="btn btn-sm border-rule"
            onClick={() => {
              shut();
              openGuide("figures", section);
            }}
          >
            How figures are computed
          </button>
          <CloseButton onClick={shut}>{LABELS.close}</CloseButton>
        </>
      )}
    >
      <p>{definition}</p>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-[13px]">
        {rows.map(([term, text]) => (
          <div key={term} className="contents">
            <dt className="text-soft">{term}</dt>
            <dd>{text}</dd>
          </div>
        ))}
      </dl>
    </Modal>
  );
}
