import { type AbxSide, orderFromBytes, planAbx, scoreAbx, sealText } from "@/core/blind/abx";
import { newId, now } from "./comparisons";
import { database } from "./database";
import type { Run, RunMatch, Trial } from "./records";

const SALT_BYTES = 16;

const hexOf = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");

/** SHA-256 of a text, as 64 hexadecimal digits. */
export async function digestOf(text: string): Promise<string> {
  return hexOf(new Uint8Array(await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text))));
}

type Draft = Pick<
  Run,
  "comparisonId" | "passageId" | "passageTitle" | "dryRenderId" | "here" | "yonder" | "region" | "sampleRateHz"
> & {
  trials: number;
  match: RunMatch;
};

/** Draws the hidden order from the platform's cryptographic source, seals it and keeps the run, before any trial. */
export async function beginRun({ trials, ...draft }: Draft): Promise<Run> {
  const id = newId();
  const saltHex = hexOf(crypto.getRandomValues(new Uint8Array(SALT_BYTES)));
  const order = orderFromBytes(crypto.getRandomValues(new Uint8Array(trials)));
  const run: Run = {
    ...draft,
    id,
    plan: planAbx(trials),
    sealDigest: await digestOf(sealText(id, saltHex, order)),
    createdAt: now(),
    finishedAt: null,
    trials: [],
    result: null,
    opened: null,
  };
  await database.transaction("rw", [database.runs, database.seals], async () => {
    await database.seals.add({ runId: id, saltHex, order });
    await database.runs.add(run);
  });
  return run;
}

/** Which side X is in one trial: for the player alone, never for anything that draws. */
export async function hiddenSide(runId: string, trial: number): Promise<AbxSide> {
  const seal = await database.seals.get(runId);
  const side = seal?.order[trial];
  if (!side) throw new Error("This run's hidden order is gone from this browser, so it cannot go on.");
  return side;
}

/**
 * Keeps the answer to one trial, by its number from 0; the last one planned ends the run. Nothing is said of right or wrong before that. An
 * answer to a trial that has one already changes nothing: two presses in one moment are one answer.
 */
export async function answerTrial(
  runId: string,
  trialNumber: number,
  answer: AbxSide,
  listeningSeconds: number,
): Promise<void> {
  await database.transaction("rw", [database.runs, database.seals], async () => {
    const run = await database.runs.get(runId);
    if (!run || run.finishedAt || run.trials.length !== trialNumber) return;
    const trial: Trial = { answer, answeredAt: now(), listeningSeconds };
    const trials = [...run.trials, trial];
    await database.runs.update(runId, { trials });
    if (trials.length >= run.plan.trials) await endRun(runId);
  });
}

/** Ends a run before its last trial: kept, marked as left early, its order opened. */
export async function leaveRun(runId: string): Promise<void> {
  await database.transaction("rw", [database.runs, database.seals], () => endRun(runId));
}

async function endRun(runId: string): Promise<void> {
  const run = await database.runs.get(runId);
  const seal = await database.seals.get(runId);
  if (!run || !seal || run.finishedAt) return;
  const answers = run.trials.map((t) => t.answer);
  await database.runs.update(runId, {
    finishedAt: now(),
    result: scoreAbx(run.plan, seal.order, answers),
    opened: { order: seal.order, saltHex: seal.saltHex },
  });
}

/** Whether two runs are of one pair on one passage, whichever way round it stood. */
function isSamePair(a: Run, b: Run): boolean {
  const sides = ({ here, yonder }: Run) => [here.audioHash, yonder.audioHash].sort().join();
  return a.passageId === b.passageId && sides(a) === sides(b);
}

/** The runs of a run's pair that were begun up to it, itself included, oldest first: which one it is, and what each asked for. */
export async function runsUpTo(run: Run): Promise<Run[]> {
  const all = await database.runs.where({ comparisonId: run.comparisonId }).toArray();
  return all
    .filter((other) => isSamePair(other, run) && other.createdAt <= run.createdAt)
    .sort((a, b) => a.createdAt.localeCompare(b.createdAt));
}

/** Whether an ended run's opened order is the one that was sealed before its first trial. */
export async function sealHolds(run: Run): Promise<boolean> {
  if (!run.opened) return false;
  return (await digestOf(sealText(run.id, run.opened.saltHex, run.opened.order))) === run.sealDigest;
}
