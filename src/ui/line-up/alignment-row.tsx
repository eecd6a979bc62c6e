"use client";

import { Hand, Lock } from "lucide-react";
import { placementOf } from "@/core/alignment/alignment";
import type { Residuals } from "@/core/difference/fit";
import { channelWords, doubtsWords, notAlignedWords } from "@/core/words/alignment";
import { MISSING } from "@/core/words/missing";
import { decibels, NO_FIGURE, number, signed, withUnit } from "@/core/words/units";
import { handOf } from "@/store/line-up";
import type { Render } from "@/store/records";
import { Figure } from "@/ui/shell/figure";
import { useAlignment } from "@/ui/shell/use-results";
import { useWorkbench } from "@/ui/shell/workbench";
import { useRowHeight } from "./row-height";

/** Widths of delay, clock, polarity, confidence and nulls, shared with the heads above. */
export const FIGURE_COLUMNS = "grid-cols-[6.3rem_5.2rem_4.4rem_3.6rem_1fr]";

type Props = { render: Render; residuals: Residuals | undefined; chosen: boolean; onChoose: () => void };

/** Delay, clock, polarity, confidence and what remains of one render. */
export function AlignmentRow({ render, residuals, chosen, onChoose }: Props) {
  const { pair } = useWorkbench();
  const rowHeight = useRowHeight();
  const alignment = useAlignment(render, pair?.dry);
  if (!pair) return null;
  const hand = handOf(render, pair.dry);
  const isDry = render.id === pair.dry.id;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the name at the start of the row is the button
    // biome-ignore lint/a11y/useKeyWithClickEvents: the arrow keys choose a row
    <div
      data-testid={`in-time-${render.fileName}`}
      className={`grid cursor-pointer ${FIGURE_COLUMNS} items-center gap-2 border-faint border-b px-2 text-right text-[12px] ${chosen ? "bg-base-content/8" : ""}`}
      style={{ height: rowHeight }}
      onClick={onChoose}
    >
      {alignment?.found && !isDry ? (
        <>
          <DelayFigure
            samples={alignment.delaySamples}
            error={alignment.delayErrorSamples}
            sampleRateHz={pair.dry.sampleRateHz}
          />
          <ClockFigure drift={alignment.driftPpm} error={alignment.driftErrorPpm} />
          <PolarityWords render={render} />
          <span
            className={`figure flex items-center justify-end gap-1 ${alignment.doubts.length > 0 ? "text-warning" : ""}`}
            title={
              hand
                ? "Set by hand"
                : doubtsWords(alignment.doubts) || "Lead over the next best place, or agreement, whichever is less"
            }
          >
            {hand?.locked && <Lock size={11} aria-label="locked" />}
            {hand ? (
              <>
                <Hand size={11} aria-hidden="true" /> by hand
              </>
            ) : (
              withUnit(number(100 * alignment.confidence, 0), "%")
            )}
          </span>
          <ResidualFigures residuals={residuals} />
        </>
      ) : (
        <span className={`col-span-5 truncate text-left ${alignment?.found === false ? "text-error" : "text-soft"}`}>
          {isDry
            ? "Reference for alignment"
            : alignment?.found === false
              ? `Not aligned: ${notAlignedWords(alignment.reason)}. Align it by hand, or remove it.`
              : "Aligning…"}
        </span>
      )}
    </div>
  );
}

/** A bound under this would read ±0.00. */
const LEAST_ERROR_TOLD = 0.005;

function DelayFigure({ samples, error, sampleRateHz }: { samples: number; error: number; sampleRateHz: number }) {
  const whole = Number.isInteger(samples);
  return (
    <span
      className="leading-tight"
      title={whole ? "Whole samples: aligning changes no sample value" : "Interpolated between samples"}
    >
      <span className="figure block">{withUnit(signed(samples, whole ? 0 : 2), "smp")}</span>
      <span className="figure block text-[11px] text-soft">
        {error >= LEAST_ERROR_TOLD && `±${number(error, error < 1 ? 2 : 1)} · `}
        {withUnit(signed((1000 * samples) / sampleRateHz, 2), "ms")}
      </span>
    </span>
  );
}

/** How fast the delay grows; of a steady clock too it is told how well that is known. */
function ClockFigure({ drift, error }: { drift: number | null; error: number | null }) {
  if (drift === null) {
    return (
      <span className="text-soft" title="Too short, or too few parts agree">
        not known
      </span>
    );
  }
  return (
    <span
      className="whitespace-nowrap leading-tight"
      title={drift === 0 ? "No drift measurable" : "Corrected by interpolation"}
    >
      <span className="figure block">{drift === 0 ? "no drift" : withUnit(signed(drift, 2), "ppm")}</span>
      {error !== null && error >= LEAST_ERROR_TOLD && (
        <span className="figure block text-[11px] text-soft">{withUnit(`±${number(error, 2)}`, "ppm")}</span>
      )}
    </span>
  );
}

function PolarityWords({ render }: { render: Render }) {
  const { pair } = useWorkbench();
  const alignment = useAlignment(render, pair?.dry);
  const words = alignment ? channelWords(placementOf(alignment)) : "";
  return (
    <span className={`leading-tight ${words ? "" : "text-soft"}`} title={words || "same as dry"}>
      {words || "same"}
    </span>
  );
}

/** What nulls against the dry render at the best gain, before and after where that differs; silence is said in a word. */
function ResidualFigures({ residuals }: { residuals: Residuals | undefined }) {
  const words = (db: number | null) => (db === null ? "silence" : decibels(db));
  return (
    <span className="figure whitespace-nowrap text-[11.5px]">
      {residuals ? (
        <>
          {residuals.beforeDb !== residuals.afterDb && (
            <span className="text-soft">{residuals.beforeDb === null ? "silence" : number(residuals.beforeDb)} → </span>
          )}
          <span className="text-difference">{words(residuals.afterDb)}</span>
        </>
      ) : (
        <Figure text={NO_FIGURE} why={MISSING.measuring} />
      )}
    </span>
  );
}
