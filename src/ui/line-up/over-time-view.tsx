"use client";

import { type QueryFunctionContext, useQueries } from "@tanstack/react-query";
import { line } from "d3-shape";
import { useState } from "react";
import type { LoudnessCourse } from "@/core/loudness/loudness";
import { dynamicsOf, type StretchLevels } from "@/core/loudness/measure";
import { courseOf, levelsOver } from "@/store/levelling";
import type { Render } from "@/store/records";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { axisClock, clock, decibels, NO_FIGURE, number, withUnit } from "@/ui/format";
import { useMonitor } from "@/ui/shell/monitor";
import { rankOf } from "@/ui/shell/sight";
import { tellSoFar, useSoFar } from "@/ui/shell/so-far";
import { Choice } from "@/ui/shell/transport";
import { laidKey, useMatch } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";

/** Levels are there when all of the course is. */
type Course = { course: LoudnessCourse; levels: StretchLevels | null };

/** The first windows end here: a value stands at the end of what it was measured over, as a meter shows it. */
const FIRST_END_SECONDS = { momentaryLufs: 0.4, shortTermLufs: 3 } as const;
type Kind = keyof typeof FIRST_END_SECONDS;

/** Loudness over time and levels of both sides, as they are heard: matched, or as delivered. */
function useCourses(): { here: Course | null; yonder: Course | null } {
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
  return { here, yonder };
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
    levelsOver(render, dry, { startFrame: 0, endFrame: dry.frames }, gainDb, asking),
  ]);
  return { course, levels };
}

/** What sets the two apart in how their loudness moves. */
export function OverTimeSentence() {
  const { here, yonder } = useCourses();
  if (!here?.levels || !yonder?.levels) return <>Measuring loudness over time…</>;
  const apart = (a: number | null, b: number | null) => (a === null || b === null ? null : b - a);
  const range = apart(here.levels.rangeLu, yonder.levels.rangeLu);
  const plr = apart(dynamicsOf(here.levels).plrDb, dynamicsOf(yonder.levels).plrDb);
  const words = (value: number | null, unit: string, noun: string) =>
    value === null || Math.abs(value) < 0.05
      ? null
      : `${withUnit(number(Math.abs(value)), unit)} ${value < 0 ? "less" : "more"} ${noun}`;
  const parts = [words(plr, "dB", "peak over loudness"), words(range, "LU", "range")].filter(Boolean);
  return <>{parts.length ? `Yonder has ${parts.join(" and ")} than Here.` : "Both move alike in loudness."}</>;
}

/** Momentary and short-term loudness of Here and Yonder on one chart, the figures of both beneath. */
export function OverTimeView() {
  const { pair } = useWorkbench();
  const { matched } = useMonitor();
  const courses = useCourses();
  const [view, setView] = useState<Span | null>(null);
  const [shown, setShown] = useState<"chart" | "table">("chart");
  if (!pair) return null;
  const seconds = pair.dry.frames / pair.dry.sampleRateHz;
  const whole: Span = [0, seconds];
  return (
    <>
      <div className="flex items-center gap-4 text-[13px] text-soft">
        <Choice
          label="Show as"
          value={shown}
          onChange={setShown}
          options={[
            { value: "chart", title: "Chart" },
            { value: "table", title: "Table" },
          ]}
        />
        {shown === "chart" && <Legend />}
        <span className="flex-1 text-right text-[12px]">
          {matched ? "Matched, as heard" : "As delivered, as heard"} (M).
          {shown === "chart" && " Drag to zoom, double click for all."}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-hidden rounded-lg border border-rule bg-base-100">
        {shown === "chart" ? (
          <ChartFrame
            label="Loudness over time of Here and Yonder"
            whole={whole}
            view={view ?? whole}
            onView={setView}
            levels={levelsInSight(courses)}
            formatX={axisClock}
            formatY={number}
            readout={(x) => <Reading courses={courses} seconds={x} />}
          >
            {(plot) => <Lines plot={plot} courses={courses} />}
          </ChartFrame>
        ) : (
          <CourseTable courses={courses} />
        )}
      </div>
      <FigureRows courses={courses} />
    </>
  );
}

type Courses = ReturnType<typeof useCourses>;

function Legend() {
  const sample = (colour: string, width: number, dash?: string) => (
    <svg width={26} height={8} aria-hidden="true">
      <line x1={0} x2={26} y1={4} y2={4} stroke={colour} strokeWidth={width} strokeDasharray={dash} />
    </svg>
  );
  return (
    <span className="flex items-center gap-3 text-[12px]">
      <span className="flex items-center gap-1.5">{sample("var(--here)", 2)} Here</span>
      <span className="flex items-center gap-1.5">{sample("var(--yonder)", 2, "6 3")} Yonder</span>
      <span>thick: short-term, 3 s</span>
      <span>thin: momentary, 0.4 s</span>
    </span>
  );
}

/** LU under the loudest that is still drawn: quieter than this is a pause. */
const DEPTH_LU = 36;

function levelsInSight({ here, yonder }: Courses): Span {
  const all = [here, yonder].flatMap((c) => c?.course.momentaryLufs ?? []).filter((v) => v !== null);
  if (all.length === 0) return [-60, 0];
  const top = Math.ceil((all.reduce((a, b) => Math.max(a, b), -100) + 2) / 3) * 3;
  const bottom = Math.floor((all.reduce((a, b) => Math.min(a, b), 0) - 1) / 3) * 3;
  return [Math.max(bottom, top - DEPTH_LU), top];
}

const STYLES = {
  here: { stroke: "var(--here)" },
  yonder: { stroke: "var(--yonder)", strokeDasharray: "6 3" },
} as const;

function Lines({ plot, courses }: { plot: Plot; courses: Courses }) {
  const { pair } = useWorkbench();
  const loop = pair?.passage.loop;
  const rate = pair?.dry.sampleRateHz ?? 1;
  const path = (course: LoudnessCourse, kind: Kind) => {
    const draw = line<number | null>()
      .defined((value) => value !== null)
      .x((_, i) => plot.x(FIRST_END_SECONDS[kind] + i * course.stepSeconds))
      .y((value) => plot.y(value ?? 0));
    return draw(course[kind]) ?? "";
  };
  return (
    <>
      {loop && (
        <rect
          x={plot.x(loop.startFrame / rate)}
          width={Math.max(0, plot.x(loop.endFrame / rate) - plot.x(loop.startFrame / rate))}
          height={plot.height}
          className="fill-base-content/5"
        />
      )}
      {(["here", "yonder"] as const).flatMap((side) => {
        const course = courses[side]?.course;
        if (!course) return [];
        return [
          <path
            key={`${side} m`}
            d={path(course, "momentaryLufs")}
            fill="none"
            strokeWidth={1}
            opacity={0.55}
            {...STYLES[side]}
          />,
          <path key={`${side} s`} d={path(course, "shortTermLufs")} fill="none" strokeWidth={2.2} {...STYLES[side]} />,
        ];
      })}
    </>
  );
}

/** The value of the window that ends at a time. */
function valueAt(course: LoudnessCourse, kind: Kind, seconds: number): number | null {
  return course[kind][Math.round((seconds - FIRST_END_SECONDS[kind]) / course.stepSeconds)] ?? null;
}

function Reading({ courses: { here, yonder }, seconds }: { courses: Courses; seconds: number }) {
  const words = (side: Course | null) =>
    side
      ? `${number(valueAt(side.course, "shortTermLufs", seconds))} / ${number(valueAt(side.course, "momentaryLufs", seconds))}`
      : NO_FIGURE;
  return (
    <span className="figure">
      {clock(seconds)} <span className="text-here">Here {words(here)}</span>{" "}
      <span className="text-yonder">Yonder {words(yonder)}</span> LUFS
    </span>
  );
}

/** A row every this many steps of a tenth of a second. */
const TABLE_STEP = 10;

function CourseTable({ courses: { here, yonder } }: { courses: Courses }) {
  const count = here?.course.momentaryLufs.length ?? 0;
  const rows = Array.from({ length: Math.ceil(count / TABLE_STEP) }, (_, i) => 0.4 + i * TABLE_STEP * 0.1);
  const cell = (side: Course | null, kind: Kind, seconds: number) => (
    <td className="figure text-right">{side ? number(valueAt(side.course, kind, seconds)) : NO_FIGURE}</td>
  );
  return (
    <div className="h-full overflow-auto">
      <table className="table table-xs">
        <thead>
          <tr className="text-soft">
            <th>Time</th>
            <th className="text-right">Here short-term</th>
            <th className="text-right">Yonder short-term</th>
            <th className="text-right">Here momentary</th>
            <th className="text-right">Yonder momentary, LUFS</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((seconds) => (
            <tr key={seconds}>
              <td className="figure">{clock(seconds)}</td>
              {cell(here, "shortTermLufs", seconds)}
              {cell(yonder, "shortTermLufs", seconds)}
              {cell(here, "momentaryLufs", seconds)}
              {cell(yonder, "momentaryLufs", seconds)}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function FigureRows({ courses }: { courses: Courses }) {
  return (
    <table className="table table-xs rounded-lg border border-rule bg-base-100">
      <thead>
        <tr className="text-soft">
          <th>Whole passage</th>
          <th className="text-right">Integrated</th>
          <th className="text-right">Range</th>
          <th className="text-right">Short-term at most</th>
          <th className="text-right">Momentary at most</th>
          <th className="text-right">True peak</th>
          <th className="text-right">PLR</th>
          <th className="text-right">PSR</th>
          <th className="text-right">Crest</th>
          <th className="text-right">RMS left, right</th>
          <th className="text-right">DC at most</th>
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
  const cell = (text: string) => <td className="figure whitespace-nowrap text-right">{text}</td>;
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
