"use client";

import { useMemo, useState } from "react";
import { phaseTold } from "@/core/ladder/causes";
import type { FoundFilter } from "@/core/ladder/found-chain";
import { filterOf } from "@/core/ladder/found-filter";
import type { Ladder } from "@/core/ladder/ladder-schema";
import type { PhaseReading } from "@/core/spectrum/phase-kind";
import { phaseOf } from "@/core/spectrum/phase-of";
import { type Ringing, ringingOf, tapsOf } from "@/core/spectrum/ringing";
import { phaseSentence } from "@/core/words/explain-views";
import { number, withUnit } from "@/core/words/units";
import type { Region } from "@/store/records";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { View } from "@/ui/shell/view";
import type { Pair } from "@/ui/shell/workbench";
import { hasDryBeside, useSpectra } from "./use-explained";

type Shown = "phase" | "delay" | "impulse";

const POINTS = 16_384;
const INK = "var(--color-base-content)";
const SOFT = "var(--soft-ink)";

/** What Yonder does to the phase against Here (or either against dry), and what its impulse does in time. */
export function PhaseView({ pair, region, ladder }: { pair: Pair; region: Region; ladder: Ladder | null }) {
  const hasDry = hasDryBeside(pair);
  const [shown, setShown] = useState<Shown>("phase");
  const [of, setOf] = useState<"pair" | "here" | "yonder">("pair");
  const which = hasDry ? of : "pair";
  const renders = which === "pair" ? [pair.here, pair.yonder] : [pair.dry, which === "here" ? pair.here : pair.yonder];
  const { data, problem } = useSpectra(renders, pair.dry, region, POINTS, "both");
  const reading = useMemo(() => (data && data.powers.length === 2 ? phaseOf(data) : null), [data]);
  // Of a pair by the filter that was fitted; averaged spectra take any other processing for one.
  const fitted = ladder && !ladder.isPartial ? phaseTold(ladder.causes) : null;
  const kind = which === "pair" ? fitted : (reading?.kind ?? null);
  const filter = which === "pair" && ladder?.found ? filterOf(ladder.found, pair.dry.sampleRateHz) : null;
  const ringing = useMemo(
    () => (reading && data ? ringingFor(filter, reading.response, data.sampleRateHz) : null),
    [reading, data, filter],
  );
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "phase", title: LABELS.phase, figure: "phase" },
        { value: "delay", title: "Group delay", figure: "groupDelay" },
        { value: "impulse", title: LABELS.impulse, figure: "impulse" },
      ]}
      testId="phase-sentence"
      sentence={
        problem ?? (reading && kind ? phaseSentence({ ...reading, kind }, which === "pair") : "Reading the phase…")
      }
      choices={
        hasDry && (
          <QuickSelect
            label={LABELS.show}
            value={of}
            onChange={setOf}
            options={[
              { value: "pair", title: LABELS.yonderReHere },
              { value: "here", title: "Here re dry" },
              { value: "yonder", title: "Yonder re dry" },
            ]}
          />
        )
      }
    >
      {shown === "impulse"
        ? ringing &&
          data && <Impulse pair={pair} ringing={ringing} rateHz={data.sampleRateHz} isFitted={filter !== null} />
        : reading && <OverFrequency pair={pair} reading={reading} shown={shown} />}
    </View>
  );
}

function ringingFor(filter: FoundFilter | null, response: Float64Array, rateHz: number): Ringing {
  if (filter) return ringingOf(filter.responses[0][0], filter.lead, rateHz);
  const { taps, lead } = tapsOf(response);
  return ringingOf(taps, lead, rateHz);
}

function OverFrequency({ pair, reading, shown }: { pair: Pair; reading: PhaseReading; shown: "phase" | "delay" }) {
  const isPhase = shown === "phase";
  const curves: Curve[] = isPhase
    ? [
        { title: "Phase, delay removed", values: reading.degrees, colour: INK, width: 2 },
        {
          title: "Minimum phase of the magnitude",
          values: reading.minimumDegrees,
          colour: SOFT,
          width: 1.5,
          dash: "1 3",
        },
        { title: "Excess phase", values: reading.excessDegrees, colour: SOFT, width: 1.5, dash: "6 3" },
      ]
    : [{ title: "Group delay, delay removed", values: reading.groupDelayMs, colour: INK, width: 2 }];
  return (
    <CurvesChart
      key={shown}
      name={`${pair.passage.title} ${isPhase ? "phase" : "group delay"}`}
      label={isPhase ? "Phase vs frequency" : "Group delay vs frequency"}
      sampleRateHz={pair.dry.sampleRateHz}
      hertz={reading.hertz}
      curves={curves}
      quantity={isPhase ? "Phase" : "Group delay"}
      unit={isPhase ? "°" : "ms"}
      decimals={isPhase ? 1 : 3}
      least={isPhase ? 10 : 0.1}
      note="Where Here and Yonder are coherent"
    />
  );
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
  const xs = Float64Array.from(ringing.levelsDb, (_, i) => (1000 * (ringing.fromSample + i)) / rateHz);
  return (
    <LinesChart
      name={`${pair.passage.title} impulse`}
      label="Impulse response"
      xs={xs}
      xTitle="Time, ms"
      whole={[Math.max(xs[0], -SHOWN_MS), Math.min(xs[xs.length - 1], SHOWN_MS)]}
      formatX={(ms) => withUnit(number(ms, Math.abs(ms) < 10 ? 1 : 0), "ms")}
      readX={(ms) => withUnit(number(ms, 2), "ms")}
      curves={[
        {
          title: isFitted ? "Impulse response of the fitted EQ" : "Impulse response from averaged spectra",
          values: ringing.levelsDb,
          colour: INK,
          width: 1.5,
        },
      ]}
      levels={[-120, 0]}
      formatY={number}
      readY={(db) => withUnit(number(db), "dB")}
      quantity="Impulse response"
      unit="dB"
      note={`Above ${withUnit(number(ringing.underDb, 0), "dB")}: ${withUnit(number(ringing.beforeMs, 1), "ms")} before, ${withUnit(number(ringing.afterMs, 1), "ms")} after`}
    />
  );
}
