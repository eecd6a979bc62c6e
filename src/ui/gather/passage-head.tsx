"use client";

import type { ReactNode } from "react";
import { kilohertz, shortClock, signed, withUnit } from "@/core/words/units";
import { renamePassage } from "@/store/comparisons";
import type { Passage, Render } from "@/store/records";
import { EditableText } from "@/ui/shell/editable-text";
import { useSortableItem } from "./sortable-item";

type Props = {
  passage: Passage;
  dry: Render | undefined;
  /** The loudest of its renders by name, and how much louder than dry. */
  loudest: { title: string; edgeLu: number | null } | null;
  children: ReactNode;
};

/** A row of the grid: the passage's head, its cells given as children; dragged to another place by its grip. */
export function PassageRow({ passage, dry, loudest, children }: Props) {
  const { setNodeRef, style, isDragging, grip } = useSortableItem(`passage ${passage.id}`, passage.title, false);
  return (
    <tr
      ref={setNodeRef}
      className={`border-faint border-b last:border-b-0 ${isDragging ? "relative z-20 bg-base-100 opacity-80" : ""}`}
      style={style}
    >
      <th
        scope="row"
        className="sticky left-0 z-[5] border-faint border-b bg-base-100 py-1 pr-2 pl-0.5 text-left align-top font-normal"
      >
        <div className="flex items-center">
          {grip}
          <EditableText
            label="Passage name"
            className="font-display font-semibold text-[13.5px]"
            value={passage.title}
            onChange={(title) => void renamePassage(passage.id, title)}
          />
        </div>
        <div className="pl-6">
          {dry && (
            <div className="figure flex gap-3 text-[12px] text-soft">
              <span>{shortClock(dry.frames / dry.sampleRateHz)}</span>
              <span>{kilohertz(dry.sampleRateHz)}</span>
            </div>
          )}
          {loudest && (
            <div className="flex gap-1.5 text-[11.5px] text-soft leading-4" title={`Loudest vs dry: ${loudest.title}`}>
              <span className="min-w-0 truncate">{loudest.title}</span>
              <span className="figure shrink-0">{withUnit(signed(loudest.edgeLu), "LU")}</span>
            </div>
          )}
        </div>
      </th>
      {children}
    </tr>
  );
}
