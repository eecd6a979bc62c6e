import { type Clip, frameCount, sliceClip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { clipOf, type Sound, soundOf } from "../audio/sound";
import { crossingTheme } from "../demo/passages";
import { ladderOf } from "../ladder/ladder-report";
import {
  type Ladder,
  type LadderStep,
  type LadderTask,
  type StepName,
  stepOf as stepOfLadder,
} from "../ladder/ladder-schema";
import { runChain } from "../processors/chain";

let theme: Clip | null = null;
let lowTheme: Clip | null = null;

/** A stretch of the demo's crossing theme, a full mix, stereo or its left channel; at 48 kHz, or at 16 kHz, where a test takes a third of the time. */
export function music(
  seconds: number,
  channels: 1 | 2 = 2,
  fromSeconds = 1,
  sampleRateHz: 16_000 | 48_000 = 48_000,
): Clip {
  theme ??= crossingTheme();
  if (sampleRateHz === 16_000) lowTheme ??= clipOf(atRate(soundOf(theme), 16_000));
  const source = sampleRateHz === 16_000 ? (lowTheme ?? theme) : theme;
  const part = sliceClip(source, fromSeconds * sampleRateHz, (fromSeconds + seconds) * sampleRateHz);
  return channels === 2 ? part : { ...part, channels: [part.channels[0]] };
}

/** A clip through built-in processors, each by its key and what of its settings is not the default. */
export const throughProcessors = (
  clip: Clip,
  ...stages: [processorKey: string, settings?: Record<string, unknown>][]
): Clip =>
  clipOf(
    runChain(
      soundOf(clip),
      stages.map(([processorKey, settings = {}]) => ({ processorKey, settings })),
    ),
  );

/** A bell and a shelf, for a built-in equalizer. */
export const BELL_AND_SHELF = {
  bands: [
    { kind: "bell", frequencyHz: 200, gainDb: 6, q: 1 },
    { kind: "high shelf", frequencyHz: 6000, gainDb: 4, q: 0.7 },
  ],
};

/** A pair of clips analysed. */
export const taken = (here: Clip, yonder: Clip): Ladder => ladderOf(laddered(here, yonder), () => {});

/** Two clips aligned, to be analysed over all that both have. */
export function laddered(here: Clip, yonder: Clip): LadderTask {
  const [a, b]: Sound[] = [soundOf(here), soundOf(yonder)];
  const endFrame = Math.min(frameCount(here), frameCount(yonder));
  return {
    delivered: { here: a, yonder: b },
    aligned: { here: a, yonder: b },
    region: { startFrame: 0, endFrame },
    placed: { delaySamples: 0, polarity: 1, driftPpm: 0 },
  };
}

/** A step of a ladder by its name; throws where it is not there. */
export function stepOf<Name extends StepName>(steps: readonly LadderStep[], name: Name) {
  const found = stepOfLadder({ steps: [...steps] }, name);
  if (!found) throw new Error(`there is no step ${name}`);
  return found;
}

/** What a step leaves, silence as a very low figure, so that it can be compared. */
export const stepResidualDb = (steps: readonly LadderStep[], name: StepName): number =>
  stepOf(steps, name).residualDb ?? -300;
