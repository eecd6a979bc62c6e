"use client";

import { useMemo, useState } from "react";
import { phaseTold } from "@/core/ladder/causes";
import type { FoundFilter } from "@/core/ladder/found-chain";
import { filterOf } from "@/core/ladder/found-filter";
import type { Ladder } from "@/core/ladder/ladder-schema";
import type { PhaseReading } from "@/core/spectrum/phase-kind";
import { phaseOf } from "@/core/spectrum/phase-of";
import { type Ringing, ringingOf, tapsOf } from "@/core/spectrum/ringing";
import type { Region } from "@/store/records";
import { CurvesChart } from "@/ui/charts/frequency-chart";
import { type Curve, LinesChart } from "@/ui/charts/lines-chart";
import { hertzText, number, signed, withUnit } from "@/ui/format";
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
        { value: "phase", title: "Phase" },
        { value: "delay", title: "Group delay" },
        { value: "impulse", title: "Impulse" },
      ]}
      testId="phase-sentence"
      sentence={
        problem ?? (reading && kind ? phaseSentence({ ...reading, kind }, which === "pair") : "Reading the phase…")
      }
      choices={
        hasDry && (
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

/** What kind of phase it is, in one sentence; refusing where no filter explains a pair (`isFitted`), or where too little of the range is coherent. */
export function phaseSentence({ kind, crossoversHz, delaySamples }: PhaseReading, isFitted = false): string {
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
    unknown: isFitted
      ? "Kind of phase not known: no processing explains this pair."
      : "Kind of phase not known: too little of the range is coherent.",
  }[kind];
  return `${words}${left}`;
}

function OverFrequency({ pair, reading, shown }: { pair: Pair; reading: PhaseReading; shown: "phase" | "delay" }) {
  const isPhase = shown === "phase";
  const curves: Curve[] = isPhase
    ? [
        { title: "Phase, delay taken off", values: reading.degrees, colour: INK, width: 2 },
        { title: "Minimum phase of it", values: reading.minimumDegrees, colour: SOFT, width: 1.5, dash: "1 3" },
        { title: "Excess", values: reading.excessDegrees, colour: SOFT, width: 1.5, dash: "6 3" },
      ]
    : [{ title: "Group delay, delay taken off", values: reading.groupDelayMs, colour: INK, width: 2 }];
  return (
    <CurvesChart
      key={shown}
      name={`${pair.passage.title} ${isPhase ? "phase" : "group delay"}`}
      label={isPhase ? "Phase over frequency" : "Group delay over frequency"}
      sampleRateHz={pair.dry.sampleRateHz}
      hertz={reading.hertz}
      curves={curves}
      unit={isPhase ? "°" : "ms"}
      decimals={isPhase ? 1 : 3}
      least={isPhase ? 10 : 0.1}
      note="Where both are coherent"
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
      xTitle="ms"
      whole={[Math.max(xs[0], -SHOWN_MS), Math.min(xs[xs.length - 1], SHOWN_MS)]}
      formatX={(ms) => withUnit(number(ms, Math.abs(ms) < 10 ? 1 : 0), "ms")}
      readX={(ms) => withUnit(number(ms, 2), "ms")}
      curves={[
        {
          title: isFitted ? "Impulse response of the filter the ladder found" : "Impulse response by averaged spectra",
          values: ringing.levelsDb,
          colour: INK,
          width: 1.5,
        },
      ]}
      levels={[-120, 0]}
      formatY={number}
      readY={(db) => withUnit(number(db), "dB")}
      unit="dB"
      note={`Above ${withUnit(number(ringing.underDb, 0), "dB")}: ${withUnit(number(ringing.beforeMs, 1), "ms")} before, ${withUnit(number(ringing.afterMs, 1), "ms")} after`}
    />
  );
}
