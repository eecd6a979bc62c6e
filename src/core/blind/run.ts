import { z } from "zod";
import { placementSchema } from "../alignment/alignment";
import { regionSchema } from "../audio/region";
import { MATCH_METHODS } from "../matching/match-passage";
import { trialSchema } from "./answer";
import { canonicalJson } from "./canonical";
import { CHECK_NAMES } from "./checks";
import { digestOf } from "./digest";
import { type Order, orderSchema } from "./order";
import { planSchema } from "./plan";
import { ROLES, resultSchema } from "./result";
import { signatureSchema } from "./signature";

const id = z.string().min(1);
const isoTime = z.iso.datetime();

/** What can be heard in a run. In right-or-wrong forms the first is A, Here, and the second B, Yonder. */
export const stimulusSchema = z.object({
  title: z.string(),
  role: z.enum(ROLES),
  renderId: z.string(),
  audioHash: z.string(),
  fileName: z.string(),
  /** What brought it aligned when the run was planned; absent in runs of the earliest versions and where the audio is laid already. */
  placement: placementSchema.optional(),
  /** The gain of the match. */
  gainDb: z.number(),
});
export type Stimulus = z.infer<typeof stimulusSchema>;

/** How the stimuli were brought to one level, as it was when the run was planned. */
export const runMatchSchema = z.object({
  over: z.enum(["passage", "loop"]),
  method: z.enum(MATCH_METHODS),
  /** How far the loudest was over the quietest before matching; in pairs, Yonder over Here. */
  edgeLu: z.number().nullable(),
  /** The same after matching, measured over the run's own region. */
  remainingLu: z.number().nullable(),
});
export type RunMatch = z.infer<typeof runMatchSchema>;

export const listenerSchema = z.object({
  code: z.string(),
  equipment: z.string(),
  room: z.string(),
  /** The highest tone heard on this equipment, and the lowest above it that was not; null where that is not known. */
  highestHz: z.number().nullable().default(null),
  unheardHz: z.number().nullable().default(null),
});
export type Listener = z.infer<typeof listenerSchema>;

/** The share of the difference's energy above a frequency. */
export const shareAboveSchema = z.object({ hertz: z.number(), share: z.number() });
export type ShareAbove = z.infer<typeof shareAboveSchema>;

/** Checks that did not pass and were overruled. */
export const overruledSchema = z.array(z.object({ name: z.enum(CHECK_NAMES), said: z.string() }));

export const runSchema = z.object({
  id,
  comparisonId: z.string(),
  passageId: z.string(),
  passageTitle: z.string(),
  /** What all were put aligned with; the region counts its frames, whatever is called dry later on. */
  dryRenderId: z.string(),
  stimuli: z.array(stimulusSchema).min(2),
  /** Heard openly beside the others in rating rounds; a copy of it is hidden among them. */
  reference: stimulusSchema.nullable(),
  region: regionSchema,
  sampleRateHz: z.number().int(),
  plan: planSchema,
  match: runMatchSchema,
  overruled: overruledSchema,
  listener: listenerSchema.nullable(),
  /** Where the difference of two lies; null in other forms and where it is not known. */
  above: z.array(shareAboveSchema).nullable(),
  /** The listening pack it was taken from. */
  packId: z.string().nullable(),
  /** 1: of the order alone, as in the earliest versions; 2: of plan, audio and order; 3: of titles, match and overruled checks, too. */
  sealForm: z.union([z.literal(1), z.literal(2), z.literal(3)]),
  /** SHA-256 of what is sealed, fixed before the first trial. */
  sealDigest: z.string(),
  /** Training trials taken, and how many of them were right; never counted. */
  trained: z.object({ taken: z.number().int(), right: z.number().int() }),
  createdAt: isoTime,
  finishedAt: isoTime.nullable(),
  trials: z.array(trialSchema),
  result: resultSchema.nullable(),
  /** The order and salt, in the open once the run (or the series it belongs to) has ended. */
  opened: z.object({ order: orderSchema, saltHex: z.string() }).nullable(),
  /** Of the chain from the seal over all answers, made when the run ended; absent in earlier versions and where the browser has no key. */
  signature: signatureSchema.optional(),
});
export type Run = z.infer<typeof runSchema>;

type Sealed = Pick<
  Run,
  | "id"
  | "plan"
  | "passageTitle"
  | "stimuli"
  | "reference"
  | "region"
  | "sampleRateHz"
  | "match"
  | "overruled"
  | "packId"
  | "sealForm"
>;

/** A stimulus as it is sealed. What a pack's names stand for is known only where it was made, and not sealed here. */
const sealedStimulus = ({ title, role, audioHash, gainDb, placement }: Stimulus, isNamed: boolean) => ({
  ...(isNamed ? { title, role } : {}),
  audioHash,
  gainDb,
  placement,
});

/** What the digest of a run is made of, as text that anyone can hash again with SHA-256. */
export function sealText(run: Sealed, saltHex: string, order: Order): string {
  const { id: runId, plan, region, sampleRateHz, sealForm } = run;
  // The earliest form sealed X alone.
  if (sealForm === 1)
    return ["yonder-pair/seal@1", runId, saltHex, order.map((seats) => (seats[1] === 0 ? "A" : "B")).join("")].join(
      "\n",
    );
  if (sealForm === 3) {
    const isNamed = run.packId === null;
    const fixed = {
      ...{ runId, plan, region, sampleRateHz, order },
      stimuli: run.stimuli.map((stimulus) => sealedStimulus(stimulus, isNamed)),
      reference: run.reference && sealedStimulus(run.reference, isNamed),
      ...(isNamed ? { passageTitle: run.passageTitle, match: run.match, overruled: run.overruled } : {}),
    };
    return ["yonder-pair/seal@3", saltHex, canonicalJson(fixed)].join("\n");
  }
  const stimuli = run.stimuli.map(({ audioHash, gainDb, placement }) => ({ audioHash, gainDb, placement }));
  return ["yonder-pair/seal@2", saltHex, canonicalJson({ runId, plan, stimuli, region, sampleRateHz, order })].join(
    "\n",
  );
}

/**
 * The end of a chain of SHA-256 from a run's seal over each answer, in order, to who answered and when. Whoever knows it can tell whether plan,
 * titles, audio, order or an answer was changed; what is worked out of these is not in it.
 */
export async function chainOf(run: Run): Promise<string> {
  const { id: runId, sealDigest, trials, createdAt, finishedAt, trained, listener } = run;
  let chain = await digestOf(`yonder-pair/chain@1\n${sealDigest}`);
  for (const trial of trials) chain = await digestOf(`${chain}\n${canonicalJson(trial)}`);
  return digestOf(`${chain}\n${canonicalJson({ runId, createdAt, finishedAt, trained, listener })}`);
}

export const rolesOf = ({ stimuli }: Pick<Run, "stimuli">) => stimuli.map(({ role }) => role);
