import { queryOptions, skipToken, useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useStore } from "zustand";
import { amplitudeFromDb } from "@/core/audio/decibels";
import type { Overview } from "@/core/audio/overview";
import { recipeKey } from "@/core/recipes/recipe";
import type { Voice } from "@/playback/feed";
import { MASK_VOICE } from "@/playback/graph";
import { HEARD, type Heard, heldBoostDb, type MonitorSettings, monitorGains } from "@/playback/monitor-gains";
import type { Gains, Scenes } from "@/playback/player";
import { workedOut } from "@/store/copies";
import { fileRecipe, overviewNow, recipeNow } from "@/store/line-up";
import type { Render } from "@/store/records";
import { type AppliedVoice, appliedScenes, useAppliedVoices } from "./applied-voices";
import { player, restorePreferences, useMonitor } from "./monitor";
import { sentenceOf } from "./queries";
import { rankOf } from "./sight";
import { laidKey, type Results, useResults } from "./use-results";
import type { Pair } from "./workbench";

/** A render aligned as something to be heard. */
async function voiceOf(render: Render, dry: Render): Promise<Voice> {
  const recipe = await recipeNow(render, dry);
  return { ...(await workedOut(recipe)), key: render.id, channelCount: render.channelCount };
}

const voiceQuery = (render: Render, dry: Render) =>
  queryOptions({ queryKey: ["voice", ...laidKey(render, dry)], queryFn: () => voiceOf(render, dry) });

type Overviews = { here: Overview | null; yonder: Overview | null };

/** Waveforms of the pair aligned; those of the files as they came, until they are drawn. */
export function useOverviews(pair: Pair | null): Overviews {
  const sides = pair ? [pair.here, pair.yonder] : [];
  const [here = null, yonder = null] = useQueries({
    queries: sides.map((render) => ({
      queryKey: ["overview", ...laidKey(render, pair?.dry ?? render)],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        overviewNow(render, pair?.dry ?? render, { signal, rank: rankOf(render) }),
      placeholderData: render.overview,
    })),
    combine: (results) => results.map((r) => r.data ?? null),
  });
  return { here, yonder };
}

type Monitor = Pick<ReturnType<typeof useMonitor.getState>, "matched" | "boostDb" | "flipped">;

const gainDbOf = ({ match }: Results, render: Render | undefined): number =>
  (render && match?.renders.get(render.id)?.gainDb) ?? 0;

function settingsFor(results: Results, heard: Heard, { matched, boostDb, flipped }: Monitor): MonitorSettings {
  const { pair, figures } = results;
  return {
    heard,
    matched,
    flipped,
    hereGainDb: gainDbOf(results, pair?.here),
    yonderGainDb: gainDbOf(results, pair?.yonder),
    nullGainDb: figures?.nullGainDb ?? null,
    boostDb,
  };
}

/** The boost in force: what was asked for, held back so that the difference is never louder than Here. */
export const boostInForce = (results: Results, monitor: Monitor): number =>
  heldBoostDb(settingsFor(results, "difference", monitor), results.figures?.energies ?? null);

/** Everything that can be switched to, as the monitor stands: the sides of the pair, their difference, and every render by its id. */
function scenesFor(results: Results, monitor: Monitor, applied: readonly AppliedVoice[]): Scenes {
  const { pair } = results;
  const scenes = new Map<string, Gains>();
  if (!pair) return scenes;
  for (const heard of HEARD) {
    const settings = { ...settingsFor(results, heard, monitor), boostDb: boostInForce(results, monitor) };
    const [here, yonder] = monitorGains(settings);
    const gains = new Map([[pair.here.id, here]]);
    // One render against itself is heard once, and its difference is none.
    gains.set(pair.yonder.id, yonder + (pair.yonder.id === pair.here.id ? here : 0));
    scenes.set(heard, gains);
  }
  for (const render of pair.renders)
    scenes.set(render.id, new Map([[render.id, monitor.matched ? amplitudeFromDb(gainDbOf(results, render)) : 1]]));
  const yonderGain = monitor.matched ? amplitudeFromDb(gainDbOf(results, pair.yonder)) : 1;
  for (const [name, gains] of appliedScenes(applied, pair.yonder.id, yonderGain, monitor.boostDb))
    scenes.set(name, gains);
  return scenes;
}

/** A fit applied belongs to a pair as it lies, and to a region. */
export const appliedKey = ({ here, yonder, dry, passage }: Pair): string =>
  [...laidKey(here, dry), ...laidKey(yonder, dry), JSON.stringify(passage.loop)].join();

const OTHERS_AWAITED_MS = 150;

/** The mask of the dry render's transients as a voice, where it is looked through. */
function useMask(dry: Render | undefined, wanted: boolean): Voice | null {
  const { data = null } = useQuery({
    queryKey: ["mask", dry?.audioHash],
    queryFn: dry
      ? async () => ({
          ...(await workedOut({ of: "onsets", source: fileRecipe(dry) })),
          key: MASK_VOICE,
          channelCount: 1,
        })
      : skipToken,
    enabled: wanted,
  });
  return wanted ? data : null;
}

/**
 * Keeps the player fed: every render of the passage is a voice, the pair first; which are heard, and how loud, is a matter of scenes. What
 * stands in the way is returned, for a person.
 */
export function useMonitorFeed(): string | null {
  const results = useResults();
  const { pair, match, figures } = results;
  const monitor = useMonitor();
  const playerProblem = useStore(player.state, (s) => s.problem);
  const renders = pair?.renders ?? [];
  const queries = useQueries({ queries: renders.map((r) => voiceQuery(r, pair?.dry ?? r)) });
  const voiceFor = (render: Render) => queries[renders.findIndex((r) => r.id === render.id)]?.data;
  const isPairThere = pair !== null && [pair.here, pair.yonder].every(voiceFor);
  // The others come in together, so that the tape is laid twice at the most.
  const arePending = queries.some((q) => q.isPending);
  const laid = renders.filter(
    (r) => voiceFor(r) && (!arePending || r.id === pair?.here.id || r.id === pair?.yonder.id),
  );
  const { pairKey, applied: allApplied } = useAppliedVoices();
  const applied = pair && pairKey === appliedKey(pair) ? allApplied : [];
  const mask = useMask(pair?.dry, monitor.view.moments !== "all");
  const voices = isPairThere
    ? [...laid.flatMap((r) => voiceFor(r) ?? []), ...applied.map(({ voice }) => voice), ...(mask ? [mask] : [])]
    : [];
  const scenes = scenesFor(results, monitor, applied);
  const heard = scenes.has(monitor.heard) ? monitor.heard : "here";
  const latest = useRef({ voices, scenes, heard });
  latest.current = { voices, scenes, heard };

  useEffect(() => {
    void restorePreferences();
    return () => player.close();
  }, []);

  const { sampleRateHz = 0, frames = 0 } = pair?.dry ?? {};
  const voicesKey = [sampleRateHz, frames, ...voices.map((v) => `${v.key} ${recipeKey(v.recipe)}`)].join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key holds all that is laid on the tape
  useEffect(() => {
    if (frames === 0) player.close();
    if (frames === 0 || latest.current.voices.length === 0) return;
    const load = () => {
      const now = latest.current;
      void player.load(now.voices, sampleRateHz, frames, now.scenes, now.heard);
    };
    // The pair alone is laid on a tape of its own only where the others take their time.
    const timer = setTimeout(load, arePending ? OTHERS_AWAITED_MS : 0);
    return () => clearTimeout(timer);
  }, [voicesKey]);

  // What a person asked for is heard at once. What was measured meanwhile waits for the next switch: nothing audible changes by itself.
  const asked = JSON.stringify([
    pair?.passage.id,
    pair?.here.id,
    pair?.yonder.id,
    pair?.passage.match,
    monitor.matched,
    monitor.boostDb,
    monitor.flipped,
  ]);
  const known = match !== null && (heard !== "difference" || figures !== null);
  const before = useRef({ asked, known });
  const scenesKey = [...scenes].map(([name, gains]) => `${name} ${[...gains]}`).join(";");
  // biome-ignore lint/correctness/useExhaustiveDependencies: equal scenes are made anew at every drawing
  useEffect(() => {
    const held = before.current.asked === asked && before.current.known;
    before.current = { asked, known };
    player.setScenes(latest.current.scenes, held);
  }, [scenesKey, asked]);

  const behind = heard === "here" ? "yonder" : "here";
  // biome-ignore lint/correctness/useExhaustiveDependencies: the same
  useEffect(() => {
    player.setBehind(latest.current.scenes.get(behind) ?? new Map());
  }, [scenesKey, behind]);

  const marked = monitor.loopOn ? (pair?.passage.loop ?? null) : null;
  const loop = marked ?? (monitor.wholeLoop && frames > 0 ? { startFrame: 0, endFrame: frames } : null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the edges are the loop; a new passage may have another one
  useEffect(() => {
    player.setLoop(loop);
  }, [loop?.startFrame, loop?.endFrame, voicesKey]);

  const failed = pair && [pair.here, pair.yonder].map((r) => queries[renders.indexOf(r)]?.error).find(Boolean);
  return (failed ? sentenceOf(failed) : null) ?? playerProblem ?? results.problem;
}
