"use client";

import type { Question } from "./use-recordings";

/** Asks whether a recording came from the candidate that its name or its figures speak for. */
export function BelongsQuestion({
  question,
  onAnswer,
}: {
  question: Question;
  onAnswer: (question: Question, isIt: boolean) => Promise<void>;
}) {
  const { measurement, proposal, title } = question;
  const reasons = [proposal.byName ? "name" : null, proposal.byKind ? "measured kind" : null].filter(Boolean);
  return (
    <div role="status" className="grid gap-1.5 rounded border border-rule bg-base-100 p-2 text-[12px]">
      <p>
        Does {measurement.fileName} belong to {title}? Proposed by its {reasons.join(" and ")}.
      </p>
      <div className="flex gap-1.5">
        <button type="button" className="btn btn-xs btn-primary" onClick={() => void onAnswer(question, true)}>
          Assign to {title}
        </button>
        <button type="button" className="btn btn-xs border-rule" onClick={() => void onAnswer(question, false)}>
          Keep separate
        </button>
      </div>
    </div>
  );
}
