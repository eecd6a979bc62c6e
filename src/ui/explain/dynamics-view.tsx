"use client";

import { useMemo, useState } from "react";
import type { Cells } from "@/core/dynamics/cells";
import { gainOverTime, type LevelCurve, levelCurve, levelOverTime } from "@/core/dynamics/over-time";
import { BIN_DB, BINS } from "@/core/dynamics/shape";
import { gainSentence, rotationSentence, shapeSentence } from "@/core/words/explain-views";
import { number, plural, withUnit } from "@/core/words/units";
import type { Region, Render } from "@/store/records";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { ChartPanel, type LegendLine } from "@/ui/charts/chart-panel";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import { type Curve, LinesChart, linePath, spanOf } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, ReadOver, View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { renderSource, useReadings } from "./sources";
import { TimeChart } from "./time-chart";
import { hasDryBeside, useGains } from "./use-explained";

type Shown = "gain" | "level" | "law" | "crest" | "histogram" | "rotation";

/** How long what is read over time is read over, seconds. */
const TIMES = [0.005, 0.02, 0.1, 0.4, 3] as const;

/** A render of the pair with how it is drawn and what it is played at. */
type Side = { render: Render; line: LegendLine; gainDb: number };

/** What is done to levels over time, and how peaks stand over them. */
export function DynamicsView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("gain");
  const [seconds, setSeconds] = useState<number>(0.02);
  const [turned, setTurned] = useState<"peak" | "before">("peak");
  const gains = useGains(pair);
  const hasDry = hasDryBeside(pair);
  const pairSides: Side[] = [
    { render: pair.here, line: LINES.here, gainDb: gains.here },
    { render: pair.yonder, line: LINES.yonder, gainDb: gains.yonder },
  ];
  const sides: Side[] = hasDry ? [{ render: pair.dry, line: LINES.dry, gainDb: 0 }, ...pairSides] : pairSides;
  const common = { pair, region, sides, hasDry };
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "gain", title: "Gain", figure: "gainReDry", hint: "Gain re dry over time" },
        { value: "level", title: "Level", figure: "levelOverTime", hint: "Level over time" },
        { value: "law", title: "Static curve", figure: "pairStaticCurve", hint: "Output level vs input level" },
        { value: "crest", title: "Crest", figure: "crestByBand", hint: "Crest factor by octave" },
        { value: "histogram", title: "Histogram", figure: "histogram", hint: "Distribution of sample levels" },
        {
          value: "rotation",
          title: "Phase rotation",
          figure: "phaseRotation",
          hint: "Peak level at each phase rotation",
        },
      ]}
      choices={
        <>
          {(shown === "gain" || shown === "level") && (
            <ReadOver seconds={seconds} times={TIMES} onChange={setSeconds} />
          )}
          {shown === "rotation" && (
            <QuickSelect
              label={LABELS.show}
              value={turned}
              onChange={setTurned}
              options={[
                { value: "peak", title: "Peak" },
                { value: "before", title: "Before transients" },
              ]}
            />
          )}
        </>
      }
    >
      {(shown === "gain" || shown === "level" || shown === "law") && (
        <OverCells {...common} shown={shown} seconds={seconds} />
      )}
      {shown === "crest" && <Crest {...common} />}
      {shown === "histogram" && <Histogram {...common} />}
      {shown === "rotation" && <Turned {...common} sides={pairSides} turned={turned} />}
    </View>
  );
}

type Common = { pair: Pair; region: Region; sides: readonly Side[]; hasDry: boolean };

function Sentence({ children }: { children: string }) {
  return (
    <p className="text-[13px] text-soft" data-testid="dynamics-sentence">
      {children}
    </p>
  );
}

function OverCells({ pair, region, sides, hasDry, shown, seconds }: Common & { shown: Shown; seconds: number }) {
  const { data, problem } = useReadings(
    "cells",
    sides.map(({ render }) => renderSource(render)),
    pair,
    region,
  );
  const known = data.flatMap((cells) => (cells ? [cells] : []));
  if (known.length < sides.length || known[0].left.length === 0)
    return <Instead>{problem ?? "Reading levels…"}</Instead>;
  const common = { pair, sides, cells: known };
  if (shown === "law") return <InAndOut {...common} hasDry={hasDry} />;
  return shown === "gain" ? (
    <Gain {...common} hasDry={hasDry} seconds={seconds} />
  ) : (
    <Level {...common} seconds={seconds} />
  );
}

type OfCells = { pair: Pair; sides: readonly Side[]; cells: readonly Cells[] };

/** Gains are in sight to this far about nought at the least, dB. */
const LEAST_GAIN_DB = 3;
/** A gain that moves by less than this is none to speak of, dB. */

function Gain({ pair, sides, cells, hasDry, seconds }: OfCells & { hasDry: boolean; seconds: number }) {
  const curves = useMemo((): Curve[] => {
    const [first] = cells;
    return hasDry
      ? cells.slice(1).map((own, i) => ({ ...sides[i + 1].line, values: gainOverTime(first, own, seconds) }))
      : [{ ...LINES.apart, values: gainOverTime(first, cells[1], seconds) }];
  }, [cells, sides, hasDry, seconds]);
  const offsets = hasDry ? sides.slice(1).map((s) => s.gainDb) : [sides[1].gainDb - sides[0].gainDb];
  const shifted = curves.map((curve, i) => ({
    ...curve,
    title: hasDry ? `${curve.title} re dry` : curve.title,
    values: Float32Array.from(curve.values, (v) => v + offsets[i]),
  }));
  return (
    <>
      <Sentence>{gainSentence(shifted)}</Sentence>
      <TimeChart
        pair={pair}
        what="gain over time"
        label={LABELS.gainOverTime}
        quantity="Gain"
        cells={cells[0]}
        curves={shifted}
        levels={spanOf(
          shifted.flatMap(({ values }) => inner(values)),
          [-LEAST_GAIN_DB, LEAST_GAIN_DB],
        )}
        isSigned
        hasZero
        note="Output level − input level: EQ moves it as well as compression"
      />
    </>
  );
}

/** Values without the outermost thousandth either way, which moments of all but silence may reach. */
function inner(values: ArrayLike<number>): number[] {
  const known = Float64Array.from(Array.from(values).filter(Number.isFinite)).sort();
  const skip = Math.floor(known.length / 1000);
  return known.length > 0 ? [known[skip], known[known.length - 1 - skip]] : [];
}

function Level({ pair, sides, cells, seconds }: OfCells & { seconds: number }) {
  const curves = useMemo(
    () =>
      cells.map((own, i): Curve => {
        const { line, gainDb } = sides[i];
        return { ...line, values: levelOverTime(own, seconds).map((v) => v + gainDb) };
      }),
    [cells, sides, seconds],
  );
  const top = Math.ceil(Math.max(-60, ...curves.flatMap(({ values }) => inner(values))) / 6) * 6;
  return (
    <TimeChart
      pair={pair}
      what="level over time"
      label="Level over time"
      quantity="Level"
      cells={cells[0]}
      curves={curves}
      levels={[top - 60, top]}
      isSigned={false}
      note="Mean square, both channels"
    />
  );
}

/** Dots that are drawn of a scatter, at the most. */
const MOST_DOTS = 3000;

function InAndOut({ pair, sides, cells, hasDry }: OfCells & { hasDry: boolean }) {
  const curves = useMemo(() => cells.slice(1).map((own) => levelCurve(cells[0], own)), [cells]);
  const gainsDb = hasDry ? sides.slice(1).map((s) => s.gainDb) : [sides[1].gainDb - sides[0].gainDb];
  const lines = hasDry ? [LINES.here, LINES.yonder] : [LINES.apart];
  const [view, setView] = useState<Span | null>(null);
  const all = curves.flatMap(({ curve }) => curve.map((s) => s.inDb));
  if (all.length === 0) return <Instead>Too short for a static curve: use a loop of 1 s or more.</Instead>;
  const whole: Span = [Math.max(-90, Math.min(...all) - 3), Math.max(...all) + 3];
  const out = curves.flatMap(({ curve }, i) =>
    curve.filter((s) => s.inDb >= whole[0]).flatMap((s) => [s.lowDb + gainsDb[i], s.highDb + gainsDb[i]]),
  );
  const levels = spanOf(out, [whole[0], whole[1]]);
  const at = (curve: LevelCurve, x: number) => curve.curve.find((s) => Math.abs(s.inDb - x) <= 0.5);
  const from = hasDry ? "dry" : "Here";
  return (
    <ChartPanel
      name={`${pair.passage.title} in and out`}
      legend={[...lines, { title: "unchanged", colour: "var(--soft-ink)", dash: "2 4", width: 1 }]}
      note={`${plural(curves[0].inDb.length, "block")} of 20 ms; line: median, area: 80 %`}
      table={() => ({
        columns: [
          `Level of ${from}, dBFS`,
          ...lines.flatMap(({ title }) =>
            ["median", "10th percentile", "90th percentile"].map((w) => `${title} ${w}, dBFS`),
          ),
        ],
        rows: [...new Set(all)]
          .toSorted((a, b) => a - b)
          .map((inDb) => [
            inDb,
            ...curves.flatMap((curve, i) => {
              const step = at(curve, inDb);
              return step
                ? [step.medianDb, step.lowDb, step.highDb].map((v) => Number((v + gainsDb[i]).toFixed(2)))
                : [null, null, null];
            }),
          ]),
      })}
    >
      <ChartFrame
        label="Output level vs input level"
        whole={whole}
        view={view ?? whole}
        onView={setView}
        levels={levels}
        titleX={`Level of ${from}, dBFS`}
        titleY="Output level, dBFS"
        formatX={(db) => number(db, 0)}
        formatY={number}
        readout={(db) => (
          <span className="figure">
            {from} {withUnit(number(db, 0), "dBFS")}
            {curves.map((curve, i) => {
              const step = at(curve, db);
              return (
                <span key={lines[i].title} style={{ color: lines[i].colour }}>
                  {" "}
                  {lines[i].title} {withUnit(number(step && step.medianDb + gainsDb[i]), "dBFS")}
                </span>
              );
            })}
          </span>
        )}
      >
        {(plot) => (
          <>
            <line
              x1={plot.x(-200)}
              y1={plot.y(-200)}
              x2={plot.x(20)}
              y2={plot.y(20)}
              stroke="var(--soft-ink)"
              strokeDasharray="2 4"
            />
            {curves.map((curve, i) => (
              <StaticCurve key={lines[i].title} plot={plot} curve={curve} gainDb={gainsDb[i]} line={lines[i]} />
            ))}
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

function StaticCurve({
  plot,
  curve,
  gainDb,
  line,
}: {
  plot: Plot;
  curve: LevelCurve;
  gainDb: number;
  line: LegendLine;
}) {
  const every = Math.max(1, Math.ceil(curve.inDb.length / MOST_DOTS));
  const dots: string[] = [];
  for (let i = 0; i < curve.inDb.length; i += every)
    dots.push(`M${plot.x(curve.inDb[i]).toFixed(1)},${plot.y(curve.outDb[i] + gainDb).toFixed(1)}h0`);
  const edge = (of: (s: LevelCurve["curve"][number]) => number) =>
    curve.curve.map((s) => `${plot.x(s.inDb).toFixed(1)},${plot.y(of(s) + gainDb).toFixed(1)}`);
  const area = [...edge((s) => s.highDb), ...edge((s) => s.lowDb).toReversed()];
  return (
    <>
      <path d={dots.join("")} stroke={line.colour} strokeWidth={2} strokeLinecap="round" opacity={0.25} />
      <path d={`M${area.join("L")}Z`} fill={line.colour} fillOpacity={0.18} stroke="none" />
      <path
        d={linePath(
          curve.curve.map((s) => s.inDb),
          curve.curve.map((s) => s.medianDb + gainDb),
          plot,
        )}
        fill="none"
        stroke={line.colour}
        strokeWidth={line.width}
        strokeDasharray={line.dash}
      />
    </>
  );
}

function Crest({ pair, region, sides }: Common) {
  const { data, problem } = useReadings(
    "bandCrest",
    sides.map(({ render }) => renderSource(render)),
    pair,
    region,
  );
  const known = data.flatMap((crest) => (crest ? [crest] : []));
  if (known.length < sides.length) return <Instead>{problem ?? "Reading crests octave by octave…"}</Instead>;
  const [{ hertz }] = known;
  return (
    <CurvesChart
      name={`${pair.passage.title} crest`}
      label="Crest factor vs frequency"
      quantity="Crest factor"
      sampleRateHz={pair.dry.sampleRateHz}
      hertz={hertz}
      curves={known.map(({ crestDb }, i) => ({ ...sides[i].line, values: crestDb }))}
      unit="dB"
      decimals={1}
      least={6}
      note="Sample peak of each octave re its RMS; gain does not change it"
    />
  );
}

function Histogram({ pair, region, sides }: Common) {
  const { data, problem } = useReadings(
    "shape",
    sides.map(({ render }) => renderSource(render)),
    pair,
    region,
  );
  const known = data.flatMap((shape) => (shape ? [shape] : []));
  if (known.length < sides.length) return <Instead>{problem ?? "Counting samples…"}</Instead>;
  const xs = Float64Array.from({ length: BINS }, (_, i) => -BIN_DB * (BINS - i - 0.5));
  const curves = known.map(
    ({ shares }, i): Curve => ({
      ...sides[i].line,
      values: Float64Array.from(shares, (v) => 100 * v).reverse(),
    }),
  );
  return (
    <>
      <Sentence>{shapeSentence(known.slice(-2))}</Sentence>
      <LinesChart
        name={`${pair.passage.title} histogram`}
        label="Distribution of sample levels"
        quantity="Samples"
        xs={xs}
        xTitle="Sample level, dBFS"
        whole={[-72, 0]}
        formatX={(db) => number(db, 0)}
        readX={(db) => withUnit(number(db), "dBFS")}
        curves={curves}
        levels={spanOf(
          curves.flatMap(({ values }) => Array.from(values)),
          [0, 1],
        )}
        formatY={(v, decimals) => withUnit(number(v, decimals), "%")}
        readY={(v) => withUnit(number(v, 2), "%")}
        unit="%"
        note="As delivered; samples per 0.5 dB"
      />
    </>
  );
}

function Turned({ pair, region, sides, turned }: Common & { turned: "peak" | "before" }) {
  const { data, problem } = useReadings(
    "rotation",
    sides.map(({ render }) => renderSource(render)),
    pair,
    region,
  );
  const known = data.flatMap((rotation) => (rotation ? [rotation] : []));
  if (known.length < sides.length) return <Instead>{problem ?? "Rotating phase by 0 to 180°…"}</Instead>;
  const isPeak = turned === "peak";
  const curves = known.map(
    (own, i): Curve => ({
      ...sides[i].line,
      values: isPeak ? own.peakDbfs.map((v) => v + sides[i].gainDb) : own.beforeDb,
    }),
  );
  const [low, high] = spanOf(
    curves.flatMap(({ values }) => Array.from(values)),
    isPeak ? [-3, -2] : [-30, -29],
  );
  const unit = isPeak ? "dBFS" : "dB";
  return (
    <>
      <Sentence>{rotationSentence(known)}</Sentence>
      <LinesChart
        name={`${pair.passage.title} phase rotation`}
        label={isPeak ? "Peak vs phase rotation" : "Energy before transients vs phase rotation"}
        xs={known[0].degrees}
        xTitle="Phase rotation, °"
        whole={[0, 180]}
        ticksX={() => [0, 30, 60, 90, 120, 150, 180]}
        formatX={(v) => `${number(v, 0)}°`}
        readX={(v) => `${number(v, 0)}°`}
        curves={curves}
        levels={[low, high]}
        formatY={number}
        readY={(v) => withUnit(number(v, 2), unit)}
        quantity={isPeak ? "Sample peak" : "Before re after transients"}
        unit={unit}
        note={
          isPeak
            ? "Sample peak; level and spectrum do not change"
            : `10 ms before re 20 ms after, ${plural(known[0].onsets, "transient")}`
        }
      />
    </>
  );
}
