import type { Flaw } from "../blind/flaws";
import { dynamicsOf, type Levels } from "../loudness/measure";
import { flawWords } from "./blind";
import { IDENTICAL_WORDS } from "./identity";
import { listed, number, percentWords, signed, withUnit } from "./units";

/** Forms of runs by their names. */
export const FORM_WORDS = {
  abx: "ABX",
  "same-different": "Same or different",
  favourite: "Favourite rounds",
  pairs: "Two at a time",
  rating: "Rating rounds",
} as const;

/** A crest factor that moves by less is unchanged, dB. */
const UNMOVED_DB = 0.05;

/** What happened to a render's peaks against its RMS; null where one of the two is silent. */
export function dynamicsWords(levels: Levels, dry: Levels): string | null {
  const [is, was] = [dynamicsOf(levels).crestDb, dynamicsOf(dry).crestDb];
  if (is === null || was === null) return null;
  const moved = is - was;
  if (Math.abs(moved) < UNMOVED_DB) return "crest factor unchanged";
  return `crest factor ${withUnit(signed(moved), "dB")}`;
}

const UNDECIDED = "so nothing is decided";

/** What is known of one candidate on one passage, as it stands in a cell of the matrix. */
export const EVIDENCE = {
  difference: (other: string) => `difference from ${other} shown`,
  noDifference: (other: string) => `no difference from ${other} shown`,
  flawedDifference: (other: string, flaws: readonly Flaw[]) =>
    `difference from ${other} shown only ${flawWords(flaws)}, ${UNDECIDED}`,
  open: (others: readonly string[]) => `compared with ${listed(others)}`,
  ahead: (others: readonly string[]) => `ahead of ${listed(others)}`,
  behind: (winner: string) => `behind ${winner}`,
  flawed: (says: string, flaws: readonly Flaw[]) => `${says} only ${flawWords(flaws)}, ${UNDECIDED}`,
  most: (others: readonly string[]) => `picked most often, not significantly ahead of ${listed(others)}`,
  otherMost: (other: string) => `${other} picked most often, not significantly ahead`,
  noPreference: (others: readonly string[]) => `no preference shown among it and ${listed(others)}`,
  sighted: "preferred",
  noSighted: "no preference",
  lessLiked: (preferred: string) => `${preferred} preferred`,
  sure: (surePercent: number) => `${withUnit(number(surePercent, 0), "%")} sure, sighted`,
} as const;

/** Two facts that do not go together, in a sentence or two. */
export const CONTRADICTION = {
  sighted: (name: string, surePercent: number) =>
    `Sighted, ${name} was preferred (${withUnit(number(surePercent, 0), "%")} sure)`,
  sightedNoDifference: (sighted: string, other: string, score: string) =>
    `${sighted}. Blind, no difference from ${other} was shown (${score}).`,
  sightedBehind: (sighted: string, winner: string, score: string) =>
    `${sighted}. Blind, ${winner} is ahead of it (${score}).`,
  louder: (name: string, byLu: number, unit: string) =>
    `${name} was preferred at original level, ${withUnit(number(byLu), unit)} louder than the others heard. Hear it matched.`,
  overruledDifference: (names: readonly string[], flaws: readonly Flaw[]) =>
    `${listed(names)}: a difference was shown only ${flawWords(flaws)}. Correct that, and test again.`,
  overruledPreference: (name: string, flaws: readonly Flaw[]) =>
    `${name} was ahead only ${flawWords(flaws)}. Correct that, and test again.`,
  identicalHeard: (names: readonly string[], identical: keyof typeof IDENTICAL_WORDS, who: number, score: string) =>
    `${listed(names)} are ${IDENTICAL_WORDS[identical]}, yet ${who > 1 ? `${who} listeners` : "one listener"} heard a difference (${score}). Check the run: these files cannot be what was heard.`,
  aboveHeard: (above: string) => `${above} The run was passed all the same: check what was heard.`,
  aboveUnheard: (above: string) => `${above} No run of theirs can show it.`,
  passages: (name: string, passage: string, score: string, winner: string, otherScore: string) =>
    `${name} is ahead on ${passage} (${score}), but behind ${winner} here (${otherScore}).`,
  runs: (winners: readonly string[]) =>
    `Runs over the same renders disagree: ${listed(winners)} each won one. Together they show no preference.`,
  verdictBehind: (name: string, winner: string, score: string) =>
    `Your first choice is ${name}. Blind, ${winner} is ahead of it (${score}).`,
  verdictNoDifference: (names: readonly string[], score: string) =>
    `Your verdicts differ for ${listed(names)}. Blind, no difference was shown (${score}).`,
} as const;

/** What a run over two renders can show that are identical to so many bits. */
const NO_RUN = {
  bit: "no run can show a difference",
  "24-bit": "a difference of one 24-bit step (−138 dBFS) is below the noise of any converter",
  "16-bit": "all a run could show is one 16-bit step (−90 dBFS)",
} as const;

const on = (names: readonly string[], passage: string): string => `${listed(names)} on ${passage}`;

/** Open questions, and why a run settles them or cannot. */
export const NEXT_RUN = {
  neverBlind: "They have not been compared blind.",
  finish: "A finished run decides.",
  pairsCheapest: "Two at a time needs the fewest answers where only two remain.",
  checksPassed: "With every check passed, a run decides.",
  power: (trials: number, power: number) => `${trials} trials have power ${percentWords(power)}.`,
  pairsDecide: "Two at a time shows which is preferred.",
  differenceFirst: "Without an audible difference there is no preference: test that first.",
  identical: (names: readonly string[], passage: string, identical: keyof typeof IDENTICAL_WORDS) =>
    `${on(names, passage)} are ${IDENTICAL_WORDS[identical]}: ${NO_RUN[identical]}.`,
  firstChoice: (name: string, passage: string) =>
    `Your first choice on ${passage} is ${name}. Does it differ audibly from dry?`,
  sighted: (name: string, passage: string, against: string) =>
    `Sighted, ${name} was preferred on ${passage}. Does it differ audibly from ${against}?`,
  leftEarly: (names: readonly string[], passage: string) =>
    `${on(names, passage)}: the run was left early and decides nothing.`,
  whichPreferred: (names: readonly string[], passage: string) =>
    `${on(names, passage)} differ audibly. Which is preferred?`,
  flawed: (names: readonly string[], passage: string, flaws: readonly Flaw[]) =>
    `${on(names, passage)}: a difference was shown only ${flawWords(flaws)}.`,
  inDoubt: (names: readonly string[], passage: string, score: string) =>
    `${on(names, passage)}: ${score}. Each further run makes a lucky one more likely. Declare a series beforehand, or leave it.`,
  hardlyHeard: (names: readonly string[], passage: string) =>
    `${on(names, passage)}: no difference shown, and none expected by estimate. More trials will hardly help.`,
  notShown: (names: readonly string[], passage: string, effect: number, power: number) =>
    `${on(names, passage)}: no difference shown by a run that detects ${percentWords(effect)} correct with power ${percentWords(power)}. More trials would only find a smaller difference. Another passage may show more.`,
  weakRun: (names: readonly string[], passage: string, effect: number, power: number) =>
    `${on(names, passage)}: no difference shown, but the run detects ${percentWords(effect)} correct with power only ${percentWords(power)}.`,
  most: (first: string, second: string, passage: string) =>
    `${first} was picked most often on ${passage}, not significantly ahead of ${second}.`,
  noPreference: (first: string, second: string, passage: string) =>
    `No preference was shown on ${passage}; ${listed([first, second])} were picked most often.`,
} as const;
