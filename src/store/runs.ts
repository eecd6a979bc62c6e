import type { Answer, Trial } from "@/core/blind/answer";
import { digestOf, hexOf } from "@/core/blind/digest";
import { drawOrder } from "@/core/blind/order";
import { isRightOrWrong, trialCount } from "@/core/blind/plan";
import { type Run, rolesOf, sealText } from "@/core/blind/run";
import { runJob } from "@/workers/jobs";
import { newId, now } from "./comparisons";
import { database } from "./database";
import { signRun } from "./device-key";
import type { Region, Render } from "./records";
import { differenceAbove } from "./stimuli";

const SALT_BYTES = 16;

/** From the platform's cryptographic source. */
export const randomBytes = (count: number): Uint8Array => crypto.getRandomValues(new Uint8Array(count));

/** What is known of a run before its order is drawn. */
export type RunDraft = Omit<
  Run,
  "id" | "sealForm" | "sealDigest" | "trained" | "createdAt" | "finishedAt" | "trials" | "result" | "opened"
>;

/** Draws the whole hidden order from the platform's cryptographic source, seals it and keeps the run, before any trial. */
export async function beginRun(draft: RunDraft): Promise<Run> {
  const saltHex = hexOf(randomBytes(SALT_BYTES));
  const order = drawOrder(draft.plan, draft.stimuli.length, randomBytes);
  const fixed = { ...draft, id: newId(), sealForm: 3 as const };
  const run: Run = {
    ...fixed,
    sealDigest: await digestOf(sealText(fixed, saltHex, order)),
    trained: { taken: 0, right: 0 },
    createdAt: now(),
    finishedAt: null,
    trials: [],
    result: null,
    opened: null,
  };
  await database.transaction("rw", [database.runs, database.seals], async () => {
    await database.seals.add({ runId: run.id, saltHex, order });
    await database.runs.add(run);
  });
  return run;
}

/** Finds where the difference of a run's two lies, and keeps it with the run; nobody waits for it. */
export function tellWhereItLies(run: Run, dry: Render): void {
  if (!isRightOrWrong(run.plan)) return;
  differenceAbove(run.stimuli, dry, run.region)
    .then((above) => database.runs.update(run.id, { above }))
    // It is worth a sentence of the verdict, and no more.
    .catch(() => {});
}

/** What is on each seat in one trial: for the player alone, never for anything that draws. */
export async function hiddenSeats(runId: string, trial: number): Promise<readonly number[]> {
  const seal = await database.seals.get(runId);
  const seats = seal?.order[trial];
  if (!seats) throw new Error("This run's hidden order is no longer in this browser, so it cannot continue.");
  return seats;
}

/** A seating of its own for one training trial: drawn afresh, reported after the answer, never counted. */
export function trainingSeats({ plan, stimuli }: Run): readonly number[] {
  const [seats] = drawOrder(plan, stimuli.length, randomBytes);
  return seats;
}

/** Keeps that a training trial was taken, by its number from 0. */
export async function keepTraining(runId: string, number: number, right: boolean): Promise<void> {
  await database.transaction("rw", database.runs, async () => {
    const run = await database.runs.get(runId);
    if (!run || run.trained.taken !== number) return;
    await database.runs.update(runId, { trained: { taken: number + 1, right: run.trained.right + (right ? 1 : 0) } });
  });
}

/**
 * Keeps the answer to one trial, by its number from 0; the last one planned ends the run. Nothing is said of right or wrong before that. An
 * answer to a trial that has one already changes nothing: two presses in one moment are one answer.
 */
export async function answerTrial(
  runId: string,
  trialNumber: number,
  answer: Answer,
  listeningSeconds: number,
  loop: Region | null = null,
): Promise<void> {
  const opened = await database.transaction("rw", [database.runs, database.seals], async () => {
    const run = await database.runs.get(runId);
    if (!run || run.finishedAt || run.trials.length !== trialNumber) return [];
    const trial: Trial = { answer, answeredAt: now(), listeningSeconds, loop };
    const trials = [...run.trials, trial];
    await database.runs.update(runId, { trials });
    return trials.length >= trialCount(run.plan, run.stimuli.length) ? endRun(runId) : [];
  });
  await afterEnd(runId, opened);
}

/** Signs a run that has ended, and works out what those came to that are open now. */
async function afterEnd(runId: string, opened: readonly string[]): Promise<void> {
  // The answers are kept: neither of these may lose them.
  await Promise.allSettled([signRun(runId), ...opened.map(keepResult)]);
}

/** Ends a run before its last trial: kept, marked as left early, its order opened. */
export async function leaveRun(runId: string): Promise<void> {
  const opened = await database.transaction("rw", [database.runs, database.seals], () => endRun(runId));
  await afterEnd(runId, opened);
}

/** Ends a run and opens what is due. The ids of the runs that are open now. */
async function endRun(runId: string): Promise<string[]> {
  const run = await database.runs.get(runId);
  if (!run || run.finishedAt) return [];
  await database.runs.update(runId, { finishedAt: now() });
  const series = await seriesOf(run);
  // What is judged together is opened together: a score in between would tempt to stop.
  if (!seriesIsWhole(run, series)) return [];
  const due = series.filter(isOver).map(({ id }) => id);
  for (const id of due) await openRun(id);
  return due;
}

const isOver = ({ finishedAt }: Run): boolean => finishedAt !== null;
const wasLeft = (run: Run): boolean => isOver(run) && run.trials.length < trialCount(run.plan, run.stimuli.length);

/** Whether all runs of a series are over, or one was left, after which it can no longer be judged. */
function seriesIsWhole(run: Run, series: readonly Run[]): boolean {
  const planned = isRightOrWrong(run.plan) ? run.plan.series?.runs : undefined;
  return planned === undefined || series.some(wasLeft) || (series.length >= planned && series.every(isOver));
}

/** The runs begun so far of the series a run belongs to, in order; the run alone where it belongs to none. */
export async function seriesOf(run: Run): Promise<Run[]> {
  const seriesId = isRightOrWrong(run.plan) ? run.plan.series?.id : undefined;
  const kept = await database.runs.get(run.id);
  if (!seriesId) return kept ? [kept] : [];
  const all = await database.runs.where({ comparisonId: run.comparisonId }).toArray();
  return all
    .filter(({ plan }) => isRightOrWrong(plan) && plan.series?.id === seriesId)
    .sort((a, b) => a.createdAt.localeCompare(b.createdAt));
}

async function openRun(runId: string): Promise<void> {
  const seal = await database.seals.get(runId);
  if (seal) await database.runs.update(runId, { opened: { order: seal.order, saltHex: seal.saltHex } });
}

/** Works out what an opened run came to and keeps it, where that was not done before. Whoever shows the run asks for it again. */
export async function keepResult(runId: string): Promise<void> {
  const run = await database.runs.get(runId);
  if (!run?.opened || run.result) return;
  const { plan, opened, trials } = run;
  const request = { plan, roles: rolesOf(run), order: opened.order, trials };
  const result = await runJob("score", request, { title: "Computing p", quiet: true, rank: "urgent" });
  await database.runs.update(runId, { result });
}

/** What a run is over, whichever way round it stood. */
export const contentOf = (stimuli: readonly { audioHash: string }[]): string =>
  stimuli
    .map((s) => s.audioHash)
    .sort()
    .join();

/** Whether two runs ask whether one pair can be reported, on one passage, in whatever form. */
const isSamePair = (a: Run, b: Run): boolean =>
  isRightOrWrong(a.plan) &&
  isRightOrWrong(b.plan) &&
  a.passageId === b.passageId &&
  contentOf(a.stimuli) === contentOf(b.stimuli);

/**
 * The runs of a run's pair that were begun up to it, itself included, oldest first: which one it is, and what each asked for. Runs of a pack
 * are other people's, and are reported of together.
 */
export async function runsUpTo(run: Run): Promise<Run[]> {
  if (run.packId !== null) return [run];
  const all = await database.runs.where({ comparisonId: run.comparisonId }).toArray();
  return all
    .filter((other) => other.packId === null && isSamePair(other, run) && other.createdAt <= run.createdAt)
    .sort((a, b) => a.createdAt.localeCompare(b.createdAt));
}
