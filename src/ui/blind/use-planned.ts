import { useQueries } from "@tanstack/react-query";
import { useCallback } from "react";
import { type Alignment, AS_IT_IS, type Placement, placementOf, placementSchema } from "@/core/alignment/alignment";
import { shared } from "@/core/audio/region";
import { type Check, type Checked, checksOf } from "@/core/blind/checks";
import { levelsIn } from "@/core/blind/levels";
import type { RunMatch, Stimulus } from "@/core/blind/run";
import { runMatchOf } from "@/core/blind/run-match";
import type { StretchLevels } from "@/core/loudness/measure";
import { levelsOver } from "@/store/levelling";
import { coveredPart, wholeOf } from "@/store/line-up";
import type { Region, Render } from "@/store/records";
import { rankOf } from "@/ui/shell/sight";
import { laidKey, type Results } from "@/ui/shell/use-results";

/** What brings a render aligned now, to be kept with the run. */
const placementNow = (alignment: Alignment | undefined): Placement =>
  alignment ? placementSchema.parse(placementOf(alignment)) : AS_IT_IS;

const ANCHOR_TITLE = "Anchor, 3.5 kHz low-pass";

/** Renders of a run as what is heard: matched, placed as they are now. */
export function stimuliOf(
  { match, alignments, titleOf, pair }: Results,
  renders: readonly Render[],
  { reference, anchor }: { reference: boolean; anchor: boolean },
): Stimulus[] {
  const stimulus = (render: Render, role: Stimulus["role"], title = titleOf(render)): Stimulus => ({
    title,
    role,
    renderId: render.id,
    audioHash: render.audioHash,
    fileName: render.fileName,
    placement: placementNow(alignments.get(render.id)),
    gainDb: match?.renders.get(render.id)?.gainDb ?? 0,
  });
  const dry = pair?.dry;
  return [
    ...renders.map((render) => stimulus(render, "candidate")),
    ...(reference && dry ? [stimulus(dry, "reference")] : []),
    ...(anchor && dry ? [stimulus(dry, "anchor", ANCHOR_TITLE)] : []),
  ];
}

export type Planned = {
  region: Region | null;
  /** What of it all have; null where that is nothing. */
  common: Region | null;
  checks: Check[];
  match: RunMatch | null;
};

const lengthOf = ({ startFrame, endFrame }: Region): number => Math.max(0, endFrame - startFrame);

/** Where a run over these renders would be heard, and whether it is fair: measured there, with the gains of the match. */
export function usePlanned(results: Results, renders: readonly Render[]): Planned {
  const { pair, match, matchSettled, alignments, titleOf } = results;
  const dry = pair?.dry;
  const whole = dry ? wholeOf(dry) : null;
  const first = useCallback((all: { data?: Region }[]) => all.map((q) => q.data), []);
  const covered = useQueries({
    queries: renders.map((render) => ({
      queryKey: ["covered", ...laidKey(render, dry ?? render)],
      queryFn: () => coveredPart(render, dry ?? render, whole ?? { startFrame: 0, endFrame: 1 }),
    })),
    combine: first,
  });
  const loop = pair?.passage.loop ?? null;
  const asked = loop ?? whole;
  const common = asked && covered.reduce<Region>((all, part) => (part ? shared(all, part) : all), asked);
  // A loop is what a person asked for and is not cut without a word; the whole passage is what all have of it.
  const region = loop ?? common;
  const levels = useQueries({
    queries: renders.map((render) => {
      const gainDb = match?.renders.get(render.id)?.gainDb ?? 0;
      return {
        queryKey: [
          "level in a run",
          ...laidKey(render, dry ?? render),
          region?.startFrame,
          region?.endFrame,
          gainDb.toFixed(4),
        ],
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          levelsOver(render, dry ?? render, region ?? { startFrame: 0, endFrame: 1 }, gainDb, {
            signal,
            rank: rankOf(render),
          }),
        enabled: matchSettled && covered.every((c) => c !== undefined),
      };
    }),
    combine: useCallback((all: { data?: StretchLevels }[]) => all.map((q) => q.data), []),
  });
  if (!dry || !region || !match) return { region: null, common: null, checks: [], match: null };
  const figures = levelsIn(levels);
  const checked = renders.map((render, i): Checked => {
    const alignment = alignments.get(render.id);
    const part = covered[i] && shared(covered[i], region);
    return {
      title: titleOf(render),
      level: figures[i],
      peakDbfs: levels[i]?.samplePeakDbfs,
      found: alignment?.found,
      doubts: alignment?.found ? alignment.doubts : [],
      lackedFrames: part && lengthOf(region) - lengthOf(part),
    };
  });
  const gains = renders.map((r) => match.renders.get(r.id)?.gainDb ?? 0);
  const over = pair.passage.match.over === "loop" && pair.passage.loop ? "loop" : "passage";
  return {
    region,
    common: common && lengthOf(common) > 0 ? common : null,
    checks: checksOf(checked, lengthOf(region), dry.sampleRateHz),
    match: runMatchOf({ over, method: match.method }, gains, figures),
  };
}
