"use client";

import { useMemo, useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { readTransient, type TransientReading } from "@/core/dynamics/transient-shape";
import { SEGMENT_POINTS } from "@/core/spectrum/averaged";
import { transientSentence } from "@/core/words/explain-views";
import { clock, number, plural, signed, withUnit } from "@/core/words/units";
import type { Region } from "@/store/records";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { renderSource, useTransientShapes } from "./sources";
import { type Drawn, SpectrogramChart } from "./spectrogram-chart";
import { CHANNELS } from "./styles";
import { hasDryBeside, useGainOf, useGains } from "./use-explained";
import { WaveformChart } from "./waveform-chart";

type Shown = "waveforms" | "spectrogram" | "onsets";
type Of = "difference" | "here" | "yonder" | "dry";

/** Lengths of segments that are of use over time. */
const POINTS = SEGMENT_POINTS.filter((points) => points <= 16_384);
const DEPTHS = [60, 90, 120] as const;
const RANGES = [3, 6, 12, 24] as const;

/** Here and Yonder over each other, what each holds over time and frequency, and how they set in. */
export function WaveformsView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("waveforms");
  const [channels, setChannels] = useState<ChannelView>("both");
  const [hasDifference, setDifference] = useState(true);
  const [of, setOf] = useState<Of>("difference");
  const [points, setPoints] = useState<number>(4096);
  const [depthDb, setDepthDb] = useState<number>(90);
  const [rangeDb, setRangeDb] = useState<number>(12);
  const gains = useGains(pair);
  const hasDry = hasDryBeside(pair);
  // A line can be one channel only; samples of two would lie over each other.
  const lined = channels === "both" ? "mid" : channels;
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "waveforms", title: "Waveforms", figure: "waveform", hint: "Overlaid, down to the sample" },
        { value: "spectrogram", title: "Spectrogram", figure: "spectrogram", hint: "Level over time and frequency" },
        {
          value: "onsets",
          title: LABELS.transients,
          figure: "transients",
          hint: "Energy before transients, and when it arrives",
        },
      ]}
      choices={
        <>
          {shown === "waveforms" && (
            <>
              <QuickSelect
                label="Channel"
                value={lined}
                onChange={setChannels}
                options={CHANNELS.filter(({ value }) => value !== "both")}
              />
              <label className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={hasDifference}
                  onChange={(event) => setDifference(event.target.checked)}
                />
                {LABELS.difference}
              </label>
            </>
          )}
          {shown === "spectrogram" && (
            <>
              <QuickSelect
                label={LABELS.show}
                value={of}
                onChange={setOf}
                options={[
                  { value: "difference", title: LABELS.yonderReHere },
                  { value: "here", title: LABELS.here },
                  { value: "yonder", title: LABELS.yonder },
                  ...(hasDry ? [{ value: "dry" as const, title: LABELS.dry }] : []),
                ]}
              />
              <QuickSelect label={LABELS.channels} value={channels} onChange={setChannels} options={CHANNELS} />
              <QuickSelect
                label="FFT size"
                value={points}
                onChange={setPoints}
                options={POINTS.map((value) => ({ value, title: `${value / 1024}k points` }))}
              />
              {of === "difference" ? (
                <QuickSelect
                  label="Colour range"
                  value={rangeDb}
                  onChange={setRangeDb}
                  options={RANGES.map((value) => ({ value: value as number, title: withUnit(`±${value}`, "dB") }))}
                />
              ) : (
                <QuickSelect
                  label="Range"
                  value={depthDb}
                  onChange={setDepthDb}
                  options={DEPTHS.map((value) => ({ value: value as number, title: withUnit(`${value} dB`, "deep") }))}
                />
              )}
            </>
          )}
        </>
      }
    >
      {shown === "waveforms" && (
        <WaveformChart
          pair={pair}
          region={region}
          channels={lined}
          gains={{ here: amplitudeFromDb(gains.here), yonder: amplitudeFromDb(gains.yonder) }}
          apartDb={gains.here - gains.yonder}
          hasDifference={hasDifference}
        />
      )}
      {shown === "spectrogram" && (
        <SpectrogramChart
          name={`${pair.passage.title} spectrogram`}
          pair={pair}
          region={region}
          drawn={drawnOf(of, pair, gains)}
          channels={channels}
          points={points}
          depthDb={of === "difference" ? rangeDb : depthDb}
        />
      )}
      {shown === "onsets" && <Transients pair={pair} region={region} />}
    </View>
  );
}

function drawnOf(of: Of, pair: Pair, gains: { here: number; yonder: number }): Drawn {
  if (of === "difference")
    return {
      of: "two",
      first: renderSource(pair.here),
      second: renderSource(pair.yonder),
      gainsDb: [gains.here, gains.yonder],
    };
  if (of === "dry")
    return { of: "one", source: renderSource(pair.dry), gainDb: 0, colour: "ink", title: "the dry render" };
  const title = of === "here" ? "Here" : "Yonder";
  return { of: "one", source: renderSource(pair[of]), gainDb: gains[of], colour: of, title };
}

function Transients({ pair, region }: { pair: Pair; region: Region }) {
  const gainOf = useGainOf(pair);
  const hasDry = hasDryBeside(pair);
  const renders = hasDry ? [pair.dry, pair.here, pair.yonder] : [pair.here, pair.yonder];
  const { shapes, problem } = useTransientShapes(renders, pair, region);
  const [chosen, setOnly] = useState<number | null>(null);
  const only = chosen !== null && shapes && chosen < shapes.frames.length ? chosen : null;
  const readings = useMemo(
    () => (shapes ? shapes.powers.map((_, s) => readTransient(shapes, s, only)) : []),
    [shapes, only],
  );
  if (problem || !shapes) return <Instead>{problem ?? "Finding transients…"}</Instead>;
  if (shapes.frames.length === 0 || readings.some((r) => r === null))
    return <Instead>No transient here rises 8 dB within 10 ms. Choose a passage or loop with attacks.</Instead>;
  const xs = Float64Array.from({ length: shapes.cells }, (_, i) => 1000 * (i - shapes.leadCells) * shapes.cellSeconds);
  const lines = hasDry ? [LINES.dry, LINES.here, LINES.yonder] : [LINES.here, LINES.yonder];
  const curves = readings.flatMap((reading, s): Curve[] =>
    reading ? [{ ...lines[s], values: reading.levelDb.map((v) => v + gainOf(renders[s].id)) }] : [],
  );
  const [here, yonder] = readings.slice(-2);
  return (
    <>
      <div className="flex items-center gap-3 text-[12px]">
        <QuickSelect
          label={LABELS.whichTransient}
          value={only === null ? "all" : String(only)}
          onChange={(value) => setOnly(value === "all" ? null : Number(value))}
          options={[
            { value: "all", title: `${plural(shapes.frames.length, "transient")}, averaged` },
            ...shapes.frames.map((frame, n) => ({
              value: String(n),
              title: `At ${clock(frame / shapes.sampleRateHz)}`,
            })),
          ]}
        />
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="onset-sentence">
          {transientSentence(here, yonder)}
        </span>
      </div>
      <LinesChart
        name={`${pair.passage.title} transients`}
        label="Level around transients"
        xs={xs}
        xTitle="Time from transient, ms"
        whole={[xs[0], xs[xs.length - 1]]}
        formatX={(ms) => withUnit(number(ms, 0), "ms")}
        readX={(ms) => withUnit(signed(ms, 2), "ms")}
        curves={curves}
        levels={[-90, 6]}
        formatY={number}
        readY={(db) => withUnit(number(db), "dB")}
        quantity="Level"
        unit="dB"
        note={notesOf(lines, readings)}
      />
    </>
  );
}

function notesOf(lines: readonly { title: string }[], readings: readonly (TransientReading | null)[]) {
  const list = (of: (r: TransientReading | null) => string) =>
    readings.map((r, s) => `${lines[s].title} ${of(r)}`).join(", ");
  const before = list((r) => (r?.beforeDb === null ? "silence" : number(r?.beforeDb)));
  return (
    <span
      className="figure whitespace-nowrap text-[11px]"
      title="Energy 20 ms before re 20 ms after; time of half the energy"
    >
      Before: {withUnit(before, "dB")}; half after:{" "}
      {withUnit(
        list((r) => number(r?.halfMs)),
        "ms",
      )}
    </span>
  );
}
