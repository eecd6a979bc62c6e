import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useRef, useState } from "react";
import { useStore } from "zustand";
import { database } from "@/store/database";
import { markStep, type Tour } from "@/store/tour";
import { player, useMonitor } from "@/ui/shell/monitor";
import type { StopKey } from "@/ui/shell/stops";
import { useWorkbench } from "@/ui/shell/workbench";
import { useSavedReports } from "./tour";

/** A stop that is to be looked at has been looked at after so long. */
const LOOKED_AT_MS = 3000;

/** Watches what is done with the real screens, and marks the tour's steps by it. */
export function useTourProgress(tour: Tour, stop: StopKey): void {
  useHeard();
  useLookedAt(stop);
  useLooped(stop);
  const { comparisonId, startedAt } = tour;
  const hasAbx = useLiveQuery(
    () =>
      database.runs
        .where({ comparisonId })
        .filter((run) => run.plan.kind === "abx" && (run.finishedAt ?? "") > startedAt)
        .count(),
    [comparisonId, startedAt],
  );
  const hasVerdict = useLiveQuery(
    () =>
      database.findings
        .where({ comparisonId })
        .filter((finding) => finding.verdict !== null && finding.updatedAt > startedAt)
        .count(),
    [comparisonId, startedAt],
  );
  const reports = useSavedReports(({ count }) => count);
  useEffect(() => {
    if (hasAbx) void markStep("abx");
  }, [hasAbx]);
  useEffect(() => {
    if (hasVerdict && reports > 0) void markStep("findings");
  }, [hasVerdict, reports]);
}

/** Both levels played, and the difference heard. */
function useHeard(): void {
  const matched = useMonitor((monitor) => monitor.matched);
  const heard = useMonitor((monitor) => monitor.heard);
  const playing = useStore(player.state, (state) => state.playing);
  const levels = useRef(new Set<boolean>());
  useEffect(() => {
    if (playing) levels.current.add(matched);
    if (levels.current.size === 2) void markStep("levels");
  }, [playing, matched]);
  useEffect(() => {
    if (heard === "difference") void markStep("difference");
  }, [heard]);
}

function useLookedAt(stop: StopKey): void {
  useEffect(() => {
    const step = stop === "line-up" ? "alignment" : stop === "bench" ? "bench" : null;
    if (step === null) return;
    const timer = setTimeout(() => void markStep(step), LOOKED_AT_MS);
    return () => clearTimeout(timer);
  }, [stop]);
}

/** A loop that was set at Explain. */
function useLooped(stop: StopKey): void {
  const { pair } = useWorkbench();
  const loop = pair?.passage.loop ? JSON.stringify(pair.passage.loop) : "";
  const [atEntry, setAtEntry] = useState<string | null>(null);
  useEffect(() => {
    if (stop !== "explain") setAtEntry(null);
    else if (atEntry === null) setAtEntry(loop);
    else if (loop !== "" && loop !== atEntry) void markStep("explain");
  }, [stop, loop, atEntry]);
}
