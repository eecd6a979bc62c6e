"use client";

import { useEffect, useState } from "react";
import { dbFromAmplitude } from "@/core/audio/decibels";
import { PLANE_CELLS, type Plane } from "@/core/stereo/plane";
import { number, signed, withUnit } from "@/core/words/units";
import { ChartFrame, type Plot, type Span, viewWithin } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { paintCells } from "@/ui/charts/spectrogram-image";
import { useThemeColours } from "@/ui/charts/theme-colours";

/** The densest cell is drawn in full; one this much thinner, as a power of ten, not at all. */
const DECADES = 4;
const WHOLE: Span = [-1, 1];

/** Where a sound stands on the plane of side and mid, as a picture: mid vertical, side horizontal, both as parts of the largest sample. */
export function PlaneChart({ side, plane, name }: { side: "here" | "yonder"; plane: Plane; name: string }) {
  const theme = useThemeColours();
  const [view, setView] = useState<Span | null>(null);
  const [url, setUrl] = useState("");
  const seen = viewWithin(view, WHOLE);
  const title = side === "here" ? "Here" : "Yonder";
  let all = 0;
  for (const count of plane.counts) all += count;
  useEffect(() => {
    let most = 0;
    for (const count of plane.counts) most = Math.max(most, count);
    const ramp = { low: 0, high: 1, colours: [theme.paper, theme[side]] };
    setUrl(
      paintCells(PLANE_CELLS, PLANE_CELLS, ramp, (column, row) => {
        const count = plane.counts[row * PLANE_CELLS + column];
        return count > 0 ? 1 + Math.log10(count / most) / DECADES : Number.NaN;
      }),
    );
  }, [plane, side, theme]);
  return (
    <div className="flex min-h-0 flex-col">
      <ChartPanel
        name={name}
        legend={[]}
        note={`${title}; edge at ${withUnit(number(dbFromAmplitude(plane.reach)), "dBFS")}`}
        table={() => tableOf(plane, all)}
      >
        <ChartFrame
          label={`Stereo picture of ${title}: mid vertical, side horizontal`}
          whole={WHOLE}
          view={seen}
          onView={setView}
          titleX="Side re largest sample (horizontal), mid (vertical)"
          formatX={(v) => (v === 0 ? "mid" : signed(v, 1))}
          readout={(x, y) => {
            const mid = (y - 0.5) * (seen[1] - seen[0]);
            return (
              <span className="figure">
                side {signed(x, 2)} mid {signed(mid, 2)} {withUnit(number(100 * shareAt(plane, all, x, mid), 3), "%")}
              </span>
            );
          }}
        >
          {(plot) => <Picture plot={plot} url={url} />}
        </ChartFrame>
      </ChartPanel>
    </div>
  );
}

function Picture({ plot, url }: { plot: Plot; url: string }) {
  const [left, right] = [plot.x(-1), plot.x(1)];
  const half = (right - left) / 2;
  const [x, y] = [(left + right) / 2, plot.height / 2];
  return (
    <>
      {url && <image href={url} x={left} y={y - half} width={2 * half} height={2 * half} preserveAspectRatio="none" />}
      <path
        d={`M${x},${y - half}V${y + half}M${left},${y}H${right}M${left},${y - half}L${right},${y + half}M${left},${y + half}L${right},${y - half}`}
        stroke="var(--soft-ink)"
        strokeOpacity={0.5}
        fill="none"
      />
      <g className="fill-soft text-[11px]">
        <text x={x - half * 0.9} y={y - half * 0.82}>
          left
        </text>
        <text x={x + half * 0.9} y={y - half * 0.82} textAnchor="end">
          right
        </text>
      </g>
    </>
  );
}

const MIDDLE = (PLANE_CELLS - 1) / 2;

/** Share of all frames that stand where side and mid say. */
function shareAt({ counts }: Plane, all: number, side: number, mid: number): number {
  const [column, row] = [Math.round(MIDDLE * (1 + side)), Math.round(MIDDLE * (1 - mid))];
  if (column < 0 || row < 0 || column >= PLANE_CELLS || row >= PLANE_CELLS) return 0;
  return counts[row * PLANE_CELLS + column] / all;
}

const tableOf = ({ counts }: Plane, all: number) => ({
  columns: ["Cell", "Side", "Mid", "Share of frames, %"],
  rows: [...counts.entries()].flatMap(([i, count]) => {
    if (count === 0) return [];
    const [column, row] = [i % PLANE_CELLS, Math.floor(i / PLANE_CELLS)];
    return [
      [
        i,
        Number((column / MIDDLE - 1).toFixed(4)),
        Number((1 - row / MIDDLE).toFixed(4)),
        Number(((100 * count) / all).toFixed(5)),
      ],
    ];
  }),
});
