import { z } from "zod";
import type { Clip } from "../audio/clip";
import { together } from "../audio/in-order";
import { clipOf, type Sound, soundOf } from "../audio/sound";

export const FAMILIES = ["equalizer", "compressor", "limiter", "saturator", "other"] as const;
export type Family = (typeof FAMILIES)[number];

export type ProcessContext = {
  /** What a processor may listen to beside its input: an external key, of the input's rate. */
  key?: Sound;
  /** Judged by those that have to hear all of their input before the first sample comes out, with the share heard, 0 to 1. */
  onHeard?: (share: number) => void;
};

/**
 * One simulated processor. `parameters` is a Zod object whose fields carry label, unit, range and default; forms and the
 * settings of a candidate are made from it. What `process` gives is worked out as it is read, in time with its input: what a host
 * without delay compensation would add is judged by `latencySamples`. As many frames come back as were given, unless the
 * processor changes the rate.
 */
export type Processor<Schema extends z.ZodObject = z.ZodObject> = {
  /** Stable key, kept in saved comparisons. */
  key: string;
  /** Plain description, shown to people. */
  name: string;
  /** What it does, in one sentence. */
  about: string;
  family: Family;
  parameters: Schema;
  /** Takes another render as its sidechain. */
  takesSidechain?: boolean;
  latencySamples?(settings: z.infer<Schema>, sampleRateHz: number): number;
  process(sound: Sound, settings: z.infer<Schema>, context: ProcessContext): Sound;
  /** The same of a short signal, all at once. */
  processClip(clip: Clip, settings: z.infer<Schema>, context?: { key?: Clip }): Clip;
};

/** A number with a range, a default and a unit for its label. */
export function parameter(label: string, unit: string, lowest: number, highest: number, initial: number) {
  return z.number().min(lowest).max(highest).default(initial).meta({ label, unit });
}

/** A whole number of steps, otherwise as `parameter`. */
export function count(label: string, lowest: number, highest: number, initial: number) {
  return z.number().int().min(lowest).max(highest).default(initial).meta({ label, unit: "" });
}

/** One of several named ways. */
export function choice<const Options extends readonly [string, ...string[]]>(
  label: string,
  options: Options,
  initial: Options[number],
) {
  return z
    .enum(options)
    .default(() => initial)
    .meta({ label, unit: "" });
}

/** One of several fixed numbers. */
export function step<const Options extends readonly [number, number, ...number[]]>(
  label: string,
  unit: string,
  options: Options,
  initial: Options[number],
) {
  return z
    .literal(options)
    .default(() => initial)
    .meta({ label, unit });
}

/** On or off. */
export function toggle(label: string, initial: boolean) {
  return z.boolean().default(initial).meta({ label, unit: "" });
}

/** A processor of its parts, the settings' type tied to the schema's. */
export function defineProcessor<Schema extends z.ZodObject>(
  given: Omit<Processor<Schema>, "processClip">,
): Processor<Schema> {
  return {
    ...given,
    processClip: (clip, settings, { key } = {}) =>
      clipOf(given.process(soundOf(clip), settings, { key: key && soundOf(key) })),
  };
}

/** `wet` mixed into `dry`, 0 to 100 %. */
export function mixed(dry: Sound, wet: Sound, mixPercent: number): Sound {
  if (mixPercent >= 100) return wet;
  const share = mixPercent / 100;
  return together([dry, wet], (output, own, other) => {
    for (let i = 0; i < output.length; i++) output[i] = own[i] + share * (other[i] - own[i]);
  });
}
