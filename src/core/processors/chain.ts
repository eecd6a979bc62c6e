import { z } from "zod";
import { asStereo, type Clip, frameCount } from "../audio/clip";
import { resample } from "../audio/resample";
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

/** Silence of `frames` before the clip. */
export function delayed(clip: Clip, frames: number): Clip {
  if (frames === 0) return clip;
  const channels = clip.channels.map((channel) => {
    const output = new Float32Array(channel.length + frames);
    output.set(channel, frames);
    return output;
  });
  return { ...clip, channels };
}

export type ChainOptions = {
  /** External key, in time with the clip. */
  key?: Clip;
  /** Leave the delay in that a host without compensation would add. */
  keepLatency?: boolean;
  /** Called before each stage with the share done, 0 to 1. */
  onStage?: (share: number, name: string) => void;
};

/** A clip through a chain. Neither the clip nor the key is changed. Throws RangeError for an unknown processor. */
export function runChain(clip: Clip, chain: Chain, { key, keepLatency, onStage }: ChainOptions = {}): Clip {
  let current = clip;
  chain.forEach((stage, i) => {
    const { processor, settings } = partsOf(stage);
    onStage?.(i / chain.length, processor.name);
    const heard = key && asStereo(resample(key, current.sampleRateHz));
    current = processor.process(current, settings, { key: processor.takesKey ? heard : undefined });
  });
  if (frameCount(current) === 0) throw new RangeError("a chain left nothing of the clip");
  return keepLatency ? delayed(current, chainLatencySamples(chain, clip.sampleRateHz)) : current;
}
