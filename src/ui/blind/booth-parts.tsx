"use client";

import { useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useStore } from "zustand";
import type { Answer } from "@/core/blind/answer";
import type { Run } from "@/core/blind/run";
import { clock } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { keyOptions } from "@/ui/shell/shortcuts";
import type { Seat } from "./seats";
import type { BoothPlayer } from "./use-booth-player";

/** What each form shows of a trial. */
export type TrialProps = {
  run: Run;
  booth: BoothPlayer;
  onAnswer: (answer: Answer) => void;
};

const PAD_SIZES = {
  large: "size-42 text-[64px]",
  small: "h-20 min-w-20 px-3 text-[28px]",
  narrow: "h-20 w-14 text-[24px]",
} as const;

/** A seat as something to press. */
export function SeatPad(props: { seat: Seat; booth: BoothPlayer; size?: keyof typeof PAD_SIZES }) {
  const { seat, booth, size = "large" } = props;
  return (
    <button
      type="button"
      aria-label={`Hear ${seat.name}, shortcut ${seat.key.toUpperCase()}`}
      aria-pressed={booth.seat === seat.name}
      disabled={!booth.ready}
      onClick={() => booth.choose(seat.name)}
      className={`relative grid cursor-pointer place-content-center rounded-xl border border-base-content font-display font-semibold ${
        PAD_SIZES[size]
      } ${booth.seat === seat.name ? "bg-primary text-primary-content" : "bg-base-100"}`}
    >
      {/* A word is longer than a number. */}
      <span className={seat.name.length > 2 ? "text-[15px]" : undefined}>{seat.name}</span>
      <span
        className={`figure absolute inset-x-0 text-[12px] opacity-70 ${size === "large" ? "bottom-3" : "bottom-1"}`}
      >
        {seat.key.toUpperCase()}
      </span>
    </button>
  );
}

/** Keys hold while a slider has the focus, and not while a word is being written. */
export const WHILE_GRADING = {
  enableOnFormTags: ["input"] as const,
  ignoreEventWhen: ({ target }: KeyboardEvent) => target instanceof HTMLInputElement && target.type !== "range",
};

/** The keys of the seats and of the transport. */
export function useSeatKeys(booth: BoothPlayer): void {
  const keys = booth.seats.map((s) => s.key);
  useHotkeys(
    keys.join(","),
    (event) => {
      const seat = booth.seats.find((s) => s.key === event.key.toLowerCase());
      if (seat && booth.ready) booth.choose(seat.name);
    },
    { ...WHILE_GRADING, useKey: true },
    [booth],
  );
  useHotkeys("space", (event) => {
    event.preventDefault();
    booth.player.togglePlay();
  });
}

/** What to do before an answer counts. */
export const startHint = ({ ready, player, heard }: BoothPlayer): string | null => {
  if (!ready) return "Loading…";
  return heard.size === 0 && !player.state.getState().playing ? "Space plays; the shortcuts on the pads switch." : null;
};

/** Keeps an answer that was put together, by its button or by Enter; what is still to be done stands under it. */
export function KeepAnswer(props: { title: string; may: boolean; hint: string; onKeep: () => void }) {
  const { title, may, hint, onKeep } = props;
  useHotkeys("enter", () => may && onKeep(), { ...WHILE_GRADING, useKey: true }, [may, onKeep]);
  return (
    <div className="grid justify-items-center gap-2">
      <button type="button" className="btn btn-primary h-10 px-6" disabled={!may} onClick={onKeep}>
        {title} <kbd className="kbd kbd-xs border-current/40">Enter</kbd>
      </button>
      <p className="h-5 text-[13px] text-soft">{hint}</p>
    </div>
  );
}

const SHORTEST_LOOP_SECONDS = 0.3;

/** Where a run that leaves the loop free is heard: the playhead as a time, and its edges set from it. */
export function FreeLoop({ run, booth }: { run: Run; booth: BoothPlayer }) {
  const { player, loop, setLoop } = booth;
  const { sampleRateHz, region } = run;
  const [at, setAt] = useState(loop.startFrame);
  const playing = useStore(player.state, (s) => s.playing);
  useEffect(() => {
    const timer = setInterval(() => setAt(player.positionFrames()), 100);
    return () => clearInterval(timer);
  }, [player]);
  const change = (edge: Partial<typeof loop>) => {
    const next = { ...loop, ...edge };
    if (next.endFrame - next.startFrame >= SHORTEST_LOOP_SECONDS * sampleRateHz) setLoop(next);
  };
  const start = () => change({ startFrame: Math.round(player.positionFrames()) });
  const end = () => change({ endFrame: Math.round(player.positionFrames()) });
  useHotkeys("i", start, keyOptions("i"), [loop]);
  useHotkeys("o", end, keyOptions("o"), [loop]);
  return (
    <div className="figure flex items-center gap-3 text-[13px]">
      <span className="text-soft">
        {LABELS.loop} {clock(loop.startFrame / sampleRateHz)} to {clock(loop.endFrame / sampleRateHz)}, at{" "}
        {clock(at / sampleRateHz)}
      </span>
      <button type="button" className="btn btn-xs border-rule" disabled={!playing} onClick={start}>
        Start here <kbd className="kbd kbd-xs">I</kbd>
      </button>
      <button type="button" className="btn btn-xs border-rule" disabled={!playing} onClick={end}>
        End here <kbd className="kbd kbd-xs">O</kbd>
      </button>
      <button type="button" className="btn btn-xs border-rule" onClick={() => setLoop(region)}>
        {LABELS.wholeStretch}
      </button>
    </div>
  );
}

/** Counts a trial's time down and says when it is up. */
export function TimeLimit({ seconds, running, onUp }: { seconds: number; running: boolean; onUp: () => void }) {
  const [left, setLeft] = useState(seconds);
  useEffect(() => {
    if (!running) return;
    const until = performance.now() + 1000 * seconds;
    const timer = setInterval(() => {
      const now = Math.max(0, (until - performance.now()) / 1000);
      setLeft(now);
      if (now === 0) {
        clearInterval(timer);
        onUp();
      }
    }, 200);
    return () => clearInterval(timer);
  }, [seconds, running, onUp]);
  return <span role="timer">{Math.ceil(left)} s left</span>;
}

export function TrialDots({ planned, answered }: { planned: number; answered: number }) {
  return (
    <div className="flex max-w-[760px] flex-wrap justify-center gap-2" aria-hidden="true" data-testid="dots">
      {Array.from({ length: planned }, (_, i) => (
        <span
          // biome-ignore lint/suspicious/noArrayIndexKey: trials are known by their number alone
          key={i}
          className={`size-[11px] rounded-full border border-soft ${
            i < answered ? "bg-soft" : i === answered ? "border-base-content bg-base-content" : ""
          }`}
        />
      ))}
    </div>
  );
}
