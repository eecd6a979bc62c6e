"use client";

import {
  DndContext,
  type DragEndEvent,
  PointerSensor,
  pointerWithin,
  useDroppable,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import { CircleAlert } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { Levels } from "@/core/loudness/measure";
import { DRY_TITLE, stemOf } from "@/core/sorting/names";
import { versionSentence } from "@/core/sorting/versions";
import { plural } from "@/core/words/units";
import { showPassage } from "@/store/comparisons";
import { addRenders, type FileRead } from "@/store/import-files";
import { LABELS } from "@/ui/labels";
import { JobStrip } from "@/ui/shell/job-strip";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { useWorkbench } from "@/ui/shell/workbench";
import { SortRow } from "./sort-row";
import { type Later, LEFT_OUT, type Readable, useSorting } from "./use-sorting";

type Group = { id: string; title: string; isNew: boolean; files: Readable[]; dryFileId: string | null };

type Props = {
  files: FileRead[];
  awaited: number;
  /** These were kept, in a passage, or are here already; the rest stays in the tray. */
  onKept: (ids: ReadonlySet<string>, passageId: string | null) => void;
  onClose: () => void;
};

const WAITING = "waiting";

const wholeMb = (bytes: number) => `${Math.ceil(bytes / 1e6)} MB`;

/** A full disk comes as itself or within what it broke off. */
const isFull = (error: unknown): boolean =>
  error instanceof Error &&
  (`${error.name} ${error.message}`.includes("QuotaExceeded") || ("inner" in error && isFull(error.inner)));

async function sentenceOf(error: unknown, bytes: number): Promise<string> {
  if (!isFull(error)) return `The files could not be saved: ${error instanceof Error ? error.message : String(error)}`;
  const { usage = 0, quota = 0 } = await navigator.storage.estimate();
  return `This browser has no room left for these files: they need ${wholeMb(bytes)}, and of the ${wholeMb(quota)} it gives this address ${wholeMb(usage)} are taken. Delete a comparison you no longer need, or make room on the disk, and add them again.`;
}

/**
 * Where dropped files belong: each in its passage by its sound, the doubtful in a tray on top with the reason, to be dragged or
 * keyed into place. Nothing is kept before "Add".
 */
export function SortDialog({ files, awaited, onKept, onClose }: Props) {
  const { comparison, passages } = useWorkbench();
  const sort = useSorting(files, awaited);
  const [titles, setTitles] = useState<ReadonlyMap<string, string>>(new Map());
  const [passageTitles, setPassageTitles] = useState<ReadonlyMap<string, string>>(new Map());
  const [dries, setDries] = useState<ReadonlyMap<string, string>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  /** Long files take the disk a while. */
  const [keeping, setKeeping] = useState(false);
  const refused = files.filter((f) => !f.ok);
  /** What a file is a later version of, as long as it stays in that passage. */
  const versionOf = (id: string, group: Group | null) => {
    const later = sort.versions.get(id);
    return later?.before.passageId === group?.id ? later : undefined;
  };
  const titleOf = ({ id, file }: Readable, group: Group | null) => {
    // Alone in a new passage it is its dry one, and nothing else.
    const alone = group?.isNew && group.files.length === 1;
    const later = versionOf(id, group);
    return (
      titles.get(id) ??
      later?.next.candidateTitle ??
      (alone ? DRY_TITLE : (sort.sorted.get(id)?.candidateTitle ?? stemOf(file.name)))
    );
  };

  const inPlace = (where: string | null) => sort.readable.filter((f) => sort.passageOf(f.id) === where);
  const waiting = inPlace(null);
  const leftOut = inPlace(LEFT_OUT);
  const groups: Group[] = [
    ...passages.map((p) => ({ id: p.id, title: p.title, isNew: false, dryFileId: null })),
    ...sort.newPassages.map((p) => ({ ...p, title: passageTitles.get(p.id) ?? p.title, isNew: true })),
  ]
    .map((group) => {
      const own = inPlace(group.id);
      const said = dries.get(group.id) ?? group.dryFileId;
      return { ...group, files: own, dryFileId: own.some((f) => f.id === said) ? said : null };
    })
    .filter((group) => group.files.length > 0);

  const assigned = groups.flatMap((g) => g.files);
  const undried = groups.filter((g) => g.isNew && !g.dryFileId);
  const ready =
    awaited === 0 &&
    sort.sortingDone &&
    assigned.length > 0 &&
    undried.length === 0 &&
    groups.every((g) => g.title.trim());

  const add = async (close: () => void) => {
    setKeeping(true);
    try {
      for (const [i, group] of groups.entries()) {
        const known = passages.find((p) => p.id === group.id);
        const additions = group.files.map((read) => {
          const { file, reading, copy, outline, signature } = read;
          const levels = sort.measured.get(read.id);
          const candidateTitle = titleOf(read, group).trim() || stemOf(read.file.name);
          const next = versionOf(read.id, group)?.next;
          const about = next && { version: next.version, versionOf: next.versionOf };
          const dry = read.id === group.dryFileId;
          return { file, reading, copy, outline, signature, levels, candidateTitle, about, dry };
        });
        const passageId = await addRenders(comparison.id, known ?? { title: group.title.trim() }, additions);
        if (i === 0) await showPassage(comparison.id, passageId);
        onKept(new Set(group.files.map((f) => f.id)), passageId);
      }
      onKept(new Set(leftOut.map((f) => f.id).filter((id) => sort.copies.has(id))), null);
      if (waiting.length > 0) return;
      sort.letMeasuringGoOn();
      close();
    } catch (error) {
      const bytes = assigned.reduce((sum, { file }) => sum + file.size, 0);
      setProblem(await sentenceOf(error, bytes));
    } finally {
      setKeeping(false);
    }
  };

  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }));
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (over) sort.assign(String(active.id), over.id === WAITING ? null : String(over.id));
  };
  const choices = [
    ...passages.map((p) => ({ id: p.id, title: p.title })),
    ...sort.newPassages.map((p) => ({ id: p.id, title: `${passageTitles.get(p.id) ?? p.title} (new)` })),
  ];
  const row = (read: Readable, group: Group | null) => (
    <SortRow
      key={read.id}
      read={read}
      title={titleOf(read, group)}
      place={sort.passageOf(read.id)}
      choices={choices}
      version={versionWords(versionOf(read.id, group), sort.measured.get(read.id))}
      likeness={sort.sorted.get(read.id)?.likeness ?? null}
      guess={sort.sorted.get(read.id)?.passageId ?? null}
      reason={sort.copies.get(read.id) ?? (group ? null : (sort.sorted.get(read.id)?.doubt ?? null))}
      levels={sort.measured.get(read.id) ?? null}
      dry={group ? group.dryFileId === read.id : null}
      onTitle={(title) => setTitles((known) => new Map(known).set(read.id, title))}
      onPlace={(where) => sort.assign(read.id, where)}
      onDry={() => group && setDries((known) => new Map(known).set(group.id, read.id))}
    />
  );

  return (
    <Modal
      title={assigned.length ? `Place ${plural(sort.readable.length, "file")}` : LABELS.addFiles}
      width={1120}
      onClose={onClose}
      actions={(close) => (
        <>
          <span className="mr-auto text-[13px] text-soft">
            {undried.length > 0 &&
              `Choose the dry render of ${undried.map((g) => g.title).join(", ")}: the others are aligned to it.`}
          </span>
          <CloseButton onClick={close} />
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={!ready || keeping}
            onClick={() => void add(close)}
          >
            {keeping ? "Saving…" : `Add ${plural(assigned.length, "render")}`}
          </button>
        </>
      )}
    >
      <p className="text-[13px] text-soft">
        {statusOf(awaited, sort.sortingDone, sort.readable.length, assigned.length, waiting.length, leftOut.length)}
      </p>
      <JobStrip askedOnly />
      {refused.length > 0 && (
        <ul aria-label={LABELS.refusedFiles} className="grid shrink-0 gap-1">
          {refused.map((f) => (
            <li key={f.id} className="flex items-start gap-2 text-error">
              <CircleAlert size={15} className="mt-0.5 shrink-0" aria-hidden="true" />
              <span>
                {f.reason} <span className="text-base-content">{f.advice}</span>
              </span>
            </li>
          ))}
        </ul>
      )}
      <DndContext id="sorting" sensors={sensors} collisionDetection={pointerWithin} onDragEnd={onDragEnd}>
        <div className="grid min-h-0 content-start gap-3 overflow-auto">
          {sort.sortingDone && waiting.length > 0 && (
            <Target id={WAITING} label={LABELS.needsAPassage}>
              <h3 className="font-semibold text-[14px] text-warning">
                Needs your choice: {plural(waiting.length, "file")}
              </h3>
              {waiting.map((read) => row(read, null))}
            </Target>
          )}
          {groups.map((group) => (
            <Target key={group.id} id={group.id} label={group.title}>
              {group.isNew ? (
                <label className="flex items-center gap-2 text-[13px]">
                  <span className="text-soft">New passage</span>
                  <input
                    aria-label={`Name of the new passage ${group.title}`}
                    className="input input-sm w-72 border-rule font-display font-semibold"
                    value={group.title}
                    onChange={(event) => setPassageTitles((known) => new Map(known).set(group.id, event.target.value))}
                  />
                </label>
              ) : (
                <h3 className="font-semibold text-[14px]">{group.title}</h3>
              )}
              {group.files.map((read) => row(read, group))}
            </Target>
          ))}
          {leftOut.length > 0 && (
            <Target id={LEFT_OUT} label={LABELS.leftOut}>
              <h3 className="font-semibold text-[14px] text-soft">{LABELS.leftOut}</h3>
              {leftOut.map((read) => row(read, null))}
            </Target>
          )}
        </div>
      </DndContext>
      {(problem ?? sort.problem) && (
        <p role="alert" className="text-error">
          {problem ?? sort.problem}
        </p>
      )}
    </Modal>
  );
}

/** What a later version did to the level, once that is measured. */
const versionWords = (later: Later | undefined, levels: Levels | undefined): string | null =>
  later ? versionSentence(later.next, levels?.integratedLufs, later.before.levels.integratedLufs) : null;

function statusOf(
  awaited: number,
  done: boolean,
  all: number,
  assigned: number,
  waiting: number,
  leftOut: number,
): string {
  if (awaited > 0) return `Reading ${plural(awaited, "more file")}…`;
  if (all === 0) return "No file could be read.";
  if (!done) return "Finding each file's passage by its sound…";
  const parts = [
    assigned > 0 && `${plural(assigned, "file has", "files have")} a passage`,
    waiting > 0 && `${plural(waiting, "needs", "need")} a passage`,
    leftOut > 0 && `${plural(leftOut, "is", "are")} left out`,
  ].filter(Boolean);
  return `${parts.join(", ")}. Drag a file by its handle, or choose another passage for it.`;
}

/** Where files can be dropped. */
function Target({ id, label, children }: { id: string; label: string; children: ReactNode }) {
  const { setNodeRef, isOver } = useDroppable({ id });
  return (
    <section
      ref={setNodeRef}
      aria-label={label}
      className={`grid gap-1.5 rounded-lg border p-2.5 ${isOver ? "border-base-content bg-base-content/5" : "border-rule"}`}
    >
      {children}
    </section>
  );
}
