"use client";

import { frequencyWords, number, signed, withUnit } from "@/core/words/units";
import type { Span } from "@/ui/charts/chart-frame";
import { audible, frequencyMarks, shortHertz, useFrequencyAxis } from "@/ui/charts/frequency-axis";
import { type Curve, LinesChart, spanOf } from "@/ui/charts/lines-chart";

type Common = {
  name: string;
  label: string;
  sampleRateHz: number;
  hertz: ArrayLike<number>;
  curves: readonly Curve[];
  quantity: string;
  unit: string;
  note: string;
};

type AxisY = {
  levels: Span;
  formatY: (v: number, decimals: number) => string;
  readY: (v: number) => string;
  hasZero?: boolean;
};

/** Lines over frequency, by its logarithm or evenly. */
function FrequencyChart({ sampleRateHz, hertz, ...rest }: Common & AxisY) {
  const isLog = useFrequencyAxis((axis) => axis.isLog);
  return (
    <LinesChart
      {...rest}
      xs={hertz}
      xTitle="Frequency, Hz"
      whole={audible(sampleRateHz)}
      isLog={isLog}
      hasFrequency
      ticksX={isLog ? frequencyMarks : undefined}
      formatX={shortHertz}
      readX={frequencyWords}
    />
  );
}

type CurvesProps = Common & {
  /** Decimals under the cursor. */
  decimals: number;
  /** No less than this to either side of nought is in sight. */
  least: number;
};

/** Lines over frequency, about nought. */
export function CurvesChart({ decimals, least, ...rest }: CurvesProps) {
  return (
    <FrequencyChart
      {...rest}
      formatY={signed}
      readY={(v) => withUnit(signed(v, decimals), rest.unit)}
      levels={spanOf(
        rest.curves.flatMap(({ values }) => Array.from(values)),
        [-least, least],
      )}
      hasZero
    />
  );
}

/** So far under the highest is in sight, dB. */
const DEPTH_DB = 120;

/** Levels over frequency, from the highest down. */
export function LevelsChart(props: Common) {
  const known = props.curves.flatMap(({ values }) => Array.from(values).filter(Number.isFinite));
  const [low, top] = [Math.min(...known), Math.max(...known)];
  const high = known.length > 0 ? Math.ceil((top + 1) / 6) * 6 : 0;
  const bottom = known.length > 0 ? Math.floor((low - 1) / 6) * 6 : -DEPTH_DB;
  return (
    <FrequencyChart
      {...props}
      formatY={number}
      readY={(v) => withUnit(number(v), props.unit)}
      levels={[Math.max(high - DEPTH_DB, Math.min(high - 12, bottom)), high]}
    />
  );
}
