import { useState } from "react";
import { type Proposal, proposedCandidate } from "@/core/bench/propose-candidate";
import { addRecording, assignMeasurement } from "@/store/measurements";
import type { Measurement } from "@/store/records";
import { offerPutBack } from "@/ui/shell/undo";
import { useWorkbench } from "@/ui/shell/workbench";
import { JobCancelled } from "@/workers/jobs";
import { type Subject, toggleShown, useBenchSettings } from "./use-bench";

type Problem = { reason: string; advice: string };
/** A recording that may belong to a candidate: someone has to say so. */
export type Question = { measurement: Measurement; proposal: Proposal; title: string };

/** Measures recordings of the test signal. Which candidate one belongs to is proposed, by its name and by what it measures, and confirmed by a person. */
export function useRecordings(subjects: readonly Subject[]) {
  const { comparison } = useWorkbench();
  const [problems, setProblems] = useState<Problem[]>([]);
  const [questions, setQuestions] = useState<Question[]>([]);
  /** Measures one; what was wrong with it, or null where it was measured or given up. */
  const measure = async (file: File, signal?: AbortSignal): Promise<Problem | null> => {
    try {
      const title = file.name.replace(/\.[^.]+$/, "");
      const added = await addRecording(file, { comparisonId: comparison.id, candidateId: null, title }, signal);
      if (!added.ok) return added;
      if (!useBenchSettings.getState().shown.has(added.value.id)) toggleShown(added.value.id);
      const outside = subjects.flatMap(({ candidate }) => (candidate && !candidate.chain ? [candidate] : []));
      const proposal = proposedCandidate(file.name, added.value.report, outside);
      const candidate = outside.find(({ id }) => id === proposal?.candidateId);
      if (proposal && candidate)
        setQuestions((known) => [...known, { measurement: added.value, proposal, title: candidate.title }]);
      return null;
    } catch (error) {
      if (error instanceof JobCancelled) return null;
      const reason = `${file.name} could not be measured (${error instanceof Error ? error.message : String(error)}).`;
      return { reason, advice: "Try again." };
    }
  };
  const take = async (files: readonly File[]): Promise<void> => {
    setProblems([]);
    for (const file of files) {
      const problem = await measure(file);
      if (problem) setProblems((known) => [...known, problem]);
    }
  };
  /** Answers whether a recording came from the candidate that was proposed. */
  const answer = async ({ measurement, proposal, title }: Question, isIt: boolean): Promise<void> => {
    setQuestions((known) => known.filter((q) => q.measurement.id !== measurement.id));
    if (!isIt) return;
    const undo = await assignMeasurement(measurement, proposal.candidateId);
    offerPutBack(`${measurement.fileName} now belongs to ${title}.`, undo);
  };
  return { take, measure, problems, questions, answer };
}
