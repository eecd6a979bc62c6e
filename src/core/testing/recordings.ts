import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import type { Clip } from "../audio/clip";
import { readAudio } from "../formats/read-audio";
import { readWav } from "../formats/wav-read";

const fixture = (path: string) => fileURLToPath(new URL(`../../../fixtures/${path}`, import.meta.url));

/** A committed recording (CC0, from Debian's sonic-pi-samples; see fixtures/make.py). */
export function recording(name: "tabla-44100" | "guitar-48000" | "bell-96000" | "drums-88200" | "safari-192000"): Clip {
  const decoded = readWav(readFileSync(fixture(`recordings/${name}.wav`)), name);
  if (!decoded.ok) throw new Error(decoded.reason);
  return decoded.value.clip;
}

export const readFixture = (path: string): string => readFileSync(fixture(path), "utf8");

/** The guitar through one of ffmpeg's filters (fixtures/make_ladder.py); "plain" is what went in, and alone stereo with "wide". */
export async function throughFfmpeg(
  name: "plain" | "bells" | "cuts" | "linear" | "wide" | "compressor" | "softclip",
): Promise<Clip> {
  const decoded = await readAudio(readFileSync(fixture(`ladder/${name}.flac`)), name);
  if (!decoded.ok) throw new Error(decoded.reason);
  return decoded.value.clip;
}
