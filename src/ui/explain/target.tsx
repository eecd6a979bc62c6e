"use client";

import { useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Averaged } from "@/core/spectrum/averaged";
import { decibels, signed } from "@/core/words/units";
import { wholeOf } from "@/store/line-up";
import type { Render } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { useSpectra } from "./use-explained";

/** A finished track that the pair is held against: a render of another passage, and what it is called. */
export type Target = { render: Render; title: string };

/** What may be held up as a target, and the one that is; none where there is no other passage. */
export function useTarget(pair: Pair) {
  const { passages, renders, titleOf } = useWorkbench();
  const [chosen, choose] = useState<string | null>(null);
  const targets = passages
    .filter((passage) => passage.id !== pair.passage.id)
    .flatMap((passage) =>
      renders
        .filter((render) => render.passageId === passage.id)
        .map((render): Target => ({ render, title: `${passage.title}: ${titleOf(render)}` })),
    );
  return { targets, target: targets.find(({ render }) => render.id === chosen) ?? targets[0] ?? null, choose };
}

/** All of a target averaged; null until it is, and where there is none. */
export function useTargetSpectra(target: Target | null, pair: Pair, points: number, view: ChannelView) {
  const render = target?.render ?? pair.here;
  const whole = wholeOf(render);
  // A target lies on itself: where it begins on another render does not matter.
  const { data, problem } = useSpectra([render], render, whole, points, view);
  return { data: target ? (data as Averaged | null) : null, problem };
}

export function TargetSelect({
  targets,
  target,
  onChoose,
}: {
  targets: readonly Target[];
  target: Target | null;
  onChoose: (renderId: string) => void;
}) {
  if (!target) return null;
  return (
    <QuickSelect
      label={LABELS.target}
      title="to"
      value={target.render.id}
      onChange={onChoose}
      options={targets.map(({ render, title }) => ({ value: render.id, title }))}
    />
  );
}

/** Loudness of the target and how far Here and Yonder are from it, each file as it came. */
export function TargetLevels({ target, pair }: { target: Target | null; pair: Pair }) {
  if (!target)
    return <p className="text-[13px] text-soft">No target yet: add a finished track at Gather, as its own passage.</p>;
  const { integratedLufs, truePeakDbtp, rangeLu } = target.render.levels;
  const missing = (render: Render) => {
    const own = render.levels.integratedLufs;
    return own === null || integratedLufs === null ? "loudness not measured" : `${signed(own - integratedLufs)} LU`;
  };
  return (
    <p className="flex flex-wrap gap-x-5 gap-y-0.5 text-[13px]" data-testid="target-levels">
      <span>
        {LABELS.target}{" "}
        <span className="figure">
          {decibels(integratedLufs, "LUFS")}, {decibels(truePeakDbtp, "dBTP")}, range {decibels(rangeLu, "LU")}
        </span>
      </span>
      <span className="text-here">
        {LABELS.here} <span className="figure">{missing(pair.here)}</span>
      </span>
      <span className="text-yonder">
        {LABELS.yonder} <span className="figure">{missing(pair.yonder)}</span>
      </span>
      <span className="text-soft" title="Whole files, as delivered">
        as delivered
      </span>
    </p>
  );
}
