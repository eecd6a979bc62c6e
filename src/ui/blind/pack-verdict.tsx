"use client";

import { useQuery } from "@tanstack/react-query";
import { flawsOfAll } from "@/core/blind/flaws";
import { isRightOrWrong, SIGNIFICANCE_LEVEL } from "@/core/blind/plan";
import { pooledScore } from "@/core/blind/pooled";
import type { Run } from "@/core/blind/run";
import {
  gradingVerdict,
  pooledVerdict,
  probabilityText,
  screeningSentence,
  tallyVerdict,
  type Verdict,
} from "@/core/words/blind";
import { plural } from "@/core/words/units";
import type { Pack } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { runJob } from "@/workers/jobs";
import { ChoiceFigures, GradeFigures } from "./figures-of-run";
import { namesOf } from "./run-verdict";
import { oddsOf, scoreOf } from "./score-of";

/** What all the listeners of a pack say, together and one by one. `runs`: the results that are back. */
export function PackVerdict({ pack, runs }: { pack: Pack; runs: readonly Run[] }) {
  const [first] = runs;
  return (
    <article className="grid gap-3" data-testid="pack-verdict">
      <p className="text-[13px] text-soft">
        {pack.key.stimuli.map((s) => s.title).join(", ")}, on {pack.passageTitle}; {plural(runs.length, "result")} back
      </p>
      {first ? (
        <Pooled runs={runs} />
      ) : (
        <Headline verdict={{ headline: "No results yet.", detail: "Add the result files that listeners send." }} />
      )}
    </article>
  );
}

function Headline({ verdict: { headline, detail } }: { verdict: Verdict }) {
  return (
    <>
      <h2 className="font-semibold text-2xl">{headline}</h2>
      <p className="max-w-prose text-[15px]">{detail}</p>
    </>
  );
}

function Pooled({ runs }: { runs: readonly Run[] }) {
  const [{ plan }] = runs;
  const names = namesOf(runs[0]);
  if (isRightOrWrong(plan)) return <Listeners runs={runs} />;
  return <TogetherVerdict runs={runs} names={names} />;
}

function TogetherVerdict({ runs, names }: { runs: readonly Run[]; names: readonly string[] }) {
  const [{ plan }] = runs;
  const { data, error } = useQuery({
    queryKey: ["pooled", ...runs.map((r) => r.id)],
    queryFn: ({ signal }) => runJob("pooled", { runs: [...runs] }, { title: "Computing p", signal, rank: "urgent" }),
  });
  if (error) return <p className="text-error">{error.message}</p>;
  if (!data) return <p className="text-soft">Computing p…</p>;
  const { tally, grading, screened } = data;
  if (plan.kind === "rating") {
    return (
      <>
        <Headline
          verdict={gradingVerdict(grading, names, grading?.pairs.some(({ ahead }) => ahead) ? flawsOfAll(runs) : [])}
        />
        {screened.map(({ code, screening }) => (
          <p key={code} className="max-w-prose text-warning">
            {screeningSentence(screening, code)}
          </p>
        ))}
        {grading && <GradeFigures runs={runs} grading={grading} names={names} scale={plan.scale} />}
        <EachListener runs={runs} />
      </>
    );
  }
  if (!tally || isRightOrWrong(plan)) return null;
  return (
    <>
      <Headline
        verdict={tallyVerdict(plan, tally, names, tally.chance.p <= SIGNIFICANCE_LEVEL ? flawsOfAll(runs) : [])}
      />
      <ChoiceFigures tally={tally} names={names} />
      <EachListener runs={runs} />
    </>
  );
}

/** What each listener came to by themselves. */
function EachListener({ runs }: { runs: readonly Run[] }) {
  return (
    <table className="table table-xs w-fit" aria-label="Each listener">
      <thead>
        <tr className="text-soft">
          <th>Listener</th>
          <th>Equipment</th>
          <th>Room</th>
          <th>Result</th>
          <th className="text-right">p</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <tr key={run.id}>
            <td>{run.listener?.code || "no code"}</td>
            <td>{run.listener?.equipment}</td>
            <td>{run.listener?.room}</td>
            <td className="figure">{scoreOf(run)}</td>
            <td className="figure text-right">{oddsOf(run)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Listeners({ runs }: { runs: readonly Run[] }) {
  const pooled = pooledScore(runs);
  return (
    <>
      <Headline verdict={pooledVerdict(pooled, flawsOfAll(runs))} />
      <table className="table table-xs w-fit" aria-label={LABELS.listeners}>
        <thead>
          <tr className="text-soft">
            <th>Listener</th>
            <th className="text-right">Runs</th>
            <th className="text-right">Correct</th>
            <th className="text-right">p uncorrected</th>
            <th className="text-right">p corrected (Holm)</th>
            <th>{LABELS.difference}</th>
          </tr>
        </thead>
        <tbody>
          {pooled.rows.map((row) => (
            <tr key={row.code}>
              <td>{row.code}</td>
              <td className="figure text-right">{row.runs}</td>
              <td className="figure text-right">
                {row.right} of {row.trials}
              </td>
              <td className="figure text-right">{probabilityText(row.p)}</td>
              <td className="figure text-right">{probabilityText(row.corrected)}</td>
              <td>{row.hears ? "shown" : <span className="text-soft">not shown</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
