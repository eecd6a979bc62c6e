import { queryOptions, skipToken, useQueries } from "@tanstack/react-query";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import { create } from "zustand";
import type { ChannelName } from "@/core/bench/read/parts";
import { type BenchReport, reportOfChannel } from "@/core/bench/report";
import { OWN_FORM, type SignalForm } from "@/core/bench/signal/signal-plan";
import type { Chain } from "@/core/processors/chain";
import { database } from "@/store/database";
import { benchOf, referencedBench } from "@/store/measurements";
import type { Candidate, Measurement } from "@/store/records";
import type { LegendLine } from "@/ui/charts/chart-panel";
import { LINES } from "@/ui/charts/side-lines";
import { sentenceOf } from "@/ui/shell/queries";
import { useWorkbench } from "@/ui/shell/workbench";

/** One thing that can be measured: a candidate made here, or whatever a recording of the test signal came back from. */
export type Subject = {
  key: string;
  title: string;
  candidate: Candidate | null;
  measurement: Measurement | null;
  side: "here" | "yonder" | null;
  /** Whether its lines are drawn. */
  isShown: boolean;
  line: LegendLine;
  /** All of the report, and the same with the figures of the channel that is looked at. */
  whole: BenchReport | null;
  report: BenchReport | null;
  problem: string | null;
  isWaiting: boolean;
};

/** A subject that has been measured. */
export type MeasuredSubject = Subject & { whole: BenchReport; report: BenchReport };

type Settings = { levelDbfs: number; shown: ReadonlySet<string>; channel: ChannelName };
/** What is drawn beside the pair, the level processors of our own are measured at, and the channel whose figures are shown. */
export const useBenchSettings = create<Settings>(() => ({
  levelDbfs: OWN_FORM.levelDbfs,
  shown: new Set<string>(),
  channel: "left",
}));

export const toggleShown = (key: string): void =>
  useBenchSettings.setState(({ shown }) => {
    const next = new Set(shown);
    if (!next.delete(key)) next.add(key);
    return { shown: next };
  });

/** Lines of what is neither Here nor Yonder: ink, distinguished by their dashes. */
const OTHERS = ["", "2 3", "9 3", "9 3 2 3", "4 4", "1 4"];

/** Lines of the same thing at rising oversampling: ever longer dashes. */
export const FACTOR_DASHES = ["1 3", "2 4", "4 4", "8 4", "14 4", undefined];

export const benchQuery = (chain: Chain | null, form: SignalForm, isWanted: boolean) =>
  queryOptions({
    queryKey: ["bench", JSON.stringify(chain), JSON.stringify(form)],
    queryFn: chain && isWanted ? ({ signal }) => benchOf(chain, form, { signal, rank: "normal" }) : skipToken,
  });

/** All that can be measured in this comparison; what is Here, Yonder or drawn beside them is. */
export function useSubjects(): Subject[] {
  const { comparison, candidates, pair } = useWorkbench();
  const { levelDbfs, shown, channel } = useBenchSettings();
  const measurements = useLiveQuery(
    () => database.measurements.where({ comparisonId: comparison.id }).sortBy("createdAt"),
    [comparison.id],
  );
  const dryCandidateId = pair?.dry.candidateId;
  const subjects = useMemo(() => {
    type Plain = Pick<Subject, "key" | "title" | "candidate" | "measurement">;
    const own = candidates
      .filter((c) => !c.hidden && c.id !== dryCandidateId)
      .flatMap((candidate): Plain[] => {
        const back = (measurements ?? []).filter((m) => m.candidateId === candidate.id);
        // A recording says what it really does; the chain is measured where there is none.
        return back.length > 0 && !candidate.chain
          ? back.map((measurement) => ({ key: measurement.id, title: candidate.title, candidate, measurement }))
          : [{ key: candidate.id, title: candidate.title, candidate, measurement: null }];
      });
    const others = (measurements ?? [])
      .filter((m) => !candidates.some((c) => c.id === m.candidateId && !c.chain))
      .map((measurement): Plain => ({ key: measurement.id, title: measurement.title, candidate: null, measurement }));
    let other = 0;
    return [...own, ...others].map((subject) => {
      const side: Subject["side"] =
        subject.candidate && subject.candidate.id === pair?.here.candidateId
          ? "here"
          : subject.candidate && subject.candidate.id === pair?.yonder.candidateId
            ? "yonder"
            : null;
      const isShown = side !== null || shown.has(subject.key);
      const dash = side === null && isShown ? OTHERS[other++ % OTHERS.length] : "";
      const line: LegendLine = side
        ? { ...LINES[side], title: subject.title }
        : { title: subject.title, colour: "var(--color-base-content)", width: 1.5, dash: dash || undefined };
      return { ...subject, side, isShown, line };
    });
  }, [candidates, measurements, pair, dryCandidateId, shown]);
  const form = useMemo<SignalForm>(() => ({ ...OWN_FORM, levelDbfs }), [levelDbfs]);
  const results = useQueries({
    queries: subjects.map(({ candidate, measurement, isShown }) =>
      benchQuery(measurement ? null : (candidate?.chain ?? null), form, isShown),
    ),
  });
  const loop = measurements?.find((m) => m.isReference) ?? null;
  const referenced = useQueries({
    queries: subjects.map(({ measurement, isShown }) => referencedQuery(measurement, loop, isShown)),
  });
  return subjects.map((subject, i) => {
    const without = referenced[i]?.data;
    const whole = (without?.ok ? without.value : subject.measurement?.report) ?? results[i]?.data ?? null;
    const error = results[i]?.error ?? referenced[i]?.error;
    return {
      ...subject,
      whole,
      report: whole && reportOfChannel(whole, channel),
      problem: error ? sentenceOf(error) : without && !without.ok ? `${without.reason} ${without.advice}` : null,
      isWaiting: results[i]?.isFetching ?? false,
    };
  });
}

/** A recording with the comparison's loop-back taken off; nothing where it is that itself, or there is none. */
const referencedQuery = (measurement: Measurement | null, loop: Measurement | null, isWanted: boolean) =>
  queryOptions({
    queryKey: ["bench without loop-back", measurement?.id, loop?.id],
    queryFn:
      measurement && loop && loop.id !== measurement.id && isWanted
        ? ({ signal }) => referencedBench(measurement, loop, { signal, rank: "normal" })
        : skipToken,
  });

/** What was measured of some candidates: of what came from outside the latest recording, of what was made here its chain, measured now if it was not. */
export function useReports(candidates: readonly Candidate[]): Map<string, BenchReport> {
  const { comparison } = useWorkbench();
  const measurements = useLiveQuery(
    () => database.measurements.where({ comparisonId: comparison.id }).sortBy("createdAt"),
    [comparison.id],
  );
  const results = useQueries({ queries: candidates.map(({ chain }) => benchQuery(chain, OWN_FORM, true)) });
  return new Map(
    candidates.flatMap(({ id, chain }, i): [string, BenchReport][] => {
      const report = chain ? results[i].data : measurements?.findLast((m) => m.candidateId === id)?.report;
      return report ? [[id, report]] : [];
    }),
  );
}
