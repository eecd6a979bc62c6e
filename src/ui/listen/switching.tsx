"use client";

import { useStore } from "zustand";
import { endTurns, LONGEST_CROSSFADE_MS, player, setPreference, takeTurns, useMonitor } from "@/ui/shell/monitor";
import { placesOf, sceneOfRender } from "@/ui/shell/places";
import { Choice } from "@/ui/shell/transport";
import type { Pair } from "@/ui/shell/workbench";

const GAPS = [0, 0.25, 0.5, 1, 2] as const;
const PREROLLS = [0, 0.5, 1, 2, 3] as const;
const EVERY = ["pass", 2, 4, 8, 15, 30] as const;
const QUICK = "select select-xs h-7 w-auto border-rule bg-base-100";

/** How a switch is made, and switching that goes by itself. */
export function Switching({ pair }: { pair: Pair }) {
  const monitor = useMonitor();
  const turn = useStore(player.state, (s) => s.turn);
  const ready = useStore(player.state, (s) => s.ready);
  const places = placesOf(pair);
  const hasLoop = pair.passage.loop !== null;
  const all = pair.renders.map((r) => sceneOfRender(pair, r.id));
  const scenes = monitor.over === "pair" ? ["here", "yonder"] : all;
  const dry = sceneOfRender(pair, pair.dry.id);
  const round = [dry, ...all.filter((scene) => scene !== dry), dry];
  return (
    <section aria-label="Switching" className="grid content-start gap-1.5 text-[13px]">
      <h2 className="font-display font-semibold text-[14px]">Switching</h2>
      <label className="flex items-center gap-2">
        <span className="text-soft">Crossfade</span>
        <input
          type="range"
          min={0}
          max={LONGEST_CROSSFADE_MS}
          step={1}
          value={monitor.crossfadeMs}
          aria-label="Crossfade"
          className="w-28"
          style={{ accentColor: "var(--color-base-content)" }}
          onChange={(event) => setPreference({ crossfadeMs: Number(event.target.value) })}
        />
        <span className="figure">{monitor.crossfadeMs} ms</span>
      </label>
      <div className="flex gap-x-3">
        <label className="flex items-center gap-1.5">
          <span className="text-soft">Silence</span>
          <select
            aria-label="Silence before a switch"
            className={QUICK}
            value={monitor.gapSeconds}
            onChange={(event) => setPreference({ gapSeconds: Number(event.target.value) })}
          >
            {GAPS.map((s) => (
              <option key={s} value={s}>
                {s === 0 ? "none" : `${s} s`}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          <span className="text-soft">Pre-roll</span>
          <select
            aria-label="Pre-roll"
            className={QUICK}
            value={monitor.prerollSeconds}
            onChange={(event) => setPreference({ prerollSeconds: Number(event.target.value) })}
          >
            {PREROLLS.map((s) => (
              <option key={s} value={s}>
                {s === 0 ? "none" : `${s} s`}
              </option>
            ))}
          </select>
        </label>
      </div>
      <div className="flex items-center gap-2">
        <span className="text-soft">By itself</span>
        <select
          aria-label="Switch by itself"
          className={QUICK}
          value={monitor.every}
          onChange={(event) =>
            setPreference({ every: event.target.value === "pass" ? "pass" : Number(event.target.value) })
          }
        >
          {EVERY.map((every) => (
            <option key={every} value={every}>
              {every === "pass" ? "each pass" : `every ${every} s`}
            </option>
          ))}
        </select>
        <Choice
          label="Turns"
          value={monitor.over}
          onChange={(over) => setPreference({ over })}
          options={[
            { value: "pair", title: "the pair" },
            { value: "all", title: "all" },
          ]}
        />
      </div>
      <div className="flex gap-2">
        {turn === null ? (
          <>
            <button
              type="button"
              className="btn btn-sm border-rule bg-base-100"
              disabled={!ready}
              onClick={() => takeTurns(scenes, true, places, hasLoop)}
            >
              Hands free
            </button>
            <button
              type="button"
              className="btn btn-sm border-rule bg-base-100"
              disabled={!ready}
              title="Dry, each of the others, and dry again, a pass of the loop each"
              onClick={() => takeTurns(round, false, places, hasLoop)}
            >
              Rehearse the round
            </button>
          </>
        ) : (
          <button type="button" className="btn btn-sm btn-primary" onClick={endTurns}>
            Stop switching
          </button>
        )}
      </div>
    </section>
  );
}
