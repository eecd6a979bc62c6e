"use client";

import { useHotkeys } from "react-hotkeys-hook";
import type { Answer } from "@/core/blind/answer";
import { LABELS } from "@/ui/labels";
import { SeatPad, startHint, type TrialProps } from "./booth-parts";

type Choice = { answer: Answer; title: string; key: string };

const ABX: readonly Choice[] = [
  { answer: { side: "A" }, title: LABELS.xIsA, key: "a" },
  { answer: { side: "B" }, title: "X is B", key: "b" },
];
const SAME_OR_NOT: readonly Choice[] = [
  { answer: { said: "same" }, title: "The same", key: "s" },
  { answer: { said: "different" }, title: "Different", key: "d" },
];

/** A trial with one right answer: which is X, or are these two the same? */
export function RightOrWrongTrial({ run, booth, onAnswer }: TrialProps) {
  const isAbx = run.plan.kind === "abx";
  const choices = isAbx ? ABX : SAME_OR_NOT;
  const { heard, ready, seats } = booth;
  const hint = isAbx ? abxHint(heard) : seats.some((s) => !heard.has(s.name)) ? "Listen to both." : null;
  const mayAnswer = ready && hint === null;
  useHotkeys(
    choices.map((c) => c.key).join(","),
    (event) => {
      const choice = choices.find((c) => c.key === event.key.toLowerCase());
      if (choice && mayAnswer) onAnswer(choice.answer);
    },
    { useKey: true },
    [mayAnswer, onAnswer],
  );
  return (
    <>
      <div className="flex gap-8">
        {seats.map((seat) => (
          <SeatPad key={seat.name} seat={seat} booth={booth} />
        ))}
      </div>
      <div className="grid justify-items-center gap-4">
        <h2 className="font-semibold text-lg">{isAbx ? "Which one is X?" : "Are the two the same?"}</h2>
        <div className="flex gap-3.5">
          {choices.map(({ answer, title, key }) => (
            <button
              key={key}
              type="button"
              className="btn h-10 border-rule bg-base-100 px-6"
              disabled={!mayAnswer}
              onClick={() => onAnswer(answer)}
            >
              {title} <kbd className="kbd kbd-xs">{key.toUpperCase()}</kbd>
            </button>
          ))}
        </div>
        <p className="h-5 text-[13px] text-soft">{startHint(booth) ?? hint ?? "Switch as often as you like."}</p>
      </div>
    </>
  );
}

function abxHint(heard: ReadonlySet<string>): string | null {
  if (!heard.has("X")) return "Listen to X: press 2.";
  return heard.has("A") || heard.has("B") ? null : "Listen to A or B too: press 1 or 3.";
}
