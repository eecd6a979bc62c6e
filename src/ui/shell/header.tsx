"use client";

import { Keyboard } from "lucide-react";
import Link from "next/link";
import { useParams } from "next/navigation";
import { Fragment } from "react";
import { renameComparison, showPassage } from "@/store/comparisons";
import { LABELS } from "@/ui/labels";
import { EditableText } from "./editable-text";
import { useShortcutList } from "./shortcuts";
import { STOPS, stopPath } from "./stops";
import { ThemeButton } from "./theme";
import { Wordmark } from "./wordmark";
import { useWorkbench } from "./workbench";

export function Header() {
  const { comparison, passages, pair } = useWorkbench();
  const { stop: current } = useParams<{ stop: string }>();
  const { showList } = useShortcutList();
  const currentIndex = STOPS.findIndex((s) => s.key === current);
  return (
    <header className="flex h-12 shrink-0 items-center gap-2.5 border-rule border-b px-5 min-[1200px]:gap-4">
      <Wordmark />
      <span className="h-6 border-rule border-l" />
      <div className="flex min-w-0 flex-1 items-center gap-2">
        <EditableText
          label={LABELS.comparisonName}
          className="field-sizing-content max-w-[11rem] text-[13px] min-[1200px]:max-w-[13rem]"
          value={comparison.title}
          onChange={(title) => void renameComparison(comparison.id, title)}
        />
        {pair && (
          <select
            aria-label={LABELS.passage}
            className="min-h-6 min-w-0 max-w-[7rem] cursor-pointer truncate bg-transparent text-[13px] text-soft min-[1200px]:max-w-none"
            value={pair.passage.id}
            onChange={(event) => void showPassage(comparison.id, event.target.value)}
          >
            {passages.map((passage) => (
              <option key={passage.id} value={passage.id}>
                {passage.title}
              </option>
            ))}
          </select>
        )}
      </div>
      <nav aria-label={LABELS.stops} className="flex items-center">
        {STOPS.map((stop, i) => (
          <Fragment key={stop.key}>
            {i > 0 && (
              <span
                aria-hidden="true"
                className="w-1.5 border-rule border-t-[1.5px] border-dotted min-[1200px]:w-5 xl:w-7"
              />
            )}
            <Link
              href={stopPath(comparison.id, stop.key)}
              title={stop.purpose}
              aria-current={stop.key === current ? "page" : undefined}
              className={`flex items-center gap-1.5 rounded-md px-1.5 py-1 text-[13px] ${stop.key === current ? "font-semibold" : "text-soft"}`}
            >
              <span
                aria-hidden="true"
                className={`size-[9px] rounded-full border-[1.5px] ${
                  stop.key === current
                    ? "border-base-content bg-base-content outline-2 outline-rule"
                    : i < currentIndex
                      ? "border-soft bg-soft"
                      : "border-soft"
                }`}
              />
              {stop.title}
            </Link>
          </Fragment>
        ))}
      </nav>
      <div className="flex shrink-0 justify-end">
        <button
          type="button"
          className="btn btn-ghost btn-sm btn-square"
          aria-label={LABELS.shortcuts}
          title="Shortcuts (?)"
          onClick={showList}
        >
          <Keyboard size={16} />
        </button>
        <ThemeButton />
      </div>
    </header>
  );
}
