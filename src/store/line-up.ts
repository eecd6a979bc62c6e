import { z } from "zod";
import {
  ALIGNMENT_VERSION,
  type Alignment,
  alignmentSchema,
  IN_STEP,
  type Placement,
  placementOf,
  placementSchema,
} from "@/core/alignment/alignment";
import { CORRECTION_VERSION, isWhole } from "@/core/alignment/in-step";
import { type Onset, onsetSchema } from "@/core/alignment/onset";
import { unknownEdgeFrames } from "@/core/audio/resample";
import type { Residuals } from "@/core/difference/fit";
import { judgedRegion } from "@/core/difference/pair";
import { type Rank, runJob } from "@/workers/jobs";
import type { Around, AudioRef, Placed } from "@/workers/tasks";
import { cached } from "./cached";
import { correctedAudio } from "./corrections";
import { database } from "./database";
import type { Hand, Region, Render } from "./records";

/** The kept file of a render, for a worker. */
export async function audioOf(render: Render): Promise<AudioRef> {
  const kept = await database.audio.get(render.audioHash);
  if (!kept) throw new Error(`The audio of ${render.fileName} is no longer in this browser. Add the file again.`);
  return { hash: kept.hash, bytes: kept.bytes };
}

/** How a render was found to lie against its passage's dry one. */
export async function alignmentOf(render: Render, dry: Render): Promise<Alignment> {
  if (render.audioHash === dry.audioHash) return IN_STEP;
  const key = `align@${ALIGNMENT_VERSION}:${dry.audioHash}:${render.audioHash}`;
  return cached(key, alignmentSchema, async () =>
    runJob<"align">(
      { task: "align", reference: await audioOf(dry), render: await audioOf(render) },
      { title: `Lining up ${render.fileName}` },
    ),
  );
}

/** What a person set for a render against this dry one; null where the placement found holds. */
export const handOf = (render: Render, dry: Render): Hand | null =>
  render.hand?.dryAudioHash === dry.audioHash ? render.hand : null;

/** The alignment in force: as found, unless a person set it. */
export function inForce(render: Render, dry: Render, found: Alignment): Alignment {
  const hand = handOf(render, dry);
  return hand
    ? { ...hand.placement, found: true, delayErrorSamples: 0, driftErrorPpm: 0, confidence: 1, doubt: null }
    : found;
}

/** What brings a render in step, in force now. */
export async function placementNow(render: Render, dry: Render): Promise<Placement> {
  const hand = handOf(render, dry);
  return hand ? hand.placement : placementOf(await alignmentOf(render, dry));
}

/** A placement as part of a key: equal texts, equal samples. */
export function placementText({ delaySamples, driftPpm, polarity, swapped }: Placement): string {
  return [delaySamples, driftPpm ?? 0, polarity.left, polarity.right, swapped ? "s" : "o"].join("_");
}

/** A render as it is heard and measured, by content: its audio, the dry one's, and what brings it in step. */
export const placedKey = (render: Render, dry: Render, placement: Placement): string =>
  `${CORRECTION_VERSION}:${dry.audioHash}:${render.audioHash}:${placementText(placement)}`;

/**
 * Overrules a render's placement: `change` is given the one in force in the database, so that presses faster than the page is drawn
 * add up. Nothing happens to a locked one.
 */
export async function adjustPlacement(
  renderId: string,
  dry: Render,
  found: Placement,
  change: (placement: Placement) => Placement,
): Promise<void> {
  await database.transaction("rw", database.renders, async () => {
    const render = await database.renders.get(renderId);
    if (!render || renderId === dry.id) return;
    const hand = handOf(render, dry);
    if (hand?.locked) return;
    const placement = placementSchema.parse(change(hand?.placement ?? found));
    await database.renders.update(renderId, { hand: { dryAudioHash: dry.audioHash, placement, locked: false } });
  });
}

/** Holds a placement against being changed, or lets it go. */
export async function setLocked(render: Render, dry: Render, placement: Placement, locked: boolean): Promise<void> {
  await database.renders.update(render.id, {
    hand: { dryAudioHash: dry.audioHash, placement: placementSchema.parse(placement), locked },
  });
}

/** Takes back what a person set, unless it is locked. */
export async function backToFound(render: Render, dry: Render): Promise<void> {
  if (!handOf(render, dry)?.locked) await database.renders.update(render.id, { hand: null });
}

/** A render's length at the rate of its dry one, and what of its ends a conversion cannot know. */
const extentOf = (render: Render, dry: Render) => ({
  ownFrames: Math.ceil((render.frames * dry.sampleRateHz) / render.sampleRateHz),
  edgeFrames: unknownEdgeFrames(render.sampleRateHz, dry.sampleRateHz),
});

/** What of a region of the dry render another render covers, in step as it is now. */
export async function coveredPart(render: Render, dry: Render, region: Region): Promise<Region> {
  const { ownFrames, edgeFrames } = extentOf(render, dry);
  const placement = await placementNow(render, dry);
  return judgedRegion(dry.frames, [{ placement, frames: ownFrames, edgeFrames }], region);
}

type Asked = { rank?: Rank; placement?: Placement };

/** A render with what is needed to bring it in step: as it stands now, or as `placement` says. */
export async function placedOf(render: Render, dry: Render, { rank, placement: given }: Asked = {}): Promise<Placed> {
  const placement = given ?? (await placementNow(render, dry));
  const placed: Placed = {
    audio: await audioOf(render),
    placement,
    corrected: null,
    sampleRateHz: dry.sampleRateHz,
    frames: dry.frames,
    ...extentOf(render, dry),
  };
  // Whole shifts cost nothing; what has to be read between the samples is done once and kept.
  if (isWhole(placement) && render.sampleRateHz === dry.sampleRateHz) return placed;
  const key = `corrected@${placedKey(render, dry, placement)}`;
  return { ...placed, corrected: await correctedAudio(key, placed, render.fileName, rank) };
}

/** A render's samples in step with its dry one, for the ear, and its waveform. */
export async function placedSamples(render: Render, dry: Render, placement?: Placement) {
  return runJob<"place">(
    { task: "place", render: await placedOf(render, dry, { rank: "urgent", placement }) },
    { title: `Loading ${render.fileName}`, quiet: true, rank: "urgent" },
  );
}

/** Onsets shown at the most. */
const ONSETS = 24;

/** Where sounds set in in the dry render. */
export async function onsetsOf(dry: Render): Promise<Onset[]> {
  return cached(`onsets@1:${dry.audioHash}`, z.array(onsetSchema), async () =>
    runJob<"onsets">(
      { task: "onsets", audio: await audioOf(dry), wanted: ONSETS },
      { title: `Looking for onsets in ${dry.fileName}`, quiet: true, rank: "urgent" },
    ),
  );
}

/** Samples around a frame of the dry render, as delivered and in step. */
export async function samplesAround(render: Render, dry: Render, frame: number, reach: number): Promise<Around> {
  return runJob<"around">(
    { task: "around", render: await placedOf(render, dry, { rank: "urgent" }), frame, reach },
    { title: `Loading ${render.fileName}`, quiet: true, rank: "urgent" },
  );
}

const residualsSchema: z.ZodType<Residuals> = z.object({
  beforeDb: z.number().nullable(),
  afterDb: z.number().nullable(),
});

/** What is left between a render and its dry one before and after it is in step, each at its best gain. */
export async function residualsOf(render: Render, dry: Render): Promise<Residuals> {
  const placement = await placementNow(render, dry);
  return cached(`residuals@2.${placedKey(render, dry, placement)}`, residualsSchema, async () =>
    runJob<"residuals">(
      { task: "residuals", dry: await audioOf(dry), render: await placedOf(render, dry) },
      { title: `Comparing ${render.fileName} with its dry render`, quiet: true },
    ),
  );
}
