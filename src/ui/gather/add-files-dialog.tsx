"use client";

import { CircleAlert } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { showPassage } from "@/store/comparisons";
import { addRenders, type InspectedFile, stemOf } from "@/store/import-files";
import type { Passage } from "@/store/records";
import { MiniWaveform } from "@/ui/charts/mini-waveform";
import { clock, decibels, kilohertz, plural } from "@/ui/format";
import { JobStrip } from "@/ui/shell/job-strip";
import { useWorkbench } from "@/ui/shell/workbench";

type Read = Extract<InspectedFile, { ok: true }>;

const NEW_PASSAGE = "new";
/** A file whose name holds one of these words is offered as the dry one; the person still sees and confirms it. */
const DRY_WORDS = /(^|[^a-z])(dry|original|source|unprocessed|bypass)([^a-z]|$)/i;

/** Where dropped files belong: which passage, which candidate, and which one is dry. Nothing is kept before "Add". */
export function AddFilesDialog({
  files,
  awaited,
  onClose,
}: {
  files: InspectedFile[];
  awaited: number;
  onClose: () => void;
}) {
  const { comparison, passages, pair } = useWorkbench();
  const dialog = useRef<HTMLDialogElement>(null);
  const readable = files.filter((f): f is Read => f.ok).toSorted((a, b) => a.file.name.localeCompare(b.file.name));
  const refused = files.filter((f) => !f.ok);
  const [passageChoice, setPassageChoice] = useState<string>(pair?.passage.id ?? NEW_PASSAGE);
  const [passageTitle, setPassageTitle] = useState(`Passage ${passages.length + 1}`);
  const [titles, setTitles] = useState<ReadonlyMap<File, string>>(new Map());
  const [chosenDry, setChosenDry] = useState<File | null>(null);
  const [problem, setProblem] = useState<string | null>(null);

  useEffect(() => dialog.current?.showModal(), []);

  const target: Passage | undefined = passages.find((p) => p.id === passageChoice);
  const named = readable.filter((f) => DRY_WORDS.test(f.file.name));
  const dry = chosenDry ?? (!target && named.length === 1 ? named[0].file : null);
  const titleOf = (file: File) => titles.get(file) ?? stemOf(file.name);
  const untitled = !target && !passageTitle.trim();
  const ready = awaited === 0 && readable.length > 0 && (target || dry) && !untitled;

  const add = async () => {
    try {
      const passageId = await addRenders(
        comparison.id,
        target ?? { title: passageTitle.trim() },
        readable.map(({ file, inspected }) => ({
          file,
          inspected,
          candidateTitle: titleOf(file).trim() || stemOf(file.name),
          dry: file === dry,
        })),
      );
      await showPassage(comparison.id, passageId);
      dialog.current?.close();
    } catch (error) {
      const full = error instanceof Error && error.name === "QuotaExceededError";
      setProblem(
        full
          ? "This browser has no room left for these files. Delete a comparison you no longer need, and add them again."
          : `The files could not be kept: ${error instanceof Error ? error.message : String(error)}`,
      );
    }
  };

  return (
    <dialog ref={dialog} className="modal" aria-labelledby="add-files-title" onClose={onClose}>
      <div className="modal-box flex max-h-[calc(100vh-4rem)] w-[880px] max-w-[calc(100vw-4rem)] flex-col gap-3 border border-rule shadow-none">
        <h2 id="add-files-title" className="font-semibold text-lg">
          Add {plural(readable.length, "file")}
        </h2>
        <div className="flex items-end gap-3">
          <label className="grid gap-1 text-[13px]">
            <span className="text-soft">Passage</span>
            <select
              className="select select-sm border-rule"
              value={passageChoice}
              onChange={(event) => setPassageChoice(event.target.value)}
            >
              {passages.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.title}
                </option>
              ))}
              <option value={NEW_PASSAGE}>A new passage</option>
            </select>
          </label>
          {!target && (
            <label className="grid gap-1 text-[13px]">
              <span className="text-soft">Its name</span>
              <input
                className="input input-sm border-rule"
                value={passageTitle}
                onChange={(event) => setPassageTitle(event.target.value)}
              />
            </label>
          )}
        </div>
        {awaited > 0 && (
          <div>
            <p className="text-soft">Reading {plural(awaited, "more file")}…</p>
            <JobStrip />
          </div>
        )}
        {refused.length > 0 && (
          <ul aria-label="Refused files" className="grid gap-1">
            {refused.map((f) => (
              <li key={f.file.name} className="flex items-start gap-2 text-error">
                <CircleAlert size={15} className="mt-0.5 shrink-0" aria-hidden="true" />
                <span>
                  {f.reason} <span className="text-base-content">{f.advice}</span>
                </span>
              </li>
            ))}
          </ul>
        )}
        {readable.length > 0 && (
          <FileTable
            files={readable}
            dry={dry}
            titleOf={titleOf}
            onTitle={(file, title) => setTitles((known) => new Map(known).set(file, title))}
            onDry={setChosenDry}
          />
        )}
        {problem && (
          <p role="alert" className="text-error">
            {problem}
          </p>
        )}
        <div className="modal-action mt-1 items-center">
          <span className="mr-auto text-[13px] text-soft">
            {!target &&
              !dry &&
              readable.length > 0 &&
              "Say which file is the dry one: everything else is lined up with it."}
          </span>
          <button type="button" className="btn btn-sm border-rule" onClick={() => dialog.current?.close()}>
            Cancel
          </button>
          <button type="button" className="btn btn-primary btn-sm" disabled={!ready} onClick={() => void add()}>
            Add {plural(readable.length, "render")}
          </button>
        </div>
      </div>
    </dialog>
  );
}

function FileTable(props: {
  files: Read[];
  dry: File | null;
  titleOf: (file: File) => string;
  onTitle: (file: File, title: string) => void;
  onDry: (file: File) => void;
}) {
  return (
    <div className="min-h-0 overflow-auto">
      <table className="table table-sm">
        <thead>
          <tr className="text-soft">
            <th>Dry</th>
            <th>Candidate</th>
            <th className="w-40">Waveform</th>
            <th>Length</th>
            <th>Format</th>
            <th className="text-right">Loudness</th>
            <th className="text-right">True peak</th>
          </tr>
        </thead>
        <tbody>
          {props.files.map(({ file, inspected }) => (
            <tr key={file.name + inspected.hash}>
              <td>
                <input
                  type="radio"
                  name="dry"
                  className="radio radio-sm"
                  aria-label={`${file.name} is the dry one`}
                  checked={props.dry === file}
                  onChange={() => props.onDry(file)}
                />
              </td>
              <td>
                <input
                  aria-label={`Candidate name of ${file.name}`}
                  className="input input-sm w-full min-w-36 border-rule"
                  value={props.titleOf(file)}
                  onChange={(event) => props.onTitle(file, event.target.value)}
                />
                <div className="mt-0.5 truncate text-[11px] text-soft">{file.name}</div>
                {inspected.remarks.map((remark) => (
                  <div key={remark} className="text-[11px] text-warning">
                    {remark}
                  </div>
                ))}
              </td>
              <td>
                <MiniWaveform overview={inspected.overview} colour="var(--soft-ink)" />
              </td>
              <td className="figure">{clock(inspected.frames / inspected.sampleRateHz)}</td>
              <td className="figure whitespace-nowrap">
                {kilohertz(inspected.sampleRateHz)}, {inspected.encoding},{" "}
                {inspected.channelCount === 1 ? "mono" : "stereo"}
              </td>
              <td className="figure whitespace-nowrap text-right">
                {decibels(inspected.levels.integratedLufs, "LUFS")}
              </td>
              <td className="figure whitespace-nowrap text-right">{decibels(inspected.levels.truePeakDbtp, "dBTP")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
