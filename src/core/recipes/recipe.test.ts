import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { alignedClip } from "../alignment/aligned";
import { AS_IT_IS } from "../alignment/alignment";
import { type Clip, scaleClip } from "../audio/clip";
import { seededRandom } from "../audio/random";
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
/** Decaying noise. */
const response = (taps: number, seed: number) => {
  const random = seededRandom(seed);
  return Float64Array.from({ length: taps }, (_, i) => (2 * random() - 1) * Math.exp((-5 * i) / taps));
};
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
  "a filter of one response": { of: "filter", source: file("render"), responses: [response(301, 1)], lead: 150 },
  "a long filter of a response each, in step": {
    of: "filter",
    source: { of: "step", source: file("render"), placement: { ...AS_IT_IS, delaySamples: -500 }, frames: 144_000 },
    responses: [response(9001, 2), response(4000, 3)],
    lead: 0,
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
    expect(clipOf(open(recipes["a fraction and a clock"]))).toEqual(alignedClip(clips.render, between, 144_000));
    expect(clipOf(open(recipes["another rate"]))).toEqual(resample(clips.high, 44_100));
    const { channels } = clipOf(open(recipes["a difference"]));
    const [mono] = scaleClip(clips.mono, 10 ** (2 / 20)).channels;
    for (const [c, channel] of channels.entries()) {
      expect(channel[1234]).toBeCloseTo(mono[1234] - clips.dry.channels[c][1234], 6);
    }
  });

  it("filters as the plain sum does, to the rounding of 32 bits", () => {
    const responses = [response(301, 4), response(77, 5)];
    const sound = open({ of: "filter", source: file("render"), responses, lead: 40 });
    const { channels } = clips.render;
    for (const start of [0, 5, 8150, 16_300, 148_500]) {
      const read = sound.read(start, 300);
      for (const [c, taps] of responses.entries()) {
        for (const i of [0, 1, 150, 299]) {
          const plain = taps.reduce((sum, h, k) => sum + h * (channels[c][start + i + 40 - k] ?? 0), 0);
          expect(read[c][i]).toBeCloseTo(start + i < channels[c].length ? plain : 0, 5);
        }
      }
    }
    expect(sound.frames).toBe(channels[0].length);
  });

  it("has a key that tells it from every other, and from nothing that is no recipe", () => {
    const keys = Object.values(recipes).map(recipeKey);
    expect(new Set(keys).size).toBe(keys.length);
    for (const recipe of Object.values(recipes)) {
      expect(recipeSchema.parse(structuredClone(recipe))).toEqual(recipe);
      expect(recipeKey(structuredClone(recipe))).toBe(recipeKey(recipe));
      expect(isRecipe(recipe)).toBe(true);
    }
    const filter = (taps: Float64Array) => recipeKey({ of: "filter", source: file("dry"), responses: [taps], lead: 0 });
    const taps = response(64, 9);
    const others = [
      taps.with(3, taps[3] + 1e-15),
      taps.with(0, -taps[0]),
      taps.toReversed(),
      taps.subarray(1),
      response(64, 10),
    ];
    expect(new Set([taps, ...others].map(filter)).size).toBe(6);
    expect(filter(taps.slice())).toBe(filter(taps));
    for (const value of [null, 3, "file", {}, { of: "file" }, { of: "elsewhere", hash: "x" }, { startFrame: 0 }]) {
      expect(isRecipe(value)).toBe(false);
    }
  });
});
