"use client";

import { Volume2 } from "lucide-react";
import { useHotkeys } from "react-hotkeys-hook";
import { METHOD_UNITS } from "@/core/matching/match-passage";
import { alignmentWords } from "@/core/words/alignment";
import { decibels, signed, withUnit } from "@/core/words/units";
import { setSide } from "@/store/comparisons";
import type { Render } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { hear, useMonitor } from "@/ui/shell/monitor";
import { placesOf, sceneOfRender } from "@/ui/shell/places";
import { useAlignment, useMatch } from "@/ui/shell/use-results";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";

/** Keys of the pads, in their order. */
const PAD_KEYS = ["1", "2", "3", "4", "5", "6", "7", "8", "9", "0"] as const;

/** Every render of the passage as something to press: by its key, by pointer; with Shift it becomes Yonder. */
export function Pads({ pair }: { pair: Pair }) {
  const places = placesOf(pair);
  const hearRender = (render: Render) => hear(sceneOfRender(pair, render.id), places);
  const makeYonder = (render: Render) => {
    if (render.id === pair.here.id) return;
    void setSide(pair.passage, "yonder", render.id);
    hear("yonder", places);
  };
  useHotkeys(
    PAD_KEYS.join(","),
    (event) => {
      const render = pair.renders[PAD_KEYS.indexOf(event.key as (typeof PAD_KEYS)[number])];
      if (render) hearRender(render);
    },
    [pair],
  );
  // By where the key lies: with Shift it writes something else on every keyboard.
  useHotkeys(
    PAD_KEYS.map((key) => `shift+${key}`).join(","),
    (event) => {
      const render = pair.renders[PAD_KEYS.indexOf(event.code.replace("Digit", "") as (typeof PAD_KEYS)[number])];
      if (render) makeYonder(render);
    },
    [pair],
  );
  return (
    <ul
      className="grid shrink-0 grid-cols-[repeat(auto-fill,minmax(14.75rem,1fr))] gap-2"
      aria-label="Renders of this passage"
    >
      {pair.renders.map((render, i) => (
        <Pad
          key={render.id}
          pair={pair}
          render={render}
          padKey={PAD_KEYS[i] ?? null}
          onHear={() => hearRender(render)}
          onYonder={() => makeYonder(render)}
        />
      ))}
    </ul>
  );
}

function Pad(props: { pair: Pair; render: Render; padKey: string | null; onHear: () => void; onYonder: () => void }) {
  const { pair, render, padKey, onHear, onYonder } = props;
  const { titleOf } = useWorkbench();
  const { match } = useMatch(pair);
  const alignment = useAlignment(render, pair.dry);
  const heard = useMonitor((m) => m.heard);
  const isHeard = heard === sceneOfRender(pair, render.id);
  const { gainDb, levelOffset } = match?.renders.get(render.id) ?? {};
  const unit = match ? METHOD_UNITS[match.method].difference : "LU";
  const lost = alignment?.found === false;
  const title = titleOf(render);
  return (
    <li
      data-pad={title}
      className={`relative rounded-lg border ${isHeard ? "border-base-content bg-primary text-primary-content" : "border-rule bg-base-100"}`}
    >
      <button
        type="button"
        aria-pressed={isHeard}
        onClick={onHear}
        title={`${decibels(render.levels.integratedLufs, "LUFS")} original level; ${lost ? "not aligned" : alignmentWords(alignment).words}`}
        className="grid h-12 w-full cursor-pointer grid-cols-[auto_1fr] items-center gap-x-2.5 px-2.5 text-left"
      >
        <kbd className={`kbd kbd-sm row-span-2 ${isHeard ? "border-current/40" : ""} ${padKey ? "" : "invisible"}`}>
          {padKey}
        </kbd>
        <span className="flex min-w-0 items-center gap-1.5 self-end font-medium text-[13px]">
          {isHeard && <Volume2 size={14} className="shrink-0" aria-label="playing" />}
          <span className="max-w-[calc(100%-4.5rem)] truncate">{title}</span>
        </span>
        <span className={`figure truncate self-start text-[11px] ${isHeard ? "opacity-80" : "text-soft"}`}>
          {lost
            ? "not aligned"
            : `${withUnit(signed(levelOffset), unit)} re dry, match ${withUnit(signed(gainDb, 2), "dB")}`}
        </span>
      </button>
      <div className="absolute top-0.5 right-1 flex gap-1">
        {render.id === pair.here.id && (
          <span className="rounded bg-here px-1.5 py-0.5 font-semibold text-[11px] text-here-ink">{LABELS.here}</span>
        )}
        {render.id === pair.yonder.id && (
          <span className="rounded bg-yonder px-1.5 py-0.5 font-semibold text-[11px] text-yonder-ink">
            {LABELS.yonder}
          </span>
        )}
        {render.id !== pair.here.id && render.id !== pair.yonder.id && (
          <button
            type="button"
            title={`Make ${title} Yonder${padKey ? ` (Shift ${padKey})` : ""}`}
            aria-label={`Make ${title} Yonder`}
            className={`btn btn-ghost btn-xs h-6 min-h-0 px-1 text-[11px] ${isHeard ? "" : "text-soft"}`}
            onClick={onYonder}
          >
            → Yonder
          </button>
        )}
      </div>
    </li>
  );
}
