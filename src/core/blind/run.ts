import { z } from "zod";
import { placementSchema } from "../alignment/alignment";
import { regionSchema } from "../audio/region";
import { MATCH_METHODS } from "../matching/match-passage";
import { trialSchema } from "./answer";
import { canonicalJson } from "./canonical";
import { CHECK_NAMES } from "./checks";
import { type Order, orderSchema } from "./order";
import { planSchema } from "./plan";
import { ROLES, resultSchema } from "./result";

const id = z.string().min(1);
const isoTime = z.iso.datetime();

/** What can be heard in a run. In right-or-wrong forms the first is A, Here, and the second B, Yonder. */
export const stimulusSchema = z.object({
  title: z.string(),
  role: z.enum(ROLES),
  renderId: z.string(),
  audioHash: z.string(),
  fileName: z.string(),
  /** What brought it in step when the run was planned; absent in runs of the earliest versions and where the audio is laid already. */
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
  /** What all were put in step with; the region counts its frames, whatever is called dry later on. */
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
  /** 1: of the order alone, as in the earliest versions; 2: of all that is fixed beforehand. */
  sealForm: z.union([z.literal(1), z.literal(2)]),
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
});
export type Run = z.infer<typeof runSchema>;

type Sealed = Pick<Run, "id" | "plan" | "stimuli" | "region" | "sampleRateHz" | "sealForm">;

/** What the digest of a run is made of, as text that anyone can hash again with SHA-256. */
export function sealText(run: Sealed, saltHex: string, order: Order): string {
  const { id: runId, plan, region, sampleRateHz, sealForm } = run;
  // The earliest form sealed X alone.
  if (sealForm === 1)
    return ["yonder-pair/seal@1", runId, saltHex, order.map((seats) => (seats[1] === 0 ? "A" : "B")).join("")].join(
      "\n",
    );
  // What is heard, not what it is called: a pack's names are meaningless until its results are back.
  const stimuli = run.stimuli.map(({ audioHash, gainDb, placement }) => ({ audioHash, gainDb, placement }));
  return ["yonder-pair/seal@2", saltHex, canonicalJson({ runId, plan, stimuli, region, sampleRateHz, order })].join(
    "\n",
  );
}

export const rolesOf = ({ stimuli }: Pick<Run, "stimuli">) => stimuli.map(({ role }) => role);
