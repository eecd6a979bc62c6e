"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { Check, X } from "lucide-react";
import Link from "next/link";
import { usePathname } from "next/navigation";
import { useEffect, useState } from "react";
import { leaveTour, noteOffered, readTour, startTour, type Tour } from "@/store/tour";
import { LABELS } from "@/ui/labels";
import { STOPS, type StopKey, stopPath } from "@/ui/shell/stops";
import { useWorkbench } from "@/ui/shell/workbench";
import { STEPS } from "./tour";
import { useTourProgress } from "./use-tour-progress";

/** One line over the transport: the tour's step, done by using the screen above it. It never covers anything, and is offered once, in the demo. */
export function TourStrip() {
  const { comparison } = useWorkbench();
  const tour = useLiveQuery(readTour, []);
  const isDemo = comparison.demoVersion !== null;
  const [isOffered, setOffered] = useState(false);
  useEffect(() => {
    if (tour !== null || !isDemo) return;
    setOffered(true);
    void noteOffered(comparison.id);
  }, [tour, isDemo, comparison.id]);
  if (tour?.state === "on" && tour.comparisonId === comparison.id) return <Running tour={tour} />;
  if (!isOffered || tour?.state !== "offered") return null;
  return (
    <Strip>
      <span>New here? Seven steps show the whole way in five minutes.</span>
      <button type="button" className="btn btn-primary btn-xs" onClick={() => void startTour(comparison.id)}>
        Start the tour
      </button>
      <button type="button" className="btn btn-ghost btn-xs" onClick={() => setOffered(false)}>
        Not now
      </button>
    </Strip>
  );
}

function Running({ tour }: { tour: Tour }) {
  const stop = (usePathname().split("/").at(-1) ?? "gather") as StopKey;
  useTourProgress(tour, stop);
  const isDone = (key: (typeof STEPS)[number]["key"]) => tour.done.includes(key);
  const step = STEPS.find(({ key }) => !isDone(key));
  const title = STOPS.find(({ key }) => key === step?.stop)?.title;
  return (
    <Strip>
      <ol className="flex gap-1" aria-label="Steps of the tour">
        {STEPS.map(({ key, title: name }, i) => (
          <li
            key={key}
            title={name}
            aria-label={`${name}: ${isDone(key) ? "done" : key === step?.key ? "now" : "to do"}`}
            aria-current={key === step?.key ? "step" : undefined}
            className={`figure grid size-[18px] place-content-center rounded-full border text-[10.5px] ${
              key === step?.key ? "border-base-content bg-base-content text-base-100" : "border-rule text-soft"
            }`}
          >
            {isDone(key) ? <Check size={11} aria-hidden="true" /> : i + 1}
          </li>
        ))}
      </ol>
      <span role="status" className="min-w-0 truncate" title={step?.does}>
        {step ? (
          <>
            <b className="font-semibold">{step.title}.</b> {step.does}
          </>
        ) : (
          "All seven steps are done. The guide has the rest."
        )}
      </span>
      {step?.stop && step.stop !== stop && (
        <Link className="btn btn-xs shrink-0 border-rule" href={stopPath(tour.comparisonId, step.stop)}>
          Go to {title}
        </Link>
      )}
      <button
        type="button"
        aria-label={LABELS.leaveTheTour}
        title="Leave the tour; take it up again under ?"
        className="btn btn-ghost btn-xs ml-auto shrink-0"
        onClick={() => void leaveTour()}
      >
        <X size={12} />
      </button>
    </Strip>
  );
}

function Strip({ children }: { children: React.ReactNode }) {
  return (
    <section
      aria-label={LABELS.tour}
      className="flex h-9 shrink-0 items-center gap-3 border-rule border-t bg-base-100 px-5 text-[12.5px]"
    >
      {children}
    </section>
  );
}
