"use client";

import { MATCH_METHODS, type MatchMethod, type MatchSettings, METHOD_UNITS } from "@/core/matching/match-passage";
import { METHOD_NAMES } from "@/core/words/level";
import { setMatch, setMatchEverywhere } from "@/store/comparisons";
import { LABELS } from "@/ui/labels";
import { Choice } from "@/ui/shell/transport";
import { useMatch } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";
import { NumberField } from "./number-field";

/** A figure to begin with where one is asked for: quiet enough for anything (common practice, no published source). */
const FIRST_FIGURE = -18;

/** How the passage is matched: by what, over what, to what, under which ceiling. */
export function MatchForm() {
  const { comparison, pair, passages } = useWorkbench();
  const { match } = useMatch(pair);
  if (!pair) return null;
  const { passage } = pair;
  const { method, over, target, ceilingDbtp } = passage.match;
  const set = (change: Partial<MatchSettings>) => void setMatch(passage.id, change);
  const setTarget = (to: MatchSettings["target"]["to"]) =>
    set({ target: to === "figure" ? { to, level: Math.round(match?.targetLevel ?? FIRST_FIGURE) } : { to } });
  const alike = passages.every((p) => JSON.stringify(p.match) === JSON.stringify(passage.match));
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5 text-[13px] text-soft">
      <label className="flex items-center gap-2">
        By
        <select
          aria-label={LABELS.matchBy}
          className="select select-xs h-7 w-40 border-rule bg-transparent text-[12px] text-base-content"
          value={method}
          onChange={(event) => set({ method: event.target.value as MatchMethod })}
        >
          {MATCH_METHODS.map((m) => (
            <option key={m} value={m}>
              {METHOD_NAMES[m]}
            </option>
          ))}
        </select>
      </label>
      <span className="flex items-center gap-2">
        Over
        <Choice
          label={LABELS.matchOver}
          value={over}
          onChange={(value) => set({ over: value })}
          options={[
            { value: "passage", title: LABELS.passage, hint: "The whole passage" },
            { value: "loop", title: LABELS.loop, hint: "The marked loop, also when it moves" },
          ]}
        />
      </span>
      <span className="flex items-center gap-2">
        To
        <Choice
          label={LABELS.matchTo}
          value={target.to}
          onChange={setTarget}
          options={[
            { value: "dry", title: LABELS.dry },
            { value: "quietest", title: LABELS.quietest },
            { value: "figure", title: LABELS.figure },
          ]}
        />
        {target.to === "figure" && (
          <>
            <NumberField
              label={LABELS.levelToMatchTo}
              value={target.level}
              decimals={2}
              least={-70}
              most={0}
              className="w-20"
              onChange={(level) => set({ target: { to: "figure", level } })}
            />
            {METHOD_UNITS[method].level}
          </>
        )}
      </span>
      <span className="flex items-center gap-2">
        Peak limit
        <NumberField
          label={LABELS.truePeakLimit}
          value={ceilingDbtp}
          decimals={2}
          least={-20}
          most={0}
          className="w-16"
          onChange={(value) => set({ ceilingDbtp: value })}
        />
        dBTP
      </span>
      {passages.length > 1 && (
        <button
          type="button"
          className="btn btn-xs ml-auto h-7 border-rule bg-transparent text-[12px]"
          disabled={alike}
          onClick={() => void setMatchEverywhere(comparison.id, passage.match)}
        >
          {alike ? "All passages use this match" : "Apply to all passages"}
        </button>
      )}
    </div>
  );
}
