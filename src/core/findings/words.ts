import { dynamicsOf, type Levels } from "../loudness/measure";

/** Forms of runs as they are called where one is told of. */
export const FORM_WORDS = {
  abx: "ABX",
  "same-different": "Same or different",
  favourite: "Favourite rounds",
  pairs: "Two at a time",
  rating: "Rating rounds",
} as const;

const SETTING_APART = /(?:Nearly all|Most|The largest part) of it is (.*?)(?:\. |\.$)/;

/** Sentences that name no step, in fewer words. */
const SHORTER: [form: RegExp, words: string][] = [
  [/^(They are next to the same\. )?Neither a filter/, "nothing that a step explains"],
  [/^No step explains anything/, "different material"],
  [/sample for sample\.$/, "the same, sample for sample"],
];

/** A ladder's sentence in a few words, for a cell of a table: what has most of it. */
export const fewWords = (sentence: string): string =>
  SETTING_APART.exec(sentence)?.[1] ??
  SHORTER.find(([form]) => form.test(sentence))?.[1] ??
  sentence.replace(/\.$/, "").replace(/^Nothing but /, "nothing but ");

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
