import { z } from "zod";
import { fail, type Outcome, succeed } from "../outcome";
import { canonicalJson } from "./canonical";
import { digestOf, stampOf } from "./digest";
import { planSchema } from "./plan";
import { checkRecord, faultOf, readRecord } from "./record";
import { overruledSchema, type Run, runMatchSchema, type Stimulus, shareAboveSchema, stimulusSchema } from "./run";

export const PACK_SCHEMA = "yonder-pair/pack@2";
const FIRST_PACK_SCHEMA = "yonder-pair/pack@1";
/** The file of a pack that says what is in it. */
export const PACK_MANIFEST = "pack.json";

/** Means nothing. */
const nameSchema = z.string().regex(/^[0-9a-f]{8}$/);
const audioSchema = z.object({
  name: nameSchema,
  /** The content of its file, as kept audio is known by. */
  audioHash: z.string().min(1),
});

/** A pack as it is kept: the plan, and matched audio under names that mean nothing. */
export const manifestSchema = z.object({
  schema: z.enum([FIRST_PACK_SCHEMA, PACK_SCHEMA]),
  packId: z.string().min(1),
  title: z.string(),
  madeAt: z.iso.datetime(),
  plan: planSchema,
  sampleRateHz: z.number().int().positive(),
  /** Of each file. */
  frames: z.number().int().positive(),
  stimuli: z.array(audioSchema).min(2),
  /** Heard openly in rating rounds. */
  reference: audioSchema.nullable(),
  above: z.array(shareAboveSchema).nullable(),
  /** How its audio was matched, and which checks were overruled when it was made; without names. Absent in packs of the earliest versions. */
  match: runMatchSchema.optional(),
  overruled: overruledSchema.optional(),
  /** What results of the first version are stamped with; later ones are signed by the browser they are taken in. */
  stampKey: z.string().min(16).optional(),
});
export type Manifest = z.infer<typeof manifestSchema>;

const namedSchema = z.object({ name: nameSchema });
/**
 * A pack as it goes out. No hash of a single file stands in it: two copies of one render, open and hidden, would be judged by it. What the names
 * stand for stays behind.
 */
const writtenSchema = manifestSchema.extend({
  schema: z.literal(PACK_SCHEMA),
  stimuli: z.array(namedSchema).min(2),
  reference: namedSchema.nullable(),
  /** SHA-256 of the content of all its audio. */
  audioDigest: z.string(),
});
const firstSchema = manifestSchema.extend({ schema: z.literal(FIRST_PACK_SCHEMA), stampKey: z.string().min(16) });

/** All audio of a pack. */
export const audioIn = <Audio>({ stimuli, reference }: { stimuli: Audio[]; reference: Audio | null }): Audio[] =>
  reference ? [...stimuli, reference] : stimuli;

const audioDigestOf = (audio: readonly { name: string; audioHash: string }[]): Promise<string> =>
  digestOf(`yonder-pair/pack-audio@1\n${canonicalJson(audio.map(({ name, audioHash }) => ({ name, audioHash })))}`);

/** What is written of a pack. */
export async function writtenManifest(manifest: Manifest): Promise<z.infer<typeof writtenSchema>> {
  const { stimuli, reference, stampKey: _, ...rest } = manifest;
  return {
    ...rest,
    schema: PACK_SCHEMA,
    stimuli: stimuli.map(({ name }) => ({ name })),
    reference: reference && { name: reference.name },
    audioDigest: await audioDigestOf(audioIn({ stimuli, reference })),
  };
}

export const packFileSchema = z.discriminatedUnion("schema", [firstSchema, writtenSchema]);
export type PackFile = z.infer<typeof packFileSchema>;

/** A pack that came, with the content of its audio as it is, by names; null where that is not what it was made with. */
export async function arrivedManifest(file: PackFile, hashes: ReadonlyMap<string, string>): Promise<Manifest | null> {
  const withHash = ({ name }: { name: string }) => ({ name, audioHash: hashes.get(name) ?? "" });
  const stimuli = file.stimuli.map(withHash);
  const reference = file.reference && withHash(file.reference);
  if (file.schema === FIRST_PACK_SCHEMA) {
    const isSame = audioIn(file).every(({ name, audioHash }) => hashes.get(name) === audioHash);
    return isSame ? file : null;
  }
  const { audioDigest, ...rest } = file;
  return (await audioDigestOf(audioIn({ stimuli, reference }))) === audioDigest
    ? { ...rest, stimuli, reference }
    : null;
}

export const audioFileName = (name: string): string => `${name}.wav`;

/** What stays behind: what each name stands for, in the manifest's order, and the checks in their own words. */
export const packKeySchema = z.object({
  match: runMatchSchema.optional(),
  overruled: overruledSchema.optional(),
  stimuli: z.array(stimulusSchema),
  reference: stimulusSchema.nullable(),
});
export type PackKey = z.infer<typeof packKeySchema>;

/** A stimulus as a pack's listener has it. */
export const namelessStimulus = ({ name, audioHash }: z.infer<typeof audioSchema>): Stimulus => ({
  title: name,
  role: "candidate",
  renderId: "",
  audioHash,
  fileName: audioFileName(name),
  gainDb: 0,
});

/** Checks that were overruled as a pack's listener may know them: their words name candidates. */
export const withoutNames = (overruled: Run["overruled"]): Run["overruled"] =>
  overruled.map(({ name }) => ({ name, said: `The ${name} check was overruled when the pack was made.` }));

/** How a pack was matched as its listener may know it: which of two had more level would tell who is who. */
export const withoutSigns = (match: Run["match"]): Run["match"] => ({
  ...match,
  edgeLu: null,
  remainingLu: match.remainingLu === null ? null : Math.abs(match.remainingLu),
});

export const stampText = (run: Run): string => canonicalJson(run);

/** A pack as it was sent out from here. */
export type SentPack = { manifest: Manifest; key: PackKey };

const askAgain = "Ask the listener to send the saved result file again.";

/**
 * The run of a result file, with what its stimuli really were: refused where it was changed, left open, belongs to another pack, or is here
 * already. `packs`: those sent out from here; `knownRunIds`: runs that are here.
 */
export async function takenResult(
  fileName: string,
  text: string,
  packs: readonly SentPack[],
  knownRunIds: ReadonlySet<string>,
): Promise<Outcome<{ run: Run; pack: SentPack }>> {
  const read = readRecord(fileName, text, askAgain);
  if (!read.ok) return read;
  const checked = await checkRecord(read.value);
  const fault = faultOf(checked);
  if (fault) return fail(`${fileName} is refused. ${fault}`, askAgain);
  const { run, stamp } = read.value;
  if (!run.finishedAt || !run.opened)
    return fail(`${fileName} is refused. The run is unfinished.`, "Ask the listener to finish it.");
  const pack = packs.find(({ manifest }) => manifest.packId === run.packId);
  if (!pack)
    return fail(
      `${fileName} is refused. It belongs to ${run.packId ? "a pack that was not made here" : "no pack"}.`,
      "Add it in the comparison that its pack was made in.",
    );
  const { manifest, key } = pack;
  const heard = run.stimuli.map(({ audioHash }) => audioHash).join();
  const sent = manifest.stimuli.map(({ audioHash }) => audioHash).join();
  if (heard !== sent || canonicalJson(run.plan) !== canonicalJson(manifest.plan))
    return fail(`${fileName} is refused. Its audio or plan differs from the pack.`, askAgain);
  if (manifest.stampKey && stamp !== (await stampOf(stampText(run), manifest.stampKey)))
    return fail(`${fileName} is refused. It was changed after saving: its stamp does not match.`, askAgain);
  if (!manifest.stampKey && !run.signature)
    return fail(
      `${fileName} is refused. Not signed: it was changed, or the browser cannot sign.`,
      "Ask the listener to take the run again, on HTTPS or localhost.",
    );
  if (knownRunIds.has(run.id)) return fail(`${fileName} is already added.`, "Nothing to do.");
  const named = run.stimuli.map((stimulus, i) => {
    const { title, role, renderId, fileName: name } = key.stimuli[i];
    return { ...stimulus, title, role, renderId, fileName: name };
  });
  const { match = run.match, overruled = run.overruled } = key;
  return succeed({ run: { ...run, stimuli: named, match, overruled }, pack });
}
