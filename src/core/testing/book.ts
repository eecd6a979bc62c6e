import type { Finding, SightedVerdict } from "../archive/rows";
import { seededRandom } from "../audio/random";
import { planSchema } from "../blind/plan";
import type { Run } from "../blind/run";
import { type Book, type CellFacts, openBook } from "../findings/book";
import { abxPlan, finishedRun, type Listening, stimulus } from "./runs";

// A comparison of two passages by four candidates, to be filled with what was heard.

export const DRY = "Dry";
export const NAMES = ["Dry", "Bus", "Drive", "Limit"] as const;
const KINDS = { Dry: "other", Bus: "compressor", Drive: "saturator", Limit: "compressor" } as const;
const PASSAGES = ["Chime", "Voice"] as const;

/** A render's id, as stimuli of tests name it, distinguished by passage. */
export const renderId = (passage: string, candidate: string): string => `${passage}: render ${candidate}`;

const cell = (passageId: string, candidateId: string): CellFacts => ({
  passageId,
  candidateId,
  renderId: renderId(passageId, candidateId),
  isDry: candidateId === DRY,
  levelOffset: { value: candidateId === DRY ? 0 : 1.2, unit: "LU" },
  nullDb: -20,
  identical: "no",
  dryDifference: undefined,
  dynamics: null,
});

/** The book of such a comparison, with some of it otherwise. */
export function bookOf(change: Partial<Book> = {}) {
  const book: Book = {
    passages: PASSAGES.map((id) => ({ id, title: id, dryRenderId: renderId(id, DRY) })),
    candidates: NAMES.map((id) => ({ id, title: id, kind: KINDS[id], hidden: false })),
    cells: PASSAGES.flatMap((passage) => NAMES.map((name) => cell(passage, name))),
    pairs: [],
    runs: [],
    sighted: [],
    findings: [],
    bench: new Map(),
    ...change,
  };
  return openBook(book, ({ renderId: id, role }) => (role === "anchor" ? null : id.replace("render ", "")));
}

const AT = "2026-11-26T12:30:00.000Z";

export const sightedFor = (
  passageId: string,
  name: string | null,
  change: Partial<SightedVerdict> = {},
): SightedVerdict => ({
  id: `sighted ${passageId} ${name}`,
  comparisonId: "comparison",
  passageId,
  renderId: name && renderId(passageId, name),
  sure: 70,
  why: "",
  heard: [],
  createdAt: AT,
  ...change,
});

export const findingFor = (passageId: string | null, candidateId: string, verdict: Finding["verdict"]): Finding => ({
  id: `finding ${passageId} ${candidateId}`,
  comparisonId: "comparison",
  passageId,
  candidateId,
  verdict,
  good: "",
  bad: "",
  price: "",
  effort: "",
  updatedAt: AT,
});

type RunOptions = { id: string; passageId?: string; code?: string; taken?: number; change?: Partial<Run> };

/** An ABX run between two, with so many of its first answers right. */
export async function abxBetween(names: readonly [string, string], trials: number, right: number, options: RunOptions) {
  const listen: Listening = (seats, trial) => ({ side: (seats[1] === 0) === trial < right ? "A" : "B" });
  return runOver(abxPlan(trials), names, listen, options);
}

/** Rounds over some, the first so many of which went to one of them and the rest to the next one. */
export async function favouriteAmong(
  names: readonly string[],
  rounds: number,
  favourite: string,
  times: number,
  options: RunOptions,
) {
  const first = names.indexOf(favourite);
  const listen: Listening = (seats, trial) => ({
    picked: [seats.indexOf(trial < times ? first : (first + 1 + (trial % (names.length - 1))) % names.length)],
  });
  return runOver(planSchema.parse({ kind: "favourite", rounds, ties: false }), names, listen, options);
}

async function runOver(
  plan: Run["plan"],
  names: readonly string[],
  listen: Listening,
  { id, passageId = "Chime", code = "", taken, change }: RunOptions,
): Promise<Run> {
  const stimuli = names.map((name) => stimulus(name));
  const run = await finishedRun(plan, stimuli, listen, { random: seededRandom(7), id, code, taken });
  return { ...run, passageId, passageTitle: passageId, ...change };
}
