import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { knownDbfs, type Withheld } from "@/core/bench/report";
import { withheldWords } from "@/core/words/bench-withheld";
import { frequencyWords, number, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import type { MeasuredSubject } from "./use-bench";

type Points = { x: number; y: number }[];
type Picture = {
  title: string;
  isLog?: boolean;
  /** No less than this is in sight. */
  least: [number, number];
  of: (subject: MeasuredSubject) => Points;
  /** How an end of its horizontal axis is written. */
  end: (x: number) => string;
  bars?: boolean;
  /** The figure that it shows: where that is withheld, there is no picture. */
  withheld?: Withheld["figure"];
};

const over = (xs: readonly number[], ys: readonly (number | null)[]): Points =>
  xs.flatMap((x, i) => (ys[i] === null || !Number.isFinite(ys[i]) ? [] : [{ x, y: ys[i] as number }]));

/** The six pictures of a page. */
export const PICTURES: readonly Picture[] = [
  {
    title: LABELS.magnitudeDB,
    withheld: "response",
    end: frequencyWords,
    isLog: true,
    least: [-3, 3],
    of: ({ report: { response } }) => over(response.hertz, response.magnitudeDb),
  },
  {
    title: "Phase, °",
    withheld: "response",
    end: frequencyWords,
    isLog: true,
    least: [-20, 20],
    of: ({ report: { response } }) => over(response.hertz, response.phaseDegrees),
  },
  {
    title: "Impulse, dB",
    withheld: "response",
    end: (ms) => withUnit(number(ms, 0), "ms"),
    least: [-120, 0],
    of: ({ report: { impulse } }) =>
      over(
        impulse.levelsDb.map((_, i) => impulse.fromMs + (1000 * i) / impulse.sampleRateHz),
        impulse.levelsDb,
      ),
  },
  {
    title: "Harmonics, dB",
    withheld: "harmonics",
    end: (order) => `H${order}`,
    least: [-140, 0],
    bars: true,
    of: ({ report: { harmonics } }) =>
      over(
        harmonics[0].partialsDb.map((_, i) => i + 2),
        harmonics[0].partialsDb,
      ),
  },
  {
    title: "Output vs input, dBFS",
    end: (db) => withUnit(number(db, 0), "dBFS in"),
    least: [-60, 0],
    of: ({ report: { harmonics } }) => {
      const [deep, ...others] = harmonics;
      const same = others.filter((t) => Math.abs(t.hertz - deep.hertz) < 1);
      return over(
        same.map((t) => t.levelDbfs),
        same.map(knownDbfs),
      );
    },
  },
  {
    title: "Gain around a step, dB",
    end: (ms) => withUnit(number(ms, 0), "ms"),
    least: [-3, 1],
    withheld: "times",
    of: ({ report: { times } }) => (times ? over(times.course.ms, times.course.gainDb) : []),
  },
];

/** The harmonics that bars are drawn of. */
const ORDERS = [2, 10] as const;
const WIDTH = 150;
const HEIGHT = 78;

export function SmallPicture({ picture, subject }: { picture: Picture; subject: MeasuredSubject }) {
  const isWithheld = picture.withheld !== undefined && withheldWords(subject.report, picture.withheld) !== null;
  const points = isWithheld ? [] : picture.of(subject);
  const [low, high] = points.reduce(([least, most], { y }) => [Math.min(least, y), Math.max(most, y)], picture.least);
  const xs = points.map((p) => p.x);
  const span: [number, number] = picture.bars ? [1.5, 10.5] : [Math.min(...xs), Math.max(...xs)];
  const x = (picture.isLog ? scaleLog() : scaleLinear()).domain(span).range([0, WIDTH]);
  const y = scaleLinear()
    .domain([low, high])
    .range([HEIGHT - 2, 2]);
  const path = line<{ x: number; y: number }>()
    .x((p) => x(p.x))
    .y((p) => y(p.y));
  return (
    <figure className="grid gap-0.5">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`${picture.title} of ${subject.title}`}
        className="w-full rounded border border-rule bg-base-100"
      >
        {low < 0 && high > 0 && <line x2={WIDTH} y1={y(0)} y2={y(0)} stroke="var(--rule)" />}
        {points.length === 0 && (
          <text x={WIDTH / 2} y={HEIGHT / 2} textAnchor="middle" className="fill-soft text-[10px]">
            {isWithheld ? "not known" : "none"}
          </text>
        )}
        {picture.bars ? (
          points.map((p) => (
            <line
              key={p.x}
              x1={x(p.x)}
              x2={x(p.x)}
              y1={y(low)}
              y2={y(p.y)}
              stroke={subject.line.colour}
              strokeWidth={5}
            />
          ))
        ) : (
          <path d={path(points) ?? ""} fill="none" stroke={subject.line.colour} strokeWidth={1.5} />
        )}
      </svg>
      <figcaption className="grid text-[11px] text-soft">
        <span className="figure flex h-3.5 justify-between text-[9.5px] leading-3.5">
          {points.length > 0 && (
            <>
              <span>{picture.end(picture.bars ? ORDERS[0] : xs[0])}</span>
              <span>{picture.end(picture.bars ? ORDERS[1] : xs[xs.length - 1])}</span>
            </>
          )}
        </span>
        <span className="flex justify-between">
          <span>{picture.title}</span>
          <span className="figure">
            {points.length > 0 ? `${Math.round(low)} … ${Math.round(high)}`.replaceAll("-", "−") : ""}
          </span>
        </span>
      </figcaption>
    </figure>
  );
}
