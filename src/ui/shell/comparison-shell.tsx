"use client";

import Link from "next/link";
import { type ReactNode, useEffect } from "react";
import { warmFeed } from "@/playback/feed";
import { database } from "@/store/database";
import { isDemoInTheMaking, openDemo } from "@/store/demo";
import { ImportProvider } from "@/ui/gather/import-provider";
import { LABELS } from "@/ui/labels";
import { TourStrip } from "@/ui/tour/tour-strip";
import { Header } from "./header";
import { HoldKeys } from "./held-keys";
import { JobStrip } from "./job-strip";
import { useListeningLog } from "./listening-log";
import { player } from "./monitor";
import { PairBar } from "./pair-bar";
import { tryAgain } from "./queries";
import { ShortcutsProvider } from "./shortcuts";
import { Transport } from "./transport";
import { UndoStrip } from "./undo";
import { useFreshLevels } from "./use-fresh-levels";
import { useMonitorFeed } from "./use-monitor-feed";
import { useComparisonTables, WorkbenchProvider } from "./workbench";

// Begun as soon as this is loaded, before anything is drawn: a comparison that is opened again is to be heard within a second.
if (typeof window !== "undefined") {
  warmFeed();
  // What goes wrong is reported where the tables are read.
  database.open().catch(() => {});
}

/** Everything around a stop: header, pair bar, the stop's own area, transport. */
export function ComparisonShell({ comparisonId, children }: { comparisonId: string; children: ReactNode }) {
  const tables = useComparisonTables(comparisonId);
  const unfinished = tables ? isDemoInTheMaking(tables.comparison) : false;
  useEffect(() => {
    // After a reload nobody else goes on with it. A cancel is respected: this is asked once a page.
    if (unfinished) openDemo().catch(() => {});
  }, [unfinished]);
  if (tables === undefined)
    return (
      <p className="p-8 text-soft">
        Opening the comparison…
        <HoldKeys />
      </p>
    );
  if (tables === null) {
    return (
      <main className="grid min-h-screen place-content-center gap-3">
        <h1 className="text-2xl font-semibold">{LABELS.thisComparisonIsNotInThisBrowser}</h1>
        <p className="text-soft">
          Comparisons stay in the browser they were made in. Open its archive to move one here.
        </p>
        <Link className="link" href="/?list">
          {LABELS.allComparisons}
        </Link>
      </main>
    );
  }
  return (
    <WorkbenchProvider tables={tables}>
      <ShortcutsProvider>
        <ImportProvider>
          <Frame>{children}</Frame>
        </ImportProvider>
      </ShortcutsProvider>
    </WorkbenchProvider>
  );
}

function takeUpAgain() {
  tryAgain();
  player.reload();
}

function Frame({ children }: { children: ReactNode }) {
  const trouble = useMonitorFeed();
  useFreshLevels();
  useListeningLog();
  return (
    <div className="flex h-screen min-w-[1024px] flex-col overflow-hidden">
      <Header />
      <PairBar />
      {trouble && (
        <div role="alert" className="flex items-center gap-3 border-rule border-b px-5 py-1.5 text-error">
          <span>{trouble}</span>
          <button type="button" className="btn btn-xs shrink-0 border-rule text-base-content" onClick={takeUpAgain}>
            Try again
          </button>
        </div>
      )}
      <main className="relative min-h-0 flex-1 overflow-hidden">{children}</main>
      <TourStrip />
      <UndoStrip />
      <JobStrip />
      <Transport />
    </div>
  );
}
