import { dynamicsOf, type Levels } from "../loudness/measure";

/** Forms of runs as they are called where one is told of. */
export const FORM_WORDS = {
  abx: "ABX",
  "same-different": "Same or different",
  favourite: "Favourite rounds",
  pairs: "Two at a time",
  rating: "Rating rounds",
} as const;

/** A crest factor that moves by less is told as unchanged, dB. */
const UNMOVED_DB = 0.05;

/** What happened to a render's peaks against its RMS; null where one of the two is silent. */
export function dynamicsWords(levels: Levels, dry: Levels): string | null {
  const [is, was] = [dynamicsOf(levels).crestDb, dynamicsOf(dry).crestDb];
  if (is === null || was === null) return null;
  const moved = is - was;
  if (Math.abs(moved) < UNMOVED_DB) return "crest factor unchanged";
  return `crest factor ${moved < 0 ? "−" : "+"}${Math.abs(moved).toFixed(1)} dB`;
}
