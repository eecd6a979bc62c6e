"use client";

import { LABELS } from "@/ui/labels";
/** What is shown when a screen broke down: nothing is lost, and there are two ways on. */
export function ErrorScreen({ error, retry }: { error: Error; retry: () => void }) {
  return (
    <main className="grid min-h-full place-content-center gap-3 p-8">
      <h1 className="text-2xl font-semibold">This screen failed.</h1>
      <p className="max-w-prose text-soft">Your files and notes are safe in this browser. Error: {error.message}</p>
      <div className="flex gap-2">
        <button type="button" className="btn btn-primary btn-sm" onClick={retry}>
          Try again
        </button>
        <a className="btn btn-sm" href="/?list">
          {LABELS.allComparisons}
        </a>
      </div>
    </main>
  );
}
