import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { AS_IT_IS } from "../alignment/alignment";
import { putInStep } from "../alignment/in-step";
import { type Clip, scaleClip } from "../audio/clip";
import { resample } from "../audio/resample";
import { clipOf, type Sound, soundOf, withPages } from "../audio/sound";
import { noise } from "../stimuli/signals";
import { isRecipe, openRecipe, type Recipe, recipeKey, recipeSchema } from "./recipe";

const clips: Record<string, Clip> = {
  dry: noise(3, 0.5, 1),
  render: noise(3.1, 0.5, 2),
  high: noise(2.9, 0.4, 3, 2, 96_000),
  mono: noise(3, 0.4, 4, 1),
};
const file = (hash: string): Recipe => ({ of: "file", hash });
const open = (recipe: Recipe): Sound => openRecipe(recipe, (hash) => soundOf(clips[hash]));

const between = { ...AS_IT_IS, delaySamples: 12.34, driftPpm: 35, polarity: { left: 1, right: -1 } as const };
const recipes: Record<string, Recipe> = {
  "a whole shift": {
    of: "step",
    source: file("render"),
    placement: { ...AS_IT_IS, delaySamples: 777 },
    frames: 144_000,
  },
  "a shift to before the start": {
    of: "step",
    source: file("render"),
    placement: { ...AS_IT_IS, delaySamples: -500, swapped: true },
    frames: 144_000,
  },
  "a fraction and a clock": { of: "step", source: file("render"), placement: between, frames: 144_000 },
  "another rate": { of: "rate", source: file("high"), sampleRateHz: 44_100 },
  "another rate, in step, with a gain": {
    of: "gain",
    source: {
      of: "step",
      source: { of: "rate", source: file("high"), sampleRateHz: 48_000 },
      placement: between,
      frames: 144_000,
    },
    gainDb: -3.3,
  },
  "a stretch": { of: "stretch", source: file("render"), startFrame: 1000, endFrame: 91_000 },
  "a difference": { of: "difference", here: file("dry"), yonder: { of: "gain", source: file("mono"), gainDb: 2 } },
};

describe("a recipe", () => {
  it.each(Object.entries(recipes))("gives the same samples however it is read: %s", (_, recipe) => {
    const whole = clipOf(open(recipe));
    const sounds = [open(recipe), withPages(open(recipe))];
    const frames = whole.channels[0].length;
    fc.assert(
      fc.property(
        fc.integer({ min: -3000, max: frames + 500 }),
        fc.integer({ min: 1, max: 40_000 }),
        (start, count) => {
          for (const sound of sounds) {
            for (const [c, channel] of sound.read(start, count).entries()) {
              const expected = Float32Array.from({ length: count }, (_, i) => whole.channels[c][start + i] ?? 0);
              // Silence may be a nought with a sign.
              expect(channel.map((v) => v + 0)).toEqual(expected.map((v) => v + 0));
            }
          }
        },
      ),
      { numRuns: 25 },
    );
  });

  it("gives what the same steps give on whole clips", () => {
    expect(clipOf(open(recipes["a fraction and a clock"]))).toEqual(putInStep(clips.render, between, 144_000));
    expect(clipOf(open(recipes["another rate"]))).toEqual(resample(clips.high, 44_100));
    const { channels } = clipOf(open(recipes["a difference"]));
    const [mono] = scaleClip(clips.mono, 10 ** (2 / 20)).channels;
    for (const [c, channel] of channels.entries()) {
      expect(channel[1234]).toBeCloseTo(mono[1234] - clips.dry.channels[c][1234], 6);
    }
  });

  it("has a key that tells it from every other, and from nothing that is no recipe", () => {
    const keys = Object.values(recipes).map(recipeKey);
    expect(new Set(keys).size).toBe(keys.length);
    for (const recipe of Object.values(recipes)) {
      expect(recipeSchema.parse(structuredClone(recipe))).toEqual(recipe);
      expect(recipeKey(structuredClone(recipe))).toBe(recipeKey(recipe));
      expect(isRecipe(recipe)).toBe(true);
    }
    for (const value of [null, 3, "file", {}, { of: "file" }, { of: "elsewhere", hash: "x" }, { startFrame: 0 }]) {
      expect(isRecipe(value)).toBe(false);
    }
  });
});
