"use client";

import { fewestPicks } from "@/core/blind/multinomial";
import { chanceOfAtLeast, fewestRight } from "@/core/blind/odds";
import { FEWEST_TRIALS, MOST_ROUNDS, MOST_TRIALS, pairCount, SIGNIFICANCE_LEVEL } from "@/core/blind/plan";
import { roundsToSeparate } from "@/core/blind/rating";
import { number, plural, withUnit } from "@/ui/format";
import type { PlanDraft } from "./plan-draft";

/** Listeners of these abilities are told how likely the plan is to catch them. */
const ABILITIES = [0.6, 0.7, 0.8, 0.9] as const;

const percent = (share: number, decimals = 0) => withUnit(number(100 * share, decimals), "%");
const within = (n: number, least: number, most: number) => Number.isInteger(n) && n >= least && n <= most;

/** What a plan takes to show anything, told before it begins. */
export function PlanOdds({ draft, stimuli }: { draft: PlanDraft; stimuli: number }) {
  return (
    <div className="grid content-start gap-2" data-testid="plan-odds">
      <h2 className="font-display font-semibold">What it takes</h2>
      {draft.kind === "abx" || draft.kind === "same-different" ? (
        <RightNeeded trials={draft.trials} runs={draft.seriesRuns} />
      ) : draft.kind === "rating" ? (
        <RoundsNeeded rounds={draft.rounds} stimuli={stimuli} />
      ) : (
        <PicksNeeded draft={draft} stimuli={stimuli} />
      )}
    </div>
  );
}

function RightNeeded({ trials: each, runs }: { trials: number; runs: number }) {
  if (!within(each, FEWEST_TRIALS, MOST_TRIALS)) return null;
  const trials = each * runs;
  const right = fewestRight(trials, SIGNIFICANCE_LEVEL);
  if (right === null) return null;
  return (
    <>
      <p>
        <span className="figure text-[22px]">{right}</span> of <span className="figure text-[22px]">{trials}</span>{" "}
        right are needed{runs > 1 && `, over ${runs} runs judged together`}: {plural(right, "right answer")} or more
        come to a guesser in <span className="figure">{percent(chanceOfAtLeast(right, trials, 0.5), 1)}</span> of runs.
      </p>
      <table className="table table-xs w-fit">
        <thead>
          <tr className="text-soft">
            <th>A listener who is right</th>
            <th>passes this plan</th>
          </tr>
        </thead>
        <tbody>
          {ABILITIES.map((ability) => {
            const power = chanceOfAtLeast(right, trials, ability);
            return (
              <tr key={ability}>
                <td className="figure">{percent(ability)} of the time</td>
                <td className="figure">
                  {percent(power)}
                  <span
                    className="ml-2 inline-block h-1.5 bg-soft align-middle"
                    style={{ width: `${Math.round(100 * power)}px` }}
                    aria-hidden="true"
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

function PicksNeeded({ draft: { kind, rounds }, stimuli }: { draft: PlanDraft; stimuli: number }) {
  if (stimuli < 2 || !within(rounds, 1, MOST_ROUNDS)) return null;
  if (kind === "pairs") {
    const meetings = rounds * pairCount(stimuli);
    return (
      <>
        <p>
          <span className="figure text-[22px]">{meetings}</span> meetings: every two of {stimuli} once in each of{" "}
          {plural(rounds, "round")}.
        </p>
        <SeparationNote meetings={rounds} pairs={pairCount(stimuli)} />
      </>
    );
  }
  const picks = fewestPicks(rounds, stimuli, SIGNIFICANCE_LEVEL);
  return (
    <>
      <p>
        {picks === null ? (
          `${plural(rounds, "round")} over ${stimuli} renders cannot show a favourite at 5 %, even with every pick for one.`
        ) : (
          <>
            One render picked in <span className="figure text-[22px]">{picks}</span> of{" "}
            <span className="figure text-[22px]">{rounds}</span> rounds is more than chance gives any in 95 % of runs.
          </>
        )}
      </p>
      <SeparationNote meetings={rounds} pairs={pairCount(stimuli)} />
    </>
  );
}

/** The fewest one-sided wins, none lost, that separate one pair among so many after Holm. */
function SeparationNote({ meetings, pairs }: { meetings: number; pairs: number }) {
  let wins = 1;
  while (2 * 2 ** -wins * pairs > SIGNIFICANCE_LEVEL) wins++;
  return (
    <p className="text-[13px] text-soft">
      To tell two of them apart one has to win {wins} times and lose none, with {plural(pairs, "pair")} corrected for
      {wins > meetings ? `: more than ${plural(meetings, "round")} can show.` : "."}
    </p>
  );
}

function RoundsNeeded({ rounds, stimuli }: { rounds: number; stimuli: number }) {
  if (stimuli < 2 || !within(rounds, 1, MOST_ROUNDS)) return null;
  const needed = roundsToSeparate(stimuli, SIGNIFICANCE_LEVEL);
  return (
    <>
      <p>
        <span className="figure text-[22px]">{needed}</span> rounds are the fewest that can tell two of {stimuli} apart,
        corrected for {plural(pairCount(stimuli), "pair")}: of one listener, or of several together.
      </p>
      <p className="text-[13px] text-soft">
        {rounds === 1
          ? "From one round it is not known how far your own grades repeat."
          : `${rounds} rounds say how far your own grades repeat${rounds < needed ? ", and an order, but separate no two of them." : "."}`}
      </p>
    </>
  );
}
