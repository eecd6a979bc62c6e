import { ALIGNMENT_VERSION, type Alignment, alignmentSchema, IN_STEP } from "@/core/alignment/alignment";
import { PAIR_VERSION, type PairFigures, pairFiguresSchema } from "@/core/difference/pair";
import { LEVELS_VERSION, type Levels, levelsSchema } from "@/core/loudness/measure";
import { commonTrimDb, type MatchMethod, matchToReference } from "@/core/matching/match";
import { runJob } from "@/workers/jobs";
import type { AudioRef, Placed } from "@/workers/tasks";
import { cached } from "./cached";
import { database } from "./database";
import type { Region, Render } from "./records";

/** The kept file of a render, for a worker. */
export async function audioOf(render: Render): Promise<AudioRef> {
  const kept = await database.audio.get(render.audioHash);
  if (!kept) throw new Error(`The audio of ${render.fileName} is no longer in this browser. Add the file again.`);
  return { hash: kept.hash, bytes: kept.bytes };
}

/** How a render lies against its passage's dry one. */
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

/** A render with what is needed to bring it in step. */
export async function placedOf(render: Render, dry: Render): Promise<Placed> {
  const alignment = await alignmentOf(render, dry);
  return { audio: await audioOf(render), alignment, sampleRateHz: dry.sampleRateHz, frames: dry.frames };
}

const placementKey = (render: Render, dry: Render) => `${dry.audioHash}:${render.audioHash}`;
const regionKey = ({ startFrame, endFrame }: Region) => `${startFrame}-${endFrame}`;

export async function levelsOver(render: Render, dry: Render, region: Region): Promise<Levels> {
  const key = `levels@${LEVELS_VERSION}.${ALIGNMENT_VERSION}:${placementKey(render, dry)}:${regionKey(region)}`;
  return cached(key, levelsSchema, async () =>
    runJob<"levels">(
      { task: "levels", render: await placedOf(render, dry), region },
      { title: `Measuring ${render.fileName} over the loop`, quiet: true },
    ),
  );
}

export type PassageMatch = {
  method: MatchMethod;
  /** Gain of each render by its id, the common trim included; the dry one's is the trim alone. */
  gainsDb: Map<string, number>;
  trimDb: number;
};

/**
 * Brings every render of a passage to its dry one's level, everything down together where a true peak would pass the
 * ceiling. A silent render gets no gain.
 */
export function matchPassage(
  dry: Render,
  renders: readonly Render[],
  levels: ReadonlyMap<string, Levels>,
): PassageMatch {
  const levelsOf = (render: Render) => levels.get(render.id) ?? render.levels;
  const loud = renders.every((r) => levelsOf(r).integratedLufs !== null || levelsOf(r).rmsDbfs === null);
  const method: MatchMethod = loud ? "integrated" : "rms";
  const figures = (render: Render) => ({
    integratedLufs: loud ? levelsOf(render).integratedLufs : null,
    rmsDbfs: levelsOf(render).rmsDbfs,
  });
  const plain = renders.map((render) => ({
    render,
    truePeakDbtp: render.levels.truePeakDbtp,
    gainDb: matchToReference(figures(dry), figures(render))?.gainDb ?? 0,
  }));
  const trimDb = commonTrimDb(plain);
  return { method, trimDb, gainsDb: new Map(plain.map(({ render, gainDb }) => [render.id, gainDb + trimDb])) };
}

/** What sets two renders of a passage apart over a region, with the gains given. */
export async function pairFigures(
  here: Render,
  yonder: Render,
  dry: Render,
  region: Region,
  gainsDb: { here: number; yonder: number },
): Promise<PairFigures> {
  const gains = `${gainsDb.here.toFixed(4)},${gainsDb.yonder.toFixed(4)}`;
  const versions = `${PAIR_VERSION}.${ALIGNMENT_VERSION}.${LEVELS_VERSION}`;
  const key = `pair@${versions}:${placementKey(here, dry)}:${yonder.audioHash}:${regionKey(region)}:${gains}`;
  return cached(key, pairFiguresSchema, async () => {
    const [placedHere, placedYonder] = await Promise.all([placedOf(here, dry), placedOf(yonder, dry)]);
    return runJob<"pair">(
      { task: "pair", here: placedHere, yonder: placedYonder, region, gainsDb },
      { title: "Comparing the pair", quiet: true, rank: "urgent" },
    );
  });
}

/** A render's samples in step with its dry one, for the ear, and its waveform. */
export async function placedSamples(render: Render, dry: Render) {
  return runJob<"place">(
    { task: "place", render: await placedOf(render, dry) },
    { title: `Loading ${render.fileName}`, quiet: true, rank: "urgent" },
  );
}
