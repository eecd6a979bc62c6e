"use client";

import { useDraggable } from "@dnd-kit/core";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical } from "lucide-react";
import type { Levels } from "@/core/loudness/measure";
import { clock, decibels, kilohertz } from "@/core/words/units";
import { MiniWaveform } from "@/ui/charts/mini-waveform";
import { LEFT_OUT, OWN_PASSAGE, type Readable } from "./use-sorting";

type Props = {
  read: Readable;
  title: string;
  /** A passage's id, null while it waits, or left out. */
  place: string | null;
  choices: readonly { id: string; title: string }[];
  /** What it is a later version of, in words. */
  version: string | null;
  likeness: number | null;
  /** The passage it is guessed to belong to while it waits. */
  guess: string | null;
  reason: string | null;
  levels: Levels | null;
  /** Whether it is its passage's dry one; null where that is not asked. */
  dry: boolean | null;
  onTitle: (title: string) => void;
  onPlace: (where: string | null) => void;
  onDry: () => void;
};

/** One dropped file: what it is, what it will be called, where it goes. */
export function SortRow(props: Props) {
  const { read, title, place, choices, version, likeness, guess, reason, levels, dry, onTitle, onPlace, onDry } = props;
  const { file, reading, id } = read;
  const { attributes, listeners, setNodeRef, transform, isDragging } = useDraggable({ id });
  const guessed = choices.find((c) => c.id === guess);
  return (
    <div
      ref={setNodeRef}
      data-file={file.name}
      className={`grid grid-cols-[1.25rem_2rem_13rem_7rem_1fr_9.5rem_13rem] items-center gap-x-3 bg-base-100 text-[12px] ${isDragging ? "relative z-20 opacity-80" : ""}`}
      style={{ transform: CSS.Translate.toString(transform) }}
    >
      <span {...attributes} {...listeners} tabIndex={-1} role="presentation" className="cursor-grab text-soft">
        <GripVertical size={14} aria-hidden="true" />
      </span>
      {dry === null ? (
        <span />
      ) : (
        <label className="grid justify-items-center text-[10px] text-soft leading-3">
          <input
            type="radio"
            className="radio radio-xs"
            aria-label={`${file.name} is the dry render`}
            checked={dry}
            onChange={onDry}
          />
          dry
        </label>
      )}
      <div className="min-w-0">
        <input
          aria-label={`Candidate name of ${file.name}`}
          className="input input-xs w-full border-rule text-[13px]"
          value={title}
          onChange={(event) => onTitle(event.target.value)}
        />
        <div className="truncate text-[11px] text-soft" title={file.name}>
          {file.name}
        </div>
      </div>
      <MiniWaveform overview={reading.overview} colour="var(--soft-ink)" height="h-8" />
      <div className="min-w-0">
        <div className="figure truncate text-[11.5px]">
          {clock(reading.frames / reading.sampleRateHz)}, {kilohertz(reading.sampleRateHz)}, {reading.encoding},{" "}
          {reading.channelCount === 1 ? "mono" : "stereo"}
        </div>
        {reason && !version && <div className="text-warning">{reason}</div>}
        {version && <div className="font-medium">{version}</div>}
        {!reason && !version && likeness !== null && dry !== null && (
          <div className="text-soft" title="Match of its level over time with the passage, in four bands">
            {Math.round(likeness * 100)} % match
          </div>
        )}
        {reading.remarks.map((remark) => (
          <div key={remark} className="text-warning">
            {remark}
          </div>
        ))}
      </div>
      <div className="figure flex justify-end gap-3 whitespace-nowrap text-[11.5px]">
        <span>{decibels(levels?.integratedLufs, "LUFS")}</span>
        <span>{decibels(levels?.truePeakDbtp, "dBTP")}</span>
      </div>
      <div className="flex items-center gap-1">
        <select
          aria-label={`Passage of ${file.name}`}
          className="select select-xs w-full min-w-0 border-rule"
          value={place ?? ""}
          onChange={(event) => onPlace(event.target.value || null)}
        >
          <option value="">waits</option>
          {choices.map((choice) => (
            <option key={choice.id} value={choice.id}>
              {choice.title}
            </option>
          ))}
          {!place?.startsWith(OWN_PASSAGE) && <option value={OWN_PASSAGE}>new passage</option>}
          <option value={LEFT_OUT}>left out</option>
        </select>
        {place === null && guessed && (
          <button
            type="button"
            className="btn btn-xs shrink-0 border-rule"
            title={`Place it in ${guessed.title}`}
            onClick={() => onPlace(guessed.id)}
          >
            Yes
          </button>
        )}
      </div>
    </div>
  );
}
