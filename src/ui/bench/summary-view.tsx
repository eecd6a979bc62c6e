"use client";

import { compareReports } from "@/core/bench/compare-reports";
import { benchDifferenceWords, benchSentences } from "@/core/words/bench";
import { WhatIs } from "@/ui/shell/what-is";
import { PICTURES, SmallPicture } from "./small-pictures";
import type { MeasuredSubject } from "./use-bench";

/** A processor on one page: what the tests found in sentences, and six small pictures. They stand two by two, each held against the first. */
export function SummaryView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const [first, ...others] = measured;
  const isAlone = others.length === 0;
  const apart = others.map((other) => ({
    key: other.key,
    words: compareReports(first, other)
      .map((d) => benchDifferenceWords(d, [first.title, other.title]))
      .join(" "),
  }));
  return (
    <section
      className={`grid min-h-0 flex-1 content-start gap-x-8 gap-y-3 overflow-auto ${isAlone ? "" : "grid-cols-2"}`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a page that scrolls is scrolled by keys
      tabIndex={0}
      aria-label="Summary"
    >
      {apart.map(
        ({ key, words }) =>
          words && (
            <p key={key} className="col-span-2 text-[13px]">
              {words}
            </p>
          ),
      )}
      {measured.map((subject) => (
        <Page key={subject.key} subject={subject} isAlone={isAlone} />
      ))}
    </section>
  );
}

function Page({ subject, isAlone }: { subject: MeasuredSubject; isAlone: boolean }) {
  const { title, report, line: look, side } = subject;
  return (
    <article aria-label={title} className="grid content-start gap-3">
      <h2 className="border-b-2 pb-1 font-semibold text-[15px]" style={{ borderColor: look.colour }}>
        <WhatIs figure="benchSummary">{title}</WhatIs>
        {side && <span className="font-normal text-[12px] text-soft"> {side === "here" ? "Here" : "Yonder"}</span>}
      </h2>
      <div className={`grid gap-x-8 gap-y-3 ${isAlone ? "grid-cols-[minmax(0,5fr)_minmax(0,4fr)]" : ""}`}>
        <div className={`grid content-start gap-3 ${isAlone ? "grid-cols-2" : "grid-cols-3"}`}>
          {PICTURES.map((picture) => (
            <SmallPicture key={picture.title} picture={picture} subject={subject} />
          ))}
        </div>
        <ul className="grid content-start gap-1.5 text-[13px]">
          {benchSentences(report).map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ul>
      </div>
    </article>
  );
}
