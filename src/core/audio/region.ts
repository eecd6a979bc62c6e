import { z } from "zod";

/** Whole frames of a passage, at its dry render's rate; the end is not included. */
export const regionSchema = z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(1) });
export type Region = z.infer<typeof regionSchema>;

/** What both of two stretches have; its end may lie before its start where that is nothing. */
export const shared = (a: Region, b: Region): Region => ({
  startFrame: Math.max(a.startFrame, b.startFrame),
  endFrame: Math.min(a.endFrame, b.endFrame),
});
