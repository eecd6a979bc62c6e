import type { Trial } from "../blind/answer";
import { digestOf, hexOf } from "../blind/digest";
import { drawOrder, type Order } from "../blind/order";
import { type Plan, planRightOrWrong, planSchema, trialCount } from "../blind/plan";
import { type Role, scoreRun } from "../blind/result";
import { chainOf, type Run, rolesOf, type Stimulus, sealText } from "../blind/run";
import { SIGNING, signedBytes } from "../blind/signature";

/** Bytes from a source of numbers, for orders that are the same at every run of a test. */
export const bytesFrom =
  (random: () => number) =>
  (count: number): Uint8Array =>
    Uint8Array.from({ length: count }, () => Math.floor(256 * random()));

export const abxPlan = (trials: number) => planRightOrWrong({ kind: "abx", trials });
export const favouritePlan = (rounds: number, ties = false) =>
  planSchema.parse({ kind: "favourite", rounds, ties }) as Extract<Plan, { kind: "favourite" }>;
export const pairsPlan = (rounds: number, ties = false) => planSchema.parse({ kind: "pairs", rounds, ties });
export const ratingPlan = (rounds: number) => planSchema.parse({ kind: "rating", rounds, scale: "0 to 100" });

export const stimulus = (title: string, role: Role = "candidate"): Stimulus => ({
  title,
  role,
  renderId: `render ${title}`,
  audioHash: `hash ${title}`,
  fileName: `${title}.wav`,
  placement: { delaySamples: 0, driftPpm: 0, polarity: { left: 1, right: 1 }, swapped: false },
  gainDb: -1.5,
});

/** What a listener says in a trial, from the seats as they are. */
export type Listening = (seats: readonly number[], trial: number) => Trial["answer"];

const at = (second: number): string => new Date(Date.UTC(2026, 10, 26, 12, 0, second)).toISOString();

/** A whole run, as it is kept when it is over; `taken` trials of it where it was left. */
export async function finishedRun(
  plan: Plan,
  stimuli: readonly Stimulus[],
  listen: Listening,
  options: { random: () => number; id?: string; code?: string; taken?: number; packId?: string },
): Promise<Run> {
  const { random, id = "run-1", code = "", packId = null } = options;
  const order: Order = drawOrder(plan, stimuli.length, bytesFrom(random));
  const taken = options.taken ?? trialCount(plan, stimuli.length);
  const fixed = {
    id,
    plan,
    stimuli: [...stimuli],
    region: { startFrame: 480, endFrame: 96_480 },
    sampleRateHz: 48_000,
    sealForm: 3 as const,
    passageTitle: "Crossing theme",
    reference: null,
    match: { over: "passage", method: "integrated", edgeLu: 1, remainingLu: 0.02 } as Run["match"],
    overruled: [],
    packId,
  };
  const trials = order.slice(0, taken).map((seats, i) => ({
    answer: listen(seats, i),
    answeredAt: at(10 * (i + 1)),
    listeningSeconds: 5,
    loop: null,
  }));
  const saltHex = "00112233445566778899aabbccddeeff";
  return {
    ...fixed,
    comparisonId: "comparison",
    passageId: "passage",
    dryRenderId: "dry",
    listener: code ? { code, equipment: "", room: "", highestHz: null, unheardHz: null } : null,
    above: null,
    sealDigest: await digestOf(sealText(fixed, saltHex, order)),
    trained: { taken: 0, right: 0 },
    createdAt: at(0),
    finishedAt: at(3000),
    trials,
    result: scoreRun(plan, rolesOf(fixed), order, trials),
    opened: { order, saltHex },
  };
}

/** A run as a browser with a key of its own signs it, by Node's Web Cryptography. */
export async function signed(run: Run): Promise<Run> {
  const { privateKey, publicKey } = await crypto.subtle.generateKey(SIGNING, true, ["sign", "verify"]);
  const value = await crypto.subtle.sign(SIGNING, privateKey, signedBytes(await chainOf(run)));
  const hex = (bytes: ArrayBuffer) => hexOf(new Uint8Array(bytes));
  return {
    ...run,
    signature: { publicKeyHex: hex(await crypto.subtle.exportKey("raw", publicKey)), valueHex: hex(value) },
  };
}

/** Hears which X is in the share `ability` of trials beyond guessing: right with chance `ability`. */
export const abxListener =
  (ability: number, random: () => number): Listening =>
  (seats) => {
    const right = random() < ability;
    return { side: (seats[1] === 0) === right ? "A" : "B" };
  };
