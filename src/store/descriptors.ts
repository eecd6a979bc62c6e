import { z } from "zod";
import { readSetting, writeSetting } from "./settings";

const WORDS_KEY = "words";
const MOST_WORDS = 200;

/** What people say of sounds, to begin from; one's own come first. Common practice, no published source. */
const FIRST_WORDS = [
  "airy",
  "boomy",
  "boxy",
  "bright",
  "brittle",
  "clear",
  "dark",
  "deep",
  "dull",
  "flat",
  "forward",
  "harsh",
  "muddy",
  "narrow",
  "open",
  "punchy",
  "smeared",
  "soft",
  "thin",
  "tight",
  "warm",
  "wide",
  "woolly",
];

/** The person's own words, latest first, then those to begin from. */
export async function ownDescriptors(): Promise<string[]> {
  const own = (await readSetting(WORDS_KEY, z.array(z.string()))) ?? [];
  return [...own, ...FIRST_WORDS.filter((word) => !own.includes(word))];
}

/** Adds words to the person's own, or brings them to the front. */
export async function learnDescriptors(words: readonly string[]): Promise<void> {
  const own = (await readSetting(WORDS_KEY, z.array(z.string()))) ?? [];
  const fresh = words.map((w) => w.trim().toLowerCase()).filter(Boolean);
  await writeSetting(WORDS_KEY, [...new Set([...fresh, ...own])].slice(0, MOST_WORDS));
}
