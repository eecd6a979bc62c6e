import { type Clip, frameCount, sliceClip } from "../audio/clip";
import { atRate } from "../audio/resample";
import { clipOf, type Sound, soundOf } from "../audio/sound";
import { crossingTheme } from "../demo/passages";
import type { LadderStep, LadderTask, StepName } from "../ladder/ladder-report";
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

/** Two clips in step, to be taken apart over all that both have. */
export function laddered(here: Clip, yonder: Clip): LadderTask {
  const [a, b]: Sound[] = [soundOf(here), soundOf(yonder)];
  const endFrame = Math.min(frameCount(here), frameCount(yonder));
  return {
    delivered: { here: a, yonder: b },
    inStep: { here: a, yonder: b },
    region: { startFrame: 0, endFrame },
    placed: { delaySamples: 0, polarity: 1, driftPpm: 0 },
  };
}

/** A step of a ladder by its name; throws where it is not there. */
export function stepOf<Name extends StepName>(
  steps: readonly LadderStep[],
  name: Name,
): Extract<LadderStep, { step: Name }> {
  const found = steps.find((s): s is Extract<LadderStep, { step: Name }> => s.step === name);
  if (!found) throw new Error(`there is no step ${name}`);
  return found;
}

/** What a step leaves, silence as a very low figure, so that it can be compared. */
export const leftDb = (steps: readonly LadderStep[], name: StepName): number => stepOf(steps, name).residualDb ?? -300;
