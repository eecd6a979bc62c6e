"use client";

import { useCallback, useEffect, useRef, useState } from "react";
import { useStore } from "zustand";
import type { Run } from "@/core/blind/run";
import type { Voice } from "@/playback/feed";
import { Player } from "@/playback/player";
import { workedOut } from "@/store/copies";
import type { Region } from "@/store/records";
import { atItsGain, dryOf, stimulusRecipe } from "@/store/stimuli";
import { REFERENCE_SEAT, type Seat, seatsOf } from "./seats";

/** Every seat is a voice of two channels, whatever sits there: the graph is wired alike in every trial. */
const VOICE_CHANNELS = 2;

/** The voices of one trial by their seats, each at the gain of its match: the graph plays all of them at one. */
async function voicesOf(run: Run, hidden: readonly number[]): Promise<{ voices: Voice[]; frames: number }> {
  const dry = await dryOf(run);
  const seated = [...hidden.map((i) => run.stimuli[i]), ...(run.reference ? [run.reference] : [])];
  const seats = [...seatsOf(run), ...(run.reference ? [REFERENCE_SEAT] : [])];
  const voices = await Promise.all(
    seated.map(async (stimulus, i) => ({
      ...(await workedOut(atItsGain(stimulus, await stimulusRecipe(stimulus, dry)))),
      key: seats[i].name,
      channelCount: VOICE_CHANNELS,
    })),
  );
  return { voices, frames: dry?.frames ?? run.region.endFrame };
}

export type BoothPlayer = {
  player: Player;
  seats: readonly Seat[];
  /** The seat under the needle, and those heard in this trial. */
  seat: string;
  heard: ReadonlySet<string>;
  ready: boolean;
  problem: string | null;
  loop: Region;
  choose: (name: string) => void;
  setLoop: (loop: Region) => void;
  listenedSeconds: () => number;
};

/**
 * The booth's own transport. Who sits where is asked of `seating` anew for each trial, and goes to the player alone; every switch passes
 * through the same short silence, and each trial starts at rest from the start of the loop with the first seat under the needle.
 */
export function useBoothPlayer(run: Run, trial: string, seating: () => Promise<readonly number[]>): BoothPlayer {
  const [player] = useState(() => new Player({ evenly: true }));
  const seats = run.reference ? [...seatsOf(run), REFERENCE_SEAT] : seatsOf(run);
  const first = seats[0].name;
  const [seat, setSeat] = useState(first);
  const [heard, setHeard] = useState<ReadonlySet<string>>(new Set());
  const [readyTrial, setReadyTrial] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [loop, setLoopState] = useState<Region>(run.region);
  const listening = useRef({ since: null as number | null, total: 0 });
  const latest = useRef({ run, seating, loop });
  latest.current = { run, seating, loop };

  useEffect(() => () => player.close(), [player]);

  useEffect(() => {
    let current = true;
    const { run: now, seating: seated } = latest.current;
    setReadyTrial(null);
    setSeat(first);
    setHeard(new Set());
    listening.current = { since: null, total: 0 };
    seated()
      .then((hidden) => voicesOf(now, hidden))
      .then(async ({ voices, frames }) => {
        if (!current) return;
        const scenes = new Map(voices.map(({ key }) => [key, new Map([[key, 1]])]));
        await player.load(voices, now.sampleRateHz, frames, scenes, first);
        if (!current) return;
        player.setLoop(latest.current.loop);
        player.seek(latest.current.loop.startFrame);
        setReadyTrial(trial);
      })
      .catch((error: unknown) => current && setProblem(error instanceof Error ? error.message : String(error)));
    return () => {
      current = false;
    };
  }, [player, trial, first]);

  useEffect(
    () =>
      player.state.subscribe(({ playing }) => {
        const clockNow = performance.now();
        const { since, total } = listening.current;
        if (playing && since === null) listening.current.since = clockNow;
        if (!playing && since !== null) listening.current = { since: null, total: total + clockNow - since };
      }),
    [player],
  );
  const playing = useStore(player.state, (s) => s.playing);
  useEffect(() => {
    if (playing) setHeard((known) => new Set(known).add(seat));
  }, [playing, seat]);

  const choose = useCallback(
    (name: string) => {
      setSeat(name);
      player.hearThroughSilence(name);
      if (!player.state.getState().playing) void player.play();
    },
    [player],
  );
  const setLoop = useCallback(
    (next: Region) => {
      setLoopState(next);
      player.setLoop(next);
    },
    [player],
  );
  const listenedSeconds = useCallback(() => {
    const { since, total } = listening.current;
    return Math.round(total + (since === null ? 0 : performance.now() - since)) / 1000;
  }, []);
  const playerProblem = useStore(player.state, (s) => s.problem);
  return {
    player,
    seats,
    seat,
    heard,
    ready: readyTrial === trial,
    problem: problem ?? playerProblem,
    loop,
    choose,
    setLoop,
    listenedSeconds,
  };
}
