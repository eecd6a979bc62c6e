import { placedBetween } from "@/core/alignment/alignment";
import type { Heard } from "@/core/audibility/heard";
import type { ChannelView } from "@/core/audio/channel-view";
import type { AppliedStep, Found } from "@/core/ladder/found-chain";
import { type Ladder, ladderSchema } from "@/core/ladder/ladder-schema";
import { type Recipe, withGain } from "@/core/recipes/recipe";
import type { Averaged } from "@/core/spectrum/averaged";
import type { AnswerOf, RequestOf } from "@/workers/registry";
import { type Asking, alignmentOf, coveredByAll, deliveredRecipe, inForce, recipeNow } from "./line-up";
import type { Region, Render } from "./records";
import { keptResult, resultOf } from "./results";

/** Two renders of a passage that are explained, and the one they lie on. */
export type ExplainedPair = { here: Render; yonder: Render; dry: Render };

/** What the ladder of a pair over a region is asked with. */
async function ladderRequest({ here, yonder, dry }: ExplainedPair, region: Region, asking: Asking) {
  const judged = await coveredByAll([here, yonder], dry, region);
  const [first, second] = await Promise.all(
    [here, yonder].map(async (render) => inForce(render, dry, await alignmentOf(render, dry, asking))),
  );
  const length = region.endFrame - region.startFrame;
  const placed =
    first.found && second.found && judged.endFrame > judged.startFrame ? placedBetween(first, second) : null;
  return {
    deliveredHere: deliveredRecipe(here, dry),
    deliveredYonder: deliveredRecipe(yonder, dry),
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    region: placed ? judged : region,
    placed,
    judgedShare: placed && length > 0 ? (judged.endFrame - judged.startFrame) / length : 1,
  };
}

/** Analyses a pair over a region; the first steps are reported before the rest is there. */
export async function ladderFor(
  pair: ExplainedPair,
  region: Region,
  asking: Asking,
  onPart: (ladder: Ladder) => void = () => {},
): Promise<Ladder> {
  const onPartial = (answer: unknown) => onPart(ladderSchema.parse(answer));
  const request = await ladderRequest(pair, region, asking);
  return resultOf("ladder", request, { ...asking, title: "Explaining the difference", onPartial });
}

/** The ladder of a pair that was worked out before; null where it was not. */
export const keptLadder = async (pair: ExplainedPair, region: Region, asking: Asking): Promise<Ladder | null> =>
  keptResult("ladder", await ladderRequest(pair, region, asking));

/** Here with the fit applied, up to a step, as a recipe. */
export async function appliedRecipe(
  pair: ExplainedPair,
  region: Region,
  found: Found,
  upTo: AppliedStep,
): Promise<Extract<Recipe, { of: "worn" }>> {
  const { here, yonder, dry } = pair;
  const { startFrame, endFrame } = await coveredByAll([here, yonder], dry, region);
  return {
    of: "worn",
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    startFrame,
    endFrame,
    found,
    upTo,
  };
}

/** How spectra are averaged, and who is reported of them before they are done. */
type Averaging = { points: number; view: ChannelView; asking: Asking; onPart?: (part: Averaged) => void };

/** Averaged spectra of up to three renders aligned over a region, with how the others follow the first. */
export async function spectraOf(
  renders: readonly Render[],
  dry: Render,
  region: Region,
  averaging: Averaging,
): Promise<Averaged | null> {
  const recipes: readonly Recipe[] = await Promise.all(renders.map((r) => recipeNow(r, dry)));
  return averagedOf(recipes, await coveredByAll(renders, dry, region), averaging);
}

/** Averaged spectra of Yonder and of what remains of it. */
export async function leftSpectraOf(
  source: Source,
  pair: ExplainedPair,
  region: Region,
  averaging: Averaging,
): Promise<Averaged | null> {
  const recipes = await Promise.all([recipeNow(pair.yonder, pair.dry), sourceRecipe(source, pair)]);
  const judged = await coveredByAll([pair.here, pair.yonder], pair.dry, region);
  return averagedOf(recipes, judged, averaging);
}

async function averagedOf(
  [first, second, third]: readonly Recipe[],
  region: Region,
  { points, view, asking, onPart }: Averaging,
): Promise<Averaged | null> {
  if (region.endFrame <= region.startFrame) return null;
  const onPartial = (answer: unknown) => onPart?.(answer as Averaged);
  const request = { first, second: second ?? null, third: third ?? null, region, points, view };
  return resultOf("spectra", request, { ...asking, title: "Averaging spectra", quiet: true, onPartial });
}

/** What an ear model expects to be heard of the difference of a pair, both as loud. */
export async function heardOf(
  pair: ExplainedPair,
  region: Region,
  gainDb: number,
  playbackSplDb: number,
  asking: Asking,
): Promise<Heard> {
  const { here, yonder, dry } = pair;
  const request = {
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    region: await coveredByAll([here, yonder], dry, region),
    gainDb: Number(gainDb.toFixed(2)) + 0,
    playbackSplDb,
  };
  return resultOf("overMask", request, { ...asking, title: "Finding where to listen", quiet: true });
}

/** What is looked at by itself: a render aligned, what remains between two after a step of the ladder, or their difference at a gain. */
export type Source =
  | { of: "render"; render: Render }
  | { of: "difference"; gainDb: number }
  | { of: "left"; region: Region; found: Found; upTo: AppliedStep };

/** A source of a pair as a recipe. */
export async function sourceRecipe(source: Source, pair: ExplainedPair): Promise<Recipe> {
  const { here, yonder, dry } = pair;
  if (source.of === "render") return recipeNow(source.render, dry);
  const second = await recipeNow(yonder, dry);
  if (source.of === "left") {
    const applied = await appliedRecipe(pair, source.region, source.found, source.upTo);
    return { of: "difference", here: applied, yonder: second };
  }
  const gainDb = Number(source.gainDb.toFixed(3)) + 0;
  const first = await recipeNow(here, dry);
  return { of: "difference", here: withGain(first, gainDb), yonder: second };
}

/** Tasks that read one sound over a region. */
const READINGS = {
  cells: "Measuring levels",
  shape: "Counting samples",
  bandCrest: "Measuring crest factors",
  rotation: "Rotating phase",
  plane: "Measuring the stereo picture",
} as const;
export type ReadingName = keyof typeof READINGS;

/** What one of them reads of a source, over what both of the pair cover of a region; null where that is nothing. */
export async function readingOf<Name extends ReadingName>(
  name: Name,
  source: Source,
  pair: ExplainedPair,
  region: Region,
  asking: Asking,
): Promise<AnswerOf<Name> | null> {
  const judged = await coveredByAll([pair.here, pair.yonder], pair.dry, region);
  if (judged.endFrame <= judged.startFrame) return null;
  const request = { sound: await sourceRecipe(source, pair), region: judged };
  return resultOf(name as ReadingName, request, { ...asking, title: READINGS[name], quiet: true }) as Promise<
    AnswerOf<Name>
  >;
}

/** A piece of a picture over time of a source. */
export async function pieceOf<Name extends "spectrogram" | "extremes">(
  name: Name,
  source: Source,
  pair: ExplainedPair,
  ask: PieceAsk<Name>,
  asking: Asking,
  onPart?: (part: AnswerOf<Name>) => void,
): Promise<AnswerOf<Name>> {
  const request = { ...ask, sound: await sourceRecipe(source, pair) } as unknown as RequestOf<Name>;
  const options = {
    ...asking,
    title: "Drawing",
    quiet: true,
    onPartial: onPart as ((part: unknown) => void) | undefined,
  };
  return resultOf(name, request, options);
}
type PieceAsk<Name extends "spectrogram" | "extremes"> = Omit<RequestOf<Name>, "sound">;

/** Powers around the transients of the first of up to three renders, of them all. */
export async function transientShapesOf(
  renders: readonly Render[],
  dry: Render,
  region: Region,
  asking: Asking,
): Promise<AnswerOf<"onsetShapes"> | null> {
  const judged = await coveredByAll(renders, dry, region);
  if (judged.endFrame <= judged.startFrame) return null;
  const [first, second = null, third = null] = await Promise.all(renders.map((r) => recipeNow(r, dry)));
  const request = { first, second, third, region: judged };
  return resultOf("onsetShapes", request, { ...asking, title: "Measuring transients", quiet: true });
}

/** What a render excites in the ear at a gain, over what it covers of a region. */
export async function excitationOf(
  render: Render,
  dry: Render,
  region: Region,
  gainDb: number,
  asking: Asking,
): Promise<AnswerOf<"excitation">> {
  const request = { sound: await recipeNow(render, dry), region, gainDb: Number(gainDb.toFixed(2)) + 0 };
  return resultOf("excitation", request, { ...asking, title: "Running the ear model", quiet: true });
}
