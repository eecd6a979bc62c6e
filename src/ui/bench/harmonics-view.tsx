"use client";

import { useState } from "react";
import type { BenchTone } from "@/core/bench/report";
import { aliasingWords, harmonicsWords, viewSentence } from "@/core/words/bench-views";
import { withheldWords } from "@/core/words/bench-withheld";
import { frequencyWords, number, withUnit } from "@/core/words/units";
import { ChartFrame } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { frequencyMarks, shortHertz } from "@/ui/charts/frequency-axis";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { oneAxis, readAt } from "@/ui/charts/one-axis";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, View } from "@/ui/shell/view";
import { AliasingView } from "./aliasing-view";
import { foldWords, SweepView } from "./sweep-view";
import type { MeasuredSubject } from "./use-bench";

type Shown = "tone" | "drive" | "frequency" | "folding" | "sweep";

/** Under this nothing is drawn: round-off lies there. */
const FLOOR_DB = -150;
const LOWEST_PERCENT_DB = -120;

/** What becomes of tones: their harmonics named even and odd, over drive and over frequency, and what aliases. */
export function HarmonicsView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [shown, setShown] = useState<Shown>("tone");
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "tone", title: "A tone", figure: "harmonics", hint: "Harmonics of a tone near 1 kHz, even and odd" },
        { value: "drive", title: LABELS.byLevel, figure: "harmonicsByLevel", hint: "Harmonics vs level" },
        {
          value: "frequency",
          title: "By frequency",
          figure: "harmonicsByFrequency",
          hint: "Harmonics and noise vs frequency",
        },
        {
          value: "folding",
          title: LABELS.aliasing,
          figure: "aliasing",
          hint: "Products reflected at Nyquist, vs level, frequency and oversampling",
        },
        {
          value: "sweep",
          title: LABELS.sweep,
          figure: "sweepPicture",
          hint: "Output of a sweep: harmonics as lines, aliasing marked",
        },
      ]}
      sentence={sentenceFor(shown, measured)}
      testId="harmonics-sentence"
    >
      {shown === "tone" && <Partials measured={measured} />}
      {(shown === "drive" || shown === "frequency") && (
        <OverDriveOrFrequency key={shown} shown={shown} measured={measured} />
      )}
      {shown === "folding" && <AliasingView measured={measured} />}
      {shown === "sweep" && <SweepView measured={measured} />}
    </View>
  );
}

const sentenceFor = (shown: Shown, measured: readonly MeasuredSubject[]): string =>
  viewSentence(
    measured,
    MOST_TOLD,
    shown === "sweep"
      ? (report) =>
          withheldWords(report, "aliasing") === null
            ? (foldWords(report.picture) ?? "measured before sweeps were drawn")
            : aliasingWords(report)
      : shown === "folding"
        ? aliasingWords
        : harmonicsWords,
  );
const MOST_TOLD = 2;

/** Bars of H2 to H10, those of each processor side by side; even ones filled, odd ones open, and named. */
function Partials({ measured }: { measured: readonly MeasuredSubject[] }) {
  const orders = Array.from({ length: 9 }, (_, i) => i + 2);
  const [first] = measured;
  const deep = (s: MeasuredSubject): BenchTone => s.report.harmonics[0];
  const room = 0.8 / measured.length;
  return (
    <ChartPanel
      name="Bench harmonics of a tone"
      legend={measured.map(({ line }) => ({ ...line, isArea: true }))}
      note={`${frequencyWords(deep(first).hertz)} at ${withUnit(number(deep(first).levelDbfs, 0), "dBFS")}; even ones filled, odd ones open`}
      table={() => ({
        columns: ["Harmonic", ...measured.map((s) => `${s.title}, dB`)],
        rows: orders.map((order, i) => [`H${order}`, ...measured.map((s) => deep(s).partialsDb[i])]),
      })}
    >
      <ChartFrame
        label="Harmonics of a tone"
        whole={[1.5, 10.5]}
        view={[1.5, 10.5]}
        onView={() => {}}
        levels={[FLOOR_DB, 0]}
        ticksX={orders}
        titleX="Harmonic number"
        titleY="Level re fundamental, dB"
        formatX={(x) => `H${x} ${x % 2 === 0 ? "even" : "odd"}`}
        formatY={number}
        readout={(x) => {
          const order = Math.min(10, Math.max(2, Math.round(x)));
          return (
            <span className="figure">
              H{order}{" "}
              {measured.map((s) => (
                <span key={s.key} style={{ color: s.line.colour }}>
                  {" "}
                  {s.title} {wordsOf(deep(s), order)}
                </span>
              ))}
            </span>
          );
        }}
      >
        {(plot) =>
          measured.flatMap((s, n) =>
            deep(s).partialsDb.map((db, i) => {
              if (db === null) return null;
              const order = i + 2;
              const left = plot.x(order - 0.4 + n * room);
              const top = plot.y(Math.max(FLOOR_DB, db));
              return (
                <rect
                  key={`${s.key} ${order}`}
                  x={left + 1}
                  y={top}
                  width={Math.max(2, plot.x(order - 0.4 + (n + 1) * room) - left - 2)}
                  height={Math.max(1, plot.y(FLOOR_DB) - top)}
                  fill={order % 2 === 0 ? s.line.colour : "none"}
                  fillOpacity={0.75}
                  stroke={s.line.colour}
                  strokeWidth={1.5}
                  strokeDasharray={s.line.dash}
                />
              );
            }),
          )
        }
      </ChartFrame>
    </ChartPanel>
  );
}

function wordsOf(tone: BenchTone, order: number): string {
  const db = tone.partialsDb[order - 2];
  const error = tone.partialErrorsDb[order - 2];
  if (db === null) return "hidden";
  return `${withUnit(number(db), "dB")}${error !== null && error >= 0.1 ? ` ± ${number(error)}` : ""}`;
}

const DISTORTIONS = ["THD", "THD+N", ...Array.from({ length: 9 }, (_, i) => `H${i + 2}`)] as const;
type Distortion = (typeof DISTORTIONS)[number];

/** A distortion of a tone over its fundamental, dB; NaN where noise hides it. */
export function distortionDb(tone: BenchTone, of: Distortion): number {
  const order = of.startsWith("H") ? Number(of.slice(1)) : null;
  if (order !== null) return tone.partialsDb[order - 2] ?? Number.NaN;
  const percent = of === "THD" ? tone.thdPercent : tone.thdNoisePercent;
  return percent === null || percent <= 0 ? Number.NaN : 20 * Math.log10(percent / 100);
}

function OverDriveOrFrequency({
  shown,
  measured,
}: {
  shown: "drive" | "frequency";
  measured: readonly MeasuredSubject[];
}) {
  const isFrequency = shown === "frequency";
  const [of, setOf] = useState<Distortion>(isFrequency ? "THD+N" : "THD");
  const tonesOf = (s: MeasuredSubject): BenchTone[] => {
    const [deep, ...others] = s.report.harmonics;
    const same = (t: BenchTone) => Math.abs(t.hertz - deep.hertz) < 1;
    return isFrequency
      ? [...others.filter((t) => !same(t)), deep].toSorted((a, b) => a.hertz - b.hertz)
      : others.filter(same).toSorted((a, b) => a.levelDbfs - b.levelDbfs);
  };
  const all = measured.map((s) => ({ s, tones: tonesOf(s) }));
  const points = all.map(({ tones }) =>
    tones.map((tone) => ({ x: isFrequency ? tone.hertz : tone.levelDbfs, y: distortionDb(tone, of) })),
  );
  const xs = oneAxis(points);
  const curves: Curve[] = all.map(({ s }, i) => ({ ...s.line, values: readAt(points[i], xs) }));
  const known = curves.flatMap(({ values }) => Array.from(values).filter(Number.isFinite));
  return (
    <>
      <div className="flex text-[12px]">
        <QuickSelect
          label={LABELS.distortion}
          title={LABELS.distortion}
          value={of}
          options={DISTORTIONS.map((value) => ({ value, title: value }))}
          onChange={setOf}
        />
      </div>
      {known.length === 0 ? (
        <Instead>
          {measured.some((s) => withheldWords(s.report, "harmonics"))
            ? `${viewSentence(measured, measured.length, harmonicsWords)}.`
            : `${of}: hidden by noise at every ${isFrequency ? "frequency" : "level"}.`}
        </Instead>
      ) : (
        <LinesChart
          key={`${shown} ${of}`}
          name={`Bench ${of} vs ${isFrequency ? "frequency" : "level"}`}
          label={`${of} vs ${isFrequency ? "frequency" : "level"}`}
          xs={xs}
          xTitle={isFrequency ? "Frequency, Hz" : "Level, dBFS"}
          whole={isFrequency ? [40, 20_000] : [Math.min(...xs), Math.max(...xs)]}
          isLog={isFrequency}
          ticksX={isFrequency ? frequencyMarks : undefined}
          formatX={isFrequency ? shortHertz : (x) => number(x, 0)}
          readX={isFrequency ? frequencyWords : (x) => withUnit(number(x), "dBFS")}
          curves={curves}
          levels={[Math.max(FLOOR_DB, Math.min(LOWEST_PERCENT_DB, ...known)), 0]}
          formatY={number}
          readY={(db) =>
            Number.isFinite(db)
              ? `${withUnit(number(db), "dB")} (${withUnit(number(100 * 10 ** (db / 20), 4), "%")})`
              : "hidden"
          }
          quantity={`${of} re fundamental`}
          unit="dB"
          note={NOTES[of] ?? `${of} re fundamental`}
        />
      )}
    </>
  );
}

const NOTES: Partial<Record<Distortion, string>> = {
  THD: "H2 to H10 re fundamental",
  "THD+N": "Everything but the tone, re everything",
};
