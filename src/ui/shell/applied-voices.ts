import { create } from "zustand";
import { amplitudeFromDb } from "@/core/audio/decibels";
import type { Recipe } from "@/core/recipes/recipe";
import type { Voice } from "@/playback/feed";
import type { Gains } from "@/playback/player";
import { prepared } from "@/store/copies";

/** Here with the fit applied up to a step, to be heard beside the pair. */
export type AppliedVoice = {
  step: string;
  voice: Voice;
  /** Of what it leaves of Yonder, in dB over Yonder; null is silence. */
  residualDb: number | null;
};

/** Fits applied belong to one pair, by its key, and go with it. */
export const useAppliedVoices = create<{ pairKey: string; applied: readonly AppliedVoice[] }>(() => ({
  pairKey: "",
  applied: [],
}));

/** A scene is Here with a fit applied, or its residual re Yonder. */
export const appliedScene = (step: string): string => `worn:${step}`;
export const residualScene = (step: string): string => `left:${step}`;

/** Applies a fit to Here, once, and keeps it at hand to be heard. */
export async function applyFit(
  pairKey: string,
  step: string,
  recipe: Recipe,
  channelCount: number,
  residualDb: number | null,
): Promise<void> {
  const there = useAppliedVoices.getState();
  if (there.pairKey === pairKey && there.applied.some((w) => w.step === step)) return;
  const voice = { ...(await prepared(recipe, { rank: "urgent" })), key: appliedScene(step), channelCount };
  useAppliedVoices.setState(({ pairKey: before, applied }) => ({
    pairKey,
    applied: [...(before === pairKey ? applied : []).filter((w) => w.step !== step), { step, voice, residualDb }],
  }));
}

/** Fits applied, as scenes: at Yonder's gain, and what remains as loud as the boost asks for but never louder than Yonder. */
export function appliedScenes(
  applied: readonly AppliedVoice[],
  yonderId: string,
  yonderGain: number,
  boostDb: number,
): Map<string, Gains> {
  const scenes = new Map<string, Gains>();
  for (const { step, voice, residualDb } of applied) {
    const boost = amplitudeFromDb(Math.max(0, Math.min(boostDb, residualDb === null ? boostDb : -residualDb)));
    scenes.set(appliedScene(step), new Map([[voice.key, yonderGain]]));
    scenes.set(
      residualScene(step),
      new Map([
        [yonderId, yonderGain * boost],
        [voice.key, -yonderGain * boost],
      ]),
    );
  }
  return scenes;
}
