"use client";

import { X } from "lucide-react";
import { useStore } from "zustand";
import { LABELS } from "@/ui/labels";
import { cancelJob, jobStore } from "@/workers/jobs";

type Props = {
  /** Leave work out that goes on behind everything, as in a dialog that waits for its own. */
  askedOnly?: boolean;
};

/** What is being worked on, how far it is, and a way to cancel it. Nothing when nothing runs. */
export function JobStrip({ askedOnly = false }: Props) {
  const all = useStore(jobStore, (state) => state.jobs);
  const jobs = askedOnly ? all.filter((job) => job.rank !== "background") : all;
  if (jobs.length === 0) return null;
  const running = jobs.filter((job) => job.state === "running");
  const shown = running[0] ?? jobs[0];
  return (
    <section
      aria-label={LABELS.workInProgress}
      className="flex h-8 shrink-0 items-center gap-3 border-rule border-t px-5 text-[12px]"
    >
      <progress className="progress w-40" value={shown.share} max={1} aria-label={shown.title} />
      <span className="truncate">
        {shown.title}
        {shown.state === "running" && shown.share > 0 && <span className="text-soft">: {shown.doing}</span>}
      </span>
      {jobs.length > 1 && <span className="text-soft">and {jobs.length - 1} more</span>}
      <button
        type="button"
        className="btn btn-ghost btn-xs ml-auto"
        onClick={() => {
          for (const job of jobs) cancelJob(job.id);
        }}
      >
        <X size={12} />
        {LABELS.cancel}
        {jobs.length > 1 ? " all" : ""}
      </button>
    </section>
  );
}
