"use client";

import { useState } from "react";
import { type BenchReport, knownDbfs } from "@/core/bench/report";
import { measuredTime } from "@/core/words/bench";
import {
  besideWords,
  isBesideSeen,
  sidechainWords,
  staticCurveWords,
  timesWords,
  viewSentence,
} from "@/core/words/bench-views";
import { frequencyWords, NO_FIGURE, number, signed, timeWithin, withUnit } from "@/core/words/units";
import type { LegendLine } from "@/ui/charts/chart-panel";
import { frequencyMarks, shortHertz } from "@/ui/charts/frequency-axis";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import { type Curve, LinesChart, spanOf } from "@/ui/charts/lines-chart";
import { oneAxis, readAt } from "@/ui/charts/one-axis";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, View } from "@/ui/shell/view";
import type { MeasuredSubject } from "./use-bench";

type Shown = "law" | "times" | "bands" | "key";

/** What it does to level: the static curve of steady tones, how gain follows a step, and what a loud tone does to the rest of the band. */
export function LevelView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [shown, setShown] = useState<Shown>("law");
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "law", title: "Static curve", figure: "benchStaticCurve", hint: "Output level vs input level" },
        { value: "times", title: LABELS.gainOverTime, figure: "benchTimes", hint: "Gain around a step up and down" },
        { value: "bands", title: "Near a tone", figure: "nearTone", hint: "How a loud tone changes quiet ones" },
        { value: "key", title: LABELS.sidechain, figure: "sidechain", hint: "Gain for an external sidechain signal" },
      ]}
      sentence={viewSentence(measured, MOST_TOLD, WORDS[shown])}
      testId="level-sentence"
    >
      {shown === "law" && <StaticCurve measured={measured} />}
      {shown === "times" && <Times measured={measured} />}
      {shown === "bands" && <Beside measured={measured} />}
      {shown === "key" && <SidechainView measured={measured} />}
    </View>
  );
}

const WORDS: Record<Shown, (report: BenchReport) => string> = {
  law: staticCurveWords,
  times: timesWords,
  bands: besideWords,
  key: sidechainWords,
};
/** So many processors are reported of beside a picture. */
const MOST_TOLD = 3;

/** Where there is no picture: the view's sentence says why, and this of those that it has no room for. */
function NothingDrawn({ measured, shown }: { measured: readonly MeasuredSubject[]; shown: Shown }) {
  const others = measured.slice(MOST_TOLD);
  const why = others.length > 0 ? ` ${viewSentence(others, others.length, WORDS[shown])}.` : "";
  return (
    <Instead>
      {LABELS.nothingToDraw}
      {why}
    </Instead>
  );
}

const msText = (ms: number | null): string =>
  ms === null ? "not known" : withUnit(number(ms, ms < 1 ? 2 : ms < 100 ? 1 : 0), "ms");

function StaticCurve({ measured }: { measured: readonly MeasuredSubject[] }) {
  const points = measured.map((s) =>
    (s.report.static?.points ?? onTones(s)).map(({ inDbfs, outDbfs }) => ({ x: inDbfs, y: outDbfs })),
  );
  const xs = oneAxis(points);
  const straight = xs[xs.length - 1];
  const curves: Curve[] = [
    { title: "unchanged", colour: "var(--soft-ink)", width: 1, dash: "1 3", values: xs },
    ...measured.map((s, i) => ({ ...s.line, values: readAt(points[i], xs) })),
  ];
  return (
    <LinesChart
      name="Bench static curve"
      label="Output level vs input level"
      xs={xs}
      xTitle="Input level, dBFS"
      whole={[xs[0], straight]}
      formatX={(x) => number(x, 0)}
      readX={(x) => `in ${withUnit(number(x), "dBFS")}`}
      curves={curves}
      levels={spanOf(
        curves.flatMap(({ values }) => Array.from(values)),
        [xs[0], straight],
      )}
      formatY={number}
      readY={(db) => withUnit(number(db, 2), "dBFS")}
      quantity="Output level"
      unit="dBFS"
      note="Steady signals of constant magnitude: peak and RMS detectors read the same"
    />
  );
}

/** Where nothing moves, what became of the tones of the ladder. */
function onTones({ report: { harmonics } }: MeasuredSubject): { inDbfs: number; outDbfs: number }[] {
  const [deep, ...others] = harmonics;
  return others
    .filter((t) => Math.abs(t.hertz - deep.hertz) < 1 && knownDbfs(t) !== null)
    .map((t) => ({ inDbfs: t.levelDbfs, outDbfs: t.outDbfs }));
}

function Times({ measured }: { measured: readonly MeasuredSubject[] }) {
  const moving = measured.filter((s) => s.report.times);
  if (moving.length === 0) return <NothingDrawn measured={measured} shown="times" />;
  const longest = moving.reduce((a, b) =>
    (b.report.times?.course.ms.length ?? 0) > (a.report.times?.course.ms.length ?? 0) ? b : a,
  );
  const xs = longest.report.times?.course.ms ?? [];
  const curves: Curve[] = moving.map((s) => ({ ...s.line, values: s.report.times?.course.gainDb ?? [] }));
  return (
    <>
      <LinesChart
        name="Bench gain over time"
        label="Gain over time around a step"
        xs={xs}
        xTitle="Time, ms"
        whole={[xs[0], xs[xs.length - 1]]}
        formatX={(ms) => withUnit(number(ms, 0), "ms")}
        readX={(ms) => withUnit(number(ms, 0), "ms")}
        curves={curves}
        levels={spanOf(
          curves.flatMap(({ values }) => Array.from(values)),
          [-1, 0.5],
        )}
        formatY={signed}
        readY={(db) => withUnit(signed(db, 2), "dB")}
        quantity="Gain"
        unit="dB"
        hasZero
        note="Step of 30 dB up at 0 ms, down at 700 ms"
      />
      <TimesTable moving={moving} />
    </>
  );
}

function TimesTable({ moving }: { moving: readonly MeasuredSubject[] }) {
  const columns = [
    "Reduction",
    "Attack",
    "to within 1 dB",
    "Release",
    "to within 1 dB",
    "After 30 ms",
    "Hold",
    "Look-ahead",
    "Overshoot",
    "Link",
  ];
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
    <section className="max-h-36 shrink-0 overflow-auto" tabIndex={0} aria-label={LABELS.times}>
      <table className="table table-xs">
        <thead>
          <tr className="text-soft">
            <th>Processor</th>
            {columns.map((column, i) => (
              <th key={`${column} ${i < 3 ? "up" : "down"}`} className="text-right">
                {column}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {moving.map(({ key, title, report: { times } }) => {
            if (!times) return null;
            const cells = [
              withUnit(number(times.reductionDb), "dB"),
              measuredTime(times.attackMs, times.errorsMs?.attack),
              msText(times.attackWithin1DbMs),
              measuredTime(times.releaseMs, times.errorsMs?.release),
              msText(times.releaseWithin1DbMs),
              msText(times.releaseAfterShortMs),
              times.holdMs > 0 ? timeWithin(times.holdMs, times.errorsMs?.hold) : "none",
              times.lookAheadMs === 0 ? "none" : measuredTime(times.lookAheadMs, times.errorsMs?.lookAhead),
              withUnit(number(times.overshootDb), "dB"),
              times.linkShare === null ? NO_FIGURE : withUnit(number(100 * times.linkShare, 0), "%"),
            ];
            return (
              <tr key={key}>
                <td>{title}</td>
                {cells.map((cell, i) => (
                  <td key={`${columns[i]} ${i < 3 ? "up" : "down"}`} className="figure text-right">
                    {cell}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

const SUBJECTS_BESIDE = 3;

function Beside({ measured }: { measured: readonly MeasuredSubject[] }) {
  const moving = measured.filter((s) => s.report.moves.kind !== "none" && isBesideSeen(s.report));
  const [key, setKey] = useState<string | null>(null);
  if (moving.length === 0) return <NothingDrawn measured={measured} shown="bands" />;
  const { tones, hertz } = moving[0].report.moves;
  const tone = tones.find(({ loudHz }) => String(loudHz) === key) ?? null;
  const dashes = ["2 3", undefined, "7 4"];
  const shown = moving.slice(0, SUBJECTS_BESIDE);
  // Signals of other rates have their tones and lines a little elsewhere.
  const curveOf = (s: MeasuredSubject, loudHz: number, look: LegendLine): Curve => {
    const { tones: own, hertz: places } = s.report.moves;
    const [beside] = own.toSorted((a, b) => Math.abs(a.loudHz - loudHz) - Math.abs(b.loudHz - loudHz));
    const points = places.map((x, i) => ({ x, y: beside?.changeDb[i] ?? Number.NaN }));
    return { ...look, values: readAt(points, hertz) };
  };
  // One tone: a line for each processor. All of them: a line for each tone, of the first.
  const curves = tone
    ? shown.map((s) => curveOf(s, tone.loudHz, s.line))
    : tones.map(({ loudHz }, i) =>
        curveOf(moving[0], loudHz, {
          title: `beside ${withUnit(number(loudHz, 0), "Hz")}`,
          colour: "var(--color-base-content)",
          width: 1.5,
          dash: dashes[i],
        }),
      );
  return (
    <>
      <div className="flex text-[12px]">
        <QuickSelect
          label="Beside which tone"
          title="Beside"
          value={key ?? ALL_TONES}
          options={[
            { value: ALL_TONES, title: `each, ${moving[0].title}` },
            ...tones.map(({ loudHz }) => ({ value: String(loudHz), title: frequencyWords(loudHz) })),
          ]}
          onChange={setKey}
        />
      </div>
      <CurvesChart
        name="Bench near a tone"
        label="Gain change near a loud tone"
        sampleRateHz={moving[0].report.signal.sampleRateHz}
        hertz={hertz}
        curves={curves}
        quantity="Gain"
        unit="dB"
        decimals={2}
        least={1}
        note={tone ? "" : moving[0].title}
      />
    </>
  );
}
const ALL_TONES = "all";

/** Gain by the level and by the frequency of a key. */
function SidechainView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const keyed = measured.flatMap((s) => (s.report.key ? [{ ...s, key: s.report.key, id: s.key }] : []));
  if (keyed.length === 0)
    return <Instead>No processor shown has a sidechain input. Recordings cannot show one.</Instead>;
  if (keyed.every(({ key }) => key.levels.length === 0))
    return <Instead>No gain change for these sidechain signals, or too slow for steps.</Instead>;
  const chart = (by: "level" | "frequency") => {
    const isLevel = by === "level";
    const points = keyed.map(({ key }) =>
      isLevel
        ? key.levels.map(({ keyDbfs, gainDb }) => ({ x: keyDbfs, y: gainDb }))
        : key.frequencies.map(({ hertz, gainDb }) => ({ x: hertz, y: gainDb })),
    );
    const xs = oneAxis(points);
    const curves: Curve[] = keyed.map(({ line }, i) => ({ ...line, values: readAt(points[i], xs) }));
    return (
      <div className="flex min-h-0 min-w-0 flex-col">
        <LinesChart
          name={`Bench sidechain ${by}`}
          label={`Gain vs sidechain ${by}`}
          xs={xs}
          xTitle={isLevel ? "Sidechain level, dBFS" : "Sidechain frequency, Hz"}
          whole={isLevel ? [xs[0], xs[xs.length - 1]] : [40, 12_000]}
          isLog={!isLevel}
          ticksX={isLevel ? undefined : frequencyMarks}
          formatX={isLevel ? (x) => number(x, 0) : shortHertz}
          readX={isLevel ? (x) => `key ${withUnit(number(x), "dBFS")}` : (x) => `key ${frequencyWords(x)}`}
          curves={curves}
          levels={spanOf(
            curves.flatMap(({ values }) => Array.from(values)),
            [-1, 0.5],
          )}
          formatY={signed}
          readY={(db) => withUnit(signed(db, 2), "dB")}
          quantity="Gain"
          unit="dB"
          hasZero
          note={isLevel ? "Sidechain of constant magnitude" : "Tones at the signal's level"}
        />
      </div>
    );
  };
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-6">
      {chart("level")}
      {chart("frequency")}
    </div>
  );
}
