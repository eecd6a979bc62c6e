"use client";

import { useEffect, useRef, useState } from "react";
import { liveFigures } from "@/core/loudness/live";
import { MISSING } from "@/core/words/missing";
import { decibels, frequencyWords, NO_FIGURE, number, withUnit } from "@/core/words/units";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { spectrumColumns, spectrumPath } from "@/ui/charts/live-spectrum";
import { Figure } from "@/ui/shell/figure";
import { player, useMonitor } from "@/ui/shell/monitor";
import { WhatIs } from "@/ui/shell/what-is";

const LOWEST_HZ = 20;
const HIGHEST_HZ = 20_000;
const WHOLE: Span = [Math.log10(LOWEST_HZ), Math.log10(HIGHEST_HZ)];
const LEVELS: Span = [-100, 0];
const TICKS = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000].map((hertz) => Math.log10(hertz));
const FRAME_MS = 50;
const FIGURES_MS = 200;

const shortHertz = (x: number): string => {
  const hertz = Math.round(10 ** x);
  return hertz < 1000 ? String(hertz) : `${hertz / 1000}k`;
};

/** What is heard, while it plays: measured beside the path, never in it. */
export function LivePanel({ sampleRateHz }: { sampleRateHz: number }) {
  const heard = useMonitor((m) => m.heard);
  const [view, setView] = useState<Span>(WHOLE);
  const colour =
    heard === "here"
      ? "var(--here)"
      : heard === "yonder"
        ? "var(--yonder)"
        : heard === "difference"
          ? "var(--difference)"
          : "var(--color-base-content)";
  const ghost = heard === "here" ? "Yonder" : "Here";
  return (
    <section aria-label="Live" className="grid min-w-0 content-start gap-1.5">
      <LiveFigures sampleRateHz={sampleRateHz} />
      <div className="h-[clamp(11rem,60vh-19rem,34rem)]" data-testid="live-spectrum">
        <ChartFrame
          label="Spectrum of playback"
          whole={WHOLE}
          view={view}
          onView={(next) => setView(next ?? WHOLE)}
          levels={LEVELS}
          ticksX={TICKS}
          titleX="Frequency, Hz"
          titleY="Level, dBFS"
          formatX={shortHertz}
          formatY={number}
          readout={(x) => frequencyWords(10 ** x)}
        >
          {(plot) => <Spectra plot={plot} view={view} colour={colour} dashedGhost={ghost === "Yonder"} />}
        </ChartFrame>
      </div>
      <p className="text-[11px] text-soft">
        <WhatIs figure="liveSpectrum">L + R</WhatIs>, dBFS, through the lens. Behind it:{" "}
        {ghost === "Yonder" ? "dashed" : "solid"} and faint: {ghost}.
      </p>
    </section>
  );
}

function LiveFigures({ sampleRateHz }: { sampleRateHz: number }) {
  const [figures, setFigures] = useState<ReturnType<typeof liveFigures> | null>(null);
  useEffect(() => {
    const timer = setInterval(() => {
      const { blocks } = player.live;
      setFigures(blocks.length > 0 ? liveFigures(blocks, sampleRateHz) : null);
    }, FIGURES_MS);
    return () => clearInterval(timer);
  }, [sampleRateHz]);
  const correlation = figures?.correlation ?? null;
  return (
    <dl className="flex flex-wrap items-baseline justify-between gap-x-3 whitespace-nowrap text-[13px]">
      <div className="flex items-baseline gap-2">
        <dt className="text-soft">
          <WhatIs figure="liveLoudness">Short-term</WhatIs>
        </dt>
        <dd className="figure text-[18px]" data-figure="live-loudness">
          <Figure text={figures ? decibels(figures.shortTermLufs, "LUFS") : NO_FIGURE} why={MISSING.nothingPlayed} />
        </dd>
        {figures && figures.seconds < 2.95 && (
          <dd className="text-[11px] text-soft">of {withUnit(number(figures.seconds, 1), "s")}</dd>
        )}
      </div>
      <div className="flex items-baseline gap-2">
        <dt className="text-soft">
          <WhatIs figure="liveCorrelation">Correlation</WhatIs>
        </dt>
        <dd className="figure" data-figure="live-correlation">
          {number(correlation, 2)}
        </dd>
        <dd className="relative h-2 w-16 self-center border-faint border-x bg-base-100" aria-hidden="true">
          <span className="absolute inset-y-0 left-1/2 border-soft border-l" />
          {correlation !== null && (
            <span
              className="absolute inset-y-0 w-1 -translate-x-1/2 bg-base-content"
              style={{ left: `${50 + 50 * correlation}%` }}
            />
          )}
        </dd>
      </div>
    </dl>
  );
}

/** Two lines that follow the analysers, drawn past React. */
function Spectra(props: { plot: Plot; view: Span; colour: string; dashedGhost: boolean }) {
  const { plot, view, colour, dashedGhost } = props;
  const front = useRef<SVGPathElement>(null);
  const back = useRef<SVGPathElement>(null);
  const latest = useRef({ plot, view });
  latest.current = { plot, view };
  useEffect(() => {
    const room = new Map<SVGPathElement, Float32Array<ArrayBuffer>>();
    const draw = (analyser: AnalyserNode | null, path: SVGPathElement | null) => {
      if (!path) return;
      if (!analyser) return path.setAttribute("d", "");
      const bins = analyser.frequencyBinCount;
      let data = room.get(path);
      if (!data || data.length !== bins) {
        data = new Float32Array(bins);
        room.set(path, data);
      }
      analyser.getFloatFrequencyData(data);
      const { plot: now, view: seen } = latest.current;
      const columns = spectrumColumns(data, analyser.context.sampleRate, seen, Math.floor(now.width / 2));
      const line = spectrumPath(columns, now, LEVELS[0]);
      path.setAttribute("d", path === back.current && line ? `${line}V${now.y(LEVELS[0])}H0Z` : line);
    };
    const timer = setInterval(() => {
      if (!player.state.getState().playing) return;
      const { heard, behind } = player.live;
      draw(heard, front.current);
      draw(behind, back.current);
    }, FRAME_MS);
    return () => clearInterval(timer);
  }, []);
  return (
    <>
      <path
        ref={back}
        fill={dashedGhost ? "var(--yonder)" : "var(--here)"}
        fillOpacity={0.1}
        stroke={dashedGhost ? "var(--yonder)" : "var(--here)"}
        strokeOpacity={0.45}
        strokeDasharray={dashedGhost ? "4 3" : undefined}
      />
      <path ref={front} fill="none" stroke={colour} strokeWidth={1.5} />
    </>
  );
}
