import { z } from "zod";
import type { Clip } from "../audio/clip";

/**
 * One simulated processor. `parameters` is a Zod object whose fields carry unit, range and default; forms and the settings
 * of a candidate are made from it. `process` never changes its input and returns as many frames as it was given.
 */
export type Processor<Schema extends z.ZodObject = z.ZodObject> = {
  /** Stable key, kept in saved comparisons. */
  key: string;
  /** Plain description, shown to people. */
  name: string;
  family: "equalizer" | "saturator" | "limiter";
  parameters: Schema;
  process(clip: Clip, settings: z.infer<Schema>): Clip;
};

/** A number with a range, a default and a unit for its label. */
export function parameter(label: string, unit: string, lowest: number, highest: number, initial: number) {
  return z.number().min(lowest).max(highest).default(initial).meta({ label, unit });
}

/** Keeps the settings' type tied to the schema's. */
export function defineProcessor<Schema extends z.ZodObject>(processor: Processor<Schema>): Processor<Schema> {
  return processor;
}
