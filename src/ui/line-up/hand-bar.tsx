"use client";

import { Lock, LockOpen, RotateCcw } from "lucide-react";
import { overhang } from "@/core/alignment/aligned";
import { doubtsWords } from "@/core/words/alignment";
import { NO_FIGURE, number, signed, withUnit } from "@/core/words/units";
import { handOf } from "@/store/line-up";
import type { Render } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { useResults } from "@/ui/shell/use-results";
import { handOn, placementIn } from "./hand";
import { NumberField } from "./number-field";

/** The chosen render, and everything that can be set of its placement by hand. */
export function HandBar({ render }: { render: Render }) {
  const workbench = useResults();
  const { pair, alignments, foundAlignments, titleOf } = workbench;
  const alignment = alignments.get(render.id);
  if (!pair || !alignment) return null;
  if (render.id === pair.dry.id) {
    return (
      <Bar title={titleOf(render)}>
        <span className="text-[13px] text-soft">
          The dry render is fixed. Choose another row with ↑ and ↓ or a click.
        </span>
      </Bar>
    );
  }
  const hand = handOf(render, pair.dry);
  const locked = hand?.locked === true;
  const does = handOn(workbench, render);
  const placement = placementIn(workbench, render);
  const found = foundAlignments.get(render.id);
  const button = "btn btn-xs h-7 border-rule bg-transparent px-2 text-[12px]";
  return (
    <Bar title={titleOf(render)}>
      <fieldset className="flex items-center gap-1" aria-label="Delay" disabled={locked}>
        <button type="button" className={button} title="One sample earlier (,)" onClick={() => does.nudge(-1)}>
          ← 1
        </button>
        <button
          type="button"
          className={button}
          title="A hundredth of a sample earlier (Shift ,)"
          onClick={() => does.nudge(-0.01)}
        >
          ← 0.01
        </button>
        <NumberField
          label={LABELS.delayInSamples}
          value={placement.delaySamples}
          decimals={4}
          least={-100_000_000}
          most={100_000_000}
          onChange={(delaySamples) => does.set({ delaySamples })}
        />
        <button
          type="button"
          className={button}
          title="A hundredth of a sample later (Shift .)"
          onClick={() => does.nudge(0.01)}
        >
          0.01 →
        </button>
        <button type="button" className={button} title="One sample later (.)" onClick={() => does.nudge(1)}>
          1 →
        </button>
        <span className="pl-1 text-[12px] text-soft">smp</span>
        <NumberField
          label="Drift in parts per million"
          value={placement.driftPpm ?? 0}
          decimals={3}
          least={-1000}
          most={1000}
          onChange={(driftPpm) => does.set({ driftPpm })}
        />
        <span className="text-[12px] text-soft">ppm</span>
      </fieldset>
      <fieldset className="flex items-center gap-1" aria-label={LABELS.channels} disabled={locked}>
        <Toggle pressed={placement.polarity.left < 0} title="Left inverted" onClick={() => does.flip("left")}>
          Invert L
        </Toggle>
        <Toggle pressed={placement.polarity.right < 0} title="Right inverted" onClick={() => does.flip("right")}>
          Invert R
        </Toggle>
        <button type="button" className={button} title="Invert both channels (F)" onClick={() => does.flip("both")}>
          Invert
        </button>
        <Toggle pressed={placement.swapped} title="Swap left and right (S)" onClick={does.swap}>
          Swap L/R
        </Toggle>
      </fieldset>
      <Toggle pressed={locked} title="Lock this alignment (K)" onClick={does.toggleLock}>
        {locked ? <Lock size={12} /> : <LockOpen size={12} />} {locked ? "Locked" : "Lock"}
      </Toggle>
      <button
        type="button"
        className={button}
        disabled={locked || hand === null}
        title={`Found: ${found?.found ? withUnit(signed(found.delaySamples, 2), "smp") : "not aligned"} (B)`}
        onClick={does.backToFound}
      >
        <RotateCcw size={12} /> {LABELS.resetToFound}
      </button>
      <span className="min-w-0 flex-1 truncate text-right text-[12px] text-soft">
        {!hand && alignment.found && alignment.doubts.length > 0 ? (
          <span className="text-warning" title={doubtsWords(alignment.doubts)}>
            Low confidence: {doubtsWords(alignment.doubts)}
          </span>
        ) : (
          <LengthWords render={render} />
        )}
      </span>
    </Bar>
  );
}

function Bar({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section
      aria-label="By hand"
      className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 rounded-lg border border-rule bg-base-100 px-3 py-1"
    >
      <h2 className="max-w-[9rem] truncate font-display font-semibold text-[13px]" title={title}>
        {title}
      </h2>
      {children}
    </section>
  );
}

function Toggle(props: { pressed: boolean; title: string; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-pressed={props.pressed}
      title={props.title}
      className={`btn btn-xs h-7 border-rule px-2 text-[12px] ${props.pressed ? "btn-primary" : "bg-transparent"}`}
      onClick={props.onClick}
    >
      {props.children}
    </button>
  );
}

/** What of the render lies outside the dry one, or is missing. */
function LengthWords({ render }: { render: Render }) {
  const workbench = useResults();
  const { pair } = workbench;
  if (!pair) return null;
  const { sampleRateHz, frames } = pair.dry;
  const own = Math.ceil((render.frames * sampleRateHz) / render.sampleRateHz);
  const over = overhang(frames, own, placementIn(workbench, render));
  const seconds = (f: number) => withUnit(number(f / sampleRateHz, 3), "s");
  // Less than this at an end is what processing delay and rounding leave: the delay says it already.
  const least = 0.05 * sampleRateHz;
  const parts = [
    over.lackingStartFrames > least && `missing the first ${seconds(over.lackingStartFrames)}`,
    over.leadInFrames > least && `${seconds(over.leadInFrames)} before the start not used`,
    over.lackingEndFrames > least && `missing the last ${seconds(over.lackingEndFrames)}`,
    over.tailFrames > least && `tail of ${seconds(over.tailFrames)} not used`,
    render.sampleRateHz !== sampleRateHz && `converted from ${withUnit(String(render.sampleRateHz / 1000), "kHz")}`,
  ].filter(Boolean);
  return <>{parts.join(", ") || (render.frames ? "Same length as dry" : NO_FIGURE)}</>;
}
