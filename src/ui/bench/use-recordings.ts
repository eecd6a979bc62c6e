import { useState } from "react";
import { addRecording } from "@/store/measurements";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import { type Subject, toggleShown } from "./use-bench";

type Problem = { reason: string; advice: string };

/** Measures recordings of the test signal: one that comes back belongs to what came from outside and has none yet, else it stands by itself. */
export function useRecordings(subjects: readonly Subject[]) {
  const { comparison } = useWorkbench();
  const [problems, setProblems] = useState<Problem[]>([]);
  /** Measures one; what was wrong with it, or null where it was measured or given up. */
  const measure = async (file: File, signal?: AbortSignal): Promise<Problem | null> => {
    try {
      const outside = subjects.find((s) => s.side !== null && s.candidate && !s.candidate.chain && !s.measurement);
      const added = await addRecording(
        file,
        {
          comparisonId: comparison.id,
          candidateId: outside?.candidate?.id ?? null,
          title: file.name.replace(/\.[^.]+$/, ""),
        },
        signal,
      );
      if (!added.ok) return added;
      if (!outside) toggleShown(added.value.id);
      return null;
    } catch (error) {
      if (error instanceof JobCancelled) return null;
      const reason = `${file.name} could not be measured (${error instanceof Error ? error.message : String(error)}).`;
      return { reason, advice: "Try it again." };
    }
  };
  const take = async (files: readonly File[]): Promise<void> => {
    setProblems([]);
    for (const file of files) {
      const problem = await measure(file);
      if (problem) setProblems((known) => [...known, problem]);
    }
  };
  return { take, measure, problems };
}
