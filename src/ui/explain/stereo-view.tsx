"use client";

import { useMemo, useState } from "react";
import { bandCentres } from "@/core/spectrum/bands";
import { type StereoBands, stereoBands } from "@/core/stereo/bands";
import type { Region } from "@/store/records";
import { audible } from "@/ui/charts/frequency-axis";
import { number, withUnit } from "@/ui/format";
import { Choice } from "@/ui/shell/transport";
import type { Pair } from "@/ui/shell/workbench";
import { CurvesChart } from "./curves-chart";
import { useSpectra } from "./use-explained";
import { View } from "./view";

type Shown = keyof StereoBands;

const POINTS = 8192;
const PER_OCTAVE = 6;

const SHOWN: Record<
  Shown,
  { title: string; hint: string; note: string; label: string; unit: string; least: number; decimals: number }
> = {
  widthDb: {
    title: "Width",
    hint: "Side over mid",
    note: "Side over mid",
    label: "Width over frequency",
    unit: "dB",
    least: 3,
    decimals: 1,
  },
  correlation: {
    title: "Correlation",
    hint: "1 where left and right are alike, 0 where they have nothing to do with each other, −1 where one is upside down",
    note: "1 alike, −1 upside down",
    label: "Correlation over frequency",
    unit: "",
    least: 0.2,
    decimals: 2,
  },
  balanceDb: {
    title: "Balance",
    hint: "Right over left",
    note: "Right over left",
    label: "Balance over frequency",
    unit: "dB",
    least: 1,
    decimals: 1,
  },
};

/** How wide Here and Yonder are, band by band. */
export function StereoView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("widthDb");
  const renders = [pair.here, pair.yonder];
  const left = useSpectra(renders, pair.dry, region, POINTS, "left");
  const right = useSpectra(renders, pair.dry, region, POINTS, "right");
  const mid = useSpectra(renders, pair.dry, region, POINTS, "mid");
  const side = useSpectra(renders, pair.dry, region, POINTS, "side");
  const problem = left.problem ?? right.problem ?? mid.problem ?? side.problem;
  const isMono = pair.here.channelCount < 2 && pair.yonder.channelCount < 2;
  const bands = useMemo(() => {
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
  const { label, unit, least, decimals } = SHOWN[shown];
  return (
    <View
      testId="stereo-sentence"
      sentence={
        problem ??
        (isMono ? "Both are mono: there is no width to tell." : bands ? stereoSentence(bands) : "Reading the width…")
      }
      choices={
        <Choice
          label="Shown"
          value={shown}
          onChange={setShown}
          options={(["widthDb", "correlation", "balanceDb"] as const).map((value) => ({
            value,
            title: SHOWN[value].title,
            hint: SHOWN[value].hint,
          }))}
        />
      }
    >
      {bands && !isMono && (
        <CurvesChart
          key={shown}
          name={`${pair.passage.title} ${SHOWN[shown].title.toLowerCase()}`}
          label={label}
          sampleRateHz={pair.dry.sampleRateHz}
          hertz={bands.hertz}
          curves={[
            { title: "Here", values: bands.here[shown], colour: "var(--here)", width: 2 },
            { title: "Yonder", values: bands.yonder[shown], colour: "var(--yonder)", width: 2, dash: "7 4" },
          ]}
          unit={unit}
          decimals={decimals}
          axisDecimals={decimals}
          least={least}
          note={SHOWN[shown].note}
        />
      )}
    </View>
  );
}

/** A change of width under this is none to speak of, dB. */
const SPOKEN_DB = 0.5;

/** Where Yonder is wider or narrower than Here by most. */
function stereoSentence({ hertz, here, yonder }: { hertz: number[]; here: StereoBands; yonder: StereoBands }): string {
  let most = -1;
  const apart = (i: number) => yonder.widthDb[i] - here.widthDb[i];
  for (let i = 0; i < hertz.length; i++)
    if (Number.isFinite(apart(i)) && (most < 0 || Math.abs(apart(i)) > Math.abs(apart(most)))) most = i;
  if (most < 0) return "One of the two has no width to tell.";
  if (Math.abs(apart(most)) < SPOKEN_DB) return "Both are as wide as each other.";
  const at = hertz[most] >= 1000 ? withUnit(number(hertz[most] / 1000), "kHz") : withUnit(number(hertz[most], 0), "Hz");
  return `Yonder is ${apart(most) > 0 ? "wider" : "narrower"} than Here, by ${withUnit(number(Math.abs(apart(most))), "dB")} of side over mid near ${at}.`;
}
