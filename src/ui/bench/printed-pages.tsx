"use client";

import { createPortal } from "react-dom";
import { onAPage } from "@/core/bench/page";
import { settingsOfChain } from "@/core/candidates/chain-settings";
import { benchSentences } from "@/core/words/bench";
import { number, withUnit } from "@/core/words/units";
import { useMounted } from "@/ui/shell/use-mounted";
import { useWorkbench } from "@/ui/shell/workbench";
import { PICTURES, SmallPicture } from "./small-pictures";
import type { MeasuredSubject } from "./use-bench";

/** What is printed instead of the screen: a page for each processor that is shown, all laid out alike, so that two can lie side by side. */
export function PrintedPages({ measured }: { measured: readonly MeasuredSubject[] }) {
  const isMounted = useMounted();
  if (!isMounted || measured.length === 0) return null;
  return createPortal(
    <div className="printed" data-theme="yonder-day">
      {measured.map((subject) => (
        <Page key={subject.key} subject={subject} />
      ))}
    </div>,
    document.body,
  );
}

function Page({ subject }: { subject: MeasuredSubject }) {
  const { comparison } = useWorkbench();
  const { title, report, candidate, measurement, line } = subject;
  const { sentences, others } = onAPage(benchSentences(report));
  const { sampleRateHz, levelDbfs, channelCount } = report.signal;
  const settings = !measurement && candidate?.chain ? settingsOfChain(candidate.chain) : (candidate?.settings ?? []);
  return (
    <article className="grid content-start gap-5">
      <header className="flex items-baseline gap-4 border-b-2 pb-1" style={{ borderColor: line.colour }}>
        <h1 className="font-semibold text-[22px]">{title}</h1>
        <span className="ml-auto text-[12px] text-soft">{comparison.title}, Bench of Yonder Pair</span>
      </header>
      <ol className="grid list-decimal gap-1.5 pl-5 text-[13px]">
        {sentences.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ol>
      <div className="grid grid-cols-3 gap-x-5 gap-y-4">
        {PICTURES.map((picture) => (
          <SmallPicture key={picture.title} picture={picture} subject={subject} />
        ))}
      </div>
      {settings.length > 0 && (
        <section className="text-[11px]">
          <h2 className="mb-1 font-semibold text-[12px]">Control settings</h2>
          <dl className="columns-3 gap-x-6">
            {settings.map(({ parameter, value, unit }) => (
              <div key={parameter} className="flex justify-between gap-2">
                <dt className="text-soft">{parameter}</dt>
                <dd className="figure">{unit ? withUnit(value, unit) : value}</dd>
              </div>
            ))}
          </dl>
        </section>
      )}
      <footer className="grid gap-1 text-[11px] text-soft">
        {others.map((sentence) => (
          <p key={sentence}>{sentence}</p>
        ))}
        <p>
          Measured with the test signal at {withUnit(number(sampleRateHz, 0), "Hz")},{" "}
          {withUnit(number(levelDbfs, 0), "dBFS")}, {channelCount === 1 ? "mono" : "stereo"}
          {measurement ? `, from ${measurement.fileName}` : ", built-in processor"}; {report.schema}.
        </p>
      </footer>
    </article>
  );
}
