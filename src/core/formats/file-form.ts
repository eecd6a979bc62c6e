import { z } from "zod";
import { seededRandom } from "../audio/random";
import { piecesOf, type Sound } from "../audio/sound";
import { aiffParts } from "./aiff-write";
import { wavParts } from "./wav-write";

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
function fitsSixteenBits(sound: Sound): boolean {
  for (const { channels } of piecesOf(sound)) {
    if (!channels.every((channel) => channel.every((v) => Number.isInteger(v * 32768)))) return false;
  }
  return true;
}

/** The file of a sound, part by part. 16-bit files get triangular dither unless the sound is 16-bit already: then it is written bit for bit. */
export function partsOfFile(sound: Sound, { container, encoding }: FileForm): Generator<Uint8Array<ArrayBuffer>> {
  const dithered = encoding === "16-bit" && !fitsSixteenBits(sound);
  const dither = dithered ? { random: seededRandom(DITHER_SEED) } : null;
  return container === "WAV" ? wavParts(sound, encoding, dither) : aiffParts(sound, encoding, dither);
}
