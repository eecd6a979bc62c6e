"use client";

import { Ear, Repeat } from "lucide-react";
import { useRouter } from "next/navigation";
import type { Heard } from "@/core/audibility/heard";
import type { Exception } from "@/core/survey/survey";
import { chanceWords, criterionWords, editWords, exceptionWords, heardSentence } from "@/core/words/explain";
import { rangeOfHertz, timeWords, withUnit } from "@/core/words/units";
import { setLoop } from "@/store/comparisons";
import type { Region } from "@/store/records";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { hearFrom, setLoopOn } from "@/ui/shell/monitor";
import { stopPath } from "@/ui/shell/stops";
import { WhatIs } from "@/ui/shell/what-is";
import type { Pair } from "@/ui/shell/workbench";

/** Levels at which full scale may be played. */
const PLAYBACK_LEVELS = [72, 82, 92, 102];

type Props = {
  pair: Pair;
  heard: Heard | null;
  exceptions: readonly Exception[];
  problem: string | null;
  playbackSplDb: number;
  onPlayback: (splDb: number) => void;
};

/** Exceptions that are listed before moments, and what is heard around a short one. */
const MOST_EXCEPTIONS = 3;
const AROUND_SECONDS = 0.3;

/** What one of the two lacks cannot be compared. */
const isThere = ({ what }: Exception): boolean => what !== "missing in Here" && what !== "missing in Yonder";

type Place = { startSeconds: number; endSeconds: number; what: string; chance: string; hint: string };

function placeOf(exception: Exception): Place {
  const { startSeconds, endSeconds } = exception;
  return {
    startSeconds: Math.max(0, startSeconds - AROUND_SECONDS),
    endSeconds: endSeconds + AROUND_SECONDS,
    what: editWords(exception),
    chance: "",
    hint: exceptionWords(exception),
  };
}

const momentOf = ({
  startSeconds,
  endSeconds,
  lowHertz,
  highHertz,
  probability,
  criterion,
}: Heard["moments"][number]): Place => ({
  startSeconds,
  endSeconds,
  what: rangeOfHertz(lowHertz, highHertz),
  chance: chanceWords(probability),
  hint: `Chance of being heard, by estimate: ${criterionWords(criterion)}`,
});

/** Where the difference is most likely heard: an estimate, and the way to a loop or a blind run over it. */
export function MomentsPanel({ pair, heard, exceptions, problem, playbackSplDb, onPlayback }: Props) {
  const router = useRouter();
  const { sampleRateHz } = pair.dry;
  const regionOf = (startSeconds: number, endSeconds: number): Region => ({
    startFrame: Math.max(0, Math.round(startSeconds * sampleRateHz)),
    endFrame: Math.min(pair.dry.frames, Math.round(endSeconds * sampleRateHz)),
  });
  const loop = async (startSeconds: number, endSeconds: number) => {
    setLoopOn(true);
    await setLoop(pair.passage.id, regionOf(startSeconds, endSeconds));
  };
  return (
    <section
      aria-label={LABELS.whereToListen}
      className="grid grid-cols-[minmax(0,1fr)] content-start gap-1.5 border-rule border-t pt-2"
    >
      <div className="flex flex-wrap items-center gap-x-2">
        <h2 className="flex-1 whitespace-nowrap font-semibold text-[14px]">
          <WhatIs figure="audibility">{LABELS.whereToListen}</WhatIs>{" "}
          <span className="font-normal text-[11px] text-soft">estimate, BS.1387</span>
        </h2>
        <span className="text-[12px] text-soft">
          <QuickSelect
            label="Playback level of full scale"
            title="Full scale at"
            value={playbackSplDb}
            onChange={onPlayback}
            options={PLAYBACK_LEVELS.map((value) => ({ value, title: withUnit(String(value), "dB SPL") }))}
          />
        </span>
      </div>
      <p className="text-[13px] text-soft">
        {problem ?? (heard ? heardSentence(heard, exceptions) : "Finding where the difference is audible…")}
      </p>
      <ul className="grid grid-cols-[minmax(0,1fr)]">
        {[
          ...exceptions.filter(isThere).slice(0, MOST_EXCEPTIONS).map(placeOf),
          ...(heard?.moments ?? []).map(momentOf),
        ].map(({ startSeconds, endSeconds, what, chance, hint }) => (
          <li key={`${startSeconds} ${what}`} className="flex items-center gap-1.5 text-[11.5px]">
            <span
              className="figure w-[7.5rem] whitespace-nowrap max-[1180px]:w-12"
              title={`${timeWords(startSeconds)} to ${timeWords(endSeconds)}`}
            >
              {timeWords(startSeconds)}
              <span className="max-[1180px]:hidden"> to {timeWords(endSeconds)}</span>
            </span>
            <span className="figure min-w-0 flex-1 truncate text-soft" title={hint}>
              {what}
            </span>
            <span className="figure w-[4.25rem] whitespace-nowrap text-right" title={hint}>
              {chance}
            </span>
            <button
              type="button"
              className="btn btn-ghost btn-xs h-6 px-1.5"
              title="Loop this moment and hear it"
              aria-label={`Loop ${timeWords(startSeconds)} to ${timeWords(endSeconds)}`}
              onClick={() => {
                void loop(startSeconds, endSeconds);
                hearFrom("here", regionOf(startSeconds, endSeconds).startFrame);
              }}
            >
              <Repeat size={13} />
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs h-6 px-1.5"
              title="Plan a blind run over this moment"
              aria-label={`Blind run over ${timeWords(startSeconds)} to ${timeWords(endSeconds)}`}
              onClick={() => {
                void loop(startSeconds, endSeconds).then(() =>
                  router.push(stopPath(pair.passage.comparisonId, "blind")),
                );
              }}
            >
              <Ear size={13} /> <span className="max-[1180px]:sr-only">{LABELS.blind}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
