import { z } from "zod";
import type { Clip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { writeAiff } from "./aiff-write";
import { writeWav } from "./wav-write";

/** How a render is written to a file. */
export const fileFormSchema = z.object({
  container: z.enum(["WAV", "AIFF"]),
  encoding: z.enum(["16-bit", "24-bit", "32-bit float"]),
});
export type FileForm = z.infer<typeof fileFormSchema>;

export const endingOf = ({ container }: FileForm): string => (container === "WAV" ? "wav" : "aiff");

/** Any fixed number: one render written twice gives the same file. */
const DITHER_SEED = 1992;

/** Whether every sample already stands on a step of 16 bits, so that dither would only add noise. */
function fitsSixteenBits({ channels }: Clip): boolean {
  return channels.every((channel) => channel.every((v) => Number.isInteger(v * 32768)));
}

/** The file of a clip. 16-bit files get triangular dither unless the clip is 16-bit already: then it is written bit for bit. */
export function writeFile(clip: Clip, { container, encoding }: FileForm): Uint8Array<ArrayBuffer> {
  const dithered = encoding === "16-bit" && !fitsSixteenBits(clip);
  const dither = dithered ? { random: seededRandom(DITHER_SEED) } : null;
  return container === "WAV" ? writeWav(clip, encoding, dither) : writeAiff(clip, encoding, dither);
}
