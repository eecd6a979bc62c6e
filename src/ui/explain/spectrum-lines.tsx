import { line } from "d3-shape";
import { COHERENT } from "@/core/spectrum/transfer";
import type { Plot } from "@/ui/charts/chart-frame";
import { nearest } from "@/ui/charts/lines-chart";
import type { SpectrumCurve } from "./spectrum-curves";

/** Stretches of one trust, for what is not coherent is faded, not drawn as truth. */
function runsOf({ trust, levels }: SpectrumCurve): { from: number; to: number; isTrue: boolean }[] {
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

export function SpectrumLines({
  plot,
  curves,
  isRelative,
}: {
  plot: Plot;
  curves: readonly SpectrumCurve[];
  isRelative: boolean;
}) {
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
export function LineNumbers({ plot, curves }: { plot: Plot; curves: readonly SpectrumCurve[] }) {
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

export function SpectrumBars({ plot, curves }: { plot: Plot; curves: readonly SpectrumCurve[] }) {
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
