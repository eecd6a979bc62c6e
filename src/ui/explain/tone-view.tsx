"use client";

import { useQueries } from "@tanstack/react-query";
import { line } from "d3-shape";
import { useCallback, useMemo, useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Ladder } from "@/core/ladder/ladder-report";
import { againstTarget } from "@/core/spectrum/against-target";
import { type Averaged, SEGMENT_POINTS } from "@/core/spectrum/averaged";
import { bandCentres } from "@/core/spectrum/bands";
import { bandLevels } from "@/core/spectrum/levels";
import { bandTransfer, COHERENT } from "@/core/spectrum/transfer";
import type { Region, Render } from "@/store/records";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { ChartPanel, type LegendLine } from "@/ui/charts/chart-panel";
import { audible, frequencyMarks, shortHertz, useFrequencyAxis } from "@/ui/charts/frequency-axis";
import { nearest } from "@/ui/charts/lines-chart";
import { hertzText, number, signed, withUnit } from "@/ui/format";
import { QuickSelect } from "@/ui/shell/controls";
import { Choice } from "@/ui/shell/transport";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { FilterFiles } from "./filter-files";
import { keepCurves, keptLine, useKeptCurves } from "./kept-curves";
import { KeptRow } from "./kept-row";
import { CHANNELS, LINES } from "./styles";
import { type Target, TargetLevels, TargetSelect, useTarget, useTargetSpectra } from "./target";
import { hasDryBeside, spectraQuery, useGainOf, useGains, useSpectra } from "./use-explained";
import { View } from "./view";

/** What a line of the chart is: levels at frequencies, and how far each can be trusted (1 where that is not asked). */
type Curve = LegendLine & {
  key: string;
  hertz: readonly number[];
  levels: Float64Array;
  trust: Float64Array | null;
};

type Shown = "spectra" | "against dry" | "all" | "apart" | "target";

/** Bands to the octave that curves are smoothed over; 0 is not at all. */
const SMOOTHINGS = [1, 3, 6, 12, 24, 48] as const;
const SLOPES = [0, 3, 4.5] as const;
/** Curves are drawn at so many places to the octave, or at their own bands where these are closer. */
const DRAWN_PER_OCTAVE = 24;
/** Of spectra, this far under the loudest is in sight. */
const DEPTH_DB = 90;

/** Averaged spectra of Here, Yonder and dry, and what each does to the sound. */
export function ToneView({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
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
  const mode = shown === "against dry" && !hasDry ? "apart" : shown;
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
    ...kept.flatMap((curve, n): Curve[] =>
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
      choices={
        <>
          <Choice
            label="Shown"
            value={mode}
            onChange={setShown}
            options={[
              { value: "apart", title: "Pair", hint: "Yonder against Here: what would have to be done to Here" },
              ...(hasDry
                ? [{ value: "against dry" as const, title: "Against dry", hint: "What each does to the sound" }]
                : []),
              { value: "all", title: "All", hint: "What every candidate does to the sound" },
              { value: "target", title: "Target", hint: "How both differ from a finished track" },
              { value: "spectra", title: "Spectra", hint: "What each is like" },
            ]}
          />
          {mode === "target" && <TargetSelect targets={targets} target={target} onChoose={choose} />}
          <QuickSelect label="Channels" value={channels} onChange={setChannels} options={CHANNELS} />
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
            label="Points of a segment"
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
                  title: value === 0 ? "No slope" : `${value} dB an octave`,
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
        {mode === "apart" && ladder?.found && <FilterFiles pair={pair} filter={ladder.found.tone} />}
      </KeptRow>
      <ChartPanel
        name={`${pair.passage.title} tone`}
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
                : "Against dry"
              : data
                ? `${data.segments} averages${faded ? ", faded where the two do not go together" : ""}`
                : "Averaging spectra…")
        }
        table={() => tableOf(curves, isRelative)}
      >
        <ChartFrame
          label={isRelative ? "Transfer over frequency" : "Averaged spectra"}
          whole={whole}
          view={view ?? whole}
          onView={setView}
          isLog={isLog}
          levels={levels}
          ticksX={isLog ? frequencyMarks(view ?? whole) : undefined}
          formatX={shortHertz}
          formatY={(db) => (isRelative ? signed(db, levels[1] - levels[0] < 6 ? 1 : 0) : number(db, 0))}
          readout={(hertz) => <Reading curves={curves} hertz={hertz} isRelative={isRelative} />}
        >
          {(plot) =>
            form === "bars" ? (
              <Bars plot={plot} curves={curves} />
            ) : (
              <>
                <Lines plot={plot} curves={curves} isRelative={isRelative} />
                {mode === "all" && <Numbers plot={plot} curves={shownCurves} />}
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
  return averaged ? `All of ${target.title}, at one loudness` : "Averaging the target…";
};

/** Here and Yonder against all of a target, at one loudness. */
function targetCurves(data: Averaged, target: Averaged, bands: number, hasDry: boolean): Curve[] {
  const { hertz, perOctave } = centresOf(Math.min(data.sampleRateHz, target.sampleRateHz), bands, data.points);
  return (["here", "yonder"] as const).map((key, n): Curve => {
    const levels = againstTarget(data, hasDry ? n + 1 : n, target, hertz, perOctave);
    return { ...LINES[key], key, title: `${LINES[key].title} against the target`, hertz, levels, trust: null };
  });
}

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
): Curve[] {
  return known.map(({ render, averaged }, n): Curve => {
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
  return key === "apart" ? `${titleOf(pair.yonder)} over ${titleOf(pair.here)}` : title;
}

const centresOf = (rateHz: number, bands: number, points: number): { hertz: number[]; perOctave: number } => {
  const [from, to] = audible(rateHz);
  if (bands > 0) {
    const step = bands <= 3 ? bands : Math.max(bands, DRAWN_PER_OCTAVE);
    return { hertz: bandCentres(step, from, to), perOctave: bands };
  }
  const binHz = rateHz / points;
  const first = Math.max(1, Math.ceil(from / binHz));
  const count = Math.floor(to / binHz) - first + 1;
  // A band much narrower than a bin reads the bin itself.
  return { hertz: Array.from({ length: Math.max(0, count) }, (_, i) => (first + i) * binHz), perOctave: 4000 };
};

function spectraCurves(
  data: Averaged,
  gains: number[],
  bands: number,
  slope: number,
  kind: "average" | "maximum",
  hasDry: boolean,
): Curve[] {
  const { hertz, perOctave } = centresOf(data.sampleRateHz, bands, data.points);
  const binHz = data.sampleRateHz / data.points;
  const keys = hasDry ? (["dry", "here", "yonder"] as const) : (["here", "yonder"] as const);
  // Yonder comes over Here, so that its dashes show both where they are one.
  return keys.map((key, s): Curve => {
    const powers = (kind === "average" ? data.powers : data.maxima)[s];
    const levels = bandLevels(powers, binHz, hertz, perOctave).map(
      (level, i) => level + gains[s] + slope * Math.log2(hertz[i] / 1000),
    );
    return { ...LINES[key], key, hertz, levels, trust: null };
  });
}

function transferCurves(data: Averaged, gains: number[], bands: number, mode: "apart" | "against dry"): Curve[] {
  const { hertz, perOctave } = centresOf(data.sampleRateHz, bands, data.points);
  const against = (to: number): { levels: Float64Array; trust: Float64Array } => {
    const { differenceDb, coherence } = bandTransfer(data, to, hertz, perOctave);
    return { levels: differenceDb.map((db) => db + gains[to] - gains[0]), trust: coherence };
  };
  if (mode === "apart") return [{ ...LINES.apart, key: "apart", hertz, ...against(1) }];
  const [here, yonder] = [against(1), against(2)];
  return [
    { ...LINES.here, key: "here", title: "Here against dry", hertz, ...here },
    { ...LINES.yonder, key: "yonder", title: "Yonder against dry", hertz, ...yonder },
    {
      ...LINES.apart,
      key: "apart",
      title: "Yonder less Here",
      hertz,
      levels: yonder.levels.map((db, i) => db - here.levels[i]),
      trust: yonder.trust.map((t, i) => Math.min(t, here.trust[i])),
    },
  ];
}

/** What is in sight: round steps about all that can be trusted; of a spectrum what lies not too far under its loudest. */
function levelsOf(curves: readonly Curve[], isRelative: boolean): Span {
  const all = curves.flatMap(({ levels, trust }) =>
    [...levels].filter((db, i) => Number.isFinite(db) && (!trust || trust[i] >= COHERENT)),
  );
  if (all.length === 0) return isRelative ? [-6, 6] : [-90, 0];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  if (!isRelative) {
    const top = Math.ceil((high + 3) / 6) * 6;
    return [Math.max(Math.floor((low - 3) / 6) * 6, top - DEPTH_DB), top];
  }
  const room = 0.12 * Math.max(2, high - low);
  const step = high - low > 20 ? 6 : high - low > 8 ? 3 : 1;
  return [Math.floor((Math.min(0, low) - room) / step) * step, Math.ceil((Math.max(0, high) + room) / step) * step];
}

/** Stretches of one trust, for what is not coherent is faded, not drawn as truth. */
function runsOf({ trust, levels }: Curve): { from: number; to: number; isTrue: boolean }[] {
  const runs: { from: number; to: number; isTrue: boolean }[] = [];
  const isTrue = (i: number) => !trust || trust[i] >= COHERENT;
  let from = 0;
  for (let i = 1; i <= levels.length; i++) {
    if (i < levels.length && isTrue(i) === isTrue(from)) continue;
    runs.push({ from: Math.max(0, from - 1), to: i, isTrue: isTrue(from) });
    from = i;
  }
  return runs;
}

function Lines({ plot, curves, isRelative }: { plot: Plot; curves: readonly Curve[]; isRelative: boolean }) {
  const draw = line<{ hertz: number; level: number }>()
    .defined((p) => Number.isFinite(p.level))
    .x((p) => plot.x(p.hertz))
    .y((p) => plot.y(p.level));
  return (
    <>
      {isRelative && <line x2={plot.width} y1={plot.y(0)} y2={plot.y(0)} stroke="var(--soft-ink)" strokeWidth={1} />}
      {curves.flatMap((curve) => {
        const { colour, dash, width } = curve;
        const points = Array.from(curve.levels, (level, i) => ({ hertz: curve.hertz[i], level }));
        return runsOf(curve).map(({ from, to, isTrue }) => (
          <path
            key={`${curve.key} ${from}`}
            d={draw(points.slice(from, to)) ?? ""}
            fill="none"
            stroke={colour}
            strokeWidth={isTrue ? width : 1}
            strokeDasharray={isTrue ? dash : "2 3"}
            opacity={isTrue ? 1 : 0.35}
          />
        ));
      })}
    </>
  );
}

/** Each line's number at its right end, spread so that no two lie on each other. */
function Numbers({ plot, curves }: { plot: Plot; curves: readonly Curve[] }) {
  const [, right] = plot.x.domain();
  const ends = curves
    .map((curve, n) => ({ n, curve, y: plot.y(curve.levels[nearest(curve.hertz, right)]) }))
    .filter(({ y }) => Number.isFinite(y))
    .toSorted((a, b) => a.y - b.y);
  let above = Number.NEGATIVE_INFINITY;
  return ends.map(({ n, curve, y }) => {
    above = Math.max(above + 11, y);
    return (
      <text
        key={curve.key}
        x={plot.width - 4}
        y={above}
        dy="0.32em"
        textAnchor="end"
        fill={curve.colour}
        className="figure text-[11px]"
      >
        {n + 1}
      </text>
    );
  });
}

function Bars({ plot, curves }: { plot: Plot; curves: readonly Curve[] }) {
  const edge = 2 ** (1 / 6);
  const [bottom] = plot.y.domain();
  const base = plot.y(Math.max(bottom, Math.min(0, plot.y.domain()[1])));
  const foot =
    bottom < -12 && plot.y.domain()[1] <= 12 && curves.length > 0 && !curves[0].trust ? plot.y(bottom) : base;
  return (
    <>
      {curves.flatMap((curve, n) =>
        Array.from(curve.levels, (level, i) => {
          if (!Number.isFinite(level)) return null;
          const [left, right] = [plot.x(curve.hertz[i] / edge), plot.x(curve.hertz[i] * edge)];
          const width = Math.max(1, (right - left - 2) / curves.length);
          const y = plot.y(Math.max(bottom, level));
          const isTrue = !curve.trust || curve.trust[i] >= COHERENT;
          return (
            <rect
              key={`${curve.key} ${curve.hertz[i]}`}
              x={left + 1 + n * width}
              y={Math.min(y, foot)}
              width={width}
              height={Math.max(1, Math.abs(foot - y))}
              fill={curve.colour}
              opacity={isTrue ? 0.85 : 0.25}
            />
          );
        }),
      )}
    </>
  );
}

function Reading({ curves, hertz, isRelative }: { curves: readonly Curve[]; hertz: number; isRelative: boolean }) {
  return (
    <span className="figure">
      {hertzText(hertz)}{" "}
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

function tableOf(curves: readonly Curve[], isRelative: boolean) {
  const unit = isRelative ? "dB" : "dBFS";
  return {
    columns: [
      "Hz",
      ...curves.flatMap(({ title, trust }) => [`${title}, ${unit}`, ...(trust ? [`${title}, coherence`] : [])]),
    ],
    // Kept curves may stand at other frequencies than those that are shown.
    rows: (curves.at(-1)?.hertz ?? []).map((hertz) => [
      Number(hertz.toPrecision(6)),
      ...curves.flatMap((curve) => {
        const i = nearest(curve.hertz, hertz);
        const { levels, trust } = curve;
        return [
          Number.isFinite(levels[i]) ? Number(levels[i].toFixed(3)) : null,
          ...(trust ? [Number(trust[i].toFixed(4))] : []),
        ];
      }),
    ]),
  };
}
