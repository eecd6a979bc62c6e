"use client";

import type { CandidateTotals } from "@/core/matching/totals";
import { decibels, signed, withUnit } from "@/core/words/units";
import { changeCandidate } from "@/store/comparisons";
import type { Candidate } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { EditableText } from "@/ui/shell/editable-text";
import { Menu } from "@/ui/shell/menu";
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
        <Menu
          label={`More for ${candidate.title}`}
          items={[
            { title: "Settings and notes", act: onOpen },
            { title: LABELS.hide, act: () => void changeCandidate(candidate.id, { hidden: true }) },
            { title: "Delete", act: onRemove },
          ]}
        />
      </div>
      <EditableText
        label={LABELS.candidateName}
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
          title={mostFavoured ? "Loudest vs dry, mean of its passages" : "Mean level offset re dry over its passages"}
        >
          {withUnit(signed(totals?.meanLevelOffsetLu), "LU")}
        </span>
        <span
          className={highestPeak ? MARKED : ""}
          title={highestPeak ? "Highest true peak of all candidates" : "Highest true peak"}
        >
          {decibels(totals?.truePeakDbtp, "dBTP")}
        </span>
      </div>
    </th>
  );
}
