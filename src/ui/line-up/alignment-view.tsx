"use client";

import { ChevronLeft, ChevronRight } from "lucide-react";
import { useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { clock } from "@/core/words/units";
import type { Render } from "@/store/records";
import { AXIS_HEIGHT, type Span } from "@/ui/charts/chart-frame";
import { LABELS } from "@/ui/labels";
import { keyOptions } from "@/ui/shell/shortcuts";
import { Choice } from "@/ui/shell/transport";
import { useAlignments } from "@/ui/shell/use-results";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";
import { AlignmentRow, FIGURE_COLUMNS } from "./alignment-row";
import { handOn } from "./hand";
import { HandBar } from "./hand-bar";
import { useRowHeight } from "./row-height";
import { SideMark } from "./side-mark";
import { TransientStack } from "./transient-stack";
import { REACH, useResiduals, useSamplesAround, useTransients } from "./use-alignment-view";

const WINDOWS = [16, 64, 256, 1024, 8192] as const;
type Channel = "left" | "right";

/** Renders stacked around an transient, before and after; a row each with what was found, and a bar to overrule it by hand. */
export function AlignmentView() {
  const workbench = useWorkbench();
  const { pair } = workbench;
  const transients = useTransients(pair);
  const [chosenTransient, setChosenTransient] = useState<number | null>(null);
  const [view, setView] = useState<Span>([-256, 256]);
  const [channel, setChannel] = useState<Channel>("left");
  const [chosenId, setChosenId] = useState<string | null>(null);
  const index = chosenTransient ?? transients?.findIndex((o) => o.strength === 1) ?? 0;
  const frame = transients?.[index]?.frame ?? (transients ? 0 : null);
  const around = useSamplesAround(pair, frame);
  const residuals = useResiduals(pair);
  const rows = useMemo(() => (pair ? [pair.dry, ...pair.renders.filter((r) => r.id !== pair.dry.id)] : []), [pair]);
  const chosen = rows.find((r) => r.id === chosenId) ?? pair?.yonder ?? null;
  const stepTransient = (by: number) =>
    transients && setChosenTransient(Math.max(0, Math.min(transients.length - 1, index + by)));
  useHandKeys(chosen, rows, (render) => setChosenId(render.id));
  useHotkeys("n", () => void stepTransient(1), keyOptions("n"));
  useHotkeys("shift+n", () => void stepTransient(-1));
  useHotkeys("z", () => setView((now) => windowAfter(now)), keyOptions("z"));
  if (!pair) return null;
  const half = WINDOWS.find((w) => view[0] === -w && view[1] === w);
  const stack = {
    rows,
    pair,
    around,
    view,
    whole: [-REACH, REACH] as Span,
    onView: setViewOr(setView),
    channel,
    chosenId: chosen?.id ?? null,
  };

  return (
    <>
      <div className="flex items-center gap-4 text-[13px] text-soft">
        <div className="flex items-center gap-1">
          <button
            type="button"
            className="btn btn-xs btn-square border-rule bg-transparent"
            aria-label="Previous transient"
            title="Previous transient (Shift N)"
            disabled={!transients || index === 0}
            onClick={() => stepTransient(-1)}
          >
            <ChevronLeft size={14} />
          </button>
          <span className="figure whitespace-nowrap text-[12px]">
            {transients === null
              ? "Finding transients…"
              : transients.length === 0
                ? "No transient: the dry render is silent"
                : `Transient ${index + 1} of ${transients.length} at ${clock((frame ?? 0) / pair.dry.sampleRateHz)}`}
          </span>
          <button
            type="button"
            className="btn btn-xs btn-square border-rule bg-transparent"
            aria-label="Next transient"
            title="Next transient (N)"
            disabled={!transients || index >= transients.length - 1}
            onClick={() => stepTransient(1)}
          >
            <ChevronRight size={14} />
          </button>
        </div>
        <Choice
          label="Zoom"
          value={half ? String(half) : ""}
          onChange={(value) => setView([-Number(value), Number(value)])}
          options={WINDOWS.map((w) => ({
            value: String(w),
            title: `±${w}`,
            hint: `${w} samples to each side (Z for the next)`,
          }))}
        />
        <Choice
          label="Channel"
          value={channel}
          onChange={setChannel}
          options={[
            { value: "left", title: "Left" },
            { value: "right", title: "Right" },
          ]}
        />
        <span className="flex-1 basis-80 text-right text-[12px]">
          Each trace normalised, dry faint behind it. Drag to zoom, double-click for ±256 samples.
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto rounded-lg border border-rule bg-base-100">
        <div className="grid grid-cols-[9.5rem_1fr_1fr_29rem]">
          <Heads />
          <div className="contents">
            <div style={{ paddingTop: AXIS_HEIGHT }}>
              {rows.map((render) => (
                <RowName
                  key={render.id}
                  render={render}
                  chosen={render.id === chosen?.id}
                  onChoose={() => setChosenId(render.id)}
                />
              ))}
            </div>
            <TransientStack {...stack} side="before" />
            <TransientStack {...stack} side="after" />
            <div style={{ paddingTop: AXIS_HEIGHT }}>
              {rows.map((render) => (
                <AlignmentRow
                  key={render.id}
                  render={render}
                  residuals={residuals(render)}
                  chosen={render.id === chosen?.id}
                  onChoose={() => setChosenId(render.id)}
                />
              ))}
            </div>
          </div>
        </div>
      </div>
      {chosen && <HandBar key={chosen.id} render={chosen} />}
    </>
  );
}

/** The next wider window; from the widest, or from a part chosen by dragging, the narrowest. */
const windowAfter = (view: Span): Span => {
  const at = WINDOWS.findIndex((w) => view[0] === -w && view[1] === w);
  const next = WINDOWS[(at + 1) % WINDOWS.length];
  return [-next, next];
};

const setViewOr = (setView: (view: Span) => void) => (view: Span | null) => setView(view ?? [-256, 256]);

function Heads() {
  const head = "sticky top-0 z-10 border-rule border-b bg-base-100 px-2 py-1 font-medium text-[12px] text-soft";
  return (
    <>
      <div className={head}>{LABELS.render}</div>
      <div className={head}>As delivered: time, samples</div>
      <div className={`${head} border-l`}>Aligned: time, samples</div>
      <div className={`${head} grid ${FIGURE_COLUMNS} gap-2 text-right`}>
        <span>
          <WhatIs figure="delay">Delay</WhatIs>
        </span>
        <span>
          <WhatIs figure="drift">Drift</WhatIs>
        </span>
        <span>
          <WhatIs figure="polarity">Polarity</WhatIs>
        </span>
        <span>
          <WhatIs figure="confidence">{LABELS.confidence}</WhatIs>
        </span>
        <span>
          <WhatIs figure="nullDepth">Null depth re dry</WhatIs>
        </span>
      </div>
    </>
  );
}

function RowName({ render, chosen, onChoose }: { render: Render; chosen: boolean; onChoose: () => void }) {
  const { pair, titleOf } = useWorkbench();
  const rowHeight = useRowHeight();
  const side = render.id === pair?.here.id ? "here" : render.id === pair?.yonder.id ? "yonder" : null;
  const title = titleOf(render);
  return (
    <div
      className={`flex items-center gap-1.5 border-faint border-b px-2 ${chosen ? "bg-base-content/8" : ""}`}
      style={{ height: rowHeight }}
    >
      <SideMark side={side} />
      <button
        type="button"
        aria-pressed={chosen}
        title={title}
        onClick={onChoose}
        className={`h-full min-w-0 flex-1 cursor-pointer truncate text-left text-[13px] ${chosen ? "font-semibold" : ""}`}
      >
        {title}
        {render.id === pair?.dry.id && title !== "Dry" ? " (dry)" : ""}
      </button>
    </div>
  );
}

/** Keys of this view: choose a row, nudge, invert, swap, lock, back. */
function useHandKeys(chosen: Render | null, rows: Render[], choose: (render: Render) => void) {
  const workbench = useWorkbench();
  const { alignments } = useAlignments(workbench.pair);
  const enabled = () => !document.querySelector("dialog[open]");
  const options = (key: string) => ({ ...keyOptions(key), enabled });
  const hand = chosen ? handOn({ ...workbench, alignments }, chosen) : null;
  const move = (by: number) => {
    const index = rows.findIndex((r) => r.id === chosen?.id);
    const next = rows[Math.max(0, Math.min(rows.length - 1, index + by))];
    if (next) choose(next);
  };
  useHotkeys("up,down", (event) => move(event.key === "ArrowUp" ? -1 : 1), { enabled, preventDefault: true });
  useHotkeys("comma", () => hand?.nudge(-1), { enabled, preventDefault: true });
  useHotkeys("period", () => hand?.nudge(1), { enabled, preventDefault: true });
  useHotkeys("shift+comma", () => hand?.nudge(-0.01), { enabled, preventDefault: true });
  useHotkeys("shift+period", () => hand?.nudge(0.01), { enabled, preventDefault: true });
  useHotkeys("f", () => hand?.flip("both"), options("f"));
  useHotkeys("s", () => hand?.swap(), options("s"));
  useHotkeys("k", () => hand?.toggleLock(), options("k"));
  useHotkeys("b", () => hand?.backToFound(), options("b"));
}
