"use client";

import { line } from "d3-shape";
import { useMemo, useState } from "react";
import type { FoundFilter } from "@/core/ladder/found";
import type { Ladder } from "@/core/ladder/ladder-report";
import type { PhaseReading } from "@/core/spectrum/phase-kind";
import { phaseOf } from "@/core/spectrum/phase-of";
import { type Ringing, ringingOf, tapsOf } from "@/core/spectrum/ringing";
import type { Region } from "@/store/records";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { audible, frequencyMarks, shortHertz } from "@/ui/charts/frequency-axis";
import { hertzText, number, signed, withUnit } from "@/ui/format";
import { QuickSelect } from "@/ui/shell/controls";
import { Choice } from "@/ui/shell/transport";
import type { Pair } from "@/ui/shell/workbench";
import { useSpectra } from "./use-explained";

type Shown = "phase" | "delay" | "impulse";

const POINTS = 16_384;
const INK = "var(--color-base-content)";
const SOFT = "var(--soft-ink)";

/** What Yonder does to the phase against Here (or either against dry), and what its impulse does in time. */
export function PhaseView({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
  const hasDry = pair.dry.id !== pair.here.id && pair.dry.id !== pair.yonder.id;
  const [shown, setShown] = useState<Shown>("phase");
  const [of, setOf] = useState<"pair" | "here" | "yonder">("pair");
  const which = hasDry ? of : "pair";
  const renders = which === "pair" ? [pair.here, pair.yonder] : [pair.dry, which === "here" ? pair.here : pair.yonder];
  const { data, problem } = useSpectra(renders, pair.dry, region, POINTS, "both");
  const reading = useMemo(() => (data && data.powers.length === 2 ? phaseOf(data) : null), [data]);
  const filter =
    which === "pair" && ladder?.found && ladder.found.tone.responses[0][0].length > 1 ? ladder.found.tone : null;
  const ringing = useMemo(
    () => (reading && data ? ringingFor(filter, reading.response, data.sampleRateHz) : null),
    [reading, data, filter],
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-[12px]">
        <Choice
          label="Shown"
          value={shown}
          onChange={setShown}
          options={[
            { value: "phase", title: "Phase" },
            { value: "delay", title: "Group delay" },
            { value: "impulse", title: "Impulse" },
          ]}
        />
        {hasDry && (
          <QuickSelect
            label="Of what"
            value={of}
            onChange={setOf}
            options={[
              { value: "pair", title: "Yonder against Here" },
              { value: "here", title: "Here against dry" },
              { value: "yonder", title: "Yonder against dry" },
            ]}
          />
        )}
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="phase-sentence">
          {problem ?? (reading ? phaseSentence(reading) : "Reading the phase…")}
        </span>
      </div>
      {shown === "impulse"
        ? ringing &&
          data && <Impulse pair={pair} ringing={ringing} rateHz={data.sampleRateHz} isFitted={filter !== null} />
        : reading && <OverFrequency pair={pair} reading={reading} shown={shown} />}
    </div>
  );
}

function ringingFor(filter: FoundFilter | null, response: Float64Array, rateHz: number): Ringing {
  if (filter) return ringingOf(filter.responses[0][0], filter.lead, rateHz);
  const { taps, lead } = tapsOf(response);
  return ringingOf(taps, lead, rateHz);
}

/** What kind of phase it is, in one sentence; refusing where the two go together too little to tell. */
export function phaseSentence({ kind, crossoversHz, delaySamples }: PhaseReading): string {
  const left =
    Math.abs(delaySamples) >= 0.01 ? ` A delay of ${withUnit(signed(delaySamples, 2), "smp")} was taken off.` : "";
  const where =
    crossoversHz.length > 0
      ? `, turning through half a turn at ${crossoversHz.slice(0, 4).map(hertzText).join(", ")}`
      : "";
  const words = {
    none: "Nothing is turned: no filter, or one too slight to tell.",
    minimum: "Minimum phase: it turns what its curve asks for and no more.",
    linear: "Linear phase: the curve changes and nothing is turned.",
    "all-pass": `An all-pass inside: the phase turns and the level stays${where}.`,
    mixed: `Mixed phase: more is turned than the curve asks for${where}.`,
    unknown: "The kind of phase cannot be told: the two go together in too little of the range.",
  }[kind];
  return `${words}${left}`;
}

function OverFrequency({ pair, reading, shown }: { pair: Pair; reading: PhaseReading; shown: "phase" | "delay" }) {
  const [view, setView] = useState<Span | null>(null);
  const whole = audible(pair.dry.sampleRateHz);
  const isPhase = shown === "phase";
  const curves = isPhase
    ? [
        { title: "Phase, delay taken off", values: reading.degrees, colour: INK, width: 2 },
        {
          title: "Minimum phase of the same curve",
          values: reading.minimumDegrees,
          colour: SOFT,
          width: 1.5,
          dash: "1 3",
        },
        { title: "Excess", values: reading.excessDegrees, colour: SOFT, width: 1.5, dash: "6 3" },
      ]
    : [{ title: "Group delay, delay taken off", values: reading.groupDelayMs, colour: INK, width: 2 }];
  const unit = isPhase ? "°" : "ms";
  const decimals = isPhase ? 1 : 3;
  const draw = (plot: Plot, values: Float64Array) =>
    line<number>()
      .defined((v) => Number.isFinite(v))
      .x((_, i) => plot.x(reading.hertz[i]))
      .y((v) => plot.y(v))(Array.from(values)) ?? "";
  return (
    <ChartPanel
      name={`${pair.passage.title} ${isPhase ? "phase" : "group delay"}`}
      legend={curves}
      note="Only where the two go together"
      table={() => ({
        columns: ["Hz", ...curves.map(({ title }) => `${title}, ${unit}`)],
        rows: Array.from(reading.hertz, (hertz, i) => [
          Number(hertz.toPrecision(6)),
          ...curves.map(({ values }) => (Number.isFinite(values[i]) ? Number(values[i].toFixed(4)) : null)),
        ]),
      })}
    >
      <ChartFrame
        label={isPhase ? "Phase over frequency" : "Group delay over frequency"}
        whole={whole}
        view={view ?? whole}
        onView={setView}
        isLog
        levels={spanOf(
          curves.flatMap(({ values }) => [...values]),
          isPhase ? 10 : 0.1,
        )}
        ticksX={frequencyMarks(view ?? whole)}
        formatX={shortHertz}
        formatY={(v) => signed(v, isPhase ? 0 : 2)}
        readout={(hertz) => {
          const i = reading.hertz.reduce(
            (best, hz, at) => (Math.abs(hz - hertz) < Math.abs(reading.hertz[best] - hertz) ? at : best),
            0,
          );
          return (
            <span className="figure">
              {hertzText(hertz)}{" "}
              {curves.map(({ title, values }) => (
                <span key={title}>
                  {" "}
                  {title} {withUnit(signed(values[i], decimals), unit)}
                </span>
              ))}
            </span>
          );
        }}
      >
        {(plot) => (
          <>
            <line x2={plot.width} y1={plot.y(0)} y2={plot.y(0)} stroke={SOFT} />
            {curves.map(({ title, values, colour, width, dash }) => (
              <path
                key={title}
                d={draw(plot, values)}
                fill="none"
                stroke={colour}
                strokeWidth={width}
                strokeDasharray={dash}
              />
            ))}
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

/** All values with a little room, and nought. */
function spanOf(values: readonly number[], least: number): Span {
  const known = values.filter(Number.isFinite);
  const [low, high] = [Math.min(-least, ...known), Math.max(least, ...known)];
  const room = 0.08 * (high - low);
  return [low - room, high + room];
}

/** Of an impulse, this much around its highest point is all there is to see at first. */
const SHOWN_MS = 60;

function Impulse({
  pair,
  ringing,
  rateHz,
  isFitted,
}: {
  pair: Pair;
  ringing: Ringing;
  rateHz: number;
  isFitted: boolean;
}) {
  const [view, setView] = useState<Span | null>(null);
  const msOf = (i: number) => (1000 * (ringing.fromSample + i)) / rateHz;
  const all: Span = [msOf(0), msOf(ringing.levelsDb.length - 1)];
  const whole: Span = [Math.max(all[0], -SHOWN_MS), Math.min(all[1], SHOWN_MS)];
  const path = (plot: Plot) => {
    // The highest of each pixel, for there may be hundreds of samples in one.
    const columns = new Float64Array(Math.ceil(plot.width)).fill(Number.NaN);
    for (const [i, level] of ringing.levelsDb.entries()) {
      const at = Math.round(plot.x(msOf(i)));
      if (at >= 0 && at < columns.length && !(level <= columns[at])) columns[at] = level;
    }
    return (
      line<[number, number]>()(
        [...columns.entries()].filter(([, v]) => !Number.isNaN(v)).map(([x, v]): [number, number] => [x, plot.y(v)]),
      ) ?? ""
    );
  };
  return (
    <ChartPanel
      name={`${pair.passage.title} impulse`}
      legend={[
        {
          title: isFitted ? "Impulse response of the filter the ladder found" : "Impulse response by averaged spectra",
          colour: INK,
        },
      ]}
      note={`Above ${withUnit(number(ringing.underDb, 0), "dB")}: ${withUnit(number(ringing.beforeMs, 1), "ms")} before, ${withUnit(number(ringing.afterMs, 1), "ms")} after`}
      table={() => ({
        columns: ["ms", "dB"],
        rows: Array.from(ringing.levelsDb, (level, i) => [Number(msOf(i).toFixed(4)), Number(level.toFixed(2))]),
      })}
    >
      <ChartFrame
        label="Impulse response"
        whole={whole}
        view={view ?? whole}
        onView={setView}
        levels={[-120, 0]}
        formatX={(ms) => withUnit(number(ms, Math.abs(ms) < 10 ? 1 : 0), "ms")}
        formatY={(db) => number(db, 0)}
        readout={(ms) => {
          const i = Math.round((ms * rateHz) / 1000 - ringing.fromSample);
          return (
            <span className="figure">
              {withUnit(number(ms, 2), "ms")} {withUnit(number(ringing.levelsDb[i]), "dB")}
            </span>
          );
        }}
      >
        {(plot) => <path d={path(plot)} fill="none" stroke={INK} strokeWidth={1.5} />}
      </ChartFrame>
    </ChartPanel>
  );
}
