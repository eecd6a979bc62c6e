import { hexOf } from "@/core/blind/digest";
import { shuffled } from "@/core/blind/order";
import {
  arrivedManifest,
  audioFileName,
  audioIn,
  type Manifest,
  namelessStimulus,
  PACK_MANIFEST,
  PACK_SCHEMA,
  packFileSchema,
  takenResult,
  withoutNames,
  withoutSigns,
  writtenManifest,
} from "@/core/blind/pack";
import type { Listener, Stimulus } from "@/core/blind/run";
import { fileNameOf } from "@/core/findings/file-name";
import { fail, type Outcome, succeed } from "@/core/outcome";
import { runJob } from "@/workers/jobs";
import { newId, now } from "./comparisons";
import { database } from "./database";
import type { ExportedFile } from "./export-renders";
import type { GuestPack, Pack, Render } from "./records";
import { workOut } from "./results";
import { keepResult, type RunDraft, randomBytes } from "./runs";
import { heardRecipe } from "./stimuli";
import { bytesOf, jsonOf, openZip, textOf, zipped } from "./zip";

const NAME_BYTES = 4;
/** Exact: what is heard from a pack is what was matched here, to the last bit. */
const PACK_FORM = { container: "WAV", encoding: "32-bit float" } as const;
/** A browser that is sent more than this may not be able to keep it. */
export const MOST_PACK_BYTES = 2_000_000_000;
const BYTES_PER_SAMPLE = 4;

/** What the audio of a pack would take. */
export const packBytes = ({ stimuli, region }: Pick<RunDraft, "stimuli" | "region">, channels: number): number =>
  stimuli.length * (region.endFrame - region.startFrame) * channels * BYTES_PER_SAMPLE;

/** Writes one stimulus as it is heard, under a name that means nothing, and says what its content is known by. */
async function packedAudio(stimulus: Stimulus, dry: Render, { region }: RunDraft) {
  const name = hexOf(randomBytes(NAME_BYTES));
  const sound = await heardRecipe(stimulus, dry, region);
  const title = "Writing a listening pack";
  const input = await workOut("write", { sound, form: PACK_FORM }, { title });
  const read = await runJob("read", { name, file: input }, { title, quiet: true });
  if (!read.ok) throw new Error(read.reason);
  return { name, input, audioHash: read.value.hash };
}

/**
 * Makes the pack of a run that others are to take: matched audio under meaningless names, shuffled, and the plan. What the names stand for is
 * kept here.
 */
export async function sendPack(draft: RunDraft, dry: Render, title: string): Promise<ExportedFile> {
  const stimuli = shuffled(draft.stimuli, randomBytes);
  const audio: Awaited<ReturnType<typeof packedAudio>>[] = [];
  for (const stimulus of stimuli) audio.push(await packedAudio(stimulus, dry, draft));
  const reference = draft.reference && (await packedAudio(draft.reference, dry, draft));
  const manifest: Manifest = {
    schema: PACK_SCHEMA,
    packId: newId(),
    title,
    madeAt: now(),
    plan: draft.plan,
    sampleRateHz: draft.sampleRateHz,
    frames: draft.region.endFrame - draft.region.startFrame,
    stimuli: audio.map(({ name, audioHash }) => ({ name, audioHash })),
    reference: reference && { name: reference.name, audioHash: reference.audioHash },
    above: draft.above,
    match: withoutSigns(draft.match),
    overruled: withoutNames(draft.overruled),
  };
  const written = reference ? [...audio, reference] : audio;
  async function* entries() {
    const lastModified = new Date(manifest.madeAt);
    const file = await writtenManifest(manifest);
    yield { name: PACK_MANIFEST, input: new Blob([JSON.stringify(file, null, 2)]), lastModified };
    for (const { name, input } of written) yield { name: audioFileName(name), input, lastModified };
  }
  const name = fileNameOf(`${title} listening pack`, "zip");
  const blob = await zipped(name, entries());
  const { comparisonId, passageId, passageTitle, dryRenderId } = draft;
  await database.packs.add({
    id: manifest.packId,
    comparisonId,
    passageId,
    passageTitle,
    dryRenderId,
    manifest,
    key: { stimuli, reference: draft.reference, match: draft.match, overruled: draft.overruled },
  });
  return { name, blob };
}

const SEND_AGAIN = "Ask its maker to send it again.";

/** Opens a listening pack that came from someone else, and keeps it here. The id it is known by. */
export async function openPack(file: File): Promise<Outcome<string>> {
  const opened = await openZip(file, "listening pack", SEND_AGAIN);
  if (!opened.ok) return opened;
  const about = opened.value.get(PACK_MANIFEST);
  if (!about)
    return fail(`${file.name} is not a listening pack: it has no ${PACK_MANIFEST}.`, "Choose the zip as received.");
  const text = await textOf(file.name, about);
  if (!text.ok) return text;
  const parsed = packFileSchema.safeParse(jsonOf(text.value));
  if (!parsed.success) return fail(`${file.name} is a listening pack of an unknown version.`, SEND_AGAIN);
  const hashes = new Map<string, string>();
  const audio: { hash: string; bytes: Blob }[] = [];
  for (const { name } of audioIn<{ name: string }>(parsed.data)) {
    const entry = opened.value.get(audioFileName(name));
    if (!entry) return fail(`${file.name} is missing ${audioFileName(name)}.`, SEND_AGAIN);
    let bytes: Blob;
    try {
      ({ bytes } = await bytesOf(entry));
    } catch {
      return fail(`${file.name} is damaged: ${audioFileName(name)} cannot be read.`, SEND_AGAIN);
    }
    const read = await runJob("read", { name, file: bytes }, { title: "Opening a listening pack" });
    if (!read.ok) return fail(`${audioFileName(name)} in ${file.name} cannot be read.`, SEND_AGAIN);
    hashes.set(name, read.value.hash);
    audio.push({ hash: read.value.hash, bytes });
  }
  const manifest = await arrivedManifest(parsed.data, hashes);
  if (!manifest) return fail(`The audio in ${file.name} differs from the audio the pack was made with.`, SEND_AGAIN);
  await database.transaction("rw", [database.guestPacks, database.audio], async () => {
    await database.audio.bulkPut(audio);
    await database.guestPacks.put({ id: manifest.packId, manifest, openedAt: now() });
  });
  return succeed(manifest.packId);
}

/** Runs of a pack that came from outside stand under this in place of a comparison. */
export const guestComparisonId = (packId: string): string => `pack:${packId}`;

/** A run over a pack that came from outside, before its order is drawn. */
export function guestDraft({ manifest }: GuestPack, listener: Listener): RunDraft {
  const { plan, frames, sampleRateHz, stimuli, reference, above, title, match, overruled } = manifest;
  return {
    comparisonId: guestComparisonId(manifest.packId),
    passageId: "",
    passageTitle: title,
    dryRenderId: "",
    stimuli: stimuli.map(namelessStimulus),
    reference: reference && namelessStimulus(reference),
    region: { startFrame: 0, endFrame: frames },
    sampleRateHz,
    plan,
    // Packs of the earliest versions do not say.
    match: match ?? { over: "passage", method: "integrated", edgeLu: null, remainingLu: null },
    overruled: overruled ?? [],
    listener,
    above,
    packId: manifest.packId,
  };
}

/** Adds result files to a comparison; what is refused is reported file by file, and the others are added. */
export async function addResults(
  comparisonId: string,
  files: readonly File[],
): Promise<{ added: number; refused: string[] }> {
  const packs = await database.packs.where({ comparisonId }).toArray();
  const refused: string[] = [];
  let added = 0;
  for (const file of files) {
    const known = new Set((await database.runs.where({ comparisonId }).primaryKeys()) as string[]);
    const taken = await takenResult(file.name, await file.text(), packs, known);
    if (!taken.ok) {
      refused.push(`${taken.reason} ${taken.advice}`);
      continue;
    }
    const { passageId, passageTitle } = packs.find((p) => p.id === taken.value.pack.manifest.packId) as Pack;
    // Which of them is the reference and which the anchor is known only here: the result is worked out with that.
    await database.runs.put({ ...taken.value.run, comparisonId, passageId, passageTitle, result: null });
    await keepResult(taken.value.run.id);
    added++;
  }
  return { added, refused };
}

/** Takes a pack that came from outside away, with its audio and the runs taken over it. */
export async function forgetGuestPack(packId: string): Promise<void> {
  const { guestPacks, audio, runs, seals } = database;
  await database.transaction("rw", [guestPacks, audio, runs, seals, database.renders], async () => {
    const pack = await guestPacks.get(packId);
    const ids = await runs.where({ comparisonId: guestComparisonId(packId) }).primaryKeys();
    await seals.bulkDelete(ids);
    await runs.bulkDelete(ids);
    for (const { audioHash } of pack ? audioIn(pack.manifest) : []) {
      if ((await database.renders.where({ audioHash }).count()) === 0) await audio.delete(audioHash);
    }
    await guestPacks.delete(packId);
  });
}
