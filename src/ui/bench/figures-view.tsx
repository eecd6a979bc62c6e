"use client";

import type { BenchReport } from "@/core/bench/report";
import { kindName, REASON_WORDS } from "@/core/words/bench";
import { decibels, hertzText, NO_FIGURE, number, signed, withUnit } from "@/ui/format";
import type { MeasuredSubject } from "./use-bench";

type Line = { name: string; of: (report: BenchReport) => string };

const share = (value: number | null, digits = 3): string =>
  value === null ? NO_FIGURE : withUnit(number(value, digits), "%");

/** Figures that are one number each, processors side by side. */
const LINES: readonly Line[] = [
  {
    name: "Kind, and its confidence",
    of: ({ kind }) =>
      kind.name === "unknown"
        ? kindName(kind.name)
        : `${kindName(kind.name)}, ${withUnit(number(100 * kind.confidence, 0), "%")}`,
  },
  {
    name: "Latency",
    of: (r) =>
      `${withUnit(number(r.latencySamples, 2), "samples")}${r.latencyErrorSamples > 0.5 ? `, ± ${number(r.latencyErrorSamples)}` : ""}`,
  },
  { name: "Gain at 1 kHz", of: (r) => decibels(r.gainDbAt1k, "dB", 2) },
  { name: "Polarity", of: (r) => (r.polarity === 1 ? "kept" : "flipped") },
  { name: "Left and right", of: (r) => (r.swapped ? "swapped" : "in place") },
  { name: "Crosstalk", of: (r) => (r.crosstalkDb === null ? "none" : decibels(r.crosstalkDb)) },
  { name: "Clock", of: (r) => (r.clockPpm === 0 ? "in step" : withUnit(signed(r.clockPpm, 2), "ppm")) },
  {
    name: "Noise floor",
    of: (r) => {
      if (r.noiseFloorDbfs !== null) return decibels(r.noiseFloorDbfs, "dBFS");
      const why = r.withheld.find(({ figure }) => figure === "noise");
      return why ? REASON_WORDS[why.reason] : "digital silence";
    },
  },
  {
    name: "Hum",
    of: (r) => (r.hum ? `${decibels(r.hum.dbfs, "dBFS")} at ${withUnit(number(r.hum.hertz), "Hz")}` : "none"),
  },
  { name: "Bit-transparent", of: (r) => r.transparent },
  { name: "What it adds to a sweep", of: (r) => (r.addsDb === null ? "nothing" : decibels(r.addsDb)) },
  { name: "Two passes differ by", of: (r) => (r.passesApartDb === null ? "nothing" : decibels(r.passesApartDb)) },
  {
    name: "Word length",
    of: (r) => (r.wordLengthBits === null ? "32-bit float" : withUnit(String(r.wordLengthBits), "bit")),
  },
  { name: "Phase", of: (r) => r.phaseKind },
  { name: "Crossovers, all-passes", of: (r) => r.crossoversHz.map(hertzText).join(", ") || "none" },
  { name: "THD of 1 kHz", of: (r) => share(r.harmonics[0].thdPercent, 4) },
  { name: "THD+N of 1 kHz", of: (r) => share(r.harmonics[0].thdNoisePercent, 4) },
  {
    name: "Intermodulation, 60 Hz and 7 kHz",
    of: (r) => share(sum(r.modulation.secondPercent, r.modulation.thirdPercent), 4),
  },
  { name: "Difference tone, second order", of: (r) => share(r.differenceTone.secondPercent, 4) },
  { name: "Difference tone, third order", of: (r) => share(r.differenceTone.thirdPercent, 4) },
  { name: "Folds back, at the most", of: (r) => (r.aliasDb === null ? "none" : decibels(r.aliasDb)) },
];

/** Products of one kind and the other add up by power. */
const sum = (a: number | null, b: number | null): number | null =>
  a === null && b === null ? null : Math.sqrt((a ?? 0) ** 2 + (b ?? 0) ** 2);

export function FiguresView({ measured }: { measured: readonly MeasuredSubject[] }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
    <section className="min-h-0 flex-1 overflow-auto" tabIndex={0} aria-label="All figures">
      <table className="table table-xs w-auto min-w-[30rem]">
        <thead className="sticky top-0 bg-base-200">
          <tr className="text-soft">
            <th>Figure</th>
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
          {LINES.map(({ name, of }) => (
            <tr key={name}>
              <th scope="row" className="font-normal">
                {name}
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
