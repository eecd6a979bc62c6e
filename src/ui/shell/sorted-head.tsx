import { flexRender, type Table } from "@tanstack/react-table";
import { ArrowDown, ArrowUp } from "lucide-react";
import { FIGURES, type FigureKey } from "@/core/words/figures";
import { WhatIsMark } from "./what-is";

/** The heads of a table that is sorted by any of its columns: pressed once for one way round, once more for the other. */
export function SortedHead<Row>({
  table,
  look,
  about,
}: {
  table: Table<Row>;
  look: (column: number) => string;
  /** The figure of a column, which can then be asked what it is. */
  about?: (columnId: string) => FigureKey | undefined;
}) {
  return (
    <thead className="sticky top-0 z-10 bg-base-100">
      {table.getHeaderGroups().map((group) => (
        <tr key={group.id} className="text-soft">
          {group.headers.map((header, i) => {
            const sorted = header.column.getIsSorted();
            const figure = about?.(header.column.id);
            return (
              <th
                key={header.id}
                aria-sort={sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : "none"}
                className={look(i)}
              >
                <button
                  type="button"
                  className="inline-flex cursor-pointer items-center gap-0.5 font-semibold"
                  title={figure && FIGURES[figure].definition}
                  onClick={header.column.getToggleSortingHandler()}
                >
                  {flexRender(header.column.columnDef.header, header.getContext())}
                  {sorted === "asc" && <ArrowUp size={11} aria-hidden="true" />}
                  {sorted === "desc" && <ArrowDown size={11} aria-hidden="true" />}
                </button>
                {figure && <WhatIsMark figure={figure} inHead />}
              </th>
            );
          })}
        </tr>
      ))}
    </thead>
  );
}
