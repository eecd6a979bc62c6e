import { z } from "zod";
import { alignedSound, CORRECTION_VERSION } from "../alignment/aligned";
import { type Placement, placementSchema } from "../alignment/alignment";
import { amplitudeFromDb } from "../audio/decibels";
import { filtered, MOST_TAPS } from "../audio/filtered";
import { atRate } from "../audio/resample";
import { atGain, difference, type Sound, stretch } from "../audio/sound";
import { ONSET_MASK_VERSION, transientMask } from "../audio/transient-mask";
import { APPLIED_VERSION, applied } from "../ladder/applied";
import { type AppliedStep, appliedStepSchema, type Found, foundSchema } from "../ladder/found-chain";

/**
 * How a sound is made from kept files: what is heard, measured and written is one of these, and nothing is held but what is read. Equal
 * recipes are equal samples.
 */
export type Recipe =
  /** A kept file by its content. */
  | { of: "file"; hash: string }
  /** At another sample rate. */
  | { of: "rate"; source: Recipe; sampleRateHz: number }
  /** Laid on a dry render of so many frames. */
  | { of: "step"; source: Recipe; placement: Placement; frames: number }
  | { of: "gain"; source: Recipe; gainDb: number }
  /** Through an impulse response for all channels, or one each; tap `lead` counts as time zero. */
  | { of: "filter"; source: Recipe; responses: readonly Float64Array[]; lead: number }
  /** Frames [startFrame, endFrame). */
  | { of: "stretch"; source: Recipe; startFrame: number; endFrame: number }
  /** A gain that lets its transients through, on one channel. */
  | { of: "onsets"; source: Recipe }
  /** Yonder minus Here. */
  | { of: "difference"; here: Recipe; yonder: Recipe }
  /** Here with the fit between the two applied, over frames [startFrame, endFrame), up to a step. */
  | { of: "worn"; here: Recipe; yonder: Recipe; startFrame: number; endFrame: number; found: Found; upTo: AppliedStep };

/** A sound at a gain, dB; at none it is itself. */
export const withGain = (source: Recipe, gainDb: number): Recipe =>
  gainDb === 0 ? source : { of: "gain", source, gainDb };

const frame = z.number().int().min(0);
const responseSchema = z
  .instanceof(Float64Array)
  .refine((taps) => taps.length > 0 && taps.length <= MOST_TAPS && taps.every(Number.isFinite));

/** Raise when a filtered sample would come out differently. */
const FILTER_VERSION = 1;

export const recipeSchema: z.ZodType<Recipe> = z.lazy(() =>
  z.discriminatedUnion("of", [
    z.object({ of: z.literal("file"), hash: z.string().min(1) }),
    z.object({ of: z.literal("rate"), source: recipeSchema, sampleRateHz: z.number().int().positive() }),
    z.object({ of: z.literal("step"), source: recipeSchema, placement: placementSchema, frames: frame }),
    z.object({ of: z.literal("gain"), source: recipeSchema, gainDb: z.number() }),
    z.object({
      of: z.literal("filter"),
      source: recipeSchema,
      responses: z.array(responseSchema).min(1).max(2),
      lead: z.number().int().min(0).max(MOST_TAPS),
    }),
    z.object({ of: z.literal("stretch"), source: recipeSchema, startFrame: frame, endFrame: frame }),
    z.object({ of: z.literal("onsets"), source: recipeSchema }),
    z.object({ of: z.literal("difference"), here: recipeSchema, yonder: recipeSchema }),
    z.object({
      of: z.literal("worn"),
      here: recipeSchema,
      yonder: recipeSchema,
      startFrame: frame,
      endFrame: frame,
      found: foundSchema,
      upTo: appliedStepSchema,
    }),
  ]),
);

/** A placement as part of a key: equal texts, equal samples. */
export function placementText({ delaySamples, driftPpm, polarity, swapped }: Placement): string {
  return [delaySamples, driftPpm ?? 0, polarity.left, polarity.right, swapped ? "s" : "o"].join("_");
}

const DIGEST_SEEDS = [0x811c9dc5, 0x2545f491, 0x9e3779b9, 0x6a09e667];
const DIGEST_PRIME = 0x01000193;

/** The content of an impulse response in 128 bits: FNV-1a over its words from four starts, the place of each mixed in. */
function digestOf(taps: Float64Array): string {
  const words = new Int32Array(taps.slice().buffer);
  const parts = DIGEST_SEEDS.map((seed, n) => {
    let hash = seed;
    for (const [i, word] of words.entries()) {
      hash = Math.imul(hash ^ word ^ Math.imul(i, seed), DIGEST_PRIME);
      hash ^= hash >>> (13 + n);
    }
    return (hash >>> 0).toString(16).padStart(8, "0");
  });
  return `${taps.length}-${parts.join("")}`;
}

/** The content key of a recipe: its steps, their versions, and the contents they begin from. Equal keys, equal samples. */
export function recipeKey(recipe: Recipe): string {
  switch (recipe.of) {
    case "file":
      return recipe.hash;
    case "rate":
      return `rate${CORRECTION_VERSION}.${recipe.sampleRateHz}(${recipeKey(recipe.source)})`;
    case "step":
      return `step${CORRECTION_VERSION}.${placementText(recipe.placement)}.${recipe.frames}(${recipeKey(recipe.source)})`;
    case "gain":
      return `gain${recipe.gainDb}(${recipeKey(recipe.source)})`;
    case "filter": {
      const { responses, lead } = recipe;
      return `filter${FILTER_VERSION}.${lead}.${responses.map(digestOf).join(".")}(${recipeKey(recipe.source)})`;
    }
    case "stretch":
      return `cut${recipe.startFrame}-${recipe.endFrame}(${recipeKey(recipe.source)})`;
    case "onsets":
      return `onsets${ONSET_MASK_VERSION}(${recipeKey(recipe.source)})`;
    case "difference":
      return `difference(${recipeKey(recipe.here)},${recipeKey(recipe.yonder)})`;
    case "worn": {
      const { here, yonder, startFrame, endFrame, found, upTo } = recipe;
      const what = JSON.stringify(found, (_, v) => (v instanceof Float64Array ? digestOf(v) : v));
      return `worn${APPLIED_VERSION}.${upTo}.${startFrame}-${endFrame}.${what}(${recipeKey(here)},${recipeKey(yonder)})`;
    }
  }
}

/** Whether a value is a recipe, among the other parts of a request. */
export const isRecipe = (value: unknown): value is Recipe =>
  typeof value === "object" && value !== null && "of" in value && recipeSchema.safeParse(value).success;

/** The sound that a recipe makes of files; nothing is read before it is asked for. */
export function openRecipe(recipe: Recipe, fileOf: (hash: string) => Sound): Sound {
  const opened = (source: Recipe) => openRecipe(source, fileOf);
  switch (recipe.of) {
    case "file":
      return fileOf(recipe.hash);
    case "rate":
      return atRate(opened(recipe.source), recipe.sampleRateHz);
    case "step":
      return alignedSound(opened(recipe.source), recipe.placement, recipe.frames);
    case "gain":
      return atGain(opened(recipe.source), amplitudeFromDb(recipe.gainDb));
    case "filter":
      return filtered(opened(recipe.source), recipe.responses, recipe.lead);
    case "stretch":
      return stretch(opened(recipe.source), recipe);
    case "onsets":
      return transientMask(opened(recipe.source));
    case "difference":
      return difference(opened(recipe.here), opened(recipe.yonder));
    case "worn":
      return applied(opened(recipe.here), opened(recipe.yonder), recipe, recipe.found, recipe.upTo);
  }
}
