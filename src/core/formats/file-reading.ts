import { z } from "zod";
import { overviewSchema } from "../audio/overview";

/** What reading a file through tells of it, before anything is measured. */
export const fileReadingSchema = z.object({
  /** Its content: hexadecimal digits. */
  hash: z.string(),
  sampleRateHz: z.number().int(),
  channelCount: z.number().int(),
  frames: z.number().int(),
  encoding: z.string(),
  remarks: z.array(z.string()),
  overview: overviewSchema,
});
export type FileReading = z.infer<typeof fileReadingSchema>;

/** Whether a file of this encoding is read in place, or has to be decoded into a copy. */
export const isCoded = (encoding: string): boolean => /^(FLAC|MP3|Vorbis|Opus|AAC|ALAC|WavPack)/.test(encoding);
