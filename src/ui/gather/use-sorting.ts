import { useEffect, useMemo, useRef, useState } from "react";
import type { Levels } from "@/core/loudness/measure";
import type { NewPassage, SortedFile, Sorting } from "@/core/sorting/sort-files";
import { type NextVersion, nextVersion } from "@/core/sorting/versions";
import { type FileRead, knownCopy, measureRead, sortIntoPassages } from "@/store/import-files";
import type { Render } from "@/store/records";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";

export type Readable = FileRead & { ok: true };

/** A file's place: a passage's id, null while it waits to be placed, or left out. */
export const LEFT_OUT = "left out";
/** Where a person opens a passage of their own for a file. */
export const OWN_PASSAGE = "own";

/** What a file is a later version of, and the render that it comes after. */
export type Later = { next: NextVersion; before: Render };

const EMPTY: Sorting = { files: [], newPassages: [] };

/** Reading, sorting, measuring of dropped files, and what a person says against it. Nothing is kept here. */
export function useSorting(files: FileRead[], awaited: number) {
  const { comparison, candidates, passages, renders } = useWorkbench();
  // By name, numbers as numbers: files come in the order they were read, and columns and rows are made in this one.
  const readable = useMemo(
    () =>
      files
        .filter((f): f is Readable => f.ok)
        .toSorted((a, b) => a.file.name.localeCompare(b.file.name, undefined, { numeric: true })),
    [files],
  );
  const [sorting, setSorting] = useState<Sorting | null>(null);
  const [copies, setCopies] = useState<ReadonlyMap<string, string>>(new Map());
  const [measured, setMeasured] = useState<ReadonlyMap<string, Levels>>(new Map());
  const [assigned, setAssigned] = useState<ReadonlyMap<string, string | null>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const cancel = useRef(new AbortController());
  const asked = useRef(new Set<string>());

  useEffect(() => {
    cancel.current = new AbortController();
    return () => cancel.current.abort();
  }, []);

  const ids = readable.map((f) => f.id).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ids say which files there are; everything else of a file stays as it is
  useEffect(() => {
    if (awaited > 0 || readable.length === 0) return;
    let current = true;
    const { signal } = cancel.current;
    setSorting(null);
    const work = async () => {
      const found = new Map<string, string>();
      const seen = new Map<string, string>();
      for (const { id, file, reading } of readable) {
        const twin = seen.get(reading.hash);
        const render = twin ? null : await knownCopy(comparison.id, reading.hash);
        if (twin) found.set(id, `Same content as ${twin}.`);
        if (render) {
          const candidate = candidates.find((c) => c.id === render.candidateId)?.title ?? render.fileName;
          const passage = passages.find((p) => p.id === render.passageId)?.title ?? "";
          found.set(id, `Already added: ${candidate}, ${passage}.`);
        }
        seen.set(reading.hash, file.name);
      }
      const originals = readable.filter((f) => !found.has(f.id));
      const result = originals.length ? await sortIntoPassages(originals, comparison.id, signal) : EMPTY;
      if (!current) return;
      setCopies(found);
      setSorting(result);
      await Promise.all(
        readable.map(async (read) => {
          if (asked.current.has(read.id)) return;
          asked.current.add(read.id);
          const levels = await measureRead(read, signal);
          setMeasured((known) => new Map(known).set(read.id, levels));
        }),
      );
    };
    work().catch((error: unknown) => {
      if (error instanceof JobCancelled) setProblem("Cancelled. Close this and add the files again.");
      else setProblem(error instanceof Error ? error.message : String(error));
    });
    return () => {
      current = false;
    };
  }, [ids, awaited]);

  const sorted = useMemo(() => new Map(sorting?.files.map((f) => [f.id, f])), [sorting]);
  const ownPassages = useMemo<NewPassage[]>(
    () =>
      readable
        .filter((f) => assigned.get(f.id) === `${OWN_PASSAGE} ${f.id}`)
        .map((f) => ({ id: `${OWN_PASSAGE} ${f.id}`, title: `Passage ${passages.length + 1}`, dryFileId: f.id })),
    [readable, assigned, passages.length],
  );
  const newPassages = useMemo(() => [...(sorting?.newPassages ?? []), ...ownPassages], [sorting, ownPassages]);
  const targets = new Set([...passages.map((p) => p.id), ...newPassages.map((p) => p.id), LEFT_OUT]);

  /** What was there before under a file's name, with other sound: in the passage it sounds like where the name stands in several. */
  const versions = useMemo(() => {
    const all = new Map<string, Later>();
    for (const { id, file } of readable) {
      if (copies.has(id) || !sorting) continue;
      const named = renders.filter((r) => r.fileName === file.name);
      const known = named.length === 1 ? named[0] : named.find((r) => r.passageId === sorted.get(id)?.passageId);
      if (!known || passages.some((p) => p.dryRenderId === known.id)) continue;
      const own = renders.filter((r) => r.passageId === known.passageId);
      const next = nextVersion(candidates, new Set(own.map((r) => r.candidateId)), known.candidateId);
      const before = own.find((r) => r.candidateId === next?.beforeId);
      if (next && before) all.set(id, { next, before });
    }
    return all;
  }, [readable, copies, sorting, sorted, renders, candidates, passages]);

  const passageOf = (id: string): string | null => {
    const said = assigned.get(id);
    if (said !== undefined && (said === null || targets.has(said))) return said;
    if (copies.has(id)) return LEFT_OUT;
    const later = versions.get(id);
    if (later) return later.before.passageId;
    const found: SortedFile | undefined = sorted.get(id);
    return found && found.doubt === null ? found.passageId : null;
  };
  const assign = (id: string, where: string | null) =>
    setAssigned((known) => new Map(known).set(id, where === OWN_PASSAGE ? `${OWN_PASSAGE} ${id}` : where));

  /** What is being measured goes on: the files were kept, and it is asked for again at once. */
  const letMeasuringGoOn = () => {
    cancel.current = new AbortController();
  };

  return {
    letMeasuringGoOn,
    readable,
    sorted,
    sortingDone: sorting !== null,
    copies,
    versions,
    measured,
    newPassages,
    passageOf,
    assign,
    problem,
  };
}
