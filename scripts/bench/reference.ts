// What figures of time stand beside: ffmpeg at work on the same file in the same run.
import { spawnSync } from "node:child_process";

const hasFfmpeg = spawnSync("ffmpeg", ["-version"]).status === 0;

export function secondsOf(work: () => unknown): number {
  const start = performance.now();
  work();
  return (performance.now() - start) / 1000;
}

/** Seconds that loudness and true peak of a file take ffmpeg, on one thread. */
export const ebur128Seconds = (path: string): number =>
  secondsOf(() =>
    spawnSync("ffmpeg", [
      "-nostats",
      "-v",
      "error",
      "-threads",
      "1",
      "-i",
      path,
      "-af",
      "ebur128=peak=true",
      "-f",
      "null",
      "-",
    ]),
  );

export const against = (seconds: number, reference: number, what: string): string =>
  hasFfmpeg ? `${(seconds / reference).toFixed(2)} of ${what}` : "ffmpeg is not here to compare with";
