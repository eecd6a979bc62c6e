"use client";

import { type QueryFunctionContext, useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import type { LoudnessCourse } from "@/core/loudness/loudness";
import { dynamicsOf, type StretchLevels } from "@/core/loudness/measure";
import type { FigureKey } from "@/core/words/figures";
import { loudnessDifference } from "@/core/words/level";
import { MISSING } from "@/core/words/missing";
import { axisClock, clock, decibels, NO_FIGURE, number, withUnit } from "@/core/words/units";
import { courseOf, levelsOver } from "@/store/levelling";
import { wholeOf } from "@/store/line-up";
import type { Render } from "@/store/records";
import type { Plot, Span } from "@/ui/charts/chart-frame";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { Figure } from "@/ui/shell/figure";
import { useMonitor } from "@/ui/shell/monitor";
import { PlayheadLine } from "@/ui/shell/playhead-line";
import { rankOf } from "@/ui/shell/sight";
import { tellSoFar, useSoFar } from "@/ui/shell/so-far";
import { laidKey, useMatch } from "@/ui/shell/use-results";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";

/** Levels are there when all of the course is. */
type Course = { course: LoudnessCourse; levels: StretchLevels | null };

/** The first windows end here: a value stands at the end of what it was measured over, as a meter shows it. */
const FIRST_END_SECONDS = { momentaryLufs: 0.4, shortTermLufs: 3 } as const;
type Kind = keyof typeof FIRST_END_SECONDS;

/** Loudness over time and levels of both sides, as they are heard: matched, or as delivered. */
function useCourses(): Courses {
  const { pair } = useWorkbench();
  const { match } = useMatch(pair);
  const { matched } = useMonitor();
  const sides = pair ? [pair.here, pair.yonder] : [];
  const asked = sides.map((render) => {
    const gainDb = matched ? (match?.renders.get(render.id)?.gainDb ?? null) : 0;
    return { render, gainDb, key: ["course", ...laidKey(render, pair?.dry ?? render), gainDb?.toFixed(4)] };
  });
  const whole = useQueries({
    queries: asked.map(({ render, gainDb, key }) => ({
      queryKey: key,
      queryFn: ({ signal, client, queryKey }: QueryFunctionContext) =>
        courseAt(render, pair?.dry ?? render, gainDb ?? 0, signal, (course) =>
          tellSoFar<Course>(client, queryKey, { course, levels: null }),
        ),
      enabled: gainDb !== null,
    })),
    combine: (results) => results.map((r) => r.data ?? null),
  });
  const soFar = useSoFar<Course>(asked.map(({ key }) => key));
  const [here = null, yonder = null] = asked.map((_, i) => whole[i] ?? soFar[i] ?? null);
  return useMemo(() => ({ here, yonder }), [here, yonder]);
}

async function courseAt(
  render: Render,
  dry: Render,
  gainDb: number,
  signal: AbortSignal,
  onPart: (soFar: LoudnessCourse) => void,
): Promise<Course> {
  const asking = { signal, rank: rankOf(render) };
  const [course, levels] = await Promise.all([
    courseOf(render, dry, gainDb, asking, onPart),
    levelsOver(render, dry, wholeOf(dry), gainDb, asking),
  ]);
  return { course, levels };
}

/** What sets the two apart in how their loudness moves. */
export function LoudnessSentence() {
  const { here, yonder } = useCourses();
  if (!here?.levels || !yonder?.levels) return <>Measuring loudness over time…</>;
  const apart = (a: number | null, b: number | null) => (a === null || b === null ? null : b - a);
  const range = apart(here.levels.rangeLu, yonder.levels.rangeLu);
  const plr = apart(dynamicsOf(here.levels).plrDb, dynamicsOf(yonder.levels).plrDb);
  return <>{loudnessDifference(plr, range)}</>;
}

/** Momentary and short-term loudness of Here and Yonder on one chart, the figures of both beneath. */
export function LoudnessView() {
  const { pair } = useWorkbench();
  const { matched } = useMonitor();
  const courses = useCourses();
  const { xs, curves } = useMemo(() => linesOf(courses), [courses]);
  if (!pair) return null;
  const rateHz = pair.dry.sampleRateHz;
  return (
    <>
      <div className="flex min-h-0 flex-1 flex-col">
        <LinesChart
          name={`${pair.passage.title} loudness over time`}
          label={LABELS.loudnessOverTimeOfHereAndYonder}
          xs={xs}
          xTitle="Time, s"
          axisTitle="Time, min:s"
          whole={[0, pair.dry.frames / rateHz]}
          formatX={axisClock}
          readX={clock}
          curves={curves}
          levels={levelsInSight(courses)}
          formatY={number}
          readY={(lufs) => number(lufs)}
          quantity="Loudness"
          unit="LUFS"
          note={
            <>
              <WhatIs figure="loudnessOverTime">{LABELS.loudnessOverTime}</WhatIs>,{" "}
              {matched ? "matched" : "at original level"}, as heard (M)
            </>
          }
          over={(plot) => (
            <>
              <LoopBand plot={plot} />
              <PlayheadLine plot={plot} sampleRateHz={rateHz} />
            </>
          )}
        />
      </div>
      <FigureRows courses={courses} />
    </>
  );
}

type Courses = { here: Course | null; yonder: Course | null };

/** LU under the loudest that is still drawn: quieter than this is a pause. */
const DEPTH_LU = 36;

function levelsInSight({ here, yonder }: Courses): Span {
  const all = [here, yonder].flatMap((c) => c?.course.momentaryLufs ?? []).filter((v) => v !== null);
  if (all.length === 0) return [-60, 0];
  const top = Math.ceil((all.reduce((a, b) => Math.max(a, b), -100) + 2) / 3) * 3;
  const bottom = Math.floor((all.reduce((a, b) => Math.min(a, b), 0) - 1) / 3) * 3;
  return [Math.max(bottom, top - DEPTH_LU), top];
}

/** Both kinds of loudness of both sides, at the ends of the momentary windows. */
function linesOf({ here, yonder }: Courses): { xs: Float64Array; curves: Curve[] } {
  const { stepSeconds, momentaryLufs } = here?.course ?? yonder?.course ?? { stepSeconds: 1, momentaryLufs: [] };
  const xs = Float64Array.from(momentaryLufs, (_, i) => FIRST_END_SECONDS.momentaryLufs + i * stepSeconds);
  const lineOf = (side: Course | null, kind: Kind) => {
    const later = Math.round((FIRST_END_SECONDS[kind] - FIRST_END_SECONDS.momentaryLufs) / stepSeconds);
    return Float64Array.from(xs, (_, i) => side?.course[kind][i - later] ?? Number.NaN);
  };
  const sides = [
    { line: LINES.here, course: here },
    { line: LINES.yonder, course: yonder },
  ];
  return {
    xs,
    curves: sides.flatMap(({ line, course }) => [
      { ...line, title: `${line.title} short-term`, values: lineOf(course, "shortTermLufs") },
      { ...line, title: `${line.title} momentary`, width: 0.8, values: lineOf(course, "momentaryLufs") },
    ]),
  };
}

/** The loop, where one is marked. */
function LoopBand({ plot: { x, height } }: { plot: Plot }) {
  const { pair } = useWorkbench();
  const loop = pair?.passage.loop;
  if (!loop) return null;
  const [from, to] = [loop.startFrame, loop.endFrame].map((frame) => x(frame / pair.dry.sampleRateHz));
  return <rect x={from} width={Math.max(0, to - from)} height={height} className="fill-base-content/5" />;
}

const HEADS: readonly { title: string; figure: FigureKey }[] = [
  { title: "Integrated", figure: "integrated" },
  { title: "Range", figure: "loudnessRange" },
  { title: "Highest short-term", figure: "loudnessOverTime" },
  { title: "Highest momentary", figure: "loudnessOverTime" },
  { title: "True peak", figure: "truePeak" },
  { title: "PLR", figure: "plr" },
  { title: "PSR", figure: "psr" },
  { title: "Crest", figure: "crestFactor" },
  { title: "RMS L, R, dBFS", figure: "rms" },
  { title: "Largest DC offset", figure: "dcOffset" },
];

function FigureRows({ courses }: { courses: Courses }) {
  return (
    <table className="table table-xs rounded-lg border border-rule bg-base-100">
      <thead>
        <tr className="text-soft">
          <th>Whole passage</th>
          {HEADS.map(({ title, figure }) => (
            <th key={title} className="text-right">
              <WhatIs figure={figure}>{title}</WhatIs>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <FigureRow name="Here" course={courses.here} className="text-here" />
        <FigureRow name="Yonder" course={courses.yonder} className="text-yonder" />
      </tbody>
    </table>
  );
}

function FigureRow({ name, course, className }: { name: string; course: Course | null; className: string }) {
  const levels = course?.levels;
  const dynamics = levels && dynamicsOf(levels);
  const cell = (text: string) => (
    <td className="figure whitespace-nowrap text-right">
      <Figure text={text} why={course ? MISSING.noLevel : MISSING.measuring} />
    </td>
  );
  const dc = levels?.channels.reduce<number | null>(
    (most, c) => (c.dcDbfs !== null && (most === null || c.dcDbfs > most) ? c.dcDbfs : most),
    null,
  );
  return (
    <tr data-testid={`over-time-${name}`}>
      <td className={`font-semibold ${className}`}>{name}</td>
      {cell(decibels(levels?.integratedLufs, "LUFS"))}
      {cell(withUnit(number(levels?.rangeLu), "LU"))}
      {cell(decibels(levels?.maxShortTermLufs, "LUFS"))}
      {cell(decibels(levels?.maxMomentaryLufs, "LUFS"))}
      {cell(decibels(levels?.truePeakDbtp, "dBTP"))}
      {cell(decibels(dynamics?.plrDb))}
      {cell(decibels(dynamics?.psrDb))}
      {cell(decibels(dynamics?.crestDb))}
      {cell(levels ? levels.channels.map((c) => number(c.rmsDbfs)).join(" ") : NO_FIGURE)}
      {cell(!levels ? NO_FIGURE : dc === undefined || dc === null || dc < -120 ? "none" : decibels(dc, "dBFS", 0))}
    </tr>
  );
}
