import type { PairFigures } from "@/core/difference/pair";
import { type LoudnessCourse, loudnessCourseSchema } from "@/core/loudness/loudness";
import { LEVELS_VERSION, type StretchLevels } from "@/core/loudness/measure";
import { type MatchEntry, type MatchSettings, matchPassage, type PassageMatch } from "@/core/matching/match-passage";
import { withGain } from "@/core/recipes/recipe";
import { database } from "./database";
import { type Asking, coveredByAll, coveredPart, fileRecipe, recipeNow, stretchRecipe, wholeOf } from "./line-up";
import type { Passage, Region, Render } from "./records";
import { resultOf } from "./results";

/** Gains as they stand in keys: a ten-thousandth of a dB. */
const gainOf = (gainDb: number): number => Number(gainDb.toFixed(4)) + 0;

/** The levels of a render aligned over what it covers of a region, as they are with a gain: measured, never inferred. */
export async function levelsOver(
  render: Render,
  dry: Render,
  asked: Region,
  gainDb = 0,
  asking: Asking = {},
): Promise<StretchLevels> {
  const region = await coveredPart(render, dry, asked);
  const source = stretchRecipe(await recipeNow(render, dry), region, dry.frames);
  const sound = withGain(source, gainOf(gainDb));
  return resultOf("levels", { sound }, { ...asking, title: `Measuring ${render.fileName}`, quiet: true });
}

/** Measures a file that is not measured yet, or by an earlier version. */
export async function refreshLevels(render: Render, asking: Asking = {}): Promise<void> {
  if (render.levelsVersion === LEVELS_VERSION) return;
  const title = `Measuring ${render.fileName}`;
  const { channels: _, ...levels } = await resultOf("levels", { sound: fileRecipe(render) }, { ...asking, title });
  await database.renders.update(render.id, { levels, levelsVersion: LEVELS_VERSION });
}

/** The gain in dB that lays a render on its dry one with the smallest residual over a region. */
async function fitOver(render: Render, dry: Render, region: Region, asking: Asking): Promise<number | null> {
  const judged = await coveredPart(render, dry, region);
  const request = {
    dry: stretchRecipe(fileRecipe(dry), judged, dry.frames),
    aligned: stretchRecipe(await recipeNow(render, dry), judged, dry.frames),
  };
  return resultOf("fit", request, { ...asking, title: `Fitting ${render.fileName}`, quiet: true });
}

/** What levels of a passage are matched over: its loop, where one is marked and asked for, or all of it. */
export const matchRegion = ({ match, loop }: Passage, dry: Render): Region =>
  match.over === "loop" && loop ? loop : wholeOf(dry);

/** A render's levels for the match, measured aligned. */
export async function matchEntryOf(
  render: Render,
  dry: Render,
  region: Region,
  method: MatchSettings["method"],
  asking: Asking = {},
): Promise<MatchEntry> {
  const whole = wholeOf(dry);
  const covered = await coveredPart(render, dry, region);
  const lacks = covered.startFrame > region.startFrame || covered.endFrame < region.endFrame;
  const [levels, dryLevels, wholeLevels, fitGainDb] = await Promise.all([
    levelsOver(render, dry, region, 0, asking),
    lacks ? levelsOver(dry, dry, covered, 0, asking) : null,
    levelsOver(render, dry, whole, 0, asking),
    method === "least squares" ? fitOver(render, dry, region, asking) : null,
  ]);
  return { id: render.id, levels, dryLevels, fitGainDb, wholeTruePeakDbtp: wholeLevels.truePeakDbtp };
}

/** The same before anything is measured aligned: as the file came, which is the same but for what is cut off or filled up. */
export const fileEntryOf = (render: Render): MatchEntry => ({
  id: render.id,
  levels: render.levels,
  wholeTruePeakDbtp: render.levels.truePeakDbtp,
});

/** The match of a passage with everything measured. */
export async function measuredMatch(passage: Passage, dry: Render, renders: readonly Render[]): Promise<PassageMatch> {
  const region = matchRegion(passage, dry);
  const entries = await Promise.all(renders.map((r) => matchEntryOf(r, dry, region, passage.match.method)));
  return matchPassage(entries, dry.id, passage.match);
}

/** What sets two renders of a passage apart over a region. */
export async function pairFigures(
  here: Render,
  yonder: Render,
  dry: Render,
  region: Region,
  asking: Asking = {},
): Promise<PairFigures> {
  const request = {
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    region: await coveredByAll([here, yonder], dry, region),
  };
  return resultOf("pair", request, { rank: "urgent", ...asking, title: "Comparing the pair", quiet: true });
}

/** Loudness over time of a render aligned, with a gain; what is known so far of a long one is reported as it comes. */
export async function courseOf(
  render: Render,
  dry: Render,
  gainDb: number,
  asking: Asking = {},
  onPart?: (soFar: LoudnessCourse) => void,
): Promise<LoudnessCourse> {
  const request = { sound: await recipeNow(render, dry), gainDb: gainOf(gainDb) };
  const title = `Loudness of ${render.fileName} over time`;
  const onPartial = onPart && ((answer: unknown) => onPart(loudnessCourseSchema.parse(answer)));
  return resultOf("course", request, { ...asking, title, quiet: true, onPartial });
}
