import type { Finding, Measurement, Moment, Note } from "../archive/rows";
import { flawsOf } from "../blind/flaws";
import { isRightOrWrong } from "../blind/plan";
import type { Run } from "../blind/run";
import { benchSentences } from "../words/bench";
import { flawWords, probabilityText } from "../words/blind";
import { FORM_WORDS } from "../words/findings";
import { listed } from "../words/units";
import type { OpenBook } from "./book";

export const ENTRY_KINDS = ["run", "sighted", "verdict", "note", "measurement"] as const;
export type EntryKind = (typeof ENTRY_KINDS)[number];

/** One thing that was done in a comparison, and what it came from. */
export type Entry = {
  id: string;
  kind: EntryKind;
  at: string;
  passageId: string | null;
  candidateIds: string[];
  /** The listener's code; empty where nobody gave one, or nobody listened. */
  listener: string;
  what: string;
  outcome: string;
  /** Where it came from, by the kind of thing: a run, a moment of a passage, a cell, the bench. */
  from:
    | { is: "run"; runId: string }
    | { is: "moment"; passageId: string; frame: number }
    | { is: "passage"; passageId: string }
    | { is: "cell"; passageId: string | null; candidateId: string }
    | { is: "bench" }
    | { is: "note"; runId: string | null };
};

export type Told = {
  notes: readonly Note[];
  moments: readonly Moment[];
  measurements: readonly Measurement[];
};

const RUN_WORDS = {
  heard: "difference shown",
  ahead: "preference shown",
  "not shown": "not shown",
  "left early": "left early",
  part: "part of a series",
} as const;

/** All that was run, said, noted and measured, the latest first. */
export function timelineOf(book: OpenBook, { notes, moments, measurements }: Told): Entry[] {
  const entries: Entry[] = [
    ...book.runs.map((run) => runEntry(book, run)),
    ...book.sighted.map((verdict): Entry => {
      const preferred = verdict.renderId === null ? null : book.candidateOfRender(verdict.renderId);
      const heard = verdict.heard.flatMap(({ renderId }) => book.candidateOfRender(renderId) ?? []);
      return {
        id: verdict.id,
        kind: "sighted",
        at: verdict.createdAt,
        passageId: verdict.passageId,
        candidateIds: [...new Set([...(preferred ? [preferred] : []), ...heard])],
        listener: "",
        what: preferred ? `${book.titleOf(preferred)} preferred, sighted` : "No preference, sighted",
        outcome: [`${Math.round(verdict.sure)} % sure`, verdict.why].filter(Boolean).join(", "),
        from: { is: "passage", passageId: verdict.passageId },
      };
    }),
    ...book.findings.map((finding) => findingEntry(book, finding)),
    ...notes.map((note): Entry => {
      const run = book.runs.find(({ id }) => id === note.runId);
      return {
        id: note.id,
        kind: "note",
        at: note.updatedAt,
        passageId: run?.passageId ?? null,
        candidateIds: run ? candidatesOf(book, run) : [],
        listener: run?.listener?.code ?? "",
        what: note.runId === null ? "Note on the comparison" : "Note on a run",
        outcome: note.text,
        from: { is: "note", runId: note.runId },
      };
    }),
    ...moments.map((moment): Entry => {
      const candidateId = moment.renderId === null ? null : book.candidateOfRender(moment.renderId);
      return {
        id: moment.id,
        kind: "note",
        at: moment.createdAt,
        passageId: moment.passageId,
        candidateIds: candidateId ? [candidateId] : [],
        listener: "",
        what: `Heard in ${moment.renderId === null ? "the difference" : candidateId ? book.titleOf(candidateId) : "a deleted render"}`,
        outcome: [moment.words.join(", "), moment.text].filter(Boolean).join(": "),
        from: { is: "moment", passageId: moment.passageId, frame: moment.frame },
      };
    }),
    ...measurements.map(
      (m): Entry => ({
        id: m.id,
        kind: "measurement",
        at: m.createdAt,
        passageId: null,
        candidateIds: m.candidateId ? [m.candidateId] : [],
        listener: "",
        what: `Measured: ${m.candidateId ? book.titleOf(m.candidateId) : m.title}`,
        outcome: benchSentences(m.report)[0] ?? "",
        from: { is: "bench" },
      }),
    ),
  ];
  return entries.toSorted((a, b) => b.at.localeCompare(a.at) || a.id.localeCompare(b.id));
}

const candidatesOf = (book: OpenBook, { stimuli }: Run): string[] => [
  ...new Set(stimuli.flatMap((stimulus) => book.candidateOf(stimulus) ?? [])),
];

function runEntry(book: OpenBook, run: Run): Entry {
  const { id, plan, stimuli, passageId, listener, result, finishedAt } = run;
  const names = isRightOrWrong(plan)
    ? stimuli.map(({ title }) => title)
    : stimuli.filter(({ role }) => role === "candidate").map(({ title }) => title);
  return {
    id,
    kind: "run",
    at: finishedAt ?? run.createdAt,
    passageId,
    candidateIds: candidatesOf(book, run),
    listener: listener?.code ?? "",
    what: `${FORM_WORDS[plan.kind]}: ${listed(names)}`,
    outcome: result ? outcomeWords(run) : finishedAt ? "sealed" : `open, ${run.trials.length} answered`,
    from: { is: "run", runId: id },
  };
}

function outcomeWords(run: Run): string {
  const { result, stimuli } = run;
  if (!result) return "";
  const flaws = result.outcome === "heard" || result.outcome === "ahead" ? flawWords(flawsOf(run)) : "";
  const word = [RUN_WORDS[result.outcome], flaws].filter(Boolean).join(" ");
  if (result.kind === "right or wrong") {
    const odds =
      result.outcome === "left early" || result.outcome === "part" ? "" : `, ${probabilityText(result.guessing)}`;
    return `${word}, ${result.right} of ${result.answered}${odds}`;
  }
  const values =
    result.kind === "choices" ? result.tally.picks : (result.grading?.figures.map(({ mean }) => mean) ?? []);
  const most = Math.max(...values);
  if (values.filter((v) => v === most).length !== 1) return word;
  const figure = result.kind === "choices" ? `${most} of ${result.tally.rounds}` : most.toFixed(1);
  return `${word}, ${stimuli[values.indexOf(most)].title} ${figure}`;
}

function findingEntry(book: OpenBook, finding: Finding): Entry {
  const { passageId, candidateId, verdict, good, bad, price, effort } = finding;
  const said = [
    good && `good: ${good}`,
    bad && `bad: ${bad}`,
    price && `price: ${price}`,
    effort && `effort: ${effort}`,
  ].filter(Boolean);
  return {
    id: finding.id,
    kind: "verdict",
    at: finding.updatedAt,
    passageId,
    candidateIds: [candidateId],
    listener: "",
    what: `${book.titleOf(candidateId)}${passageId === null ? ", overall" : ""}`,
    outcome: [verdict, ...said].filter(Boolean).join("; "),
    from: { is: "cell", passageId, candidateId },
  };
}

/** What of the timeline is looked at; null for all of it. */
export type TimelineFilter = {
  kind: EntryKind | null;
  passageId: string | null;
  candidateId: string | null;
  listener: string | null;
};

export const filtered = (
  entries: readonly Entry[],
  { kind, passageId, candidateId, listener }: TimelineFilter,
): Entry[] =>
  entries.filter(
    (entry) =>
      (kind === null || entry.kind === kind) &&
      (passageId === null || entry.passageId === passageId) &&
      (candidateId === null || entry.candidateIds.includes(candidateId)) &&
      (listener === null || entry.listener === listener),
  );
