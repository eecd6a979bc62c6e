import { z } from "zod";
import { PAIR_VERSION, type PairFigures, pairFiguresSchema } from "@/core/difference/pair";
import { type LoudnessCourse, loudnessCourseSchema } from "@/core/loudness/loudness";
import { LEVELS_VERSION, levelsSchema, type StretchLevels, stretchLevelsSchema } from "@/core/loudness/measure";
import { type MatchEntry, type MatchSettings, matchPassage, type PassageMatch } from "@/core/matching/match-passage";
import { runJob } from "@/workers/jobs";
import { cached } from "./cached";
import { database } from "./database";
import { audioOf, coveredPart, placedKey, placedOf, placementNow } from "./line-up";
import type { Passage, Region, Render } from "./records";

const regionKey = ({ startFrame, endFrame }: Region) => `${startFrame}-${endFrame}`;

/** Gains as they stand in keys: a ten-thousandth of a dB. */
const gainText = (gainDb: number): string => gainDb.toFixed(4);

/** The levels of a render in step over what it covers of a region, as they are with a gain: measured, never inferred. */
export async function levelsOver(render: Render, dry: Render, asked: Region, gainDb = 0): Promise<StretchLevels> {
  const region = await coveredPart(render, dry, asked);
  const placed = placedKey(render, dry, await placementNow(render, dry));
  const key = `levels@${LEVELS_VERSION}.${placed}:${regionKey(region)}:${gainText(gainDb)}`;
  return cached(key, stretchLevelsSchema, async () =>
    runJob<"levels">(
      { task: "levels", render: await placedOf(render, dry), region, gainDb: Number(gainText(gainDb)) },
      { title: `Measuring ${render.fileName}`, quiet: true },
    ),
  );
}

/** Measures a file anew where what stands with it comes from an earlier version. */
export async function refreshLevels(render: Render): Promise<void> {
  if (render.levelsVersion === LEVELS_VERSION) return;
  const levels = await cached(`file-levels@${LEVELS_VERSION}:${render.audioHash}`, levelsSchema, async () =>
    runJob<"measure">(
      { task: "measure", audio: await audioOf(render) },
      { title: `Measuring ${render.fileName} anew`, rank: "background" },
    ),
  );
  await database.renders.update(render.id, { levels, levelsVersion: LEVELS_VERSION });
}

/** The gain in dB that lays a render on its dry one with the smallest residual over a region. */
async function fitOver(render: Render, dry: Render, region: Region): Promise<number | null> {
  const placed = placedKey(render, dry, await placementNow(render, dry));
  return cached(`fit@2.${placed}:${regionKey(region)}`, z.number().nullable(), async () =>
    runJob<"fit">(
      { task: "fit", dry: await audioOf(dry), render: await placedOf(render, dry), region },
      { title: `Fitting ${render.fileName}`, quiet: true },
    ),
  );
}

/** What levels of a passage are matched over: its loop, where one is marked and asked for, or all of it. */
export const matchRegion = ({ match, loop }: Passage, dry: Render): Region =>
  match.over === "loop" && loop ? loop : { startFrame: 0, endFrame: dry.frames };

/** A render's levels for the match, measured in step. */
export async function matchEntryOf(
  render: Render,
  dry: Render,
  region: Region,
  method: MatchSettings["method"],
): Promise<MatchEntry> {
  const whole = { startFrame: 0, endFrame: dry.frames };
  const covered = await coveredPart(render, dry, region);
  const lacks = covered.startFrame > region.startFrame || covered.endFrame < region.endFrame;
  const [levels, dryLevels, wholeLevels, fitGainDb] = await Promise.all([
    levelsOver(render, dry, region),
    lacks ? levelsOver(dry, dry, covered) : null,
    levelsOver(render, dry, whole),
    method === "least squares" ? fitOver(render, dry, region) : null,
  ]);
  return { id: render.id, levels, dryLevels, fitGainDb, wholeTruePeakDbtp: wholeLevels.truePeakDbtp };
}

/** The same before anything is measured in step: as the file came, which is the same but for what is cut off or filled up. */
export const hastyEntryOf = (render: Render): MatchEntry => ({
  id: render.id,
  levels: render.levels,
  wholeTruePeakDbtp: render.levels.truePeakDbtp,
});

/** The match of a passage with everything measured. */
export async function matchOf(passage: Passage, dry: Render, renders: readonly Render[]): Promise<PassageMatch> {
  const region = matchRegion(passage, dry);
  const entries = await Promise.all(renders.map((r) => matchEntryOf(r, dry, region, passage.match.method)));
  return matchPassage(entries, dry.id, passage.match);
}

/** What sets two renders of a passage apart over a region, with the gains given. */
export async function pairFigures(
  here: Render,
  yonder: Render,
  dry: Render,
  region: Region,
  gainsDb: { here: number; yonder: number },
): Promise<PairFigures> {
  const gains = `${gainText(gainsDb.here)},${gainText(gainsDb.yonder)}`;
  const [hereKey, yonderKey] = await Promise.all(
    [here, yonder].map(async (r) => placedKey(r, dry, await placementNow(r, dry))),
  );
  const key = `pair@${PAIR_VERSION}.${LEVELS_VERSION}.${hereKey}:${yonderKey}:${regionKey(region)}:${gains}`;
  return cached(key, pairFiguresSchema, async () => {
    const [placedHere, placedYonder] = await Promise.all(
      [here, yonder].map((r) => placedOf(r, dry, { rank: "urgent" })),
    );
    return runJob<"pair">(
      { task: "pair", here: placedHere, yonder: placedYonder, region, gainsDb },
      { title: "Comparing the pair", quiet: true, rank: "urgent" },
    );
  });
}

/** Loudness over time of a render in step, with a gain. */
export async function courseOf(render: Render, dry: Render, gainDb: number): Promise<LoudnessCourse> {
  const placed = placedKey(render, dry, await placementNow(render, dry));
  return cached(`course@${LEVELS_VERSION}.${placed}:${gainText(gainDb)}`, loudnessCourseSchema, async () =>
    runJob<"course">(
      { task: "course", render: await placedOf(render, dry), gainDb },
      { title: `Loudness of ${render.fileName} over time`, quiet: true, rank: "urgent" },
    ),
  );
}
