import { trialCount } from "@/core/blind/plan";
import type { Run } from "@/core/blind/run";
import { probabilityText } from "@/core/words/blind";
import { NO_FIGURE, number, plural } from "@/core/words/units";
import { trialWord } from "./seats";

/** What a run came to, in a few figures. */
export function scoreOf(run: Run): string {
  const { result, stimuli, plan } = run;
  if (!result) return `${trialWord(run).toLowerCase()} ${run.trials.length + 1} of ${trialCount(plan, stimuli.length)}`;
  if (result.kind === "right or wrong") return `${result.right} of ${result.answered}`;
  const values = result.kind === "choices" ? result.tally.picks : (result.grading?.figures.map((f) => f.mean) ?? []);
  const most = Math.max(...values);
  const first = values.filter((v) => v === most).length === 1 ? stimuli[values.indexOf(most)].title : "";
  if (result.kind === "choices")
    return first ? `${first}: ${most} of ${result.tally.rounds}` : plural(result.tally.rounds, "pick");
  return first ? `${first}: ${number(most)}` : plural(run.trials.length, "round");
}

/** A run left early has no odds: where it stopped may have been chosen by how it went. */
export function oddsOf(run: Run): string {
  const { result } = run;
  if (!result) return run.opened ? "…" : "sealed";
  if (result.outcome === "left early" || result.outcome === "part") return NO_FIGURE;
  if (result.kind === "right or wrong") return probabilityText(result.guessing);
  const chance = result.kind === "choices" ? result.tally.chance : result.grading?.friedman;
  return chance ? probabilityText(chance.p) : NO_FIGURE;
}
