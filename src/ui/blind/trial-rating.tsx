"use client";

import { X } from "lucide-react";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { MOST_WORDS } from "@/core/blind/answer";
import { GRADE_WORDS, type RatingPlan, SCALE_RANGE, type Scale } from "@/core/blind/plan";
import { INK_SLIDER } from "@/ui/shell/controls";
import { useDescriptors } from "@/ui/shell/use-descriptors";
import { KeepAnswer, SeatPad, startHint, type TrialProps, WHILE_GRADING } from "./booth-parts";
import { REFERENCE_SEAT } from "./seats";

/** More sliders than this stand closer, so that all are on a screen of 1024 pixels. */
const MOST_WIDE = 7;

/** On a screen of 700 pixels all of it is to be seen. */
const SLIDER_HEIGHT = "h-56 [@media(max-height:760px)]:h-36";

const decimalsOf = (scale: Scale): number => (scale === "impairment" ? 1 : 0);

/** A round of grading: every seat has a slider, the reference is heard openly beside them. */
export function RatingTrial({ run, booth, onAnswer }: TrialProps) {
  const { scale } = run.plan as RatingPlan;
  const { low, high, step } = SCALE_RANGE[scale];
  const hidden = booth.seats.filter((s) => s !== REFERENCE_SEAT);
  const [grades, setGrades] = useState<readonly (number | null)[]>(() => hidden.map(() => null));
  const [words, setWords] = useState<readonly (readonly string[])[]>(() => hidden.map(() => []));
  const { heard, ready, seat } = booth;
  const unheard = booth.seats.filter((s) => !heard.has(s.name));
  const ungraded = hidden.filter((_, i) => grades[i] === null);
  const mayAnswer = ready && unheard.length === 0 && ungraded.length === 0;
  const setGrade = (index: number, value: number) =>
    setGrades((now) => now.map((g, i) => (i === index ? Number(Math.min(high, Math.max(low, value)).toFixed(1)) : g)));
  const answer = () => onAnswer({ grades: grades.map((g) => g ?? low), words: words.map((own) => [...own]) });
  const nudge = (event: KeyboardEvent) => {
    const index = hidden.findIndex((s) => s.name === seat);
    if (index < 0) return;
    event.preventDefault();
    const by = (event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 10 * step : step);
    setGrade(index, (grades[index] ?? (low + high) / 2) + (scale === "five steps" ? Math.sign(by) : by));
  };
  useHotkeys("up,down,shift+up,shift+down", nudge, WHILE_GRADING, [seat, grades]);
  const reference = booth.seats.includes(REFERENCE_SEAT);
  const many = hidden.length > MOST_WIDE;
  return (
    <>
      <div className={`flex items-start ${many ? "gap-2" : "gap-4"}`}>
        <ScaleWords scale={scale} />
        {reference && (
          <div className="grid w-28 justify-items-center">
            <SeatPad seat={REFERENCE_SEAT} booth={booth} size="small" />
          </div>
        )}
        {hidden.map((s, i) => (
          <div key={s.name} className={`grid justify-items-center gap-2 ${many ? "w-14" : "w-20"}`}>
            <SeatPad seat={s} booth={booth} size={many ? "narrow" : "small"} />
            <input
              type="range"
              aria-label={`Grade of ${s.name}`}
              aria-valuetext={grades[i] === null ? "not graded" : undefined}
              min={low}
              max={high}
              step={step}
              value={grades[i] ?? (low + high) / 2}
              disabled={!ready}
              className={`${SLIDER_HEIGHT} w-6 cursor-pointer ${grades[i] === null ? "opacity-40" : ""}`}
              style={{ writingMode: "vertical-lr", direction: "rtl", ...INK_SLIDER }}
              onChange={(event) => setGrade(i, Number(event.target.value))}
              onPointerUp={(event) => setGrade(i, Number(event.currentTarget.value))}
            />
            <output className="figure h-5 text-[15px]">{grades[i]?.toFixed(decimalsOf(scale)) ?? "–"}</output>
            <Words
              label={`Word for ${s.name}`}
              words={words[i]}
              onChange={(own) => setWords((now) => now.map((w, n) => (n === i ? own : w)))}
            />
          </div>
        ))}
      </div>
      <KeepAnswer
        title="Keep these grades"
        may={mayAnswer}
        onKeep={answer}
        hint={
          startHint(booth) ??
          (unheard.length > 0
            ? `Not heard yet: ${unheard.map((s) => s.name).join(", ")}.`
            : ungraded.length > 0
              ? `Not graded yet: ${ungraded.map((s) => s.name).join(", ")}. ↑ and ↓ grade the render you hear.`
              : "↑ and ↓ grade the render you hear, Shift in tens.")
        }
      />
    </>
  );
}

/** The words of a scale, beside the sliders. */
function ScaleWords({ scale }: { scale: Scale }) {
  const spread = scale === "0 to 100" ? "justify-around" : "justify-between";
  return (
    <ol className={`mt-22 flex ${SLIDER_HEIGHT} w-36 flex-col ${spread} text-right text-[12px] text-soft`}>
      {[...GRADE_WORDS[scale]].reverse().map((word) => (
        <li key={word}>{word}</li>
      ))}
    </ol>
  );
}

function Words(props: { label: string; words: readonly string[]; onChange: (words: readonly string[]) => void }) {
  const { label, words, onChange } = props;
  const { known, learn } = useDescriptors();
  const [text, setText] = useState("");
  const add = () => {
    const word = text.trim().toLowerCase();
    setText("");
    if (!word || words.includes(word) || words.length >= MOST_WORDS) return;
    void learn(word);
    onChange([...words, word]);
  };
  return (
    <div className="grid w-full gap-1">
      <input
        aria-label={label}
        placeholder="word"
        list="own-words"
        maxLength={40}
        className="input input-xs w-full border-rule"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={add}
        onKeyDown={(event) => event.key === "Enter" && add()}
      />
      <datalist id="own-words">
        {known.map((word) => (
          <option key={word} value={word} />
        ))}
      </datalist>
      {words.map((word) => (
        <button
          key={word}
          type="button"
          className="btn btn-xs justify-between border-rule px-1.5"
          aria-label={`Remove ${word}`}
          onClick={() => onChange(words.filter((w) => w !== word))}
        >
          <span className="truncate">{word}</span> <X size={11} />
        </button>
      ))}
    </div>
  );
}
