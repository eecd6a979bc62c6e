"use client";

import { Pin, X } from "lucide-react";
import { type ReactNode, useEffect } from "react";
import { LABELS } from "@/ui/labels";
import { dropCurve, keptLine, loadKeptCurves, MOST_KEPT, renameCurve, useKeptCurves } from "./kept-curves";

/** Curves that were put by, each with its name, and the way to put those in sight by. */
export function KeptRow({ canKeep, onKeep, children }: { canKeep: boolean; onKeep: () => void; children: ReactNode }) {
  const curves = useKeptCurves((k) => k.curves);
  useEffect(() => void loadKeptCurves(), []);
  const isFull = curves.length >= MOST_KEPT;
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <button
        type="button"
        className="btn btn-ghost btn-xs h-6 gap-1 border-rule px-2 font-normal"
        disabled={!canKeep || isFull}
        title={
          isFull
            ? `No more than ${MOST_KEPT} curves are kept: remove one first`
            : "Keep these curves, to compare other pairs with them"
        }
        onClick={onKeep}
      >
        <Pin size={12} /> {LABELS.keep}
      </button>
      {curves.map((curve, n) => {
        const line = keptLine(n);
        return (
          <span
            key={curve.id}
            data-testid="kept-curve"
            className="flex items-center gap-1 rounded border border-rule pl-1.5"
          >
            <svg width={20} height={8} aria-hidden="true">
              <line x2={20} y1={4} y2={4} stroke={line.colour} strokeWidth={line.width} strokeDasharray={line.dash} />
            </svg>
            <input
              aria-label={`Name of kept curve ${n + 1}`}
              className="field-sizing-content max-w-40 bg-transparent py-0.5"
              value={curve.title}
              onChange={(event) => renameCurve(curve.id, event.target.value)}
            />
            <button
              type="button"
              className="btn btn-ghost btn-xs h-6 w-6 p-0"
              aria-label={`Remove ${curve.title}`}
              onClick={() => dropCurve(curve.id)}
            >
              <X size={12} />
            </button>
          </span>
        );
      })}
      <span className="flex-1" />
      {children}
    </div>
  );
}
