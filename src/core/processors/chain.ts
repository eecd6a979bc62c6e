import { z } from "zod";
import { remembered } from "../audio/in-order";
import { atRate } from "../audio/resample";
import { type Sound, stretch } from "../audio/sound";
import type { Family } from "./processor";
import { processorOf } from "./registry";

/** One processor of a chain at its settings; fields that are missing take their defaults. */
export const chainStageSchema = z
  .object({ processorKey: z.string(), settings: z.record(z.string(), z.unknown()) })
  .superRefine(({ processorKey, settings }, context) => {
    const processor = processorOf(processorKey);
    if (!processor) context.addIssue(`there is no processor "${processorKey}"`);
    const parsed = processor?.parameters.safeParse(settings);
    for (const issue of parsed?.error?.issues ?? []) {
      context.addIssue({ code: "custom", message: issue.message, path: ["settings", ...issue.path] });
    }
  });
export type ChainStage = z.infer<typeof chainStageSchema>;

/** Processors one after the other, at most eight. */
export const chainSchema = z.array(chainStageSchema).min(1).max(8);
export type Chain = z.infer<typeof chainSchema>;

function partsOf({ processorKey, settings }: ChainStage) {
  const processor = processorOf(processorKey);
  if (!processor) throw new RangeError(`there is no processor "${processorKey}"`);
  return { processor, settings: processor.parameters.parse(settings) };
}

/** What a host without delay compensation would add to the whole chain, in samples of the clip's rate. */
export function chainLatencySamples(chain: Chain, sampleRateHz: number): number {
  return chain.reduce((sum, stage) => {
    const { processor, settings } = partsOf(stage);
    return sum + (processor.latencySamples?.(settings, sampleRateHz) ?? 0);
  }, 0);
}

/** The family that names the chain: its only one, or "chain" when there are several. */
export function chainFamily(chain: Chain): Family | "chain" {
  const families = new Set(chain.map((stage) => partsOf(stage).processor.family));
  const [only] = families;
  return families.size === 1 ? only : "chain";
}

/** Silence of `frames` before the sound. */
export const delayed = (sound: Sound, frames: number): Sound =>
  frames === 0 ? sound : stretch(sound, { startFrame: -frames, endFrame: sound.frames });

type ChainOptions = {
  /** External key, in time with the sound. */
  key?: Sound;
  /** Leave the delay in that a host without compensation would add. */
  keepLatency?: boolean;
  /** Called while a stage has to hear all of its input before a sample can come out, with its name and the share heard, 0 to 1. */
  onHeard?: (name: string, share: number) => void;
};

/** A sound through a chain, worked out as it is read. Throws RangeError for an unknown processor. */
export function runChain(sound: Sound, chain: Chain, { key, keepLatency, onHeard }: ChainOptions = {}): Sound {
  let current = sound;
  for (const stage of chain) {
    const { processor, settings } = partsOf(stage);
    // A stage may read its input several times over, such as to look at its level.
    current = processor.process(remembered(current), settings, {
      key: processor.takesSidechain && key ? atRate(key, current.sampleRateHz) : undefined,
      onHeard: (share) => onHeard?.(processor.name, share),
    });
  }
  if (current.frames === 0) throw new RangeError("a chain left nothing of the sound");
  return keepLatency ? delayed(current, chainLatencySamples(chain, sound.sampleRateHz)) : current;
}
