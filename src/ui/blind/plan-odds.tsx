"use client";

import { fewestPicks } from "@/core/blind/multinomial";
import { chanceOfAtLeast, fewestRight } from "@/core/blind/odds";
import { FEWEST_TRIALS, MOST_ROUNDS, MOST_TRIALS, pairCount, SIGNIFICANCE_LEVEL } from "@/core/blind/plan";
import { roundsToSeparate } from "@/core/blind/rating";
import { PLAN_WORDS } from "@/core/words/blind-plan";
import { percentWords } from "@/core/words/units";
import { WhatIs } from "@/ui/shell/what-is";
import type { PlanDraft } from "./plan-draft";

/** Listeners of these abilities are told how likely the plan is to catch them. */
const ABILITIES = [0.6, 0.7, 0.8, 0.9] as const;

const within = (n: number, least: number, most: number) => Number.isInteger(n) && n >= least && n <= most;

/** What a plan takes to show anything, reported before it begins. */
export function PlanOdds({ draft, stimuli }: { draft: PlanDraft; stimuli: number }) {
  return (
    <div className="grid content-start gap-2" data-testid="plan-odds">
      <h2 className="font-display font-semibold">Pass mark and power</h2>
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
        <span className="figure block text-[22px]">
          <WhatIs figure="passMark">{PLAN_WORDS.passMark(right, trials)}</WhatIs>
        </span>
        {PLAN_WORDS.guessing(chanceOfAtLeast(right, trials, 0.5))} {runs > 1 && PLAN_WORDS.series(runs)}
      </p>
      <table className="table table-xs w-fit">
        <thead>
          <tr className="text-soft">
            <th>True share correct</th>
            <th>
              <WhatIs figure="power">Power (chance to pass)</WhatIs>
            </th>
          </tr>
        </thead>
        <tbody>
          {ABILITIES.map((ability) => {
            const power = chanceOfAtLeast(right, trials, ability);
            return (
              <tr key={ability}>
                <td className="figure">{percentWords(ability)}</td>
                <td className="figure">
                  {percentWords(power)}
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
    return (
      <>
        <p>{PLAN_WORDS.pairings(rounds * pairCount(stimuli), stimuli, rounds)}</p>
        <SeparationNote rounds={rounds} pairs={pairCount(stimuli)} />
      </>
    );
  }
  const picks = fewestPicks(rounds, stimuli, SIGNIFICANCE_LEVEL);
  return (
    <>
      <p>
        {picks === null ? (
          PLAN_WORDS.noFavourite(rounds, stimuli)
        ) : (
          <>
            <span className="figure block text-[22px]">
              <WhatIs figure="favouriteMark">{PLAN_WORDS.picks(picks, rounds)}</WhatIs>
            </span>
            {PLAN_WORDS.picksChance}
          </>
        )}
      </p>
      <SeparationNote rounds={rounds} pairs={pairCount(stimuli)} />
    </>
  );
}

/** The fewest one-sided wins, none lost, that separate one pair among so many after Holm. */
function SeparationNote({ rounds, pairs }: { rounds: number; pairs: number }) {
  let wins = 1;
  while (2 * 2 ** -wins * pairs > SIGNIFICANCE_LEVEL) wins++;
  return <p className="text-[13px] text-soft">{PLAN_WORDS.separation(wins, pairs, rounds)}</p>;
}

function RoundsNeeded({ rounds, stimuli }: { rounds: number; stimuli: number }) {
  if (stimuli < 2 || !within(rounds, 1, MOST_ROUNDS)) return null;
  const needed = roundsToSeparate(stimuli, SIGNIFICANCE_LEVEL);
  return (
    <>
      <p>
        <WhatIs figure="roundsNeeded">{PLAN_WORDS.gradingRounds(needed, stimuli, pairCount(stimuli))}</WhatIs>
      </p>
      <p className="text-[13px] text-soft">
        {rounds === 1 ? PLAN_WORDS.oneRound : PLAN_WORDS.repeatability(rounds, rounds >= needed)}
      </p>
    </>
  );
}
