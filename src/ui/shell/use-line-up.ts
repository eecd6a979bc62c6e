import { useEffect, useMemo, useState } from "react";
import type { Alignment } from "@/core/alignment/alignment";
import type { PairFigures } from "@/core/difference/pair";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { type MatchEntry, matchPassage, type PassageMatch } from "@/core/matching/match-passage";
import { hastyEntryOf, matchEntryOf, matchRegion, pairFigures, refreshLevels } from "@/store/levelling";
import { alignmentOf, inForce, placementText } from "@/store/line-up";
import type { Passage, Region, Render } from "@/store/records";
import { JobCancelled } from "@/workers/jobs";
import { useAttempt } from "./attempt";
import type { Pair } from "./workbench";

const sentenceOf = (error: unknown): string | null =>
  error instanceof JobCancelled
    ? "The measurement was cancelled."
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

/** How every render lies against its passage's dry one, by render id: as found, and as it is in force. */
export function useAlignments(passages: Passage[], renders: Render[], firstPassageId: string | undefined) {
  const [known, setKnown] = useState<ReadonlyMap<string, Alignment>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const lying = useMemo(() => allLying(passages, renders, firstPassageId), [passages, renders, firstPassageId]);
  const { attempt } = useAttempt();
  const keys = [attempt, ...lying.map((l) => l.key)].join();
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
  return useMemo(() => {
    const found = new Map<string, Alignment>();
    const alignments = new Map<string, Alignment>();
    for (const { render, dry, key } of lying) {
      const own = known.get(key);
      if (!own) continue;
      found.set(render.id, own);
      alignments.set(render.id, inForce(render, dry, own));
    }
    return { found, alignments, problem };
  }, [lying, known, problem]);
}

/** Levels that an earlier version kept are measured anew, behind all else. */
export function useFreshLevels(renders: Render[]): void {
  const stale = renders.filter((r) => r.levelsVersion !== LEVELS_VERSION);
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each render, whatever else is written to it
  useEffect(() => {
    // What cannot be read any more says so where it is lined up.
    for (const render of stale) void refreshLevels(render).catch(() => {});
  }, [stale.map((r) => r.id).join()]);
}

/** What a render's levels hang on besides its audio: measured anew when that is set by hand. */
const handKey = (render: Render): string => (render.hand ? placementText(render.hand.placement) : "");

/**
 * Gains that bring the passage's renders to one level, as its settings say. What is not measured in step yet stands with the levels
 * of its file, so that there are gains at once; `settled` says when all is measured.
 */
export function useMatch(pair: Pair | null): { match: PassageMatch | null; settled: boolean } {
  const [measured, setMeasured] = useState<ReadonlyMap<string, MatchEntry>>(new Map());
  const region = pair && matchRegion(pair.passage, pair.dry);
  const method = pair?.passage.match.method ?? "integrated";
  const prefix = pair && region ? [pair.dry.id, region.startFrame, region.endFrame, method].join() : "";
  const keyOf = (render: Render) => [prefix, render.id, handKey(render)].join();
  const { attempt } = useAttempt();
  const keys = [attempt, ...(pair?.renders.map(keyOf) ?? [])].join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the keys hold all that the result hangs on; the objects are made anew at every write
  useEffect(() => {
    if (!pair || !region) return;
    let current = true;
    for (const render of pair.renders) {
      matchEntryOf(render, pair.dry, region, method)
        .then((entry) => current && setMeasured((before) => new Map(before).set(keyOf(render), entry)))
        // The same trouble shows where the pair is measured.
        .catch(() => {});
    }
    return () => {
      current = false;
    };
  }, [keys]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: keyOf is told by keys
  return useMemo(() => {
    if (!pair) return { match: null, settled: false };
    const entries = pair.renders.map((r) => measured.get(keyOf(r)) ?? hastyEntryOf(r));
    return {
      match: matchPassage(entries, pair.dry.id, pair.passage.match),
      settled: pair.renders.every((r) => measured.has(keyOf(r))),
    };
  }, [pair, measured, keys]);
}

/** What sets Here and Yonder apart over the region; null while it is being worked out. */
export function usePairFigures(pair: Pair | null, region: Region | null, match: PassageMatch | null) {
  const { attempt } = useAttempt();
  const [state, setState] = useState<{ key: string; figures: PairFigures | null; problem: string | null } | null>(null);
  const hereGain = pair && match?.renders.get(pair.here.id)?.gainDb;
  const yonderGain = pair && match?.renders.get(pair.yonder.id)?.gainDb;
  const key =
    pair && region && typeof hereGain === "number" && typeof yonderGain === "number"
      ? [
          pair.dry.id,
          ...[pair.here, pair.yonder].flatMap((r) => [r.id, handKey(r)]),
          region.startFrame,
          region.endFrame,
          hereGain,
          yonderGain,
          attempt,
        ].join()
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
