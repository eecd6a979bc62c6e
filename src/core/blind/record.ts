import { z } from "zod";
import { fail, type Outcome, succeed } from "../outcome";
import { answerFits } from "./answer";
import { canonicalJson } from "./canonical";
import type { Commitment } from "./commitment";
import { digestOf } from "./digest";
import { fewestRight } from "./odds";
import { orderFits } from "./order";
import { isRightOrWrong, SIGNIFICANCE_LEVEL, trialCount } from "./plan";
import { scoreRun } from "./result";
import { chainOf, type Run, rolesOf, runSchema, sealText } from "./run";
import { fingerprintOf, signatureHolds } from "./signature";

export const RECORD_SCHEMA = "yonder-pair/run@1";

/** One run as a file: all of it, a digest over it, and a stamp where it answers a listening pack of the first version. */
export const recordSchema = z.object({
  schema: z.literal(RECORD_SCHEMA),
  run: runSchema,
  /** SHA-256 of the run as canonical JSON. */
  digest: z.string(),
  /** HMAC-SHA-256 of the same under the pack's key; null for runs of one's own. */
  stamp: z.string().nullable(),
});
export type RunRecord = z.infer<typeof recordSchema>;

export const CHECKED = ["content", "seal", "signature", "commitment", "order", "answers", "times", "result"] as const;

/** `holds` is null where it cannot be reported. */
export type RecordCheck = { name: (typeof CHECKED)[number]; holds: boolean | null; said: string };

export type CheckedRecord = { record: RunRecord; checks: RecordCheck[]; holds: boolean };

/** The record in a file's text; refused in words where it is none. */
export function readRecord(fileName: string, text: string, advice: string): Outcome<RunRecord> {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    return fail(`${fileName} is not a run record: it is not JSON.`, advice);
  }
  const parsed = recordSchema.safeParse(json);
  return parsed.success
    ? succeed(parsed.data)
    : fail(`${fileName} is not a run record, or has an unknown version (${RECORD_SCHEMA}).`, advice);
}

/** What is kept of a run when it goes out as a file. */
export async function recordOf(run: Run, stamp: string | null = null): Promise<RunRecord> {
  return { schema: RECORD_SCHEMA, run, digest: await digestOf(canonicalJson(run)), stamp };
}

/** Whether an opened order is the one that was sealed before the first trial; null while it is still sealed. */
export async function sealHolds(run: Run): Promise<boolean | null> {
  if (!run.opened) return null;
  return (await digestOf(sealText(run, run.opened.saltHex, run.opened.order))) === run.sealDigest;
}

function answersCheck({ plan, stimuli, trials, opened }: Run): RecordCheck {
  const planned = trialCount(plan, stimuli.length);
  const fit =
    trials.length <= planned &&
    trials.every(({ answer }, i) => answerFits(plan, opened?.order[i]?.length ?? stimuli.length, answer));
  const needed = !isRightOrWrong(plan) || plan.rightNeeded === fewestRight(plan.trials, SIGNIFICANCE_LEVEL);
  return {
    name: "answers",
    holds: fit && needed,
    said: !fit
      ? "Some answers do not fit the plan."
      : needed
        ? `${trials.length} of ${planned} planned answers, all fit the plan.`
        : "Its pass mark is not the one that guessing reaches in at most 5 % of runs.",
  };
}

function timesCheck({ createdAt, finishedAt, trials }: Run): RecordCheck {
  const times = [createdAt, ...trials.map((t) => t.answeredAt), ...(finishedAt ? [finishedAt] : [])];
  const inOrder = times.every((time, i) => i === 0 || Date.parse(time) >= Date.parse(times[i - 1]));
  return {
    name: "times",
    holds: inOrder,
    said: inOrder ? "Sealed before the first answer, by the times in it." : "Answer times are out of order.",
  };
}

/** Figures that went through JSON and back, or were worked out by another host's statistics. */
function isClose(a: unknown, b: unknown): boolean {
  if (typeof a === "number" && typeof b === "number") return Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(a));
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return a === b;
  const keys = new Set([...Object.keys(a), ...Object.keys(b)]);
  return [...keys].every((key) => isClose((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key]));
}

/** Whether the run is as the browser that it was taken in signed it. */
async function signatureCheck(run: Run): Promise<RecordCheck> {
  const name = "signature";
  const { signature } = run;
  if (!signature) return { name, holds: null, said: "Not signed: changes after the run are not excluded." };
  const holds = await signatureHolds(await chainOf(run), signature);
  const device = await fingerprintOf(signature.publicKeyHex);
  if (holds === null) return { name, holds, said: "Signed; checking it needs HTTPS or localhost." };
  return {
    name,
    holds,
    said: holds
      ? `Plan, titles, audio and answers are as device ${device} signed them. The owner of the device is not proven.`
      : `Plan, titles, audio or answers are not what device ${device} signed.`,
  };
}

/** Whether the run is the one that was committed to before its first trial. */
async function commitmentCheck(run: Run, commitment: Commitment | null): Promise<RecordCheck> {
  const name = "commitment";
  if (!commitment)
    return {
      name,
      holds: null,
      said: "No commitment given: the seal is not proven to be older than the answers.",
    };
  if (commitment.sealDigest !== run.sealDigest)
    return { name, holds: false, said: "Its seal differs from the one handed over." };
  const device = run.signature ? await fingerprintOf(run.signature.publicKeyHex) : null;
  if (commitment.device !== null && commitment.device !== device)
    return { name, holds: false, said: "Signed by another device than the one named with the seal." };
  return {
    name,
    holds: true,
    said: `Its seal${commitment.device ? " and its device match those" : " matches that"} handed over: order, plan and audio were fixed by then.`,
  };
}

/**
 * Checks a run with nothing but itself, and a commitment where there is one: content, seal, signature, order, answers, times, result. What each
 * check says is all that it proves.
 */
export async function checkRecord(record: RunRecord, commitment: Commitment | null = null): Promise<CheckedRecord> {
  const { run, digest } = record;
  const untouched = (await digestOf(canonicalJson(run))) === digest;
  const sealed = await sealHolds(run);
  const { plan, stimuli, opened, result, trials } = run;
  const fits = opened ? orderFits(plan, stimuli.length, opened.order) : null;
  const answers = answersCheck(run);
  const again = opened && fits && answers.holds ? scoreRun(plan, rolesOf(run), opened.order, trials) : null;
  const holdsResult = opened === null ? null : again !== null && isClose(again, result);
  const still = "The order is still sealed.";
  const told = (holds: boolean | null, yes: string, no: string) => (holds === null ? still : holds ? yes : no);
  const checks: RecordCheck[] = [
    {
      name: "content",
      holds: untouched,
      said: untouched
        ? "Its digest matches: no accidental change. An editor could recompute the digest."
        : "It was changed after saving.",
    },
    {
      name: "seal",
      holds: sealed,
      said: told(
        sealed,
        `Order, plan${run.sealForm === 3 && run.packId === null ? ", titles" : ""} and audio match its seal.`,
        "The opened order, plan, titles or audio do not match the seal.",
      ),
    },
    await signatureCheck(run),
    await commitmentCheck(run, commitment),
    {
      name: "order",
      holds: fits,
      said: told(fits, "The order is possible under the plan.", "The order is impossible under the plan."),
    },
    answers,
    timesCheck(run),
    {
      name: "result",
      holds: holdsResult,
      said: told(
        holdsResult,
        "Recomputed from order and answers: same result.",
        "Recomputed from order and answers: another result.",
      ),
    },
  ];
  return { record, checks, holds: checks.every(({ holds }) => holds !== false) };
}

/** The first thing that speaks against a record; null where it holds. */
export const faultOf = ({ checks }: CheckedRecord): string | null =>
  checks.find(({ holds }) => holds === false)?.said ?? null;
