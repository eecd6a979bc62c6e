import { type Flaw, flawsOfAll } from "../blind/flaws";
import type { Run } from "../blind/run";
import {
  type Claims,
  combinedChance,
  countedLikings,
  countedOf,
  type Discrimination,
  type EndedTest,
  isFair,
  isTakenToEnd,
  type Liking,
  type Preference,
  type Question,
  type Score,
} from "../findings/tests";
import { flawWords, oddsInWords, probabilityText } from "./blind";
import { listed, number, plural } from "./units";

/** "3 runs on 2 questions; 1 shown, Holm-corrected." Of claims alone: what one run shows by itself stands at the run. */
export function claimsSummary({ runs, discriminations, likings }: Claims & { runs: readonly Run[] }): string {
  const ended = runs.filter((run) => run.result).length;
  if (ended === 0) return "Nothing has been decided blind so far.";
  const asked = discriminations.filter((d) => d.outcome !== "open").length + likings.filter(isTakenToEnd).length;
  const shown =
    discriminations.filter((d) => d.outcome === "told").length + likings.filter((l) => l.winnerId ?? l.mostId).length;
  const corrected = asked > 1 ? ", Holm-corrected" : "";
  return `${plural(ended, "run")} on ${plural(asked, "question")}; ${shown === 0 ? "none" : shown} shown${corrected}.`;
}

/** ", p = 0.13 Holm-corrected for 12 questions"; nothing where there was one. */
const correctionText = ({ corrected, questions }: Question): string =>
  questions > 1 ? `, ${probabilityText(corrected)} Holm-corrected for ${questions} questions` : "";

/** "; not counted: 8 of 8 at unequal level (1.11 LU remaining)"; nothing where all count. */
const uncountedText = (scores: readonly { score: string; flaws: readonly Flaw[] }[]): string =>
  scores.length > 0 ? `; not counted: ${listed(scores.map(({ score, flaws }) => `${score} ${flawWords(flaws)}`))}` : "";

/** "13 of 16 correct, 1 in 94 by guessing, p = 0.1277 Holm-corrected for 12 questions"; several tests one after the other. */
export function discriminationScore(d: Discrimination): string {
  const { listeners, outcome, p } = d;
  if (outcome === "open") return "no run was finished";
  const { counted, uncounted } = countedOf(d);
  const scoreOf = ({ result }: EndedTest) => `${result.right} of ${result.answered}`;
  const by = listeners > 1 ? `, ${listeners} listeners` : "";
  const chance = outcome === "flawed" ? combinedChance(counted.map(({ result }) => result.guessing)) : p;
  // Where all were flawed and none was passed, fair ones have no chance to name.
  const odds = chance < 1 ? `, ${oddsInWords(chance)} by guessing${outcome === "flawed" ? "" : correctionText(d)}` : "";
  const flaws = flawsOfAll(counted.filter((test) => !isFair(test)).flatMap(({ runs }) => runs));
  const apart = uncountedText(uncounted.map((test) => ({ score: scoreOf(test), flaws: test.flaws })));
  return `${listed(counted.map(scoreOf))} correct${by}${odds}${flaws.length > 0 ? `, ${flawWords(flaws)}` : ""}${apart}`;
}

/** "9 of 12 rounds"; "mean grade 71.0 in 3 rounds". */
const scoreWords = (score: Score): string =>
  score.kind === "picks"
    ? `${score.picks} of ${plural(score.of, score.unit)}`
    : `mean grade ${number(score.mean)} in ${plural(score.rounds, "round")}`;

/** What one of them scored: "9 of 12 rounds, p = 0.0021"; several runs one after the other. */
export function likingScore(liking: Liking, candidateId: string): string {
  const { counted, uncounted } = countedLikings(liking);
  const scoreIn = ({ candidateIds, scores, isWhole, flaws }: Preference) => {
    const score = scores[candidateIds.indexOf(candidateId)];
    return score ? [{ score: `${scoreWords(score)}${isWhole ? "" : ", left early"}`, flaws }] : [];
  };
  const scores = counted
    .flatMap(scoreIn)
    .map(({ score, flaws }) => [score, flawWords(flaws)].filter(Boolean).join(" "));
  const chance = liking.p < 1 ? `, ${probabilityText(liking.p)}${correctionText(liking)}` : "";
  return `${listed(scores)}${chance}${uncountedText(uncounted.flatMap(scoreIn))}`;
}
