import { create } from "zustand";
import { amplitudeFromDb } from "@/core/audio/decibels";
import type { Recipe } from "@/core/recipes/recipe";
import type { Voice } from "@/playback/feed";
import type { Gains } from "@/playback/player";
import { prepared } from "@/store/copies";

/** Here wearing what was found up to a step, as something to be heard beside the pair. */
export type Worn = {
  step: string;
  voice: Voice;
  /** Of what it leaves of Yonder, in dB over Yonder; null is silence. */
  leftDb: number | null;
};

/** What is worn belongs to one pair, by its key, and goes with it. */
export const useWornVoices = create<{ pairKey: string; worn: readonly Worn[] }>(() => ({ pairKey: "", worn: [] }));

/** A scene is Here wearing something, or what that leaves of Yonder. */
export const appliedScene = (step: string): string => `worn:${step}`;
export const leftScene = (step: string): string => `left:${step}`;

/** Works out what Here is like wearing something, once, and has it at hand to be heard. */
export async function wear(
  pairKey: string,
  step: string,
  recipe: Recipe,
  channelCount: number,
  leftDb: number | null,
): Promise<void> {
  const there = useWornVoices.getState();
  if (there.pairKey === pairKey && there.worn.some((w) => w.step === step)) return;
  const voice = { ...(await prepared(recipe, { rank: "urgent" })), key: appliedScene(step), channelCount };
  useWornVoices.setState(({ pairKey: before, worn }) => ({
    pairKey,
    worn: [...(before === pairKey ? worn : []).filter((w) => w.step !== step), { step, voice, leftDb }],
  }));
}

/** What is worn as scenes: at Yonder's gain, and what is left as loud as the boost asks for but never louder than Yonder. */
export function wornScenes(
  worn: readonly Worn[],
  yonderId: string,
  yonderGain: number,
  boostDb: number,
): Map<string, Gains> {
  const scenes = new Map<string, Gains>();
  for (const { step, voice, leftDb } of worn) {
    const boost = amplitudeFromDb(Math.max(0, Math.min(boostDb, leftDb === null ? boostDb : -leftDb)));
    scenes.set(appliedScene(step), new Map([[voice.key, yonderGain]]));
    scenes.set(
      leftScene(step),
      new Map([
        [yonderId, yonderGain * boost],
        [voice.key, -yonderGain * boost],
      ]),
    );
  }
  return scenes;
}
