"use client";

import { useCallback, useRef } from "react";
import type { Plot } from "@/ui/charts/chart-frame";
import { useEachFrame } from "@/ui/charts/each-frame";
import { player } from "./monitor";

/** Where the playhead stands in a chart over seconds. */
export function PlayheadLine({ plot: { x, width, height }, sampleRateHz }: { plot: Plot; sampleRateHz: number }) {
  const line = useRef<SVGLineElement>(null);
  const draw = useCallback(() => {
    const at = x(player.positionFrames() / sampleRateHz);
    const shown = at >= 0 && at <= width ? at.toFixed(1) : "-9";
    // What stands still is not drawn again.
    if (line.current && line.current.getAttribute("x1") !== shown) {
      line.current.setAttribute("x1", shown);
      line.current.setAttribute("x2", shown);
    }
  }, [x, width, sampleRateHz]);
  useEachFrame(player, draw);
  return (
    <line ref={line} data-testid="chart-playhead" y2={height} stroke="var(--color-base-content)" pointerEvents="none" />
  );
}
