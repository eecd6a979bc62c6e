"use client";

import {
  createColumnHelper,
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  type SortingState,
  useReactTable,
} from "@tanstack/react-table";
import { format } from "date-fns";
import { useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import type { OpenBook } from "@/core/findings/book";
import { ENTRY_KINDS, type Entry, filtered, type TimelineFilter } from "@/core/findings/timeline";
import { plural } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { SortedHead } from "@/ui/shell/sorted-head";

const KIND_WORDS = {
  run: "run",
  sighted: "sighted",
  verdict: "verdict",
  note: "note",
  measurement: "bench",
} as const;

type Row = Entry & { passage: string };
const column = createColumnHelper<Row>();
const COLUMNS = [
  column.accessor("at", {
    header: "When",
    cell: (c) => <span className="figure whitespace-nowrap">{format(new Date(c.getValue()), "d MMM, HH:mm")}</span>,
  }),
  column.accessor("kind", { header: "Kind", cell: (c) => KIND_WORDS[c.getValue()] }),
  column.accessor("what", {
    header: "What",
    cell: ({ row: { original } }) => (
      <>
        <span className="line-clamp-2">{original.what}</span>
        <span className="line-clamp-2 text-soft">{original.outcome}</span>
        {original.passage && <span className="text-soft">on {original.passage}</span>}
      </>
    ),
  }),
  column.accessor("listener", { header: "Who" }),
];

/** The column after the one that is sorted by; the latest first, words from A on. */
function nextColumn(id: string | undefined): SortingState[number] {
  const ids = COLUMNS.map(({ accessorKey }) => String(accessorKey));
  const next = ids[(ids.indexOf(id ?? "") + 1) % ids.length];
  return { id: next, desc: next === "at" };
}

const ALL = "";
const EVERYTHING: TimelineFilter = { kind: null, passageId: null, candidateId: null, listener: null };
type FilterKey = keyof TimelineFilter;

/** Everything that was run, said, noted and measured, filtered and sorted; each row opens what it came from. */
export function TimelinePanel({
  book,
  entries,
  onOpen,
}: {
  book: OpenBook;
  entries: readonly Entry[];
  onOpen: (entry: Entry) => void;
}) {
  const [filter, setFilter] = useState(EVERYTHING);
  const [sorting, setSorting] = useState<SortingState>([{ id: "at", desc: true }]);
  const data = useMemo(
    () =>
      filtered(entries, filter).map(
        (entry): Row => ({
          ...entry,
          passage: entry.passageId === null ? "" : book.passageTitleOf(entry.passageId),
        }),
      ),
    [entries, filter, book],
  );
  const table = useReactTable({
    data,
    columns: COLUMNS,
    state: { sorting },
    onSortingChange: setSorting,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getRowId: (entry) => entry.id,
    autoResetAll: false,
  });
  const listeners = [...new Set(entries.map(({ listener }) => listener).filter(Boolean))].sort();
  const options: Record<FilterKey, { value: string; title: string }[]> = {
    kind: ENTRY_KINDS.map((value) => ({ value, title: KIND_WORDS[value] })),
    passageId: book.passages.map(({ id, title }) => ({ value: id, title })),
    candidateId: book.candidates.map(({ id, title }) => ({ value: id, title })),
    listener: listeners.map((code) => ({ value: code, title: code })),
  };
  const set = (key: FilterKey, value: string) =>
    setFilter((now) => ({ ...now, [key]: value === ALL ? null : value }) as TimelineFilter);
  /** The next choice of a filter, and after the last all of them again. */
  const step = (key: FilterKey) => {
    const values = [ALL, ...options[key].map(({ value }) => value)];
    set(key, values[(values.indexOf(filter[key] ?? ALL) + 1) % values.length]);
  };
  useHotkeys("k", () => step("kind"), stopKeyOptions("k"));
  useHotkeys("p", () => step("passageId"), stopKeyOptions("p"));
  useHotkeys("c", () => step("candidateId"), stopKeyOptions("c"));
  useHotkeys("u", () => step("listener"), stopKeyOptions("u"));
  useHotkeys("s", () => setSorting(([now]) => [nextColumn(now?.id)]), stopKeyOptions("s"));
  useHotkeys(
    "shift+s",
    () => setSorting(([now]) => (now ? [{ ...now, desc: !now.desc }] : [])),
    stopKeyOptions("shift+s"),
  );
  const select = (key: FilterKey, label: string, shown: string) => (
    <QuickSelect
      label={label}
      value={filter[key] ?? ALL}
      onChange={(value) => set(key, value)}
      options={[{ value: ALL, title: `${shown}` }, ...options[key]]}
    />
  );
  return (
    <div className="flex min-h-0 flex-col gap-1.5">
      <div className="flex flex-wrap gap-1.5 text-[12px]">
        {select("kind", "Kind", "all kinds (K)")}
        {select("passageId", "Of passage", "all passages (P)")}
        {select("candidateId", "Of candidate", "all candidates (C)")}
        {listeners.length > 0 && select("listener", "Of listener", "all listeners (U)")}
      </div>
      <p className="text-[12px] text-soft" role="status">
        {plural(data.length, "entry", "entries")}
        {data.length < entries.length && ` of ${entries.length}`}
      </p>
      <div className="min-h-0 overflow-auto rounded-lg border border-rule bg-base-100">
        <table className="table table-xs" aria-label={LABELS.timeline}>
          <SortedHead table={table} look={() => "px-1.5"} />
          <tbody>
            {table.getRowModel().rows.map((row) => (
              <tr
                key={row.id}
                data-testid="entry"
                data-kind={row.original.kind}
                className="cursor-pointer hover:bg-base-content/[0.05]"
                onClick={() => onOpen(row.original)}
              >
                {row.getVisibleCells().map((cell, i) => (
                  <td key={cell.id} className="px-1.5 align-top">
                    {i === 2 ? (
                      <button type="button" className="w-full cursor-pointer text-left" title="Open the source">
                        {flexRender(cell.column.columnDef.cell, cell.getContext())}
                      </button>
                    ) : (
                      flexRender(cell.column.columnDef.cell, cell.getContext())
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
