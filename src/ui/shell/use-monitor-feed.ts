import { useEffect, useRef, useState } from "react";
import type { Placement } from "@/core/alignment/alignment";
import type { Overview } from "@/core/audio/overview";
import { heldBoostDb, type MonitorSettings, monitorGains } from "@/playback/monitor-gains";
import { handOf, placedSamples, placementText } from "@/store/line-up";
import type { Render } from "@/store/records";
import { useAttempt } from "./attempt";
import { player, restorePreferences, useMonitor } from "./monitor";
import { useWorkbench, type Workbench } from "./workbench";

type Samples = { channels: Float32Array<ArrayBuffer>[]; overview: Overview };

/** Renders kept ready for the ear; the oldest goes first. */
const KEPT_RENDERS = 6;
const ready = new Map<string, Promise<Samples>>();

/** A render's samples in step: as it stands now, or as `placement` says. */
export function samplesOf(render: Render, dry: Render, placement?: Placement): Promise<Samples> {
  const set = placement ?? handOf(render, dry)?.placement;
  const key = [dry.audioHash, render.audioHash, set ? placementText(set) : "found"].join(":");
  const known = ready.get(key);
  const samples = known ?? placedSamples(render, dry, placement);
  ready.delete(key);
  ready.set(key, samples);
  if (!known) samples.catch(() => ready.delete(key));
  for (const oldest of ready.keys()) {
    if (ready.size <= KEPT_RENDERS) break;
    ready.delete(oldest);
  }
  return samples;
}

type Monitor = Pick<ReturnType<typeof useMonitor.getState>, "heard" | "matched" | "boostDb">;

function settingsFor({ pair, match, figures }: Workbench, { heard, matched, boostDb }: Monitor): MonitorSettings {
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
export const boostInForce = (workbench: Workbench, monitor: Monitor): number =>
  heldBoostDb(settingsFor(workbench, monitor), workbench.figures?.energies ?? null);

/** Linear gains of [Here, Yonder] as the monitor stands. */
const gainsFor = (workbench: Workbench, monitor: Monitor): [number, number] =>
  monitorGains({ ...settingsFor(workbench, monitor), boostDb: boostInForce(workbench, monitor) });

const LEAP = 2;

/** Keeps the player fed: the pair's samples when the pair changes, its gains and loop when those change. */
export function useMonitorFeed(): { problem: string | null } {
  const workbench = useWorkbench();
  const { pair } = workbench;
  const monitor = useMonitor();
  const [problem, setProblem] = useState<string | null>(null);
  const { attempt } = useAttempt();
  const pairKey = pair
    ? attempt +
      [pair.dry, pair.here, pair.yonder].map((r) => `${r.id}${r.hand ? placementText(r.hand.placement) : ""}`).join()
    : null;
  const gains = gainsFor(workbench, monitor);
  const latest = useRef(workbench);
  latest.current = workbench;

  useEffect(() => {
    void restorePreferences();
    return () => player.close();
  }, []);

  // biome-ignore lint/correctness/useExhaustiveDependencies: samples are loaded anew only when the pair is another one
  useEffect(() => {
    if (!pair) {
      player.close();
      useMonitor.setState({ overviews: null });
      return;
    }
    let current = true;
    Promise.all([samplesOf(pair.here, pair.dry), samplesOf(pair.yonder, pair.dry)])
      .then(async ([here, yonder]) => {
        if (!current) return;
        useMonitor.setState({ overviews: { here: here.overview, yonder: yonder.overview } });
        const voices = [
          { key: "here", channels: here.channels },
          { key: "yonder", channels: yonder.channels },
        ];
        const { sampleRateHz, frames } = pair.dry;
        await player.prepare(voices, sampleRateHz, frames);
        if (!current) return;
        player.load(voices, sampleRateHz, frames, gainsFor(latest.current, useMonitor.getState()));
        setProblem(null);
      })
      .catch((error: unknown) => current && setProblem(error instanceof Error ? error.message : String(error)));
    return () => {
      current = false;
    };
  }, [pairKey]);

  const [hereGain, yonderGain] = gains;
  const loudest = Math.max(Math.abs(hereGain), Math.abs(yonderGain));
  useEffect(() => {
    // Into the boosted difference the level may leap: it is faded in, never switched.
    player.mix([hereGain, yonderGain], loudest > LEAP);
  }, [hereGain, yonderGain, loudest]);

  const loop = monitor.loopOn ? (pair?.passage.loop ?? null) : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the edges are the loop; a new pair may have another one
  useEffect(() => {
    player.setLoop(loop);
  }, [loop?.startFrame, loop?.endFrame, pairKey]);

  return { problem };
}
