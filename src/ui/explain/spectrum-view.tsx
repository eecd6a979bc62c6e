"use client";

import { useQueries } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Ladder } from "@/core/ladder/ladder-schema";
import { type Averaged, SEGMENT_POINTS } from "@/core/spectrum/averaged";
import { bandTransfer, COHERENT } from "@/core/spectrum/transfer";
import { frequencyWords, number, signed, withUnit } from "@/core/words/units";
import type { Region, Render } from "@/store/records";
import { ChartFrame, type Span } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { audible, frequencyMarks, shortHertz, useFrequencyAxis } from "@/ui/charts/frequency-axis";
import { nearest } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { View } from "@/ui/shell/view";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { FilterFiles } from "./filter-files";
import { keepCurves, keptLine, useKeptCurves } from "./kept-curves";
import { KeptRow } from "./kept-row";
import {
  centresOf,
  levelsOf,
  type SpectrumCurve,
  spectraCurves,
  tableOf,
  targetCurves,
  transferCurves,
} from "./spectrum-curves";
import { LineNumbers, SpectrumBars, SpectrumLines } from "./spectrum-lines";
import { CHANNELS } from "./styles";
import { type Target, TargetLevels, TargetSelect, useTarget, useTargetSpectra } from "./target";
import { hasDryBeside, spectraQuery, useGainOf, useGains, useSpectra } from "./use-explained";

type Shown = "spectra" | "dry" | "all" | "apart" | "target";

/** Bands to the octave that curves are smoothed over; 0 is not at all. */
const SMOOTHINGS = [1, 3, 6, 12, 24, 48] as const;
const SLOPES = [0, 3, 4.5] as const;
/** Averaged spectra of Here, Yonder and dry, and what each does to the sound. */
export function SpectrumView({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
  const { titleOf } = useWorkbench();
  const isLog = useFrequencyAxis((axis) => axis.isLog);
  const hasDry = hasDryBeside(pair);
  const [shown, setShown] = useState<Shown>("apart");
  const [pairSmoothing, setPairSmoothing] = useState<number>(12);
  // Other music has other notes: only broad bands are about tone.
  const [targetSmoothing, setTargetSmoothing] = useState<number>(3);
  const [points, setPoints] = useState<number>(16_384);
  const [slope, setSlope] = useState<number>(0);
  const [kind, setKind] = useState<"average" | "maximum">("average");
  const [channels, setChannels] = useState<ChannelView>("both");
  const [form, setForm] = useState<"curves" | "bars">("curves");
  const [view, setView] = useState<Span | null>(null);
  const { here: hereGainDb, yonder: yonderGainDb } = useGains(pair);
  const mode = shown === "dry" && !hasDry ? "apart" : shown;
  const [smoothing, setSmoothing] =
    mode === "target" ? [targetSmoothing, setTargetSmoothing] : [pairSmoothing, setPairSmoothing];
  const kept = useKeptCurves((k) => k.curves);
  const gainOf = useGainOf(pair);
  const everyOne = useAgainstDry(mode === "all" ? pair : null, region, points, channels);
  const renders =
    mode === "apart"
      ? [pair.here, pair.yonder]
      : hasDry
        ? [pair.dry, pair.here, pair.yonder]
        : [pair.here, pair.yonder];
  const { data, problem } = useSpectra(renders, pair.dry, region, points, channels);
  const { targets, target, choose } = useTarget(pair);
  const held = useTargetSpectra(mode === "target" ? target : null, pair, points, channels);
  const bands = form === "bars" ? 3 : smoothing;
  const own = useMemo(() => {
    if (mode === "all") return [];
    if (!data || data.powers.length !== (mode === "apart" || !hasDry ? 2 : 3)) return [];
    if (mode === "target") return held.data ? targetCurves(data, held.data, bands, hasDry) : [];
    const gains = mode === "apart" || !hasDry ? [hereGainDb, yonderGainDb] : [0, hereGainDb, yonderGainDb];
    return mode === "spectra"
      ? spectraCurves(data, gains, bands, slope, kind, hasDry)
      : transferCurves(data, gains, bands, mode);
  }, [data, mode, held.data, hasDry, hereGainDb, yonderGainDb, bands, slope, kind]);
  const shownCurves = mode === "all" ? againstDry(everyOne, bands, pair, titleOf, gainOf) : own;
  const whole = audible(pair.dry.sampleRateHz);
  const isRelative = mode !== "spectra";
  const curves = [
    ...kept.flatMap((curve, n): SpectrumCurve[] =>
      curve.isRelative === isRelative
        ? [
            {
              ...keptLine(n),
              key: `kept ${curve.id}`,
              title: curve.title,
              hertz: curve.hertz,
              levels: curve.levels,
              trust: null,
            },
          ]
        : [],
    ),
    ...shownCurves,
  ];
  const levels = levelsOf(curves, isRelative);
  const faded = isRelative && curves.some((c) => c.trust?.some((t) => t < COHERENT));
  return (
    <View
      shown={mode}
      onShown={setShown}
      options={[
        { value: "apart", title: "Pair", figure: "pairEq", hint: "EQ of Yonder re Here" },
        ...(hasDry
          ? [{ value: "dry" as const, title: "Re dry", figure: "eqReDry" as const, hint: "EQ of each re dry" }]
          : []),
        { value: "all", title: LABELS.all, figure: "eqReDry", hint: "EQ of every candidate re dry" },
        { value: "target", title: LABELS.target, figure: "reTargetSpectrum", hint: "Both re a finished track" },
        { value: "spectra", title: LABELS.spectra, figure: "spectrum", hint: "Spectrum of each" },
      ]}
      choices={
        <>
          {mode === "target" && <TargetSelect targets={targets} target={target} onChoose={choose} />}
          <QuickSelect label={LABELS.channels} value={channels} onChange={setChannels} options={CHANNELS} />
          <QuickSelect
            label="Smoothing"
            value={form === "bars" ? "bars" : String(smoothing)}
            onChange={(value) => {
              setForm(value === "bars" ? "bars" : "curves");
              if (value !== "bars") setSmoothing(Number(value));
            }}
            options={[
              { value: "bars", title: "Third-octave bars" },
              ...SMOOTHINGS.map((value) => ({
                value: String(value),
                title: value === 1 ? "1 octave" : `1/${value} octave`,
              })),
              { value: "0", title: "Not smoothed" },
            ]}
          />
          <QuickSelect
            label="FFT size"
            value={points}
            onChange={setPoints}
            options={SEGMENT_POINTS.map((value) => ({ value, title: `${value / 1024}k points` }))}
          />
          {mode === "spectra" && (
            <>
              <QuickSelect
                label="Slope"
                value={slope}
                onChange={setSlope}
                options={SLOPES.map((value) => ({
                  value: value as number,
                  title: value === 0 ? "No slope" : `${value} dB per octave`,
                }))}
              />
              <QuickSelect
                label="Average or maximum"
                value={kind}
                onChange={setKind}
                options={[
                  { value: "average", title: "Average" },
                  { value: "maximum", title: "Maximum" },
                ]}
              />
            </>
          )}
        </>
      }
    >
      {mode === "target" && <TargetLevels target={target} pair={pair} />}
      <KeptRow
        canKeep={shownCurves.length > 0}
        onKeep={() =>
          keepCurves(
            shownCurves
              .filter(({ key }) => key !== "dry")
              .map(({ title, hertz, levels, key }) => ({
                title: `${titleFor(key, title, pair, titleOf)}${mode === "target" && target ? ` against ${target.title}` : ""}, ${pair.passage.title}`,
                isRelative,
                hertz,
                levels,
              })),
          )
        }
      >
        {mode === "apart" && ladder?.found && <FilterFiles pair={pair} found={ladder.found} />}
      </KeptRow>
      <ChartPanel
        name={`${pair.passage.title} EQ`}
        legend={curves}
        hasFrequency
        note={
          (mode === "target" ? held.problem : null) ??
          problem ??
          (mode === "target"
            ? targetNote(target, held.data)
            : mode === "all"
              ? everyOne.length < pair.renders.length - 1
                ? `${everyOne.length} of ${pair.renders.length - 1} averaged…`
                : "Re dry"
              : data
                ? `${data.segments} averages${faded ? ", faded where not coherent" : ""}`
                : "Averaging spectra…")
        }
        table={() => tableOf(curves, isRelative)}
      >
        <ChartFrame
          label={isRelative ? "EQ vs frequency" : "Averaged spectra"}
          whole={whole}
          view={view ?? whole}
          onView={setView}
          isLog={isLog}
          levels={levels}
          ticksX={isLog ? frequencyMarks(view ?? whole) : undefined}
          titleX="Frequency, Hz"
          titleY={isRelative ? "EQ, dB" : "Level, dBFS"}
          formatX={shortHertz}
          formatY={isRelative ? signed : number}
          readout={(hertz) => <Reading curves={curves} hertz={hertz} isRelative={isRelative} />}
        >
          {(plot) =>
            form === "bars" ? (
              <SpectrumBars plot={plot} curves={curves} />
            ) : (
              <>
                <SpectrumLines plot={plot} curves={curves} isRelative={isRelative} />
                {mode === "all" && <LineNumbers plot={plot} curves={shownCurves} />}
              </>
            )
          }
        </ChartFrame>
      </ChartPanel>
    </View>
  );
}

const targetNote = (target: Target | null, averaged: Averaged | null): string => {
  if (!target) return "No target";
  return averaged ? `All of ${target.title}, loudness-matched` : "Averaging the target…";
};

/** Every render of the passage against its dry one, so far as it is averaged. */
function useAgainstDry(pair: Pair | null, region: Region, points: number, channels: ChannelView) {
  const others = pair?.renders.filter((r) => r.id !== pair.dry.id) ?? [];
  const combine = useCallback(
    (results: { data: Averaged | null | undefined }[]) => results.map((r) => r.data ?? null),
    [],
  );
  const averaged = useQueries({
    queries: others.map((render) =>
      spectraQuery([pair?.dry ?? render, render], pair?.dry ?? render, region, points, channels),
    ),
    combine,
  });
  return others.flatMap((render, i) => {
    const own = averaged[i];
    return own ? [{ render, averaged: own }] : [];
  });
}

function againstDry(
  known: readonly { render: Render; averaged: Averaged }[],
  bands: number,
  pair: Pair,
  titleOf: (render: Render) => string,
  gainOf: (id: string) => number,
): SpectrumCurve[] {
  return known.map(({ render, averaged }, n): SpectrumCurve => {
    const { hertz, perOctave } = centresOf(averaged.sampleRateHz, bands, averaged.points);
    const { differenceDb, coherence } = bandTransfer(averaged, 1, hertz, perOctave);
    const side = render.id === pair.here.id ? LINES.here : render.id === pair.yonder.id ? LINES.yonder : keptLine(n);
    return {
      ...side,
      key: render.id,
      title: `${n + 1} ${titleOf(render)}`,
      hertz,
      levels: differenceDb.map((db) => db + gainOf(render.id)),
      trust: coherence,
    };
  });
}

/** What a kept curve is called: by the renders it is of, since Here and Yonder move on. */
function titleFor(key: string, title: string, pair: Pair, titleOf: (render: Render) => string): string {
  if (key === "here" || key === "yonder") return titleOf(pair[key]);
  return key === "apart" ? `${titleOf(pair.yonder)} re ${titleOf(pair.here)}` : title;
}

function Reading({
  curves,
  hertz,
  isRelative,
}: {
  curves: readonly SpectrumCurve[];
  hertz: number;
  isRelative: boolean;
}) {
  return (
    <span className="figure">
      {frequencyWords(hertz)}{" "}
      {curves.map((curve) => {
        const i = nearest(curve.hertz, hertz);
        const level = curve.levels[i];
        const isTrue = !curve.trust || curve.trust[i] >= COHERENT;
        return (
          <span key={curve.key} style={{ color: curve.colour }}>
            {" "}
            {curve.title} {withUnit(isRelative ? signed(level, 2) : number(level), isRelative ? "dB" : "dBFS")}
            {isTrue ? "" : " (not coherent)"}
          </span>
        );
      })}
    </span>
  );
}
