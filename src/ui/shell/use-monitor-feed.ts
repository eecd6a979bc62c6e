import { queryOptions, useQueries } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useStore } from "zustand";
import type { Overview } from "@/core/audio/overview";
import { recipeKey } from "@/core/recipes/recipe";
import type { Voice } from "@/playback/feed";
import { heldBoostDb, type MonitorSettings, monitorGains } from "@/playback/monitor-gains";
import type { Gains } from "@/playback/player";
import { workedOut } from "@/store/copies";
import { overviewNow, recipeNow } from "@/store/line-up";
import type { Render } from "@/store/records";
import { player, restorePreferences, useMonitor } from "./monitor";
import { sentenceOf } from "./queries";
import { rankOf } from "./sight";
import { laidKey, type Results, useResults } from "./use-results";
import type { Pair } from "./workbench";

/** A render in step as something to be heard. */
async function voiceOf(render: Render, dry: Render): Promise<Voice> {
  const recipe = await recipeNow(render, dry);
  return { ...(await workedOut(recipe)), key: `${render.id} ${recipeKey(recipe)}`, channelCount: render.channelCount };
}

const voiceQuery = (render: Render, dry: Render) =>
  queryOptions({ queryKey: ["voice", ...laidKey(render, dry)], queryFn: () => voiceOf(render, dry) });

type Overviews = { here: Overview | null; yonder: Overview | null };

/** Waveforms of the pair in step; those of the files as they came, until they are drawn. */
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

type Monitor = Pick<ReturnType<typeof useMonitor.getState>, "heard" | "matched" | "boostDb">;

function settingsFor({ pair, match, figures }: Results, { heard, matched, boostDb }: Monitor): MonitorSettings {
  return {
    heard,
    matched,
    hereGainDb: (pair && match?.renders.get(pair.here.id)?.gainDb) ?? 0,
    yonderGainDb: (pair && match?.renders.get(pair.yonder.id)?.gainDb) ?? 0,
    nullGainDb: figures?.nullGainDb ?? null,
    boostDb,
  };
}

/** The boost in force: what was asked for, held back so that the difference is never louder than Here. */
export const boostInForce = (results: Results, monitor: Monitor): number =>
  heldBoostDb(settingsFor(results, monitor), results.figures?.energies ?? null);

/** Linear gains of the pair, as the monitor stands, by the keys of their voices. */
function gainsFor(results: Results, monitor: Monitor, keyOf: (render: Render) => string | undefined): Gains {
  const settings = { ...settingsFor(results, monitor), boostDb: boostInForce(results, monitor) };
  const [here, yonder] = monitorGains(settings);
  const { pair } = results;
  const [hereKey, yonderKey] = pair ? [keyOf(pair.here), keyOf(pair.yonder)] : [];
  const gains = new Map<string, number>();
  if (hereKey) gains.set(hereKey, here);
  // One render against itself is heard once, and its difference is none.
  if (yonderKey) gains.set(yonderKey, yonder + (gains.get(yonderKey) ?? 0));
  return gains;
}

const LEAP = 2;
const OTHERS_AWAITED_MS = 150;

/**
 * Keeps the player fed: every render of the passage is a voice, the pair first; which are heard, and how loud, is a matter of gains. What
 * stands in the way is returned, for a person.
 */
export function useMonitorFeed(): string | null {
  const results = useResults();
  const { pair } = results;
  const monitor = useMonitor();
  const playerProblem = useStore(player.state, (s) => s.problem);
  const renders = pair?.renders ?? [];
  const queries = useQueries({ queries: renders.map((r) => voiceQuery(r, pair?.dry ?? r)) });
  const voiceFor = (render: Render) => queries[renders.findIndex((r) => r.id === render.id)]?.data;
  const isPairThere = pair !== null && [pair.here, pair.yonder].every(voiceFor);
  // The others come in together, so that the tape is laid twice at the most.
  const arePending = queries.some((q) => q.isPending);
  const heard = renders.filter(
    (r) => voiceFor(r) && (!arePending || r.id === pair?.here.id || r.id === pair?.yonder.id),
  );
  const voices = isPairThere ? heard.flatMap((r) => voiceFor(r) ?? []) : [];
  const gains = gainsFor(results, monitor, (render) => voiceFor(render)?.key);
  const latest = useRef({ voices, gains });
  latest.current = { voices, gains };

  useEffect(() => {
    void restorePreferences();
    return () => player.close();
  }, []);

  const { sampleRateHz = 0, frames = 0 } = pair?.dry ?? {};
  const voicesKey = [sampleRateHz, frames, ...voices.map((v) => v.key)].join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key holds all that is laid on the tape
  useEffect(() => {
    if (frames === 0) player.close();
    if (frames === 0 || latest.current.voices.length === 0) return;
    const load = () => void player.load(latest.current.voices, sampleRateHz, frames, latest.current.gains);
    // The pair alone is laid on a tape of its own only where the others take their time.
    const timer = setTimeout(load, arePending ? OTHERS_AWAITED_MS : 0);
    return () => clearTimeout(timer);
  }, [voicesKey]);

  const loudest = Math.max(0, ...[...gains.values()].map(Math.abs));
  const gainsKey = [...gains].join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: equal gains are made anew at every drawing
  useEffect(() => {
    // Into the boosted difference the level may leap: it is faded in, never switched.
    player.mix(latest.current.gains, loudest > LEAP);
  }, [gainsKey, loudest]);

  const loop = monitor.loopOn ? (pair?.passage.loop ?? null) : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the edges are the loop; a new passage may have another one
  useEffect(() => {
    player.setLoop(loop);
  }, [loop?.startFrame, loop?.endFrame, voicesKey]);

  const failed = pair && [pair.here, pair.yonder].map((r) => queries[renders.indexOf(r)]?.error).find(Boolean);
  return (failed ? sentenceOf(failed) : null) ?? playerProblem ?? results.problem;
}
