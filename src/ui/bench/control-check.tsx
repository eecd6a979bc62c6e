"use client";

import { useMemo } from "react";
import { controlCheck } from "@/core/bench/find/control-check";
import { controlWords } from "@/core/bench/find/control-words";
import type { FittedBand } from "@/core/bench/report";
import { frequencyWithin, frequencyWords, NO_FIGURE, number, signed, within, withUnit } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { WhatIs } from "@/ui/shell/what-is";
import type { MeasuredSubject } from "./use-bench";

/** What the curve tells beside what the controls say: frequency, gain and Q of each band, with how far off they are. */
export function ControlCheck({ measured }: { measured: readonly MeasuredSubject[] }) {
  const checks = useMemo(
    () =>
      measured.map((subject) => ({
        subject,
        check:
          subject.candidate?.chain && !subject.measurement
            ? controlCheck(subject.candidate.chain, subject.report)
            : null,
      })),
    [measured],
  );
  const rows = checks.flatMap(({ subject, check }) => rowsOf(subject, check));
  if (rows.length === 0) return null;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
    <section className="max-h-44 shrink-0 overflow-auto" tabIndex={0} aria-label={LABELS.controlCheck}>
      <table className="table table-xs">
        <thead>
          <tr className="text-soft">
            <th>Processor</th>
            <th>{LABELS.band}</th>
            <th className="text-right">{LABELS.frequency}</th>
            <th className="text-right">Gain</th>
            <th className="text-right">Q or slope</th>
            <th>
              <WhatIs figure="controlCheck">Measured re control</WhatIs>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map(({ key, title, band, against }) => (
            <tr key={key}>
              <td>{title}</td>
              <td>{band.kind}</td>
              <td className="figure text-right">{frequencyWithin(band.hertz, band.errors?.hertz)}</td>
              <td className="figure text-right">
                {band.gainDb === null
                  ? NO_FIGURE
                  : withUnit(`${signed(band.gainDb, 2)}${within(band.errors?.gainDb, 2)}`, "dB")}
              </td>
              <td className="figure text-right">
                {band.q === null
                  ? withUnit(String(band.slopeDbPerOctave), "dB/oct")
                  : `${number(band.q, 2)}${within(band.errors?.q, 2)}`}
              </td>
              <td className="text-soft">{against}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

type Row = { key: string; title: string; band: FittedBand; against: string };

function rowsOf(subject: MeasuredSubject, check: ReturnType<typeof controlCheck>): Row[] {
  const { key, title, report, candidate } = subject;
  if (!check)
    return report.fitted.map((band, i) => ({
      key: `${key} ${i}`,
      title,
      band,
      against: controlWords(candidate?.settings ?? [], report, band) ?? "no control settings to compare with",
    }));
  const left =
    check.mostLeftDb > 0.1
      ? `; its curve differs from the control's by up to ${withUnit(number(check.mostLeftDb), "dB")}`
      : check.realised === "bilinear"
        ? "; cramped towards Nyquist (bilinear transform)"
        : "";
  return check.rows.map(({ control, measured, hertzErrorPercent, gainErrorDb, qErrorPercent }, i) => ({
    key: `${key} ${i}`,
    title,
    band: measured,
    against: [
      `control ${frequencyWords(control.hertz)}: ${withUnit(signed(hertzErrorPercent, 1), "%")}`,
      ...(gainErrorDb === null ? [] : [`gain ${withUnit(signed(gainErrorDb, 2), "dB")}`]),
      ...(qErrorPercent === null ? [] : [`Q ${withUnit(signed(qErrorPercent, 1), "%")}`]),
    ]
      .join(", ")
      .concat(i === 0 ? left : ""),
  }));
}
