"use client";

import { useRouter, useSearchParams } from "next/navigation";
import { useCallback, useEffect, useRef, useState } from "react";
import { createComparison } from "@/store/comparisons";
import { openDemo } from "@/store/demo";
import { GuideButton } from "@/ui/guide/guide";
import { LABELS } from "@/ui/labels";
import { JobStrip } from "@/ui/shell/job-strip";
import { PlainHeader } from "@/ui/shell/plain-header";
import { stopPath } from "@/ui/shell/stops";
import { UndoStrip } from "@/ui/shell/undo";
import { useMounted } from "@/ui/shell/use-mounted";
import { JobCancelled } from "@/workers/jobs";
import { KnownComparisons } from "./known-comparisons";
import { OpenPack } from "./open-pack";

/** The first screen: the demo, a new comparison, or one of those that are here. */
export function FirstRun({ startWithDemo }: { startWithDemo: boolean }) {
  const router = useRouter();
  const listAsked = useSearchParams().has("list");
  const [opening, setOpening] = useState(startWithDemo && !listAsked);
  const [problem, setProblem] = useState<string | null>(null);
  const asked = useRef(false);
  // A press before the page is alive would be lost.
  const alive = useMounted();

  const demo = useCallback(async () => {
    setOpening(true);
    setProblem(null);
    try {
      router.push(stopPath(await openDemo(), "gather"));
    } catch (error) {
      setOpening(false);
      if (!(error instanceof JobCancelled)) {
        setProblem(`The demo could not be made: ${error instanceof Error ? error.message : String(error)}`);
      }
    }
  }, [router]);

  useEffect(() => {
    if (!startWithDemo || listAsked || asked.current) return;
    asked.current = true;
    void demo();
  }, [startWithDemo, listAsked, demo]);

  return (
    <div className="flex h-screen flex-col">
      <PlainHeader />
      <main className="grid min-h-0 flex-1 content-center justify-center gap-8 overflow-auto p-8">
        <div className="grid max-w-2xl gap-3">
          <h1 className="font-semibold text-4xl leading-tight">Two shores, one level.</h1>
          <p className="text-[15px] text-soft">
            Compare equalizers, compressors, limiters and saturators: aligned, level-matched, blind. Everything stays in
            this browser; nothing is uploaded.
          </p>
          <GuideButton className="btn btn-sm w-fit border-rule bg-base-100" />
        </div>
        <div className="grid max-w-4xl grid-cols-3 items-start gap-10">
          <section className="grid gap-2">
            <h2 className="font-semibold text-lg">Look around first</h2>
            <p className="text-soft">
              Oxbow Ferry boarding music: four passages through eight processors, generated here.
            </p>
            <button
              type="button"
              className="btn btn-primary btn-sm w-fit"
              disabled={opening || !alive}
              onClick={() => void demo()}
            >
              {opening ? "Making the demo…" : LABELS.openTheDemo}
            </button>
            {problem && (
              <p role="alert" className="text-error">
                {problem}
              </p>
            )}
          </section>
          <NewComparison />
          <OpenPack />
        </div>
        <KnownComparisons />
      </main>
      <UndoStrip />
      <JobStrip />
    </div>
  );
}

function NewComparison() {
  const router = useRouter();
  const alive = useMounted();
  const [title, setTitle] = useState("");
  return (
    <form
      className="grid gap-2"
      onSubmit={async (event) => {
        event.preventDefault();
        const comparison = await createComparison(title.trim() || "Untitled comparison");
        router.push(stopPath(comparison.id, "gather"));
      }}
    >
      <h2 className="font-semibold text-lg">Start your own</h2>
      <label className="grid gap-1">
        <span className="text-soft">{LABELS.whatIsItAbout}</span>
        <input
          className="input input-sm w-full border-rule"
          value={title}
          placeholder="Bus compression on the second chorus"
          onChange={(event) => setTitle(event.target.value)}
        />
      </label>
      <button type="submit" className="btn btn-sm w-fit border-rule bg-base-100" disabled={!alive}>
        {LABELS.newComparison}
      </button>
    </form>
  );
}
