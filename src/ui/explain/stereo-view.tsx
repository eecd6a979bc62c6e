"use client";

import { useMemo, useState } from "react";
import { stereoOverTime } from "@/core/dynamics/over-time";
import { bandCentres } from "@/core/spectrum/bands";
import { type StereoBands, stereoBands } from "@/core/stereo/bands";
import { stereoSentence } from "@/core/words/explain-views";
import type { FigureKey } from "@/core/words/figures";
import type { Region } from "@/store/records";
import { audible } from "@/ui/charts/frequency-axis";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import { type Curve, spanOf } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, ReadOver, View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { PlaneChart } from "./plane-chart";
import { renderSource, useReadings } from "./sources";
import { TimeChart } from "./time-chart";
import { useSpectra } from "./use-explained";

type Shown = "bands" | "time" | "picture";
type Figure = keyof StereoBands;

const POINTS = 8192;
const PER_OCTAVE = 6;
const TIMES = [0.1, 0.4, 3] as const;

type Look = { title: string; about: FigureKey; note: string; unit: string; least: number; decimals: number };

const FIGURES: Record<Figure, Look> = {
  widthDb: { title: "Width", about: "width", note: "Side re mid", unit: "dB", least: 3, decimals: 1 },
  correlation: {
    about: "correlation",
    title: "Correlation",
    note: "+1 identical channels, 0 unrelated, −1 inverted",
    unit: "",
    least: 0.2,
    decimals: 2,
  },
  balanceDb: { title: "Balance", about: "channelBalance", note: "Right re left", unit: "dB", least: 1, decimals: 1 },
  monoLossDb: {
    about: "monoLoss",
    title: "Loss in mono",
    note: "Level change in mono: 0 dB identical channels, −3 dB unrelated",
    unit: "dB",
    least: 1,
    decimals: 1,
  },
};

/** How wide Here and Yonder are: band by band, over time, and as a picture. */
export function StereoView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("bands");
  const [figure, setFigure] = useState<Figure>("widthDb");
  const [seconds, setSeconds] = useState<number>(0.4);
  const isMono = pair.here.channelCount < 2 && pair.yonder.channelCount < 2;
  const bands = useBands(pair, region);
  return (
    <View
      shown={shown}
      onShown={setShown}
      figure={shown === "picture" ? "stereoPicture" : FIGURES[figure].about}
      options={[
        { value: "bands", title: "Per band", figure: "width" },
        { value: "time", title: "Over time", figure: "width" },
        { value: "picture", title: "Picture", figure: "stereoPicture", hint: "Density of samples by side and mid" },
      ]}
      testId="stereo-sentence"
      sentence={
        isMono
          ? "Both are mono: no width to measure."
          : (bands.problem ?? (bands.data ? stereoSentence(bands.data) : "Measuring width…"))
      }
      choices={
        <>
          {shown !== "picture" && (
            <QuickSelect
              label={LABELS.figure}
              value={figure}
              onChange={setFigure}
              options={(Object.keys(FIGURES) as Figure[]).map((value) => ({ value, title: FIGURES[value].title }))}
            />
          )}
          {shown === "time" && <ReadOver seconds={seconds} times={TIMES} onChange={setSeconds} />}
        </>
      }
    >
      {!isMono && shown === "bands" && bands.data && (
        <CurvesChart
          key={figure}
          name={`${pair.passage.title} ${FIGURES[figure].title.toLowerCase()}`}
          label={`${FIGURES[figure].title} vs frequency`}
          sampleRateHz={pair.dry.sampleRateHz}
          hertz={bands.data.hertz}
          curves={[
            { ...LINES.here, values: bands.data.here[figure] },
            { ...LINES.yonder, values: bands.data.yonder[figure] },
          ]}
          quantity={FIGURES[figure].title}
          unit={FIGURES[figure].unit}
          decimals={FIGURES[figure].decimals}
          least={FIGURES[figure].least}
          note={FIGURES[figure].note}
        />
      )}
      {!isMono && shown === "time" && <OverTime pair={pair} region={region} figure={figure} seconds={seconds} />}
      {!isMono && shown === "picture" && <Picture pair={pair} region={region} />}
    </View>
  );
}

type Bands = { hertz: number[]; here: StereoBands; yonder: StereoBands };

function useBands(pair: Pair, region: Region): { data: Bands | null; problem: string | null } {
  const renders = [pair.here, pair.yonder];
  const left = useSpectra(renders, pair.dry, region, POINTS, "left");
  const right = useSpectra(renders, pair.dry, region, POINTS, "right");
  const mid = useSpectra(renders, pair.dry, region, POINTS, "mid");
  const side = useSpectra(renders, pair.dry, region, POINTS, "side");
  const data = useMemo(() => {
    if (!left.data || !right.data || !mid.data || !side.data) return null;
    const [low, high] = audible(left.data.sampleRateHz);
    const hertz = bandCentres(PER_OCTAVE, low, high);
    const spectra = { left: left.data, right: right.data, mid: mid.data, side: side.data };
    return {
      hertz,
      here: stereoBands(spectra, 0, hertz, PER_OCTAVE),
      yonder: stereoBands(spectra, 1, hertz, PER_OCTAVE),
    };
  }, [left.data, right.data, mid.data, side.data]);
  return { data, problem: left.problem ?? right.problem ?? mid.problem ?? side.problem };
}

function OverTime({ pair, region, figure, seconds }: { pair: Pair; region: Region; figure: Figure; seconds: number }) {
  const { data, problem } = useReadings("cells", [renderSource(pair.here), renderSource(pair.yonder)], pair, region);
  const [here, yonder] = data;
  const curves = useMemo((): Curve[] => {
    if (!here || !yonder) return [];
    const [a, b] = [stereoOverTime(here, seconds), stereoOverTime(yonder, seconds)];
    return [
      ...(a ? [{ ...LINES.here, values: a[figure] }] : []),
      ...(b ? [{ ...LINES.yonder, values: b[figure] }] : []),
    ];
  }, [here, yonder, figure, seconds]);
  if (!here || !yonder) return <Instead>{problem ?? "Measuring width over time…"}</Instead>;
  const { title, least, note } = FIGURES[figure];
  return (
    <TimeChart
      key={figure}
      pair={pair}
      what={`${title.toLowerCase()} over time`}
      label={`${title} over time`}
      cells={here}
      curves={curves}
      levels={
        figure === "correlation"
          ? [-1.05, 1.05]
          : spanOf(
              curves.flatMap(({ values }) => Array.from(values)),
              [-least, least],
            )
      }
      quantity={FIGURES[figure].title}
      unit={FIGURES[figure].unit}
      isSigned
      hasZero
      note={note}
    />
  );
}

function Picture({ pair, region }: { pair: Pair; region: Region }) {
  const { data, problem } = useReadings("plane", [renderSource(pair.here), renderSource(pair.yonder)], pair, region);
  if (data.some((plane) => plane === null)) return <Instead>{problem ?? "Reading the stereo picture…"}</Instead>;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-4">
      {(["here", "yonder"] as const).map((side, i) => {
        const plane = data[i];
        return (
          plane && (
            <PlaneChart key={side} side={side} plane={plane} name={`${pair.passage.title} ${side} stereo picture`} />
          )
        );
      })}
    </div>
  );
}
