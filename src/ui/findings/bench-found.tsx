"use client";

import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { onAPage } from "@/core/bench/page";
import { measuredOf } from "@/store/measurements";
import { stopPath } from "@/ui/shell/stops";

/** What the bench found of each candidate that was measured, in its own sentences. */
export function BenchFound({ comparisonId }: { comparisonId: string }) {
  const measured = useLiveQuery(() => measuredOf(comparisonId), [comparisonId]);
  if (!measured || measured.length === 0) return null;
  return (
    <section aria-label="What the bench found" className="grid gap-1.5">
      <h2 className="font-semibold text-[15px]">
        What the bench found{" "}
        <Link className="link font-normal text-[12px]" href={stopPath(comparisonId, "bench")}>
          open it
        </Link>
      </h2>
      {measured.map(({ candidate, report }) => (
        <details key={candidate.id} className="border-faint border-b pb-1.5 text-[13px]">
          <summary className="cursor-pointer">
            {candidate.title}: <span className="text-soft">{report.sentences[0]}</span>
          </summary>
          <ul className="mt-1 grid gap-0.5 pl-4">
            {onAPage(report.sentences)
              .sentences.slice(1)
              .map((sentence) => (
                <li key={sentence}>{sentence}</li>
              ))}
          </ul>
        </details>
      ))}
    </section>
  );
}
