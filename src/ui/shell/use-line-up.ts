import { useEffect, useMemo, useState } from "react";
import type { Alignment } from "@/core/alignment/alignment";
import type { PairFigures } from "@/core/difference/pair";
import type { Levels } from "@/core/loudness/measure";
import { alignmentOf, levelsOver, matchPassage, type PassageMatch, pairFigures } from "@/store/line-up";
import type { Passage, Region, Render } from "@/store/records";
import { JobCancelled } from "@/workers/jobs";
import type { Pair } from "./workbench";

const sentenceOf = (error: unknown): string | null =>
  error instanceof JobCancelled
    ? "The measurement was cancelled. Reload the page to take it up again."
    : error instanceof Error
      ? error.message
      : String(error);

type Lying = { render: Render; dry: Render; key: string };

/** Every render with its passage's dry one; the passage being looked at comes first, its pair before the rest. */
function allLying(passages: Passage[], renders: Render[], firstPassageId: string | undefined): Lying[] {
  return passages
    .toSorted((a, b) => Number(b.id === firstPassageId) - Number(a.id === firstPassageId))
    .flatMap((passage) => {
      const own = renders.filter((r) => r.passageId === passage.id);
      const dry = own.find((r) => r.id === passage.dryRenderId);
      const inPair = (r: Render) => r.id === passage.hereRenderId || r.id === passage.yonderRenderId;
      return dry
        ? own
            .toSorted((a, b) => Number(inPair(b)) - Number(inPair(a)))
            .map((render) => ({ render, dry, key: `${dry.id}:${render.id}` }))
        : [];
    });
}

/** How every render lies against its passage's dry one, by render id. */
export function useAlignments(passages: Passage[], renders: Render[], firstPassageId: string | undefined) {
  const [known, setKnown] = useState<ReadonlyMap<string, Alignment>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const lying = useMemo(() => allLying(passages, renders, firstPassageId), [passages, renders, firstPassageId]);
  const keys = lying.map((l) => l.key).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key holds all that the result hangs on; the objects are made anew at every write
  useEffect(() => {
    let current = true;
    setProblem(null);
    for (const { render, dry, key } of lying) {
      alignmentOf(render, dry)
        .then((found) => current && setKnown((before) => new Map(before).set(key, found)))
        .catch((error: unknown) => current && setProblem(sentenceOf(error)));
    }
    return () => {
      current = false;
    };
  }, [keys]);
  const alignments = useMemo(() => {
    const byRender = new Map<string, Alignment>();
    for (const { render, key } of lying) {
      const found = known.get(key);
      if (found) byRender.set(render.id, found);
    }
    return byRender;
  }, [lying, known]);
  return { alignments, problem };
}

/**
 * Gains that bring the passage's renders to one level, over the passage or, with a region, over that. A render at another
 * rate is measured as it is played, converted to its dry one's.
 */
export function useMatch(pair: Pair | null, region: Region | null): PassageMatch | null {
  const [measured, setMeasured] = useState<{ key: string; levels: Map<string, Levels> } | null>(null);
  const wanted = pair ? pair.renders.filter((r) => region !== null || r.sampleRateHz !== pair.dry.sampleRateHz) : [];
  const edges = pair && (region ?? { startFrame: 0, endFrame: pair.dry.frames });
  const key = pair && edges ? [pair.dry.id, ...wanted.map((r) => r.id), edges.startFrame, edges.endFrame].join() : "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key holds all that the result hangs on; the objects are made anew at every write
  useEffect(() => {
    if (!pair || !edges) return;
    let current = true;
    Promise.all(wanted.map(async (r) => [r.id, await levelsOver(r, pair.dry, edges)] as const))
      .then((entries) => current && setMeasured({ key, levels: new Map(entries) }))
      // The same trouble shows where the pair is measured.
      .catch(() => {});
    return () => {
      current = false;
    };
  }, [key]);
  return useMemo(() => {
    if (!pair) return null;
    if (wanted.length === 0) return matchPassage(pair.dry, pair.renders, new Map());
    return measured?.key === key ? matchPassage(pair.dry, pair.renders, measured.levels) : null;
  }, [pair, wanted.length, measured, key]);
}

/** What sets Here and Yonder apart over the region; null while it is being worked out. */
export function usePairFigures(pair: Pair | null, region: Region | null, match: PassageMatch | null) {
  const [state, setState] = useState<{ key: string; figures: PairFigures | null; problem: string | null } | null>(null);
  const hereGain = pair && match?.gainsDb.get(pair.here.id);
  const yonderGain = pair && match?.gainsDb.get(pair.yonder.id);
  const key =
    pair && region && typeof hereGain === "number" && typeof yonderGain === "number"
      ? [pair.dry.id, pair.here.id, pair.yonder.id, region.startFrame, region.endFrame, hereGain, yonderGain].join()
      : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key holds all that the result hangs on; the objects are made anew at every write
  useEffect(() => {
    if (!pair || !region || !key || typeof hereGain !== "number" || typeof yonderGain !== "number") return;
    let current = true;
    pairFigures(pair.here, pair.yonder, pair.dry, region, { here: hereGain, yonder: yonderGain })
      .then((figures) => current && setState({ key, figures, problem: null }))
      .catch((error: unknown) => current && setState({ key, figures: null, problem: sentenceOf(error) }));
    return () => {
      current = false;
    };
  }, [key]);
  const fresh = state?.key === key ? state : null;
  return { figures: fresh?.figures ?? null, problem: fresh?.problem ?? null };
}
