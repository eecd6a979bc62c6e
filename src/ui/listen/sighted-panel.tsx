"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { useState } from "react";
import { number, shortClock, withUnit } from "@/core/words/units";
import { keepSightedVerdict, sightedVerdictsOf } from "@/store/moments";
import type { SightedVerdict } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { Slider } from "@/ui/shell/controls";
import { forgetHeard, useHeardSince } from "@/ui/shell/listening-log";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";

const NONE = "none";
const NOTHING_HEARD: SightedVerdict["heard"] = [];

/** A verdict given with open eyes, kept with what was heard before it, to be held against the blind one. */
export function SightedPanel({ pair }: { pair: Pair }) {
  const { titleOf, comparison } = useWorkbench();
  const passageId = pair.passage.id;
  const heard = useHeardSince((s) => s.byPassage[passageId] ?? NOTHING_HEARD);
  const verdicts = useLiveQuery(() => sightedVerdictsOf(passageId), [passageId]) ?? [];
  const [choice, setChoice] = useState(NONE);
  const [sure, setSure] = useState(60);
  const [why, setWhy] = useState("");
  const nameOf = (id: string | null): string => {
    if (id === null) return "no preference";
    const render = pair.renders.find((r) => r.id === id);
    return render ? titleOf(render) : "a deleted render";
  };
  const keep = async () => {
    await keepSightedVerdict({
      comparisonId: comparison.id,
      passageId,
      renderId: choice === NONE ? null : choice,
      sure,
      why: why.trim(),
      heard,
    });
    forgetHeard(passageId);
    setWhy("");
  };
  return (
    <section aria-label={LABELS.sightedVerdict} className="grid content-start gap-1.5 text-[13px]">
      <div className="flex items-center gap-2">
        <select
          aria-label={LABELS.whichDoYouPrefer}
          className="select select-sm w-44 border-rule bg-base-100"
          value={choice}
          onChange={(event) => setChoice(event.target.value)}
        >
          <option value={NONE}>No preference</option>
          {pair.renders.map((render) => (
            <option key={render.id} value={render.id}>
              {titleOf(render)}
            </option>
          ))}
        </select>
        <Slider
          label={LABELS.confidence}
          min={0}
          max={100}
          step={5}
          value={sure}
          shown={withUnit(number(sure, 0), "% sure")}
          onChange={setSure}
        />
      </div>
      <div className="flex gap-2">
        <input
          aria-label={LABELS.why}
          placeholder={LABELS.why}
          className="input input-sm min-w-0 flex-1 border-rule"
          value={why}
          onChange={(event) => setWhy(event.target.value)}
        />
        <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => void keep()}>
          {LABELS.saveVerdict}
        </button>
      </div>
      <p className="text-[12px] text-soft">
        {heard.length > 0 ? `Heard: ${heardText(heard, nameOf)}.` : "Nothing heard yet."} Sighted, louder tends to win:
        confirm with a blind run.
      </p>
      {verdicts.length > 0 && (
        <ul className="max-h-28 divide-y divide-faint overflow-auto border-rule border-y">
          {verdicts.map((verdict) => (
            <li key={verdict.id} className="py-0.5" data-testid="sighted-verdict">
              <span className="figure text-[12px] text-soft">
                {format(new Date(verdict.createdAt), "d MMM, HH:mm")}
              </span>{" "}
              <span className="font-medium">{nameOf(verdict.renderId)}</span>,{" "}
              {withUnit(number(verdict.sure, 0), "% sure")}
              {verdict.why && `: ${verdict.why}`}
              <span className="text-soft">
                {verdict.heard.length > 0 && ` (heard ${heardText(verdict.heard, nameOf)})`}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

const heardText = (heard: SightedVerdict["heard"], nameOf: (id: string) => string): string =>
  heard
    .map(
      ({ renderId, seconds, matched }) =>
        `${nameOf(renderId)} ${shortClock(seconds)}${matched ? "" : " at original level"}`,
    )
    .join(", ");
