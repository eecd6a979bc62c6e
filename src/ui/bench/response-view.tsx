"use client";

import { useState } from "react";
import { bandDb } from "@/core/bench/find/band-model";
import {
  latencyWords,
  levelsWords,
  magnitudeWords,
  phaseWords,
  responseDifferenceWords,
  sidesWords,
  viewSentence,
} from "@/core/words/bench-views";
import { withheldWords } from "@/core/words/bench-withheld";
import { number, withUnit } from "@/core/words/units";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import type { Curve } from "@/ui/charts/lines-chart";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Instead, View } from "@/ui/shell/view";
import { ControlCheck } from "./control-check";
import type { MeasuredSubject } from "./use-bench";

type Shown = "magnitude" | "phase" | "delay" | "sides" | "levels" | "difference";
const FROM_BELOW = 0.25;
/** So many processors are reported of beside a picture. */
const MOST_TOLD = 2;

/** Response over frequency: of all that is shown, or of one at several levels and on both sides. */
export function ResponseView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [shown, setShown] = useState<Shown>("magnitude");
  const [key, setKey] = useState<string | null>(null);
  const one = measured.find((s) => s.key === key) ?? measured[0];
  const isOfOne = shown === "sides" || shown === "levels";
  const [first] = measured;
  const drawn = chartOf(shown, measured, one);
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "magnitude", title: "Magnitude", figure: "benchResponse" },
        { value: "phase", title: LABELS.phase, figure: "benchPhase", hint: "Delay removed" },
        { value: "delay", title: "Group delay", figure: "benchGroupDelay" },
        { value: "difference", title: LABELS.difference, figure: "responseDifference", hint: "Each re the first" },
        { value: "levels", title: LABELS.byLevel, figure: "responseByLevel", hint: "One processor at several levels" },
        { value: "sides", title: LABELS.channels, figure: "responseChannels", hint: "R/L balance, mid and side" },
      ]}
      choices={
        isOfOne &&
        measured.length > 1 && (
          <QuickSelect
            label="Processor"
            title="of"
            value={one.key}
            options={measured.map((s) => ({ value: s.key, title: s.title }))}
            onChange={setKey}
          />
        )
      }
      sentence={drawn.sentence}
      testId="response-sentence"
    >
      {drawn.curves.length === 0 && <Instead>{LABELS.nothingToDraw}</Instead>}
      {drawn.curves.length > 0 && (
        <CurvesChart
          key={shown}
          name={`Bench ${shown}`}
          label={drawn.label}
          sampleRateHz={first.report.signal.sampleRateHz}
          hertz={drawn.hertz}
          curves={drawn.curves}
          quantity={QUANTITIES[shown]}
          unit={drawn.unit}
          decimals={drawn.unit === "ms" ? 3 : 2}
          least={drawn.least}
          note={drawn.note}
        />
      )}
      {shown === "magnitude" && <ControlCheck measured={measured} />}
    </View>
  );
}

const NO_SIDES = { rightOverLeftDb: null, midDb: null, sideDb: null };

/** What each view draws, for its axis. */
const QUANTITIES: Record<Shown, string> = {
  magnitude: "Magnitude",
  phase: "Phase",
  delay: "Group delay",
  difference: "Magnitude difference",
  levels: "Magnitude",
  sides: "Magnitude",
};

type Drawn = {
  label: string;
  hertz: readonly number[];
  curves: Curve[];
  unit: string;
  least: number;
  note: string;
  sentence: string;
};

const OF = (hertz: readonly number[], from: readonly number[], values: readonly number[]): number[] => {
  // Rates differ, and with them how far up figures reach; frequencies themselves are the same.
  const known = new Map(from.map((hz, i) => [Math.round(hz * 100), values[i]]));
  return hertz.map((hz) => known.get(Math.round(hz * 100)) ?? Number.NaN);
};

/** What was spoiled or changes by itself has no response: no curve is drawn of it. */
const isTold = ({ report }: MeasuredSubject): boolean => withheldWords(report, "response") === null;

function chartOf(shown: Shown, measured: readonly MeasuredSubject[], one: MeasuredSubject): Drawn {
  const longest = measured.reduce((a, b) => (b.report.response.hertz.length > a.report.response.hertz.length ? b : a));
  const { hertz } = longest.report.response;
  const all = (pick: (s: MeasuredSubject) => readonly number[]): Curve[] =>
    measured.filter(isTold).map((s) => ({ ...s.line, values: OF(hertz, s.report.response.hertz, pick(s)) }));
  if (shown === "phase")
    return {
      label: "Phase vs frequency",
      hertz,
      curves: all((s) => s.report.response.phaseDegrees),
      unit: "°",
      least: 10,
      note: "Delay and polarity removed",
      sentence: viewSentence(measured, MOST_TOLD, phaseWords),
    };
  if (shown === "delay")
    return {
      label: "Group delay vs frequency",
      hertz,
      curves: all((s) => s.report.response.groupDelayMs),
      unit: "ms",
      least: 0.1,
      note: "Delay removed",
      sentence: viewSentence(measured, MOST_TOLD, latencyWords),
    };
  if (shown === "difference") {
    const [first, ...others] = measured;
    const base = OF(hertz, first.report.response.hertz, first.report.response.magnitudeDb);
    const curves = (isTold(first) ? others.filter(isTold) : []).map((s) => {
      const own = OF(hertz, s.report.response.hertz, s.report.response.magnitudeDb);
      const isPair = first.side === "here" && s.side === "yonder";
      return {
        ...s.line,
        ...(isPair ? { colour: "var(--difference)", dash: undefined } : {}),
        title: `${s.title} re ${first.title}`,
        values: own.map((db, i) => db - base[i]),
      };
    });
    return {
      label: "Difference of responses",
      hertz,
      curves,
      unit: "dB",
      least: FROM_BELOW,
      note: "",
      sentence:
        others.length === 0
          ? "Tick a second processor on the left."
          : viewSentence(
              others.map(({ title, report }) => ({ title: `${title} re ${first.title}`, report })),
              MOST_TOLD,
              (report) => responseDifferenceWords(first.report, report),
            ),
    };
  }
  if (shown === "levels") {
    const { levels, response } = one.report;
    const dashes = ["2 3", "7 4", undefined];
    return {
      label: "Response at several levels",
      hertz: response.hertz,
      curves: (isTold(one) ? levels : []).map(({ levelDbfs, magnitudeDb }, i) => ({
        title: withUnit(number(levelDbfs, 0), "dBFS"),
        colour: "var(--color-base-content)",
        width: 1 + 0.5 * i,
        dash: dashes[i],
        values: magnitudeDb,
      })),
      unit: "dB",
      least: FROM_BELOW,
      note: one.title,
      sentence: `${one.title}: ${levelsWords(one.report)}`,
    };
  }
  if (shown === "sides") {
    const { response } = one.report;
    const { rightOverLeftDb, midDb, sideDb } = isTold(one) ? one.report : NO_SIDES;
    const ink = "var(--color-base-content)";
    return {
      label: "Channels vs frequency",
      hertz: response.hertz,
      curves: [
        ...(rightOverLeftDb ? [{ title: "R/L balance", colour: ink, width: 2, values: rightOverLeftDb }] : []),
        ...(midDb ? [{ title: "mid", colour: ink, width: 1.5, dash: "7 4", values: midDb }] : []),
        ...(sideDb ? [{ title: "side", colour: ink, width: 1.5, dash: "2 3", values: sideDb }] : []),
      ],
      unit: "dB",
      least: FROM_BELOW,
      note: one.title,
      sentence: `${one.title}: ${sidesWords(one.whole)}`,
    };
  }
  return {
    label: LABELS.magnitudeVsFrequency,
    hertz,
    curves: all((s) => s.report.response.magnitudeDb).concat(analogueOf(measured, hertz)),
    unit: "dB",
    least: 1,
    note: "24 points per octave",
    sentence: viewSentence(measured, MOST_TOLD, magnitudeWords),
  };
}

/** Where a curve is squeezed towards half the rate, the analogue one it is warped from is drawn beside it. */
function analogueOf(measured: readonly MeasuredSubject[], hertz: readonly number[]): Curve[] {
  return measured.flatMap(({ report, line, title }) => {
    if (report.realised !== "bilinear") return [];
    const rate = report.signal.sampleRateHz;
    return [
      {
        title: `${title}, the analogue curve`,
        colour: line.colour,
        width: 1,
        dash: "1 3",
        values: hertz.map((hz) =>
          report.fitted.reduce((sum, band) => sum + bandDb(band, hz, rate, "analogue"), report.fittedGainDb),
        ),
      },
    ];
  });
}
