"use client";

import { queryOptions, skipToken, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { DYNAMICS } from "@/core/bench/find/found-dynamics";
import {
  FINDABLE,
  type FoundSettings,
  OF_BANDS,
  type Wanted,
  wantedOf,
  wantedOfFound,
} from "@/core/bench/find/found-settings";
import type { Ladder } from "@/core/ladder/ladder-schema";
import { processorOf } from "@/core/processors/registry";
import type { Averaged } from "@/core/spectrum/averaged";
import { settingsWords } from "@/core/words/bench-views";
import { settingsFor } from "@/store/measurements";
import type { LegendLine } from "@/ui/charts/chart-panel";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import type { Curve } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { ladderQuery, spectraQuery, useExplainedPair } from "@/ui/explain/use-explained";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { sentenceOf } from "@/ui/shell/queries";
import { Instead } from "@/ui/shell/view";
import { WhatIsMark } from "@/ui/shell/what-is";
import { FoundTable } from "./found-table";
import { GainFinder } from "./gain-finder";
import type { MeasuredSubject } from "./use-bench";

const BANDS = [1, 2, 3, 4, 5, 6, 7, 8];
const PROCESSORS = [...FINDABLE, ...Object.keys(DYNAMICS)];
const nameOf = (key: string) => processorOf(key)?.name ?? key;

/** Can these two be set to sound the same? Settings of a processor that come closest to a curve, or to a gain over time, and what they do not reach. */
export function SettingsView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [processorKey, setProcessor] = useState(FINDABLE[0]);
  const chooser = (
    <>
      <WhatIsMark figure="settingsFinder" />
      <QuickSelect
        label={LABELS.processorToSet}
        title="Set"
        value={processorKey}
        options={PROCESSORS.map((value) => ({ value, title: nameOf(value) }))}
        onChange={setProcessor}
      />
    </>
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      {processorKey in DYNAMICS ? (
        <GainFinder processorKey={processorKey} name={nameOf(processorKey)} chooser={chooser} />
      ) : (
        <CurveFinder measured={measured} processorKey={processorKey} chooser={chooser} />
      )}
    </div>
  );
}

type FinderProps = { processorKey: string; chooser: ReactNode };

/** A curve that can be asked for: how it is drawn, and itself, or why there is none yet. */
type Target = { key: string; title: string; line: LegendLine; wanted: Wanted | null; instead?: string };

const LADDER = "ladder";
/** Points that spectra are averaged over to tell where a filter is known. */
const KNOWN_POINTS = 8192;

/** What the ladder found between the pair, as a curve. */
function useLadderTarget(isAsked: boolean): Target | null {
  const explained = useExplainedPair();
  const asked = isAsked ? explained : null;
  const ladder = useQuery(
    asked ? ladderQuery(asked) : queryOptions<Ladder>({ queryKey: ["ladder", "none"], queryFn: skipToken }),
  );
  const spectra = useQuery(
    asked
      ? spectraQuery([asked.pair.here, asked.pair.yonder], asked.pair.dry, asked.region, KNOWN_POINTS, "both")
      : queryOptions<Averaged | null>({ queryKey: ["spectra", "none"], queryFn: skipToken }),
  );
  if (!explained) return null;
  const target = {
    key: LADDER,
    title: "the EQ found in Explain",
    line: { ...LINES.apart, title: "the fitted EQ" },
    wanted: null,
  };
  if (!ladder.data || !spectra.data) return { ...target, instead: "Analysing the difference between Here and Yonder…" };
  const { found } = ladder.data;
  return {
    ...target,
    wanted: found && wantedOfFound(found, spectra.data),
    instead: "Explain found no EQ with enough confidence.",
  };
}

function CurveFinder({ measured, processorKey, chooser }: FinderProps & { measured: readonly MeasuredSubject[] }) {
  const [key, setKey] = useState<string | null>(null);
  const [mostBands, setMostBands] = useState(8);
  const fromLadder = useLadderTarget(key === LADDER || measured.length === 0);
  const targets: Target[] = [
    ...measured.map((s) => ({
      key: s.key,
      title: s.title,
      line: s.line,
      wanted: wantedOf(s.report),
      instead: `Noise hides the response of ${s.title}: no settings can be found for it.`,
    })),
    ...(fromLadder ? [fromLadder] : []),
  ];
  const target = targets.find((t) => t.key === key) ?? targets[0];
  const wanted = target?.wanted ?? null;
  const { data, error } = useQuery({
    queryKey: ["settings", JSON.stringify(wanted?.response.magnitudeDb ?? null), processorKey, mostBands],
    queryFn: wanted
      ? ({ signal }) => settingsFor(wanted, processorKey, mostBands, { signal, rank: "urgent" })
      : skipToken,
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-[12px]">
        {chooser}
        {processorKey in OF_BANDS && (
          <QuickSelect
            label={LABELS.mostBands}
            title="up to"
            value={mostBands}
            options={BANDS.map((value) => ({ value, title: value === 1 ? "1 band" : `${value} bands` }))}
            onChange={setMostBands}
          />
        )}
        {target && (
          <QuickSelect
            label={LABELS.target}
            title="target"
            value={target.key}
            options={targets.map((t) => ({ value: t.key, title: t.title }))}
            onChange={setKey}
          />
        )}
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="settings-sentence">
          {error ? sentenceOf(error) : data ? settingsWords(data) : wanted ? "Looking for settings…" : ""}
        </span>
      </div>
      {!target ? (
        <Instead>Choose a candidate for Here or Yonder, or add a recording of the test signal.</Instead>
      ) : !wanted ? (
        <Instead>{target.instead}</Instead>
      ) : data ? (
        <FoundCurve found={data} target={{ ...target, wanted }} name={nameOf(processorKey)} />
      ) : (
        <Instead>Several starting points are tried.</Instead>
      )}
    </>
  );
}

function FoundCurve({
  found,
  target,
  name,
}: {
  found: FoundSettings;
  target: Target & { wanted: Wanted };
  name: string;
}) {
  const ink = "var(--color-base-content)";
  const wanted = target.wanted.response.magnitudeDb;
  const curves: Curve[] = [
    { ...target.line, values: wanted },
    { title: name, colour: ink, width: 1.5, dash: "2 3", values: found.curveDb },
    {
      title: "residual",
      colour: "var(--soft-ink)",
      width: 1,
      values: wanted.map((db, i) => db - found.curveDb[i]),
    },
  ];
  return (
    <>
      <CurvesChart
        name="Bench settings"
        label="Target curve and curve found"
        sampleRateHz={target.wanted.signal.sampleRateHz}
        hertz={found.hertz}
        curves={curves}
        quantity="Magnitude"
        unit="dB"
        decimals={2}
        least={1}
        note=""
      />
      <FoundTable found={found} title={`${name}, set like ${target.title}`} />
    </>
  );
}
