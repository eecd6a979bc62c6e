"use client";

import { useMemo, useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { type OnsetReading, readOnset } from "@/core/dynamics/onset-shape";
import { SEGMENT_POINTS } from "@/core/spectrum/averaged";
import type { Region } from "@/store/records";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { clock, number, plural, signed, withUnit } from "@/ui/format";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { renderSource, useOnsetShapes } from "./sources";
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
export function OverTimeView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("waveforms");
  const [channels, setChannels] = useState<ChannelView>("both");
  const [hasDifference, setDifference] = useState(true);
  const [of, setOf] = useState<Of>("difference");
  const [points, setPoints] = useState<number>(4096);
  const [depthDb, setDepth] = useState<number>(90);
  const [rangeDb, setRange] = useState<number>(12);
  const gains = useGains(pair);
  const hasDry = hasDryBeside(pair);
  // A line can be one channel only; samples of two would lie over each other.
  const lined = channels === "both" ? "mid" : channels;
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "waveforms", title: "Waveforms", hint: "Over each other, down to the sample" },
        { value: "spectrogram", title: "Spectrogram", hint: "Level over time and frequency" },
        { value: "onsets", title: "Onsets", hint: "What comes before, and how late their energy comes" },
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
                Difference
              </label>
            </>
          )}
          {shown === "spectrogram" && (
            <>
              <QuickSelect
                label="Of what"
                value={of}
                onChange={setOf}
                options={[
                  { value: "difference", title: "Yonder over Here" },
                  { value: "here", title: "Here" },
                  { value: "yonder", title: "Yonder" },
                  ...(hasDry ? [{ value: "dry" as const, title: "Dry" }] : []),
                ]}
              />
              <QuickSelect label="Channels" value={channels} onChange={setChannels} options={CHANNELS} />
              <QuickSelect
                label="Points of a segment"
                value={points}
                onChange={setPoints}
                options={POINTS.map((value) => ({ value, title: `${value / 1024}k points` }))}
              />
              {of === "difference" ? (
                <QuickSelect
                  label="Full colour at"
                  value={rangeDb}
                  onChange={setRange}
                  options={RANGES.map((value) => ({ value: value as number, title: withUnit(`±${value}`, "dB") }))}
                />
              ) : (
                <QuickSelect
                  label="Depth"
                  value={depthDb}
                  onChange={setDepth}
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
      {shown === "onsets" && <Onsets pair={pair} region={region} />}
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

function Onsets({ pair, region }: { pair: Pair; region: Region }) {
  const gainOf = useGainOf(pair);
  const hasDry = hasDryBeside(pair);
  const renders = hasDry ? [pair.dry, pair.here, pair.yonder] : [pair.here, pair.yonder];
  const { shapes, problem } = useOnsetShapes(renders, pair, region);
  const [chosen, setOnly] = useState<number | null>(null);
  const only = chosen !== null && shapes && chosen < shapes.frames.length ? chosen : null;
  const readings = useMemo(
    () => (shapes ? shapes.powers.map((_, s) => readOnset(shapes, s, only)) : []),
    [shapes, only],
  );
  if (problem || !shapes) return <Instead>{problem ?? "Looking for onsets…"}</Instead>;
  if (shapes.frames.length === 0 || readings.some((r) => r === null))
    return (
      <Instead>
        Nothing sets in clearly here: no moment rises 8 dB within 10 ms. Choose a passage or a loop with attacks.
      </Instead>
    );
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
          label="Which onsets"
          value={only === null ? "all" : String(only)}
          onChange={(value) => setOnly(value === "all" ? null : Number(value))}
          options={[
            { value: "all", title: `${plural(shapes.frames.length, "onset")}, averaged` },
            ...shapes.frames.map((frame, n) => ({
              value: String(n),
              title: `At ${clock(frame / shapes.sampleRateHz)}`,
            })),
          ]}
        />
        <span className="min-w-0 flex-1 text-[13px] text-soft" data-testid="onset-sentence">
          {onsetSentence(here, yonder)}
        </span>
      </div>
      <LinesChart
        name={`${pair.passage.title} onsets`}
        label="Level around onsets"
        xs={xs}
        xTitle="ms"
        whole={[xs[0], xs[xs.length - 1]]}
        formatX={(ms) => withUnit(number(ms, 0), "ms")}
        readX={(ms) => withUnit(signed(ms, 2), "ms")}
        curves={curves}
        levels={[-90, 6]}
        formatY={number}
        readY={(db) => withUnit(number(db), "dB")}
        unit="dB"
        note={notesOf(lines, readings)}
      />
    </>
  );
}

/** Differences under this are none to speak of: dB, ms. */
const SPOKEN_DB = 1;
const SPOKEN_MS = 0.2;

/** What Yonder does to onsets against Here. */
export function onsetSentence(here: OnsetReading | null | undefined, yonder: OnsetReading | null | undefined): string {
  if (!here || !yonder) return "";
  const parts: string[] = [];
  if (here.beforeDb !== null && yonder.beforeDb !== null) {
    const apart = yonder.beforeDb - here.beforeDb;
    if (Math.abs(apart) >= SPOKEN_DB)
      parts.push(`${withUnit(number(Math.abs(apart)), "dB")} ${apart > 0 ? "more" : "less"} before them`);
  } else if (here.beforeDb === null && yonder.beforeDb !== null)
    parts.push("something before them, where Here is silent");
  else if (yonder.beforeDb === null && here.beforeDb !== null) parts.push("silence before them, where Here is not");
  const late = here.halfMs !== null && yonder.halfMs !== null ? yonder.halfMs - here.halfMs : 0;
  if (Math.abs(late) >= SPOKEN_MS)
    parts.push(`half of their energy ${withUnit(number(Math.abs(late)), "ms")} ${late > 0 ? "later" : "earlier"}`);
  return parts.length > 0 ? `Yonder's onsets have ${parts.join(" and ")}.` : "Both set in alike.";
}

function notesOf(lines: readonly { title: string }[], readings: readonly (OnsetReading | null)[]) {
  const list = (of: (r: OnsetReading | null) => string) =>
    readings.map((r, s) => `${lines[s].title} ${of(r)}`).join(", ");
  const before = list((r) => (r?.beforeDb === null ? "silence" : number(r?.beforeDb)));
  return (
    <span
      className="figure whitespace-nowrap text-[11px]"
      title="Energy in the 20 ms before over that in the 20 ms after; when half of that has come"
    >
      Before: {withUnit(before, "dB")}; half:{" "}
      {withUnit(
        list((r) => number(r?.halfMs)),
        "ms",
      )}
    </span>
  );
}
