"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { Copy, type LucideIcon, Music, Search, Trash2 } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { type Searched, search } from "@/core/findings/search";
import { duplicateComparison, sameCandidates, searchedTexts } from "@/store/copying";
import { database } from "@/store/database";
import type { Comparison } from "@/store/records";
import { deleteComparison } from "@/store/whole";
import { LABELS } from "@/ui/labels";
import { stopPath } from "@/ui/shell/stops";
import { offerPutBack } from "@/ui/shell/undo";
import { OpenArchive } from "./open-archive";

/** The comparisons that are here, latest first, searched by whatever stands in them; and the way in for those that are not. */
export function KnownComparisons() {
  const [query, setQuery] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const comparisons = useLiveQuery(() => database.comparisons.orderBy("updatedAt").reverse().toArray());
  // Every text is read only once something is looked for.
  const isSearching = query.trim() !== "";
  const texts = useLiveQuery(() => (isSearching ? searchedTexts() : []), [isSearching]);
  useHotkeys("/", () => field.current?.focus(), { useKey: true, preventDefault: true });
  if (!comparisons) return null;
  const found = isSearching && texts ? search(query, texts) : null;
  const shown = found
    ? found.flatMap(({ comparisonId, hits }) => {
        const comparison = comparisons.find((c) => c.id === comparisonId);
        return comparison ? [{ comparison, hits }] : [];
      })
    : comparisons.map((comparison) => ({ comparison, hits: [] }));
  return (
    <section className="grid w-full max-w-4xl gap-1.5" aria-label="In this browser">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h2 className="flex-1 whitespace-nowrap font-semibold text-lg">In this browser</h2>
        {comparisons.length > 0 && (
          <label className="flex items-center gap-1.5 text-soft">
            <Search size={14} aria-hidden="true" />
            <input
              ref={field}
              type="search"
              aria-label={LABELS.searchAllComparisons}
              placeholder="Search all of them"
              className="input input-sm w-56 border-rule text-base-content [&::-webkit-search-cancel-button]:hidden"
              value={query}
              onChange={(event) => setQuery(event.target.value)}
              onKeyDown={(event) => event.key === "Escape" && setQuery("")}
            />
            <kbd className="kbd kbd-xs">/</kbd>
          </label>
        )}
        <OpenArchive />
      </div>
      <ul className="max-h-72 divide-y divide-faint overflow-auto border-rule border-y">
        {shown.map(({ comparison, hits }) => (
          <KnownComparison key={comparison.id} comparison={comparison} hits={hits} />
        ))}
        {shown.length === 0 && (
          <li className="py-1.5 text-soft">
            {isSearching ? LABELS.noComparisonContainsTheseWords : LABELS.noComparisonYetStartOneAboveOrOpenAnArchive}
          </li>
        )}
      </ul>
    </section>
  );
}

function KnownComparison({
  comparison: { id, title, updatedAt },
  hits,
}: {
  comparison: Comparison;
  hits: readonly Searched[];
}) {
  const router = useRouter();
  const remove = async () => offerPutBack(`${title} was deleted.`, await deleteComparison(id));
  const anew = async () => router.push(stopPath(await sameCandidates(id), "gather"));
  return (
    <li className="py-1.5" data-testid="comparison">
      <div className="flex items-center gap-1.5">
        <Link className="min-w-0 flex-1 truncate hover:underline" href={stopPath(id, "gather")}>
          {title}
        </Link>
        <span className="figure mr-1.5 text-[12px] text-soft">{format(new Date(updatedAt), "d MMM yyyy, HH:mm")}</span>
        <Small
          icon={Music}
          title={`New comparison with the candidates of ${title}`}
          hint="Same candidates, new passage: built-in ones run over it automatically"
          act={anew}
        />
        <Small
          icon={Copy}
          title={`Duplicate ${title}`}
          hint="Duplicate; runs stay with the original, for each counts once"
          act={async () => void (await duplicateComparison(id))}
        />
        <Small icon={Trash2} title={`Delete ${title}`} hint="Delete; Undo restores it" act={remove} />
      </div>
      {hits.map(({ what, text }) => (
        <p key={`${what} ${text}`} className="truncate text-[12px] text-soft">
          {what}: {text}
        </p>
      ))}
    </li>
  );
}

function Small({
  icon: Icon,
  title,
  hint,
  act,
}: {
  icon: LucideIcon;
  title: string;
  hint: string;
  act: () => Promise<void>;
}) {
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs btn-square"
      aria-label={title}
      title={hint}
      onClick={() => void act()}
    >
      <Icon size={14} />
    </button>
  );
}
