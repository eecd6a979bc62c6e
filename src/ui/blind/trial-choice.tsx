"use client";

import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import type { ChoicePlan } from "@/core/blind/plan";
import { KeepAnswer, SeatPad, startHint, type TrialProps } from "./booth-parts";

/** A round of picking: which is best, of all or of two? */
export function ChoiceTrial({ run, booth, onAnswer }: TrialProps) {
  const { ties } = run.plan as ChoicePlan;
  const { seats, heard, ready, seat } = booth;
  const [picked, setPicked] = useState<readonly number[]>([]);
  const unheard = seats.filter((s) => !heard.has(s.name));
  const mayAnswer = ready && unheard.length === 0 && picked.length > 0;
  const pick = (index: number) =>
    setPicked((now) => {
      if (!ties) return [index];
      return now.includes(index) ? now.filter((i) => i !== index) : [...now, index].sort((a, b) => a - b);
    });
  useHotkeys("b", () => pick(seats.findIndex((s) => s.name === seat)), { useKey: true }, [seat, ties]);
  const keep = () => onAnswer({ picked: [...picked] });
  const two = seats.length === 2;
  return (
    <>
      <div
        className="grid gap-x-6 gap-y-5"
        style={{ gridTemplateColumns: `repeat(${Math.min(6, seats.length)}, minmax(0, auto))` }}
      >
        {seats.map((s, i) => (
          <div key={s.name} className="grid justify-items-center gap-2">
            <SeatPad seat={s} booth={booth} size={seats.length > 4 ? "small" : "large"} />
            <button
              type="button"
              aria-pressed={picked.includes(i)}
              disabled={!ready}
              className={`btn btn-sm border-rule ${picked.includes(i) ? "btn-primary" : "bg-base-100"}`}
              onClick={() => pick(i)}
            >
              {picked.includes(i) ? "✓ " : ""}
              {s.name} is {two ? "better" : "best"}
            </button>
          </div>
        ))}
      </div>
      <div className="grid justify-items-center gap-3">
        <h2 className="font-semibold text-lg">
          {two ? "Which one is better?" : "Which one is best?"}
          {ties && <span className="font-normal text-soft"> Pick several if they are equal.</span>}
        </h2>
        <KeepAnswer
          title="Keep this answer"
          may={mayAnswer}
          onKeep={keep}
          hint={
            startHint(booth) ??
            (unheard.length > 0
              ? `Not heard yet: ${unheard.map((s) => s.name).join(", ")}.`
              : "B marks the render you hear as best.")
          }
        />
      </div>
    </>
  );
}
