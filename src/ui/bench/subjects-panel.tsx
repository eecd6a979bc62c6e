"use client";

import { Trash2 } from "lucide-react";
import { HIGHEST_LEVEL_DBFS } from "@/core/bench/signal/signal-plan";
import { withUnit } from "@/core/words/units";
import { removeMeasurement, setLoopBack } from "@/store/measurements";
import type { Measurement } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { offerPutBack } from "@/ui/shell/undo";
import { type Subject, toggleShown, useBenchSettings } from "./use-bench";

const LEVELS = [HIGHEST_LEVEL_DBFS, -6, -12, -18, -24];

/** Processors to measure: Here and Yonder are, others are drawn beside them where they are ticked. */
export function SubjectsPanel({ subjects }: { subjects: readonly Subject[] }) {
  const levelDbfs = useBenchSettings((settings) => settings.levelDbfs);
  if (subjects.length === 0)
    return (
      <p className="text-[13px] text-soft">
        No candidates yet. Run a built-in processor at Gather, or send the test signal through your own.
      </p>
    );
  return (
    <div className="grid gap-1.5 text-[13px]">
      <ul aria-label={LABELS.processorsToMeasure} className="grid">
        {subjects.map((subject) => (
          <li key={subject.key} className="flex min-h-8 items-center gap-2 border-faint border-b py-1">
            <label className="flex min-w-0 flex-1 items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={subject.isShown}
                disabled={subject.side !== null}
                onChange={() => toggleShown(subject.key)}
              />
              <svg width={26} height={8} aria-hidden="true" className="shrink-0">
                {subject.isShown && (
                  <line
                    x2={26}
                    y1={4}
                    y2={4}
                    stroke={subject.line.colour}
                    strokeWidth={subject.line.width}
                    strokeDasharray={subject.line.dash}
                  />
                )}
              </svg>
              <span className="truncate">{subject.title}</span>
            </label>
            <span className="shrink-0 text-[11px] text-soft">{stateOf(subject)}</span>
            {subject.measurement && (
              <button
                type="button"
                className={`btn btn-xs px-1 ${subject.measurement.isReference ? "btn-primary" : "btn-ghost"}`}
                aria-pressed={subject.measurement.isReference}
                aria-label={`Use ${subject.title} as loop-back`}
                title="Its latency, response and noise are removed from the other recordings"
                onClick={() => subject.measurement && void nameLoopBack(subject.measurement)}
              >
                Loop-back
              </button>
            )}
            {subject.measurement && (
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1"
                aria-label={`Remove the measurement of ${subject.title}`}
                title="Remove this measurement"
                onClick={() => subject.measurement && void remove(subject.measurement)}
              >
                <Trash2 size={12} />
              </button>
            )}
          </li>
        ))}
      </ul>
      <QuickSelect
        label="Measurement level"
        title="Built-in: level"
        value={levelDbfs}
        options={LEVELS.map((value) => ({ value, title: withUnit(String(value).replace("-", "−"), "dBFS") }))}
        onChange={(value) => useBenchSettings.setState({ levelDbfs: value })}
      />
    </div>
  );
}

async function nameLoopBack({ id, comparisonId, isReference, title }: Measurement): Promise<void> {
  const undo = await setLoopBack(comparisonId, isReference ? null : id);
  offerPutBack(isReference ? `${title} is no longer the loop-back.` : `${title} is the loop-back now.`, undo);
}

async function remove(measurement: Measurement): Promise<void> {
  offerPutBack(`The measurement of ${measurement.title} was removed.`, await removeMeasurement(measurement));
}

function stateOf({ side, candidate, measurement, report, isWaiting, problem }: Subject): string {
  const name = side === "here" ? "Here" : side === "yonder" ? "Yonder" : "";
  const state = problem
    ? "failed"
    : isWaiting
      ? "measuring"
      : measurement
        ? measurement.isReference
          ? ""
          : "recording"
        : !candidate?.chain
          ? "outside"
          : report
            ? ""
            : "not measured";
  return [name, state].filter(Boolean).join(", ");
}
