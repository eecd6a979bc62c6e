"use client";

import { type PointerEvent, useCallback, useMemo, useRef, useState } from "react";
import { LIKELY } from "@/core/audibility/detection";
import type { Overview } from "@/core/audio/overview";
import { clock } from "@/core/words/units";
import type { Region } from "@/store/records";
import { type Playhead, useEachFrame } from "./each-frame";
import { magnitudePath, magnitudes } from "./waveform-path";

const WIDTH = 1200;
const HEIGHT = 96;
const MIDDLE = HEIGHT / 2;
/** A press that moves less than this is a seek, not a loop. */
const DRAG_PIXELS = 4;
const SHORTEST_LOOP_SECONDS = 0.05;

/** Values over the mask in dB, step by step from a time on. */
export type Strip = { startSeconds: number; stepSeconds: number; probability: Float32Array };

type Props = {
  here: Overview | null;
  yonder: Overview | null;
  /** Linear gains the two are drawn with, as they are heard. */
  gains: { here: number; yonder: number };
  /** "here", "yonder", or something else. */
  heard: string;
  frames: number;
  sampleRateHz: number;
  loop: Region | null;
  /** Where a switch may go back to, where that was set. */
  markFrame?: number | null;
  loopOn: boolean;
  playhead: Playhead;
  /** Where the difference stands out, by estimate: drawn along the foot. */
  strip?: Strip | null;
  onSeek: (frame: number) => void;
  onLoop: (loop: Region | null) => void;
};

/** Here above the line, Yonder below; press to seek, drag to loop, double click to take the loop away. */
export function MirroredWaveform(props: Props) {
  const { here, yonder, gains, heard, frames, sampleRateHz, loop, loopOn, onSeek, onLoop } = props;
  const box = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<{ fromX: number; toX: number } | null>(null);
  const paths = useMemo(() => {
    if (!here || !yonder) return null;
    const above = magnitudes(here).map((v) => v * gains.here);
    const below = magnitudes(yonder).map((v) => v * gains.yonder);
    const loudest = Math.max(1e-6, ...above, ...below);
    return {
      here: magnitudePath(above, WIDTH, MIDDLE, 2, loudest),
      yonder: magnitudePath(below, WIDTH, MIDDLE, HEIGHT - 2, loudest),
    };
  }, [here, yonder, gains.here, gains.yonder]);

  const frameAt = (clientX: number): number => {
    const bounds = box.current?.getBoundingClientRect();
    if (!bounds) return 0;
    return Math.round(Math.max(0, Math.min(1, (clientX - bounds.left) / bounds.width)) * frames);
  };
  const dragged =
    drag && Math.abs(drag.toX - drag.fromX) >= DRAG_PIXELS ? regionOf(frameAt(drag.fromX), frameAt(drag.toX)) : null;
  const shown = dragged ?? loop;

  const finish = (event: PointerEvent) => {
    if (!drag) return;
    setDrag(null);
    const region = regionOf(frameAt(drag.fromX), frameAt(event.clientX));
    const moved = Math.abs(event.clientX - drag.fromX) >= DRAG_PIXELS;
    if (!moved) onSeek(frameAt(event.clientX));
    else if (region.endFrame - region.startFrame >= SHORTEST_LOOP_SECONDS * sampleRateHz) onLoop(region);
  };

  return (
    <div className="relative h-full select-none pb-4">
      {/* biome-ignore lint/a11y/noStaticElementInteractions: for the pointer; the keys I, O, Home and Shift with the arrows do the same */}
      <div
        ref={box}
        data-testid="waveform"
        className="relative h-full cursor-text touch-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ fromX: event.clientX, toX: event.clientX });
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, toX: event.clientX })}
        onPointerUp={finish}
        onPointerCancel={() => setDrag(null)}
        onDoubleClick={() => onLoop(null)}
      >
        {shown && <LoopMark region={shown} frames={frames} active={loopOn || dragged !== null} />}
        <svg
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full"
          aria-hidden="true"
        >
          {paths && (
            <>
              <path d={paths.here} fill="var(--here)" opacity={heard === "yonder" ? 0.4 : 0.9} />
              <path d={paths.yonder} fill="var(--yonder)" opacity={heard === "here" ? 0.4 : 0.9} />
            </>
          )}
          <line
            x1={0}
            x2={WIDTH}
            y1={MIDDLE}
            y2={MIDDLE}
            stroke="var(--color-base-content)"
            strokeWidth={1.5}
            vectorEffect="non-scaling-stroke"
          />
        </svg>
        {typeof props.markFrame === "number" && (
          <span
            data-testid="mark"
            className="pointer-events-none absolute -top-1.5 h-2.5 w-0 -translate-x-1/2 border-x-[5px] border-x-transparent border-t-[8px] border-t-base-content"
            style={{ left: percent(props.markFrame, frames) }}
          />
        )}
        {props.strip && <MaskStrip strip={props.strip} seconds={frames / sampleRateHz} />}
        <PlayheadMark {...props} />
      </div>
      {shown && <LoopTimes region={shown} frames={frames} sampleRateHz={sampleRateHz} />}
    </div>
  );
}

const regionOf = (a: number, b: number): Region => ({ startFrame: Math.min(a, b), endFrame: Math.max(a, b) });

const percent = (frame: number, frames: number): string => `${(100 * frame) / Math.max(1, frames)}%`;

function LoopMark({ region, frames, active }: { region: Region; frames: number; active: boolean }) {
  const corner = "absolute h-1.5 w-1.5 border-base-content";
  return (
    <div
      data-testid="loop"
      className={`absolute inset-y-0 ${active ? "bg-base-content/10" : "bg-base-content/[0.03]"}`}
      style={{ left: percent(region.startFrame, frames), width: percent(region.endFrame - region.startFrame, frames) }}
    >
      <span className={`${corner} top-0 left-0 border-t-2 border-l-2`} />
      <span className={`${corner} top-0 right-0 border-t-2 border-r-2`} />
      <span className={`${corner} bottom-0 left-0 border-b-2 border-l-2`} />
      <span className={`${corner} right-0 bottom-0 border-r-2 border-b-2`} />
    </div>
  );
}

function LoopTimes({ region, frames, sampleRateHz }: { region: Region; frames: number; sampleRateHz: number }) {
  return (
    <div className="figure absolute inset-x-0 bottom-0 h-4 text-[11px] text-soft leading-4">
      <span
        className="absolute whitespace-nowrap"
        style={{ left: `min(${percent(region.startFrame, frames)}, calc(100% - 11rem))` }}
      >
        {clock(region.startFrame / sampleRateHz)} to {clock(region.endFrame / sampleRateHz)}
      </span>
    </div>
  );
}

const STRIP_COLUMNS = 600;

/** Columns of the chance that the difference is heard: taller is likelier, and what is unlikely stays low and faint. */
function MaskStrip({ strip, seconds }: { strip: Strip; seconds: number }) {
  const columns = useMemo(() => {
    const { startSeconds, stepSeconds, probability } = strip;
    const highest = new Map<number, number>();
    for (const [i, chance] of probability.entries()) {
      const column = Math.floor(((startSeconds + (i + 0.5) * stepSeconds) / seconds) * STRIP_COLUMNS);
      highest.set(column, Math.max(highest.get(column) ?? 0, chance));
    }
    const width = Math.max(1, (stepSeconds / seconds) * STRIP_COLUMNS);
    return [...highest].map(([x, chance]) => ({
      x,
      width,
      isOver: chance >= LIKELY,
      height: chance,
    }));
  }, [strip, seconds]);
  return (
    <svg
      viewBox={`0 0 ${STRIP_COLUMNS} 1`}
      preserveAspectRatio="none"
      className="pointer-events-none absolute inset-x-0 bottom-0 h-3 w-full"
      role="img"
      aria-label="Where the difference is audible, by estimate"
    >
      <title>Where the difference is audible, by estimate</title>
      {columns.map(({ x, width, height, isOver }) => (
        <rect
          key={x}
          x={x}
          y={1 - height}
          width={width}
          height={height}
          fill="var(--difference)"
          opacity={isOver ? 0.9 : 0.35}
        />
      ))}
    </svg>
  );
}

/** Moved outside React: sixty times a second. */
function PlayheadMark({ frames, sampleRateHz, playhead }: Props) {
  const line = useRef<HTMLDivElement>(null);
  const draw = useCallback(() => {
    const position = String(Math.round(playhead.positionFrames()));
    // What stands still is not drawn again.
    if (!line.current || line.current.dataset.frame === position) return;
    line.current.style.left = percent(Number(position), frames);
    line.current.dataset.frame = position;
  }, [frames, playhead]);
  useEachFrame(playhead, draw);
  return (
    <div
      ref={line}
      data-testid="playhead"
      data-rate={sampleRateHz}
      className="pointer-events-none absolute inset-y-0 w-px bg-base-content"
    >
      <span className="absolute top-1/2 left-1/2 size-2 -translate-x-1/2 -translate-y-1/2 rounded-full bg-base-content" />
    </div>
  );
}
