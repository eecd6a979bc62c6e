"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { Trash2 } from "lucide-react";
import Link from "next/link";
import { database } from "@/store/database";
import type { Comparison } from "@/store/records";
import { deleteComparison } from "@/store/whole";
import { stopPath } from "@/ui/shell/stops";
import { offerPutBack } from "@/ui/shell/undo";
import { OpenArchive } from "./open-archive";

/** The comparisons that are here, latest first, and the way in for those that are not. */
export function KnownComparisons() {
  const comparisons = useLiveQuery(() => database.comparisons.orderBy("updatedAt").reverse().toArray());
  if (!comparisons) return null;
  return (
    <section className="grid w-full max-w-4xl gap-1.5" aria-label="In this browser">
      <div className="flex items-center gap-3">
        <h2 className="flex-1 font-semibold text-lg">In this browser</h2>
        <OpenArchive />
      </div>
      <ul className="divide-y divide-faint border-rule border-y">
        {comparisons.map((comparison) => (
          <KnownComparison key={comparison.id} comparison={comparison} />
        ))}
      </ul>
    </section>
  );
}

function KnownComparison({ comparison: { id, title, updatedAt } }: { comparison: Comparison }) {
  const remove = async () => offerPutBack(`${title} was deleted.`, await deleteComparison(id));
  return (
    <li className="flex items-center gap-3 py-1.5">
      <Link className="min-w-0 flex-1 truncate hover:underline" href={stopPath(id, "gather")}>
        {title}
      </Link>
      <span className="figure text-[12px] text-soft">{format(new Date(updatedAt), "d MMM yyyy, HH:mm")}</span>
      <button
        type="button"
        className="btn btn-ghost btn-xs btn-square"
        aria-label={`Delete ${title}`}
        title="Delete; it can be put back"
        onClick={() => void remove()}
      >
        <Trash2 size={14} />
      </button>
    </li>
  );
}
