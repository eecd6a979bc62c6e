"use client";

import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useCallback, useEffect, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useStore } from "zustand";
import { amplitudeFromDb } from "@/core/audio/decibels";
import type { AbxSide } from "@/core/blind/abx";
import type { Voice } from "@/playback/feed";
import { Player } from "@/playback/player";
import { database } from "@/store/database";
import type { Run } from "@/store/records";
import { answerTrial, hiddenSide, leaveRun } from "@/store/runs";
import { clock } from "@/ui/format";
import { voiceOf } from "@/ui/shell/use-monitor-feed";
import { RunVerdict } from "./run-verdict";

const SEATS = ["A", "X", "B"] as const;
type Seat = (typeof SEATS)[number];

/** The bare screen of a blind run. */
export function Booth({ runId }: { runId: string }) {
  const run = useLiveQuery(async () => (await database.runs.get(runId)) ?? null, [runId]);
  if (run === undefined) return null;
  if (run === null) {
    return (
      <main className="grid min-h-screen place-content-center gap-3">
        <h1 className="font-semibold text-2xl">This run is not in this browser.</h1>
        <Link className="link" href="/?list">
          All comparisons
        </Link>
      </main>
    );
  }
  return run.finishedAt ? <AfterRun run={run} /> : <OpenRun run={run} />;
}

function AfterRun({ run }: { run: Run }) {
  return (
    <main className="mx-auto grid min-h-screen max-w-3xl content-center gap-6 p-8">
      <RunVerdict run={run} />
      <div className="flex gap-2">
        <Link className="btn btn-primary btn-sm" href={`/comparison/${run.comparisonId}/findings`}>
          To the findings
        </Link>
        <Link className="btn btn-sm border-rule" href={`/comparison/${run.comparisonId}/blind`}>
          Plan another
        </Link>
      </div>
    </main>
  );
}

/** Both sides of the run as voices, in step as the plan has it. */
async function sidesOf(run: Run): Promise<{ A: Voice; B: Voice; frames: number }> {
  const [dry, here, yonder] = await database.renders.bulkGet([run.dryRenderId, run.here.renderId, run.yonder.renderId]);
  if (!dry || !here || !yonder) throw new Error("A render of this run was taken out of its comparison.");
  const [a, b] = await Promise.all([
    voiceOf(here, dry, run.here.placement),
    voiceOf(yonder, dry, run.yonder.placement),
  ]);
  return { A: a, B: b, frames: dry.frames };
}

function OpenRun({ run }: { run: Run }) {
  const trial = run.trials.length;
  const booth = useBoothPlayer(run, trial);
  const { seat, heardSeats, ready, problem, choose, listenedSeconds } = booth;
  const playing = useStore(booth.player.state, (s) => s.playing);
  const answering = useRef(false);
  const [leaving, setLeaving] = useState(false);
  const mayAnswer = ready && heardSeats.has("X") && (heardSeats.has("A") || heardSeats.has("B"));

  const answer = useCallback(
    async (side: AbxSide) => {
      if (!mayAnswer || answering.current) return;
      answering.current = true;
      booth.player.pause();
      await answerTrial(run.id, trial, side, listenedSeconds());
      answering.current = false;
    },
    [mayAnswer, booth.player, run.id, trial, listenedSeconds],
  );
  useHotkeys("1,2,3", (event) => choose(SEATS[Number(event.key) - 1]));
  useHotkeys("a", () => void answer("A"), { useKey: true });
  useHotkeys("b", () => void answer("B"), { useKey: true });
  useHotkeys("space", (event) => {
    event.preventDefault();
    booth.player.togglePlay();
  });

  if (problem) return <BrokenRun run={run} problem={problem} />;
  return (
    <main className="grid min-h-screen place-content-center justify-items-center gap-8 p-8">
      <h1 className="sr-only">Blind run</h1>
      <div className="figure flex w-[760px] justify-between text-[13px] text-soft">
        <span data-testid="trial">
          Trial {trial + 1} of {run.plan.trials}
        </span>
        <span>
          {run.passageTitle}, {clock(run.region.startFrame / run.sampleRateHz)} to{" "}
          {clock(run.region.endFrame / run.sampleRateHz)}
        </span>
        <span title={`SHA-256 of the hidden order: ${run.sealDigest}`}>
          Sealed {run.sealDigest.slice(0, 4)} {run.sealDigest.slice(4, 8)}
        </span>
      </div>
      <div className="flex gap-8">
        {SEATS.map((name, i) => (
          <button
            key={name}
            type="button"
            aria-pressed={seat === name}
            disabled={!ready}
            onClick={() => choose(name)}
            className={`relative grid size-42 cursor-pointer place-content-center rounded-xl border border-base-content font-display font-semibold text-[64px] ${
              seat === name ? "bg-primary text-primary-content" : "bg-base-100"
            }`}
          >
            {name}
            <span className="figure absolute inset-x-0 bottom-3 text-[12px] opacity-70">{i + 1}</span>
          </button>
        ))}
      </div>
      <div className="grid justify-items-center gap-4">
        <h2 className="font-semibold text-lg">Which one is X?</h2>
        <div className="flex gap-3.5">
          {(["A", "B"] as const).map((side) => (
            <button
              key={side}
              type="button"
              className="btn h-10 border-rule bg-base-100 px-6"
              disabled={!mayAnswer}
              onClick={() => void answer(side)}
            >
              X is {side} <kbd className="kbd kbd-xs">{side}</kbd>
            </button>
          ))}
        </div>
        <p className="h-5 text-[13px] text-soft">{hintFor(ready, playing, heardSeats)}</p>
      </div>
      <TrialDots planned={run.plan.trials} answered={trial} />
      <div className="grid justify-items-center gap-1 text-[13px] text-soft">
        <p>No score is shown until trial {run.plan.trials}. Leaving early is recorded as leaving early.</p>
        <div className="flex items-center gap-3">
          <Link className="link" href={`/comparison/${run.comparisonId}/blind`}>
            Rest, and go on later
          </Link>
          {leaving ? (
            <span className="flex items-center gap-2">
              The run ends here for good.
              <button
                type="button"
                className="btn btn-xs border-error text-error"
                onClick={() => void leaveRun(run.id)}
              >
                End it
              </button>
              <button type="button" className="btn btn-xs border-rule" onClick={() => setLeaving(false)}>
                Stay
              </button>
            </span>
          ) : (
            <button type="button" className="link cursor-pointer" onClick={() => setLeaving(true)}>
              Leave the run
            </button>
          )}
        </div>
      </div>
    </main>
  );
}

function hintFor(ready: boolean, playing: boolean, heardSeats: ReadonlySet<Seat>): string {
  if (!ready) return "Loading both sides…";
  if (!heardSeats.has("X")) return playing ? "Listen to X: press 2." : "Space plays. 1, 2 and 3 switch.";
  if (!heardSeats.has("A") && !heardSeats.has("B")) return "Listen to A or B too: press 1 or 3.";
  return "Switch as often as you like.";
}

function TrialDots({ planned, answered }: { planned: number; answered: number }) {
  return (
    <div className="flex max-w-[760px] flex-wrap justify-center gap-2" aria-hidden="true">
      {Array.from({ length: planned }, (_, i) => (
        <span
          // biome-ignore lint/suspicious/noArrayIndexKey: trials are known by their number alone
          key={i}
          className={`size-[11px] rounded-full border border-soft ${
            i < answered ? "bg-soft" : i === answered ? "border-base-content bg-base-content" : ""
          }`}
        />
      ))}
    </div>
  );
}

function BrokenRun({ run, problem }: { run: Run; problem: string }) {
  return (
    <main className="grid min-h-screen place-content-center gap-3">
      <h1 className="font-semibold text-2xl">This run cannot go on.</h1>
      <p className="text-soft">{problem}</p>
      <button type="button" className="btn btn-sm w-fit border-rule" onClick={() => void leaveRun(run.id)}>
        Close it with the {run.trials.length} answers given
      </button>
      <Link className="link" href={`/comparison/${run.comparisonId}/blind`}>
        Back to the comparison
      </Link>
    </main>
  );
}

/**
 * The booth's own transport with three seats. X is one of the two sides, set anew for each trial; every switch passes
 * through the same short silence, and each trial starts at rest from the start of the loop with A under the needle.
 */
function useBoothPlayer(run: Run, trial: number) {
  const [player] = useState(() => new Player());
  const [seat, setSeat] = useState<Seat>("A");
  const [heardSeats, setHeardSeats] = useState<ReadonlySet<Seat>>(new Set());
  const [readyTrial, setReadyTrial] = useState<number | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const listening = useRef({ since: null as number | null, total: 0 });
  const runRef = useRef(run);

  useEffect(() => () => player.close(), [player]);

  useEffect(() => {
    let current = true;
    const { id, region, sampleRateHz, match } = runRef.current;
    setReadyTrial(null);
    setSeat("A");
    setHeardSeats(new Set());
    listening.current = { since: null, total: 0 };
    Promise.all([sidesOf(runRef.current), hiddenSide(id, trial)])
      .then(async ([sides, x]) => {
        if (!current) return;
        const gains = { A: amplitudeFromDb(match.hereGainDb), B: amplitudeFromDb(match.yonderGainDb) };
        gainsRef.current = { A: gains.A, X: gains[x], B: gains.B };
        // X is a voice of its own, read like the others, whichever side it is.
        const seats = SEATS.map((key) => ({ ...sides[key === "X" ? x : key], key }));
        await player.load(seats, sampleRateHz, sides.frames, new Map([["A", gains.A]]));
        if (!current) return;
        player.setLoop(region);
        player.seek(region.startFrame);
        setReadyTrial(trial);
      })
      .catch((error: unknown) => current && setProblem(error instanceof Error ? error.message : String(error)));
    return () => {
      current = false;
    };
  }, [player, trial]);

  const gainsRef = useRef({ A: 1, X: 1, B: 1 });

  const markHeard = useCallback((name: Seat) => setHeardSeats((known) => new Set(known).add(name)), []);

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
    if (playing) markHeard(seat);
  }, [playing, seat, markHeard]);

  const choose = useCallback(
    (name: Seat) => {
      setSeat(name);
      player.mixThroughSilence(new Map([[name, gainsRef.current[name]]]));
      if (!player.state.getState().playing) void player.play();
    },
    [player],
  );
  const listenedSeconds = useCallback(() => {
    const { since, total } = listening.current;
    return Math.round(total + (since === null ? 0 : performance.now() - since)) / 1000;
  }, []);
  const playerProblem = useStore(player.state, (s) => s.problem);
  const ready = readyTrial === trial;
  return { player, seat, heardSeats, ready, problem: problem ?? playerProblem, choose, listenedSeconds };
}
