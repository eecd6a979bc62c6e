"use client";

import { useMemo } from "react";
import { type Cells, secondsOf } from "@/core/dynamics/cells";
import { axisClock, clock, number, signed, withUnit } from "@/core/words/units";
import type { Span } from "@/ui/charts/chart-frame";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { PlayheadLine } from "@/ui/shell/playhead-line";
import type { Pair } from "@/ui/shell/workbench";

/** Middles of cells in seconds of the passage. */
const timesOf = (cells: Cells): Float64Array =>
  Float64Array.from(
    { length: cells.left.length },
    (_, i) => cells.startFrame / cells.sampleRateHz + (i + 0.5) * secondsOf(cells),
  );

/** Lines over the cells of a passage. */
export function TimeChart({
  pair,
  what,
  label,
  cells,
  curves,
  levels,
  isSigned,
  note,
  hasZero,
  quantity,
  unit = isSigned ? "dB" : "dBFS",
}: {
  pair: Pair;
  what: string;
  label: string;
  cells: Cells;
  curves: readonly Curve[];
  levels: Span;
  isSigned: boolean;
  note: string;
  hasZero?: boolean;
  quantity: string;
  unit?: string;
}) {
  const xs = useMemo(() => timesOf(cells), [cells]);
  const say = (db: number, decimals: number) => (isSigned ? signed(db, decimals) : number(db, decimals));
  return (
    <LinesChart
      name={`${pair.passage.title} ${what}`}
      label={label}
      xs={xs}
      xTitle="Time, s"
      axisTitle="Time, min:s"
      whole={[xs[0], xs[xs.length - 1]]}
      formatX={axisClock}
      readX={clock}
      curves={curves}
      levels={levels}
      formatY={say}
      readY={(db) => withUnit(say(db, 2), unit)}
      quantity={quantity}
      unit={unit}
      note={note}
      hasZero={hasZero}
      over={(plot) => <PlayheadLine plot={plot} sampleRateHz={cells.sampleRateHz} />}
    />
  );
}
