// How fast a pair is explained, one thread, beside scipy's welch on the same file in the same run.
import { spawnSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { heardDifference } from "@/core/audibility/heard";
import type { Clip } from "@/core/audio/clip";
import { clipOf, type FrameRange, type Sound, soundOf } from "@/core/audio/sound";
import { levelCells } from "@/core/dynamics/cells";
import { writeWav } from "@/core/formats/wav-write";
import { ladderOf } from "@/core/ladder/ladder-report";
import type { LadderTask } from "@/core/ladder/ladder-schema";
import { type ChainStage, runChain } from "@/core/processors/chain";
import { averagedSpectra } from "@/core/spectrum/averaged";
import { spectrogramPiece } from "@/core/spectrum/spectrogram";
import { BELL_AND_SHELF } from "@/core/testing/chains";
import { secondsOf } from "./reference";

const POINTS = 4096;
const PAIR_SECONDS = 300;
/** Seconds that averaged spectra of both channels take scipy, reading left out; null where it is not here. */
function welchSeconds(path: string): number | null {
  const script = `
import time
from scipy import signal
from scipy.io import wavfile
rate, x = wavfile.read("${path}")
t = time.perf_counter()
signal.welch(x.T, fs=rate, window="hann", nperseg=${POINTS}, noverlap=${POINTS / 2}, detrend=False)
print(time.perf_counter() - t)`;
  const { status, stdout } = spawnSync("/usr/bin/python3", ["-c", script], { encoding: "utf8" });
  return status === 0 ? Number(stdout) : null;
}

/** Prints the figures. */
export function benchExplain(clip: Clip): void {
  const path = join(mkdtempSync(join(tmpdir(), "yonder-bench-")), "spectra.wav");
  writeFileSync(path, writeWav(clip, "32-bit float"));
  const all: FrameRange = { startFrame: 0, endFrame: clip.channels[0].length };
  averagedSpectra([soundOf(clip)], { startFrame: 0, endFrame: 480_000 }, POINTS);
  const averaged = secondsOf(() => averagedSpectra([soundOf(clip)], all, POINTS));
  const welch = welchSeconds(path);
  console.log(`averaged spectrum of 600 s stereo, ${POINTS} points, with its maximum: ${averaged.toFixed(2)} s`);
  console.log(
    welch
      ? `  ${(welch / averaged).toFixed(1)} times as fast as scipy's welch in this run (aim: 3)`
      : "  scipy is not here to compare with",
  );

  const five: Clip = { ...clip, channels: clip.channels.map((c) => c.subarray(0, PAIR_SECONDS * clip.sampleRateHz)) };
  const here = soundOf(five);
  const yonder = soundOf(clipOf(runChain(here, [{ processorKey: "bilinear-equalizer", settings: BELL_AND_SHELF }])));
  const region: FrameRange = { startFrame: 0, endFrame: here.frames };
  explained(here, yonder, region);
  for (const seconds of [SHORT_SECONDS, PAIR_SECONDS]) for (const pair of PAIRS) explainedWhole(clip, seconds, pair);
}

const SHORT_SECONDS = 30;
const EQ: ChainStage = { processorKey: "bilinear-equalizer", settings: BELL_AND_SHELF };
const COMPRESSOR: ChainStage = {
  processorKey: "feed-forward-compressor",
  settings: { thresholdDb: -30, ratio: 3, attackMs: 10, releaseMs: 120 },
};
const SOFT_CLIP: ChainStage = { processorKey: "soft-clip", settings: {} };
/** What is explained, and in how many seconds half a minute and five are to be. */
const PAIRS: { name: string; chain: ChainStage[]; aims: [short: number, long: number] }[] = [
  { name: "an equalizer", chain: [EQ], aims: [6, 15] },
  { name: "a compressor", chain: [COMPRESSOR], aims: [6, 15] },
  { name: "an equalizer, a compressor, a soft clip", chain: [EQ, COMPRESSOR, SOFT_CLIP], aims: [20, 40] },
];

/** A pair analysed, and when its first sentence is there. */
function explainedWhole(clip: Clip, seconds: number, { name, chain, aims }: (typeof PAIRS)[number]): void {
  const part: Clip = { ...clip, channels: clip.channels.map((c) => c.subarray(0, seconds * clip.sampleRateHz)) };
  const here = soundOf(part);
  const yonder = soundOf(clipOf(runChain(here, chain)));
  let first = 0;
  const start = performance.now();
  const took = secondsOf(() =>
    ladderOf(
      alignedTask(here, yonder),
      () => {},
      () => {
        first ||= (performance.now() - start) / 1000;
      },
    ),
  );
  console.log(
    `${name}, ${seconds} s of stereo explained: ${took.toFixed(1)} s on one thread, ${(seconds / took).toFixed(1)} times real time ` +
      `(aim: ${aims[seconds === SHORT_SECONDS ? 0 : 1]} s); first sentence after ${first.toFixed(1)} s (aim: 1)`,
  );
}

function explained(here: Sound, yonder: Sound, region: FrameRange): void {
  let first = 0;
  const picture = secondsOf(() => {
    const start = performance.now();
    spectrogramPiece(
      here,
      { startFrame: 0, columnFrames: Math.ceil(here.frames / 256), points: POINTS, isLog: true },
      () => {
        first ||= (performance.now() - start) / 1000;
      },
    );
  });
  console.log(
    `spectrogram of ${PAIR_SECONDS} s stereo: first picture ${(1000 * first).toFixed(0)} ms (aim: 300), whole ${picture.toFixed(2)} s`,
  );
  const spectra = secondsOf(() => averagedSpectra([here, yonder], region, 16_384));
  const masked = secondsOf(() => heardDifference(here, yonder, region, 1));
  const cells = secondsOf(() => [here, yonder].map((sound) => levelCells(sound, region)));
  console.log(
    `explaining such a pair, ladder left out: ${(spectra + masked + cells).toFixed(2)} s on one thread (aim: 6 on two): ` +
      `spectra ${spectra.toFixed(2)}, where to listen ${masked.toFixed(2)}, levels ${cells.toFixed(2)}`,
  );
}

function alignedTask(here: Sound, yonder: Sound): LadderTask {
  const laid = { here, yonder };
  const region = { startFrame: 0, endFrame: here.frames };
  return { delivered: laid, aligned: laid, region, placed: { delaySamples: 0, polarity: 1, driftPpm: 0 } };
}
