import { useMemo } from "react";
import type { Overview } from "@/core/audio/overview";
import { magnitudePath, magnitudes, thinned } from "./waveform-path";

const WIDTH = 160;
const HEIGHT = 32;
const COLUMNS = 160;

/** The highest magnitude of an overview, re full scale; 0 of silence. */
export const peakOf = (overview: Overview): number => magnitudes(overview).reduce((a, b) => Math.max(a, b), 0);

/** A small waveform of one render: its peaks above the line, paler below. `full` (re full scale) fills the height. */
export function MiniWaveform({
  overview,
  colour,
  height,
  full = 1,
}: {
  overview: Overview;
  colour: string;
  /** Classes that give its height. */
  height: string;
  full?: number;
}) {
  const paths = useMemo(() => {
    const columns = thinned(magnitudes(overview), COLUMNS);
    const middle = HEIGHT / 2;
    return [magnitudePath(columns, WIDTH, middle, 0, full), magnitudePath(columns, WIDTH, middle, HEIGHT, full)];
  }, [overview, full]);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      className={`w-full ${height}`}
      aria-hidden="true"
    >
      <path d={paths[0]} fill={colour} opacity={0.85} />
      <path d={paths[1]} fill={colour} opacity={0.45} />
      <line
        x1={0}
        x2={WIDTH}
        y1={HEIGHT / 2}
        y2={HEIGHT / 2}
        stroke={colour}
        strokeWidth={1}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}
