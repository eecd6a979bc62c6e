import { z } from "zod";

/** Whole frames of a passage, at its dry render's rate; the end is not included. */
export const regionSchema = z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(1) });
export type Region = z.infer<typeof regionSchema>;
