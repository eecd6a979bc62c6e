"use client";

import { Ellipsis } from "lucide-react";
import type { CandidateTotals } from "@/core/matching/totals";
import { changeCandidate } from "@/store/comparisons";
import type { Candidate } from "@/store/records";
import { decibels, signed, withUnit } from "@/ui/format";
import { EditableText } from "@/ui/shell/editable-text";
import { useSortableItem } from "./sortable-item";

type Props = {
  candidate: Candidate;
  totals: CandidateTotals | undefined;
  mostFavoured: boolean;
  highestPeak: boolean;
  onOpen: () => void;
  onRemove: () => void;
};

/** The greatest of its kind: heavier and underlined, as colour alone would not do. */
const MARKED = "font-medium text-base-content underline decoration-2 underline-offset-2";

/** Head of a column: name, what it was set to, what level alone does for it; dragged to another place by its grip. */
export function CandidateHead({ candidate, totals, mostFavoured, highestPeak, onOpen, onRemove }: Props) {
  const { setNodeRef, style, isDragging, grip } = useSortableItem(`candidate ${candidate.id}`, candidate.title, true);
  return (
    <th
      ref={setNodeRef}
      scope="col"
      data-candidate={candidate.title}
      className={`group border-faint border-l bg-base-100 px-2 py-1.5 align-top font-normal ${isDragging ? "relative z-20 opacity-80" : ""}`}
      style={style}
    >
      <div className="-mt-1.5 -mr-2 -ml-2 flex h-6 items-center justify-between">
        {grip}
        <details
          className="dropdown dropdown-end shrink-0"
          onBlur={(event) => {
            if (!event.currentTarget.contains(event.relatedTarget)) event.currentTarget.open = false;
          }}
        >
          <summary
            className="grid size-6 cursor-pointer list-none place-content-center rounded text-soft hover:bg-base-content/5"
            aria-label={`More for ${candidate.title}`}
          >
            <Ellipsis size={14} aria-hidden="true" />
          </summary>
          <ul className="menu dropdown-content z-30 w-44 rounded-lg border border-rule bg-base-100 p-1 text-[13px] shadow-none">
            <li>
              <button type="button" onClick={onOpen}>
                Settings and notes
              </button>
            </li>
            <li>
              <button type="button" onClick={() => void changeCandidate(candidate.id, { hidden: true })}>
                Hide
              </button>
            </li>
            <li>
              <button type="button" onClick={onRemove}>
                Delete
              </button>
            </li>
          </ul>
        </details>
      </div>
      <EditableText
        label="Candidate name"
        twoLines
        className="font-display font-semibold text-[13px]"
        value={candidate.title}
        onChange={(title) => void changeCandidate(candidate.id, { title })}
      />
      <div className="truncate text-[11.5px] text-soft leading-5" title={candidate.summary}>
        {[candidate.version && `v${candidate.version.replace(/^v/i, "")}`, candidate.summary]
          .filter(Boolean)
          .join(" · ") || candidate.kind}
      </div>
      <div className="figure flex flex-wrap justify-between gap-x-1 whitespace-nowrap text-[11px] text-soft leading-4">
        <span
          className={mostFavoured ? MARKED : ""}
          title={mostFavoured ? "Most favoured by level, on the mean over its passages" : "Mean edge over its passages"}
        >
          {withUnit(signed(totals?.meanEdgeLu), "LU")}
        </span>
        <span
          className={highestPeak ? MARKED : ""}
          title={highestPeak ? "Highest true peak of all candidates" : "Its highest true peak"}
        >
          {decibels(totals?.truePeakDbtp, "dBTP")}
        </span>
      </div>
    </th>
  );
}
