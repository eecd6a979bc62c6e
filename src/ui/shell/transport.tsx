"use client";

import { Pause, Play, Repeat } from "lucide-react";
import { type ReactNode, useCallback, useRef } from "react";
import { useStore } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { clock, signed, withUnit } from "@/core/words/units";
import { LENSES } from "@/playback/lens";
import { BOOST_STEPS_DB } from "@/playback/monitor-gains";
import { setLoop } from "@/store/comparisons";
import { useEachFrame } from "@/ui/charts/each-frame";
import { MirroredWaveform } from "@/ui/charts/mirrored-waveform";
import { LABELS } from "@/ui/labels";
import { hear, player, setBoost, setLoopOn, setMatched, setPreference, setView, useMonitor } from "./monitor";
import { placesOf } from "./places";
import { useStrip } from "./strip";
import { boostInForce, useOverviews } from "./use-monitor-feed";
import { useMatch, useResults } from "./use-results";
import { useWorkbench } from "./workbench";

const LENS_NAMES = { stereo: "Stereo", mid: "Mid", side: "Side", left: "L", right: "R", mono: "Mono" } as const;
const LENS_HINTS = {
  stereo: "Both channels",
  mid: "Mid on both channels",
  side: "Side on both channels",
  left: "Left on both channels",
  right: "Right on both channels",
  mono: "Mono sum",
} as const;

/** One row of choices of which one holds. */
export function Choice<Value extends string>(props: {
  label: string;
  options: readonly { value: Value; title: ReactNode; hint?: string }[];
  value: Value;
  onChange: (value: Value) => void;
}) {
  return (
    <fieldset className="join" aria-label={props.label}>
      {props.options.map(({ value, title, hint }) => (
        <button
          key={value}
          type="button"
          aria-pressed={value === props.value}
          title={hint}
          className={`btn btn-xs join-item h-7 border-rule px-2.5 text-[12px] ${value === props.value ? "btn-primary" : "bg-transparent"}`}
          onClick={() => props.onChange(value)}
        >
          {title}
        </button>
      ))}
    </fieldset>
  );
}

export function Transport() {
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  const overviews = useOverviews(pair);
  const monitor = useMonitor();
  const strip = useStrip((s) => s.strip);
  const { ready, playing, overCeiling, missedFrames } = useStore(
    player.state,
    useShallow(({ ready, playing, overCeiling, missedFrames }) => ({ ready, playing, overCeiling, missedFrames })),
  );
  if (!pair) return null;
  const gainOf = (id: string) => (monitor.matched ? amplitudeFromDb(match?.renders.get(id)?.gainDb ?? 0) : 1);
  const places = placesOf(pair);
  return (
    <section
      aria-label="Transport"
      data-missed-frames={missedFrames}
      className="grid h-[clamp(8rem,15vh,13rem)] shrink-0 grid-cols-[11rem_1fr_16.25rem] items-center gap-4 border-rule border-t bg-base-100 px-5"
    >
      <div className="grid gap-2.5">
        <div className="flex gap-2">
          <button
            type="button"
            className="btn btn-primary btn-sm flex-1"
            disabled={!ready}
            onClick={() => player.togglePlay()}
          >
            {playing ? <Pause size={14} /> : <Play size={14} />}
            {playing ? "Pause" : "Play"}
            <kbd className="kbd kbd-xs border-current/40">Space</kbd>
          </button>
          <button
            type="button"
            aria-pressed={monitor.loopOn}
            aria-label={LABELS.loop}
            title="Loop the marked part (L)"
            className={`btn btn-sm btn-square border-rule ${monitor.loopOn ? "btn-primary" : "bg-transparent"}`}
            onClick={() => setLoopOn(!monitor.loopOn)}
          >
            <Repeat size={15} />
          </button>
        </div>
        <Choice
          label="At a switch"
          value={monitor.onSwitch}
          onChange={(onSwitch) => setPreference({ onSwitch })}
          options={[
            { value: "carry on", title: LABELS.on, hint: "At a switch, continue from the same place" },
            { value: "back to mark", title: LABELS.toMark, hint: "At a switch, go back to the mark (W sets it)" },
            { value: "loop start", title: LABELS.toLoop, hint: "At a switch, go back to the start of the loop" },
          ]}
        />
        <PositionReadout sampleRateHz={pair.dry.sampleRateHz} frames={pair.dry.frames} />
      </div>
      <div className="h-full min-w-0 py-2">
        <MirroredWaveform
          here={overviews.here}
          yonder={overviews.yonder}
          gains={{ here: gainOf(pair.here.id), yonder: gainOf(pair.yonder.id) }}
          heard={monitor.heard}
          frames={pair.dry.frames}
          sampleRateHz={pair.dry.sampleRateHz}
          loop={pair.passage.loop}
          markFrame={pair.passage.markFrame ?? null}
          loopOn={monitor.loopOn}
          playhead={player}
          strip={strip}
          onSeek={(frame) => player.seek(frame)}
          onLoop={(loop) => void setLoop(pair.passage.id, loop)}
        />
      </div>
      <div className="grid justify-items-end gap-2.5">
        <Choice
          label="Lens"
          value={monitor.view.lens}
          onChange={(lens) => setView({ lens })}
          options={LENSES.map((value) => ({ value, title: LENS_NAMES[value], hint: LENS_HINTS[value] }))}
        />
        <div className="flex items-center gap-2">
          <button
            type="button"
            aria-pressed={monitor.heard === "difference"}
            className={`btn btn-sm h-7 border-difference px-2.5 text-[12px] ${monitor.heard === "difference" ? "bg-difference text-base-100" : "bg-transparent text-difference"}`}
            onClick={() => hear(monitor.heard === "difference" ? "here" : "difference", places)}
          >
            {LABELS.difference}
            <kbd className="kbd kbd-xs border-current/40">D</kbd>
          </button>
          <Boost />
        </div>
        <div className="flex items-center gap-2">
          {missedFrames > 0 && (
            <span
              className="whitespace-nowrap text-[11px] text-warning"
              title="Audio was not read in time and played as silence"
            >
              Dropped out
            </span>
          )}
          <span
            role="status"
            className={`whitespace-nowrap text-[11px] ${overCeiling ? "font-semibold text-error" : "text-soft"}`}
            title="Playback is limited to 0 dBFS; clipping is shown here."
          >
            {overCeiling ? "Output clipped" : "Output ≤ 0 dBFS"}
          </span>
          <Choice
            label="Level"
            value={monitor.matched ? "matched" : "delivered"}
            onChange={(value) => setMatched(value === "matched")}
            options={[
              { value: "matched", title: "Matched", hint: "Level-matched (M)" },
              { value: "delivered", title: LABELS.originalLevel, hint: "Aligned, without match gain (M)" },
            ]}
          />
        </div>
      </div>
    </section>
  );
}

function Boost() {
  const results = useResults();
  const monitor = useMonitor();
  const { boostDb } = monitor;
  const inForce = boostInForce(results, monitor);
  const held = results.figures !== null && inForce < boostDb;
  return (
    <label className="figure flex items-center gap-1 text-[12px] text-soft">
      <select
        aria-label={LABELS.boostOfTheDifference}
        className="select select-xs h-7 w-20 border-rule bg-transparent"
        value={boostDb}
        onChange={(event) => setBoost(Number(event.target.value))}
      >
        {BOOST_STEPS_DB.map((db) => (
          <option key={db} value={db}>
            {withUnit(signed(db, 0), "dB")}
          </option>
        ))}
      </select>
      {held && (
        <span className="text-warning" title="Limited so that the difference is never louder than Here">
          {signed(inForce, 0)}
        </span>
      )}
    </label>
  );
}

function PositionReadout({ sampleRateHz, frames }: { sampleRateHz: number; frames: number }) {
  const text = useRef<HTMLSpanElement>(null);
  const draw = useCallback(() => {
    const words = clock(player.positionFrames() / sampleRateHz);
    if (text.current && text.current.textContent !== words) text.current.textContent = words;
  }, [sampleRateHz]);
  useEachFrame(player, draw);
  return (
    <div className="figure flex justify-between text-[11px] text-soft">
      <span ref={text} data-testid="position" />
      <span>{clock(frames / sampleRateHz)}</span>
    </div>
  );
}
