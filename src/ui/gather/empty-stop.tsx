"use client";

import { Plus } from "lucide-react";
import Link from "next/link";
import type { ReactNode } from "react";
import { LABELS } from "@/ui/labels";
import { STOPS, type StopKey, stopPath } from "@/ui/shell/stops";
import { useWorkbench } from "@/ui/shell/workbench";
import { useImport } from "./import-provider";

/** A stop that has nothing to work on yet: what it is for, what to do first, and the button that does it. */
export function EmptyStop({ stop, children }: { stop: Exclude<StopKey, "gather">; children?: ReactNode }) {
  const { comparison, renders } = useWorkbench();
  const { chooseFiles } = useImport();
  const { title, purpose } = STOPS.find(({ key }) => key === stop) ?? STOPS[0];
  return (
    <section
      className="grid h-full place-content-center justify-items-center gap-3 text-center"
      data-testid="empty-stop"
    >
      <h1 className="font-semibold text-2xl">{title}</h1>
      <p className="max-w-lg text-soft">{purpose}</p>
      <p className="max-w-lg">
        {renders.length === 0
          ? "First, add one passage: its dry render, and one through each candidate."
          : "A pair needs two renders of one passage. Add another, or run a processor at Gather."}
      </p>
      <div className="flex gap-2">
        <button type="button" className="btn btn-primary btn-sm" onClick={chooseFiles}>
          <Plus size={15} aria-hidden="true" /> {LABELS.addFiles}
        </button>
        <Link className="btn btn-sm border-rule bg-base-100" href={stopPath(comparison.id, "gather")}>
          Go to Gather
        </Link>
        {children}
      </div>
    </section>
  );
}
