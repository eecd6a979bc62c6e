"use client";

import { useStore } from "zustand";
import { withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { QuickSelect, Slider } from "@/ui/shell/controls";
import { endTurns, LONGEST_CROSSFADE_MS, player, setPreference, takeTurns, useMonitor } from "@/ui/shell/monitor";
import { placesOf, sceneOfRender } from "@/ui/shell/places";
import { Choice } from "@/ui/shell/transport";
import type { Pair } from "@/ui/shell/workbench";

const GAPS = [0, 0.25, 0.5, 1, 2] as const;
const PREROLLS = [0, 0.5, 1, 2, 3] as const;
const EVERY = ["pass", 2, 4, 8, 15, 30] as const;

const secondsOption = (seconds: number) => ({ value: seconds, title: seconds === 0 ? "none" : `${seconds} s` });

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
      <Slider
        label="Crossfade"
        title="Crossfade"
        min={0}
        max={LONGEST_CROSSFADE_MS}
        step={1}
        value={monitor.crossfadeMs}
        shown={withUnit(String(monitor.crossfadeMs), "ms")}
        onChange={(crossfadeMs) => setPreference({ crossfadeMs })}
      />
      <div className="flex gap-x-3">
        <QuickSelect
          label={LABELS.silenceBeforeASwitch}
          title="Silence"
          value={monitor.gapSeconds}
          onChange={(gapSeconds) => setPreference({ gapSeconds })}
          options={GAPS.map(secondsOption)}
        />
        <QuickSelect
          label={LABELS.preRoll}
          title={LABELS.preRoll}
          value={monitor.prerollSeconds}
          onChange={(prerollSeconds) => setPreference({ prerollSeconds })}
          options={PREROLLS.map(secondsOption)}
        />
      </div>
      <div className="flex items-center gap-2">
        <QuickSelect
          label="Auto-switch"
          title="Auto-switch"
          value={monitor.every}
          onChange={(every) => setPreference({ every })}
          options={EVERY.map((every) => ({
            value: every,
            title: every === "pass" ? "every pass" : `every ${every} s`,
          }))}
        />
        <Choice
          label="Between"
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
              {LABELS.start}
            </button>
            <button
              type="button"
              className="btn btn-sm border-rule bg-base-100"
              disabled={!ready}
              title="Dry, each render, then dry again: one loop pass each"
              onClick={() => takeTurns(round, false, places, hasLoop)}
            >
              {LABELS.playEachInTurn}
            </button>
          </>
        ) : (
          <button type="button" className="btn btn-sm btn-primary" onClick={endTurns}>
            Stop
          </button>
        )}
      </div>
    </section>
  );
}
