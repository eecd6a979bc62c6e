import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { align } from "../alignment/align";
import { alignedSound } from "../alignment/aligned";
import { atRate } from "../audio/resample";
import { clipOf, soundOf, stretch } from "../audio/sound";
import { readAudio } from "../formats/read-audio";
import { recording } from "../testing/recordings";
import { heardDifference } from "./heard";

// MP3 by LAME through ffmpeg: fixtures/make_coded.py. That more bits lie further under the mask is a fact of the trade.

const RATES = [64, 128, 320];

async function meansOf(name: Parameters<typeof recording>[0]): Promise<number[]> {
  const here = soundOf(
    clipOf(stretch(atRate(soundOf(recording(name)), 44_100), { startFrame: 0, endFrame: 1.6 * 44_100 })),
  );
  const means: number[] = [];
  for (const rate of RATES) {
    const file = `${name}-${rate}.mp3`;
    const decoded = await readAudio(readFileSync(`fixtures/coded/${file}`), file);
    if (!decoded.ok) throw new Error(decoded.reason);
    const coded = soundOf(decoded.value.clip);
    const found = align(here, coded);
    if (!found.found) throw new Error(`${file} was not found`);
    const yonder = soundOf(clipOf(alignedSound(coded, found, here.frames)));
    // The ends are where a coder begins and where padding was.
    means.push(
      heardDifference(here, yonder, { startFrame: 4410, endFrame: here.frames - 4410 }, 1).meanOverMaskDb ?? -200,
    );
  }
  return means;
}

describe("lossy files", () => {
  it.each(["tabla-44100", "guitar-48000", "bell-96000", "drums-88200", "safari-192000"] as const)(
    "of %s lie the further under the mask the more bits they have",
    async (name) => {
      const [low, middle, high] = await meansOf(name);
      expect(middle).toBeLessThan(low);
      expect(high).toBeLessThan(middle);
      // 320 kbit/s are taken for transparent: on average under the mask (common practice, no published source).
      expect(high).toBeLessThan(0);
    },
  );
});
