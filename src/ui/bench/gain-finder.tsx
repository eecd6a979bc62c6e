"use client";

import { skipToken, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { FoundDynamics } from "@/core/bench/find/found-dynamics";
import { gainSettingsWords } from "@/core/words/bench-views";
import { axisClock, clock, signed, withUnit } from "@/core/words/units";
import { dynamicsFor } from "@/store/measurements";
import type { LegendLine } from "@/ui/charts/chart-panel";
import { type Curve, LinesChart, spanOf } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { PlayheadLine } from "@/ui/shell/playhead-line";
import { sentenceOf } from "@/ui/shell/queries";
import { laidKey } from "@/ui/shell/use-results";
import { Instead } from "@/ui/shell/view";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { FoundTable } from "./found-table";

/** The settings of a compressor or limiter by what is done: gain over time on this passage, not the control. */
export function GainFinder({
  processorKey,
  name,
  chooser,
}: {
  processorKey: string;
  name: string;
  chooser: ReactNode;
}) {
  const { pair, region, titleOf } = useWorkbench();
  const [renderId, setRenderId] = useState<string | null>(null);
  const others = pair ? pair.renders.filter((r) => r.id !== pair.dry.id) : [];
  const usual = pair && [pair.yonder, pair.here].find((r) => r.id !== pair.dry.id);
  const target = others.find((r) => r.id === renderId) ?? usual ?? others[0];
  const { data, error } = useQuery({
    queryKey: ["dynamics", ...(pair && target ? laidKey(target, pair.dry) : []), region, processorKey],
    queryFn:
      pair && target && region
        ? ({ signal }) => dynamicsFor(target, pair.dry, region, processorKey, { signal, rank: "urgent" })
        : skipToken,
  });
  if (!pair || !target) return <Instead>A passage needs a render and its dry render.</Instead>;
  const look = target.id === pair.here.id ? LINES.here : target.id === pair.yonder.id ? LINES.yonder : INK;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-[12px]">
        {chooser}
        <QuickSelect
          label={LABELS.target}
          title="target: gain over time of"
          value={target.id}
          options={others.map((r) => ({ value: r.id, title: titleOf(r) }))}
          onChange={setRenderId}
        />
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="settings-sentence">
          {error ? sentenceOf(error) : data ? gainSettingsWords(data, pair.passage.title) : ""}
        </span>
      </div>
      {data ? (
        <FoundGain found={data} line={{ ...look, title: titleOf(target) }} pair={pair} name={name} />
      ) : (
        <Instead>
          {data === null
            ? "That render does not overlap the passage."
            : error
              ? ""
              : "Tries settings until gain over time matches on this passage. Takes up to 30 s."}
        </Instead>
      )}
    </>
  );
}

const INK = { colour: "var(--color-base-content)", width: 1.5 };

function FoundGain({ found, line, pair, name }: { found: FoundDynamics; line: LegendLine; pair: Pair; name: string }) {
  const values = (course: readonly (number | null)[]) => course.map((db) => db ?? Number.NaN);
  const wanted = values(found.wantedDb);
  const own = values(found.foundDb);
  const curves: Curve[] = [
    { ...line, values: wanted },
    { title: name, colour: "var(--color-base-content)", width: 1.5, dash: "2 3", values: own },
    { title: "residual", colour: "var(--soft-ink)", width: 1, values: wanted.map((db, i) => db - own[i]) },
  ];
  return (
    <>
      <LinesChart
        name={`${pair.passage.title} settings by gain`}
        label="Gain over time: target and found"
        xs={found.seconds}
        xTitle="Time, s"
        axisTitle="Time, min:s"
        whole={[found.seconds[0], found.seconds[found.seconds.length - 1]]}
        formatX={axisClock}
        readX={clock}
        curves={curves}
        levels={spanOf(
          curves.flatMap((c) => Array.from(c.values)),
          [-3, 1],
        )}
        formatY={signed}
        readY={(db) => withUnit(signed(db, 2), "dB")}
        quantity="Gain"
        unit="dB"
        hasZero
        note="Gain re dry, 5 ms average"
        over={(plot) => <PlayheadLine plot={plot} sampleRateHz={pair.dry.sampleRateHz} />}
      />
      <FoundTable found={found} title={`${name}, set by what ${line.title} does`} />
    </>
  );
}
