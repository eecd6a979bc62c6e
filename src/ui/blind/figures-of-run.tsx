"use client";

import type { Tally } from "@/core/blind/favourite";
import type { PairTest } from "@/core/blind/paired";
import { SCALE_RANGE, type Scale } from "@/core/blind/plan";
import type { Grading } from "@/core/blind/rating";
import type { Run } from "@/core/blind/run";
import { probabilityText } from "@/core/words/blind";
import { NO_FIGURE, number, plural, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { WhatIs } from "@/ui/shell/what-is";

const byMost = (values: readonly number[]): number[] => values.map((_, i) => i).sort((a, b) => values[b] - values[a]);

/** How often each was picked, and which pairs that separates. */
export function ChoiceFigures({ tally, names }: { tally: Tally; names: readonly string[] }) {
  const most = Math.max(1, ...tally.picks);
  return (
    <div className="grid gap-3">
      <table className="table table-xs w-fit" aria-label={LABELS.picks}>
        <thead>
          <tr className="text-soft">
            <th>{LABELS.render}</th>
            <th>
              <WhatIs figure="picks">Picked</WhatIs>
            </th>
            <th aria-label="Picks as a bar" className="w-52" />
            {tally.worths && (
              <th className="text-right">
                <WhatIs figure="preferenceShare">Preference share</WhatIs>
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {byMost(tally.worths ?? tally.picks).map((s) => (
            <tr key={names[s]}>
              <td>{names[s]}</td>
              <td className="figure text-right">{tally.picks[s]}</td>
              <td>
                <span
                  className="block h-2 bg-soft"
                  aria-hidden="true"
                  style={{ width: `${(100 * tally.picks[s]) / most}%` }}
                />
              </td>
              {tally.worths && <td className="figure text-right">{withUnit(number(100 * tally.worths[s], 0), "%")}</td>}
            </tr>
          ))}
        </tbody>
      </table>
      <PairTable pairs={tally.pairs} names={names} />
    </div>
  );
}

/** Every pair with its odds, corrected for all of them. */
export function PairTable({ pairs, names }: { pairs: readonly PairTest[]; names: readonly string[] }) {
  if (pairs.length === 0) return null;
  return (
    <details>
      <summary className="cursor-pointer text-[13px] text-soft">
        {plural(pairs.length, "pair")}, {pairs.filter((p) => p.ahead).length} significant
      </summary>
      <div className="max-h-56 overflow-auto">
        <table className="table table-xs w-fit" aria-label="Pairs">
          <thead>
            <tr className="text-soft">
              <th>Pair</th>
              <th className="text-right">
                <WhatIs figure="pValue">p</WhatIs>
              </th>
              <th className="text-right">
                <WhatIs figure="pCorrected">p corrected (Holm)</WhatIs>
              </th>
              <th>Ahead</th>
            </tr>
          </thead>
          <tbody>
            {pairs.map(({ a, b, p, corrected, ahead }) => (
              <tr key={`${a} ${b}`}>
                <td>
                  {names[a]} <span className="text-soft">and</span> {names[b]}
                </td>
                <td className="figure text-right">{probabilityText(p)}</td>
                <td className="figure text-right">{probabilityText(corrected)}</td>
                <td>{ahead ? names[ahead === "a" ? a : b] : <span className="text-soft">not significant</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}

/** The words that were pinned to one stimulus, most used first. */
function wordsFor(runs: readonly Run[], stimulus: number): string {
  const counts = new Map<string, number>();
  for (const { opened, trials } of runs) {
    for (const [i, { answer }] of trials.entries()) {
      if (!opened || !("words" in answer)) continue;
      for (const word of answer.words[opened.order[i].indexOf(stimulus)] ?? []) {
        counts.set(word, (counts.get(word) ?? 0) + 1);
      }
    }
  }
  return [...counts]
    .sort((a, b) => b[1] - a[1])
    .map(([word, n]) => (n > 1 ? `${word} ×${n}` : word))
    .join(", ");
}

/** Means with their intervals on the scale, words beside them, and the pairs. */
export function GradeFigures(props: {
  runs: readonly Run[];
  grading: Grading;
  names: readonly string[];
  scale: Scale;
}) {
  const { runs, grading, names, scale } = props;
  const { low, high } = SCALE_RANGE[scale];
  const decimals = scale === "0 to 100" ? 1 : 2;
  const at = (value: number) => `${(100 * (Math.min(high, Math.max(low, value)) - low)) / (high - low)}%`;
  return (
    <div className="grid gap-3">
      <table className="table table-xs" aria-label={LABELS.grades}>
        <thead>
          <tr className="text-soft">
            <th>{LABELS.render}</th>
            <th className="text-right">
              <WhatIs figure="grade">Mean</WhatIs>
            </th>
            <th className="text-right">
              <WhatIs figure="confidenceInterval">95 % confidence interval</WhatIs>
            </th>
            <th className="w-64">
              <span className="figure flex justify-between">
                <span>{low}</span>
                <span>{high}</span>
              </span>
            </th>
            <th>{LABELS.words}</th>
          </tr>
        </thead>
        <tbody>
          {byMost(grading.figures.map((f) => f.mean)).map((s) => {
            const figures = grading.figures[s];
            return (
              <tr key={names[s]}>
                <td>{names[s]}</td>
                <td className="figure text-right">{number(figures.mean, decimals)}</td>
                <td className="figure whitespace-nowrap text-right">
                  {figures.low === null
                    ? NO_FIGURE
                    : `${number(Math.max(low, figures.low), decimals)} to ${number(Math.min(high, figures.high ?? high), decimals)}`}
                </td>
                <td>
                  <div className="relative h-3 border-faint border-x bg-base-200" aria-hidden="true">
                    {figures.low !== null && figures.high !== null && (
                      <span
                        className="absolute top-1 h-1 bg-soft/60"
                        style={{ left: at(figures.low), right: `calc(100% - ${at(figures.high)})` }}
                      />
                    )}
                    <span
                      className="absolute top-0 h-3 w-0.5 -translate-x-1/2 bg-base-content"
                      style={{ left: at(figures.mean) }}
                    />
                  </div>
                </td>
                <td className="text-soft">{wordsFor(runs, s)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <PairTable pairs={grading.pairs} names={names} />
    </div>
  );
}
