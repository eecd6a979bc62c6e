"use client";

import { isPolarityKnown } from "@/core/bench/differences";
import type { BenchReport, Withheld } from "@/core/bench/report";
import { gainWords, kindBeside } from "@/core/words/bench";
import { withheldWords } from "@/core/words/bench-withheld";
import type { FigureKey } from "@/core/words/figures";
import { decibels, frequencyWords, NO_FIGURE, number, signed, within, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { WhatIs } from "@/ui/shell/what-is";
import type { MeasuredSubject } from "./use-bench";

type Line = { name: string; figure: FigureKey; of: (report: BenchReport) => string };

/** What stands where there is no figure: why it is not reported, or that it is none. */
const instead = (report: BenchReport, figure: Withheld["figure"], none: string): string => {
  const why = withheldWords(report, figure);
  return why ? `not known: ${why}` : none;
};
const UNDER_NOISE = "none above noise";

const share = (report: BenchReport, figure: Withheld["figure"], value: number | null): string =>
  value === null || withheldWords(report, figure)
    ? instead(report, figure, UNDER_NOISE)
    : withUnit(number(value, 4), "%");

/** Figures that are one number each, processors side by side. */
const LINES: readonly Line[] = [
  {
    name: "Kind and confidence",
    figure: "kind",
    of: ({ kind, crosstalkDb }) =>
      kind.name === "unknown"
        ? kindBeside(kind.name, crosstalkDb)
        : `${kindBeside(kind.name, crosstalkDb)}, ${withUnit(number(100 * kind.confidence, 0), "%")}`,
  },
  {
    name: "Latency",
    figure: "latency",
    of: (r) =>
      r.latencySamples === null
        ? instead(r, "latency", NO_FIGURE)
        : withUnit(`${number(r.latencySamples, 2)}${within(r.latencyErrorSamples, 2)}`, "samples"),
  },
  {
    name: "Gain at 1 kHz",
    figure: "benchGain",
    of: (r) => (withheldWords(r, "response") ? instead(r, "response", "") : gainWords(r)),
  },
  {
    name: "Polarity",
    figure: "benchPolarity",
    of: (r) => (!isPolarityKnown(r) ? "not known" : r.polarity === 1 ? "kept" : "inverted"),
  },
  { name: "Channel order", figure: "channelOrder", of: (r) => (r.swapped ? "swapped" : "L, R") },
  {
    name: "Crosstalk",
    figure: "crosstalk",
    of: (r) => (r.crosstalkDb !== null ? decibels(r.crosstalkDb) : r.channels.length > 1 ? UNDER_NOISE : "one channel"),
  },
  {
    name: "Drift",
    figure: "benchDrift",
    of: (r) => (r.clockPpm === 0 ? "no drift" : withUnit(signed(r.clockPpm, 2), "ppm")),
  },
  {
    name: "Noise floor",
    figure: "noiseFloor",
    of: (r) => {
      if (r.noiseFloorDbfs !== null) return decibels(r.noiseFloorDbfs, "dBFS");
      return instead(r, "noise", "digital silence");
    },
  },
  {
    name: "Hum",
    figure: "hum",
    of: (r) => (r.hum ? `${decibels(r.hum.dbfs, "dBFS")} at ${withUnit(number(r.hum.hertz), "Hz")}` : "none"),
  },
  { name: "Bit-transparent", figure: "bitTransparent", of: (r) => r.transparent },
  {
    name: "Null depth on the sweep, re input",
    figure: "sweepNull",
    of: (r) => (r.addsDb === null ? instead(r, "null", "nothing") : decibels(r.addsDb)),
  },
  {
    name: "Repeatability (two passes)",
    figure: "repeatability",
    of: (r) => (r.passesApartDb === null ? instead(r, "passes", UNDER_NOISE) : decibels(r.passesApartDb)),
  },
  {
    name: LABELS.wordLength,
    figure: "wordLength",
    of: (r) => (r.wordLengthBits === null ? "32-bit float" : withUnit(String(r.wordLengthBits), "bit")),
  },
  {
    name: LABELS.phase,
    figure: "benchPhase",
    of: (r) => (r.phaseKind === "unknown" ? instead(r, "phase", "not known") : r.phaseKind),
  },
  {
    name: "Crossovers or all-passes at",
    figure: "crossovers",
    of: (r) => r.crossoversHz.map(frequencyWords).join(", ") || instead(r, "phase", "none"),
  },
  { name: "THD of 1 kHz", figure: "thd", of: (r) => share(r, "harmonics", r.harmonics[0].thdPercent) },
  { name: "THD+N of 1 kHz", figure: "thdNoise", of: (r) => share(r, "harmonics", r.harmonics[0].thdNoisePercent) },
  {
    name: "Intermodulation, 60 Hz and 7 kHz",
    figure: "imd",
    of: (r) => share(r, "intermodulation", sum(r.modulation.secondPercent, r.modulation.thirdPercent)),
  },
  {
    name: "Intermodulation, 2nd-order difference tone",
    figure: "imd",
    of: (r) => share(r, "intermodulation", r.differenceTone.secondPercent),
  },
  {
    name: "Intermodulation, 3rd-order difference tone",
    figure: "imd",
    of: (r) => share(r, "intermodulation", r.differenceTone.thirdPercent),
  },
  {
    name: "Aliasing, highest",
    figure: "aliasing",
    of: (r) => (r.aliasDb === null ? instead(r, "aliasing", UNDER_NOISE) : decibels(r.aliasDb)),
  },
];

/** Products of one kind and the other add up by power. */
const sum = (a: number | null, b: number | null): number | null =>
  a === null && b === null ? null : Math.sqrt((a ?? 0) ** 2 + (b ?? 0) ** 2);

export function FiguresView({ measured }: { measured: readonly MeasuredSubject[] }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
    <section className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label={LABELS.allFigures}>
      <table className="table table-xs w-auto min-w-[30rem]">
        <thead className="sticky top-0 bg-base-200">
          <tr className="text-soft">
            <th>{LABELS.figure}</th>
            {measured.map((s) => (
              <th key={s.key} className="text-right">
                {s.title}
                <span className="block font-normal text-[11px]">
                  {withUnit(number(s.report.signal.levelDbfs, 0), "dBFS")}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {LINES.map(({ name, figure, of }) => (
            <tr key={name}>
              <th scope="row" className="font-normal">
                <WhatIs figure={figure}>{name}</WhatIs>
              </th>
              {measured.map((s) => (
                <td key={s.key} className="figure text-right">
                  {of(s.report)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
