import { type BenchReport, figuresOnly } from "../bench/report";
import { flawsOf } from "../blind/flaws";
import { trialCount } from "../blind/plan";
import type { Run } from "../blind/run";
import type { SettingLine } from "../candidates/candidate";
import type { PairFigures } from "../difference/pair";
import { type MatchMethod, METHOD_UNITS } from "../matching/match-passage";
import { benchSentences } from "../words/bench";
import { aboveHearingSentence, runVerdict } from "../words/blind";
import { FAMILY_WORDS, familySentences } from "../words/findings-families";
import { claimsSummary } from "../words/findings-scores";
import { methodSentences } from "../words/report";
import { cellOf, type OpenBook, openBook } from "./book";
import { contradictionsIn } from "./contradictions";
import { evidenceFor } from "./evidence";

export const REPORT_SCHEMA = "yonder-pair/report@1";

/** What a report can have in it, in its order. */
export const REPORT_PARTS = [
  "sentences",
  "verdicts",
  "contradictions",
  "runs",
  "pictures",
  "figures",
  "settings",
  "notes",
  "method",
] as const;
export type ReportPart = (typeof REPORT_PARTS)[number];

/** What of a report could tell who is who where names are kept blind, and is left out of it then. */
export const NAMING_PARTS: readonly ReportPart[] = ["settings", "notes"];

type Figure = number | null;

/** Every figure of one render. */
export type RenderFigures = {
  passageId: string;
  candidateId: string;
  isDry: boolean;
  sampleRateHz: number;
  channelCount: number;
  seconds: number;
  encoding: string;
  levels: {
    integratedLufs: Figure;
    rangeLu: Figure;
    maxMomentaryLufs: Figure;
    maxShortTermLufs: Figure;
    truePeakDbtp: Figure;
    samplePeakDbfs: Figure;
    rmsDbfs: Figure;
    crestDb: Figure;
  };
  /** As it is in force; null where it could not be put aligned. */
  alignment: {
    delaySamples: number;
    delayErrorSamples: number;
    polarityLeft: 1 | -1;
    polarityRight: 1 | -1;
    isSwapped: boolean;
    driftPpm: Figure;
    confidence: number;
    isByHand: boolean;
  } | null;
  match: {
    method: MatchMethod;
    over: string;
    gainDb: Figure;
    edge: Figure;
    unit: "LU" | "dB";
    /** Measured again with the gain, over all of the passage. */
    matchedLufs: Figure;
  };
  /** What each step of the ladder leaves, dB; empty where it was not analysed. */
  ladder: { step: string; residualDb: Figure }[];
  /** Over the dry one at one level, by sixths of an octave; null where that was not looked at. */
  tone: { hertz: number[]; differenceDb: Figure[] } | null;
};

/** What a render comes to against the dry one, which the book has: of the whole passage. */
type AgainstDry = {
  nullDb: Figure;
  identical: PairFigures["identical"];
  /** What sets it apart from dry, in words; its name in files. */
  apart: string | null;
};
export type ReportedFigures = Omit<RenderFigures, "passageId" | "candidateId"> & AgainstDry;

/** What a report is made of besides the book. */
export type ReportSource = {
  title: string;
  writtenAt: string;
  /** Versions of the computations that figures came from, by their names. */
  versions: Record<string, string | number>;
  renders: readonly RenderFigures[];
  candidates: readonly {
    id: string;
    version: string;
    summary: string;
    settings: readonly SettingLine[];
    /** What the bench reported of it; null where it was not measured. */
    bench: BenchReport | null;
  }[];
  notes: readonly { runId: string | null; text: string }[];
  moments: readonly { passageId: string; candidateId: string | null; seconds: number; words: string }[];
};

export type ReportOptions = {
  parts: readonly ReportPart[];
  /** Names to stand for candidates, by their ids; null where they go by their own. */
  blindNames: ReadonlyMap<string, string> | null;
};

type ReportRun = {
  at: string;
  form: Run["plan"]["kind"];
  passage: string;
  names: string[];
  listener: string;
  headline: string;
  detail: string;
  trials: number;
  fromSeconds: number;
  toSeconds: number;
  matchMethod: MatchMethod;
  edge: Figure;
  left: Figure;
  unit: "LU" | "dB";
  overruled: string[];
  sealDigest: string;
  answers: ("right" | "wrong" | "missed" | "other")[];
};

/** A report as plain data: what every form of it is written from. */
export type Report = {
  schema: typeof REPORT_SCHEMA;
  title: string;
  writtenAt: string;
  isBlind: boolean;
  parts: ReportPart[];
  versions: Record<string, string | number>;
  passages: string[];
  candidates: {
    name: string;
    /** Untouched on every passage. */
    isDry: boolean;
    kind: string;
    version: string;
    summary: string;
    settings: SettingLine[];
    bench: string[];
    /** Every figure of the bench; null where it was not measured, or is not reported. */
    benchFigures: BenchReport | null;
  }[];
  /** How many runs were finished, and how much they show; empty where neither summary nor runs are in it. */
  claims: string;
  sentences: { family: string; says: string }[];
  verdicts: {
    passage: string | null;
    candidate: string;
    verdict: string | null;
    good: string;
    bad: string;
    price: string;
    effort: string;
    known: { how: string; says: string; score: string; listeners: number }[];
  }[];
  contradictions: { passage: string; says: string }[];
  runs: ReportRun[];
  renders: (ReportedFigures & { passage: string; candidate: string })[];
  notes: { about: string; text: string }[];
  method: string[];
};

/** The book under other names: everything that is distinguished from it goes by them. */
function underNames(book: OpenBook, names: ReadonlyMap<string, string>): OpenBook {
  const nameOf = (id: string | null, title: string) => (id === null ? title : (names.get(id) ?? title));
  const runs = book.runs.map((run) => ({
    ...run,
    stimuli: run.stimuli.map((s) => ({ ...s, title: nameOf(book.candidateOf(s), s.title), fileName: "" })),
  }));
  // Where there is but one of a kind, its kind would be as good as its name.
  const candidates = book.candidates.map((c) => ({ ...c, title: nameOf(c.id, c.title), kind: "other" as const }));
  return openBook({ ...book, runs, candidates }, book.candidateOf);
}

/** Makes a report of a comparison: chosen parts, candidates by their names or by others. */
export function reportOf(given: OpenBook, source: ReportSource, { parts, blindNames }: ReportOptions): Report {
  const book = blindNames ? underNames(given, blindNames) : given;
  const isBlind = blindNames !== null;
  const wanted = REPORT_PARTS.filter((part) => parts.includes(part) && !(isBlind && NAMING_PARTS.includes(part)));
  const has = (part: ReportPart) => wanted.includes(part);
  // Under other names they come in the order of those: their own places would tell.
  const known = book.candidates.filter(
    ({ id, hidden }) => !hidden && book.cells.some((cell) => cell.candidateId === id),
  );
  const candidates = isBlind ? known.toSorted((a, b) => a.title.localeCompare(b.title)) : known;
  const place = new Map(candidates.map(({ id }, i) => [id, i]));
  const inOrder = <Row extends { candidateId: string }>(rows: readonly Row[]) =>
    rows
      .filter(({ candidateId }) => place.has(candidateId))
      .toSorted((a, b) => (place.get(a.candidateId) ?? 0) - (place.get(b.candidateId) ?? 0));
  return {
    schema: REPORT_SCHEMA,
    title: source.title,
    writtenAt: source.writtenAt,
    isBlind,
    parts: wanted,
    versions: source.versions,
    passages: book.passages.map(({ title }) => title),
    candidates: candidates.map(({ id, title, kind }) => {
      const about = source.candidates.find((c) => c.id === id);
      return {
        name: title,
        isDry: book.cells.every((cell) => cell.candidateId !== id || cell.isDry),
        kind: isBlind ? "" : kind,
        version: isBlind ? "" : (about?.version ?? ""),
        summary: has("settings") ? (about?.summary ?? "") : "",
        settings: has("settings") ? [...(about?.settings ?? [])] : [],
        bench: has("settings") ? (about?.bench ? benchSentences(about.bench) : []) : [],
        benchFigures: has("settings") && about?.bench ? figuresOnly(about.bench) : null,
      };
    }),
    claims: has("sentences") || has("runs") ? claimsSummary(book) : "",
    sentences: has("sentences")
      ? familySentences(book).map(({ kind, says }) => ({ family: isBlind ? "candidates" : FAMILY_WORDS[kind], says }))
      : [],
    verdicts: has("verdicts")
      ? verdictRows(
          book,
          candidates.map(({ id }) => id),
          isBlind,
        )
      : [],
    contradictions: has("contradictions")
      ? contradictionsIn(book).map(({ passageId, says }) => ({ passage: book.passageTitleOf(passageId), says }))
      : [],
    runs: has("runs")
      ? book.runs.filter((run) => run.finishedAt !== null).map((run) => reportRun(book, run, isBlind))
      : [],
    renders:
      has("figures") || has("pictures")
        ? book.passages.flatMap(({ id, title }) =>
            inOrder(source.renders.filter((r) => r.passageId === id)).map(
              ({ passageId: _, candidateId, ...figures }) => ({
                passage: title,
                candidate: book.titleOf(candidateId),
                ...figures,
                ...againstDryOf(book, id, candidateId),
                // A file's own form would tell who is who where they differ.
                encoding: isBlind ? "" : figures.encoding,
              }),
            ),
          )
        : [],
    notes: has("notes") ? notesOf(book, source) : [],
    method: has("method") ? methodOf(source, book.runs, isBlind) : [],
  };
}

function againstDryOf(book: OpenBook, passageId: string, candidateId: string): AgainstDry {
  const facts = cellOf(book, passageId, candidateId);
  return {
    nullDb: facts?.nullDb ?? null,
    identical: facts?.identical ?? "no",
    apart: facts?.dryDifference?.sentence ?? null,
  };
}

function verdictRows(book: OpenBook, candidateIds: readonly string[], isBlind: boolean): Report["verdicts"] {
  const places = [null, ...book.passages.map(({ id }) => id)];
  return candidateIds.flatMap((candidateId) =>
    places.flatMap((passageId) => {
      const finding = book.findings.find((f) => f.passageId === passageId && f.candidateId === candidateId);
      const known = passageId === null ? [] : evidenceFor(book, passageId, candidateId);
      if (!finding && known.length === 0) return [];
      const own = (text: string | undefined) => (isBlind ? "" : (text ?? ""));
      return [
        {
          passage: passageId === null ? null : book.passageTitleOf(passageId),
          candidate: book.titleOf(candidateId),
          verdict: finding?.verdict ?? null,
          good: own(finding?.good),
          bad: own(finding?.bad),
          price: own(finding?.price),
          effort: own(finding?.effort),
          known: known.map(({ how, says, score, listeners }) => ({ how, says, score, listeners })),
        },
      ];
    }),
  );
}

function reportRun(book: OpenBook, run: Run, isBlind: boolean): ReportRun {
  const { plan, stimuli, result, region, sampleRateHz, match, overruled, opened, trials } = run;
  const names = stimuli.map(({ title }) => title);
  const verdict = result
    ? runVerdict(plan, result, names, flawsOf(run))
    : { headline: "Kept and still sealed.", detail: "" };
  const above = aboveHearingSentence(run.above, run.listener);
  return {
    at: run.finishedAt ?? run.createdAt,
    form: plan.kind,
    passage: book.passageTitleOf(run.passageId),
    names,
    listener: [run.listener?.code, run.listener?.equipment, run.listener?.room].filter(Boolean).join(", "),
    headline: verdict.headline,
    detail: [verdict.detail, above].filter(Boolean).join(" "),
    trials: trialCount(plan, stimuli.length),
    fromSeconds: region.startFrame / sampleRateHz,
    toSeconds: region.endFrame / sampleRateHz,
    matchMethod: match.method,
    edge: match.edgeLu,
    left: match.remainingLu,
    unit: METHOD_UNITS[match.method].difference,
    overruled: overruled.map(({ name, said }) => (isBlind ? `${name} check` : said)),
    sealDigest: run.sealDigest,
    answers: opened ? trials.map((trial, i) => answerOf(run, opened.order[i], trial)) : [],
  };
}

function answerOf(
  { plan }: Run,
  seats: readonly number[],
  { answer }: Run["trials"][number],
): ReportRun["answers"][number] {
  if ("missed" in answer) return "missed";
  if ("side" in answer) return seats[1] === (answer.side === "A" ? 0 : 1) ? "right" : "wrong";
  if ("said" in answer && plan.kind === "same-different")
    return (seats[0] === seats[1] ? "same" : "different") === answer.said ? "right" : "wrong";
  return "other";
}

function notesOf(book: OpenBook, { notes, moments }: ReportSource): Report["notes"] {
  return [
    ...notes.map(({ runId, text }) => {
      const run = book.runs.find(({ id }) => id === runId);
      return { about: run ? `the run on ${book.passageTitleOf(run.passageId)}` : "the comparison", text };
    }),
    ...moments.map(({ passageId, candidateId, seconds, words }) => ({
      about: `${book.passageTitleOf(passageId)} at ${seconds.toFixed(1)} s, ${candidateId ? book.titleOf(candidateId) : "the difference"}`,
      text: words,
    })),
  ];
}

/** How the figures and the odds were come by, in sentences. */
function methodOf({ renders }: ReportSource, runs: readonly Run[], isBlind: boolean): string[] {
  const methods = [...new Set([...renders.map(({ match }) => match.method), ...runs.map(({ match }) => match.method)])];
  return methodSentences(methods, isBlind);
}
