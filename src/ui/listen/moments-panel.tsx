"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { clock } from "@/core/words/units";
import { momentsOf, pinMoment, removeMoment } from "@/store/moments";
import type { Moment } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { hearFrom, player, useMonitor } from "@/ui/shell/monitor";
import { renderOfScene, sceneOfRender } from "@/ui/shell/places";
import { useDescriptors } from "@/ui/shell/use-descriptors";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";

const OFFERED_WORDS = 14;

/** Notes pinned to moments: what was heard, in which render, in one's own words. */
export function MomentsPanel({ pair }: { pair: Pair }) {
  const { titleOf, comparison } = useWorkbench();
  const heard = useMonitor((m) => m.heard);
  const { known } = useDescriptors();
  const moments = useLiveQuery(() => momentsOf(pair.passage.id), [pair.passage.id]) ?? [];
  const field = useRef<HTMLInputElement>(null);
  /** Where the playhead stood when the writing began. */
  const [at, setAt] = useState<number | null>(null);
  const [text, setText] = useState("");
  const [words, setWords] = useState<readonly string[]>([]);
  const begin = () => setAt((now) => now ?? Math.round(player.positionFrames()));
  useHotkeys(
    "n",
    (event) => {
      event.preventDefault();
      begin();
      field.current?.focus();
    },
    { useKey: true },
  );
  const render = renderOfScene(pair, heard);
  const pin = async () => {
    const [written, own] = [text.trim(), [...words]];
    if (!written && own.length === 0) return;
    await pinMoment({
      comparisonId: comparison.id,
      passageId: pair.passage.id,
      renderId: render?.id ?? null,
      frame: at ?? Math.round(player.positionFrames()),
      // A single word is one of the person's own from now on.
      words: /^\S+$/.test(written) ? [...own, written.toLowerCase()] : own,
      text: /^\S+$/.test(written) ? "" : written,
    });
    setText("");
    setWords([]);
    setAt(null);
  };
  const goTo = ({ renderId, frame }: Moment) =>
    hearFrom(renderId === null ? "difference" : sceneOfRender(pair, renderId), frame);
  const nameOf = (moment: Moment): string => {
    const own = pair.renders.find((r) => r.id === moment.renderId);
    return moment.renderId === null ? "the difference" : own ? titleOf(own) : "a deleted render";
  };
  return (
    <section aria-label={LABELS.notes} className="grid min-h-0 content-start gap-1.5 text-[13px]">
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void pin();
        }}
      >
        <input
          ref={field}
          aria-label="Note on this moment"
          className="input input-sm min-w-0 flex-1 border-rule"
          placeholder={`Note on ${render ? titleOf(render) : "the difference"}`}
          value={text}
          onFocus={begin}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Escape" && event.currentTarget.blur()}
        />
        <span className="figure w-18 text-[12px] text-soft">{at !== null && clock(at / pair.dry.sampleRateHz)}</span>
        <button type="submit" className="btn btn-sm border-rule bg-base-100">
          Pin <kbd className="kbd kbd-xs">N</kbd>
        </button>
      </form>
      <fieldset className="flex flex-wrap gap-1">
        <legend className="sr-only">{LABELS.words}</legend>
        {known.slice(0, OFFERED_WORDS).map((word) => (
          <button
            key={word}
            type="button"
            aria-pressed={words.includes(word)}
            className={`btn btn-xs h-6 border-rule px-1.5 text-[11px] ${words.includes(word) ? "btn-primary" : "bg-transparent"}`}
            onClick={() => {
              begin();
              setWords((now) => (now.includes(word) ? now.filter((w) => w !== word) : [...now, word]));
            }}
          >
            {word}
          </button>
        ))}
      </fieldset>
      {moments.length === 0 ? (
        <p className="text-soft">{LABELS.noNotesOnThisPassageYet}</p>
      ) : (
        <ul className="max-h-36 divide-y divide-faint overflow-auto border-rule border-y">
          {moments.map((moment) => (
            <li key={moment.id} className="flex items-center gap-2 py-0.5" data-testid="moment">
              <button
                type="button"
                className="flex min-w-0 flex-1 cursor-pointer items-baseline gap-2 text-left hover:underline"
                title={LABELS.playThisMoment}
                onClick={() => goTo(moment)}
              >
                <span className="figure text-[12px] text-soft">{clock(moment.frame / pair.dry.sampleRateHz)}</span>
                <span className="shrink-0 font-medium">{nameOf(moment)}</span>
                <span className="truncate">{[moment.words.join(", "), moment.text].filter(Boolean).join(": ")}</span>
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs btn-square"
                aria-label={`Delete the note at ${clock(moment.frame / pair.dry.sampleRateHz)}`}
                onClick={() => void removeMoment(moment.id)}
              >
                <Trash2 size={13} />
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
