"use client";

import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { oversampledChains } from "@/core/bench/find/oversampled-chains";
import type { BenchReport, BenchTone } from "@/core/bench/report";
import { aliasingWords } from "@/core/words/bench-views";
import { frequencyWords, number, withUnit } from "@/core/words/units";
import { frequencyMarks, shortHertz } from "@/ui/charts/frequency-axis";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { oneAxis, readAt } from "@/ui/charts/one-axis";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead } from "@/ui/shell/view";
import { benchQuery, FACTOR_DASHES, type MeasuredSubject } from "./use-bench";

const OVER = [
  { value: "level", title: "level" },
  { value: "frequency", title: "frequency" },
] as const;
type Over = (typeof OVER)[number]["value"];

/** Under this nothing is drawn: round-off lies there. */
const FLOOR_DB = -150;
const HIGHEST_DB = 0;
const ALL = "all";

/** What aliases over level or frequency: of processors side by side, or of one at every oversampling it has. */
export function AliasingView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [over, setOver] = useState<Over>("level");
  const [of, setOf] = useState(ALL);
  const able = measured.flatMap((s) => {
    const chains = s.measurement ? [] : oversampledChains(s.candidate?.chain ?? []);
    return chains.length > 0 ? [{ subject: s, chains }] : [];
  });
  const one = able.find(({ subject }) => subject.key === of);
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[12px]">
        <QuickSelect label="Aliasing vs" title="Over" value={over} options={OVER} onChange={setOver} />
        <QuickSelect
          label={LABELS.aliasingOf}
          title="of"
          value={one ? of : ALL}
          options={[
            { value: ALL, title: "candidates" },
            ...able.map(({ subject }) => ({ value: subject.key, title: `${subject.title}, oversampled` })),
          ]}
          onChange={setOf}
        />
        {able.length === 0 && <span className="text-soft">No processor shown has an oversampling setting.</span>}
      </div>
      {one ? (
        <Oversampled {...one} over={over} />
      ) : (
        <Aliasing over={over} lines={measured.map((s) => ({ look: s.line, report: s.report }))} name="Bench aliasing" />
      )}
    </>
  );
}

function Oversampled({
  subject,
  chains,
  over,
}: {
  subject: MeasuredSubject;
  chains: ReturnType<typeof oversampledChains>;
  over: Over;
}) {
  const results = useQueries({
    queries: chains.map(({ chain }) => benchQuery(chain, subject.report.signal, true)),
  });
  const isWaiting = results.some((r) => r.isFetching);
  const lines = chains.flatMap(({ factor, isOwn }, i) => {
    const report = results[i].data;
    if (!report) return [];
    const look = {
      title: isOwn ? `${factor}× (as set)` : `${factor}×`,
      colour: isOwn ? subject.line.colour : "var(--color-base-content)",
      width: isOwn ? 2.5 : 1.5,
      dash: FACTOR_DASHES[i],
    };
    return [{ look, report }];
  });
  return (
    <>
      {isWaiting && <Instead>Sending the test signal through at each oversampling…</Instead>}
      {lines.length > 0 && <Aliasing over={over} lines={lines} name="Bench oversampling" />}
    </>
  );
}

type Line = { look: MeasuredSubject["line"]; report: BenchReport };

function Aliasing({ over, lines, name }: { over: Over; lines: readonly Line[]; name: string }) {
  const isLevel = over === "level";
  const all = lines.map(({ look, report }) => ({ look, tones: tonesOf(report, over) }));
  const points = all.map(({ tones }) =>
    tones.map((tone) => ({ x: isLevel ? tone.levelDbfs : tone.hertz, y: tone.aliasDb ?? Number.NaN })),
  );
  const xs = oneAxis(points);
  const curves: Curve[] = all.map(({ look }, i) => ({ ...look, values: readAt(points[i], xs) }));
  const known = curves.flatMap(({ values }) => Array.from(values).filter(Number.isFinite));
  if (known.length === 0)
    return <Instead>{lines.map(({ look, report }) => `${look.title}: ${aliasingWords(report)}`).join("; ")}.</Instead>;
  const [first] = all.flatMap(({ tones }) => tones);
  return (
    <LinesChart
      key={`${name} ${over}`}
      name={name}
      label={`Aliasing vs ${over}`}
      xs={xs}
      xTitle={isLevel ? "Level, dBFS" : "Frequency, Hz"}
      whole={isLevel ? [xs[0], xs[xs.length - 1]] : [40, 20_000]}
      isLog={!isLevel}
      ticksX={isLevel ? () => xs : frequencyMarks}
      formatX={isLevel ? (x) => number(x, 0) : shortHertz}
      readX={isLevel ? (x) => withUnit(number(x), "dBFS") : frequencyWords}
      curves={curves}
      levels={[Math.max(FLOOR_DB, Math.min(-120, ...known)), Math.max(HIGHEST_DB, ...known)]}
      formatY={number}
      readY={(db) => (Number.isFinite(db) ? withUnit(number(db), "dB") : "hidden")}
      quantity="Aliasing re tone"
      unit="dB"
      note={
        isLevel
          ? `A tone of ${frequencyWords(first.hertz)}: all inharmonic products re tone; no line where noise hides them`
          : "Tones at the signal's level: all inharmonic products re tone"
      }
    />
  );
}

function tonesOf({ harmonics, highTones }: BenchReport, over: Over): BenchTone[] {
  if (over === "level") return highTones;
  const [deep, ...others] = harmonics;
  return [deep, ...others.filter(({ hertz }) => Math.abs(hertz - deep.hertz) > 1)].toSorted(
    (a, b) => a.hertz - b.hertz,
  );
}
