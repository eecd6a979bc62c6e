// What figures of time stand beside: ffmpeg at work on the same file in the same run.
import { spawnSync } from "node:child_process";

const hasFfmpeg = spawnSync("ffmpeg", ["-version"]).status === 0;

export function secondsOf(work: () => unknown): number {
  const start = performance.now();
  work();
  return (performance.now() - start) / 1000;
}

/** Seconds ffmpeg takes for a file on one thread. */
export const ffmpegSeconds = (path: string, ...filter: string[]): number =>
  secondsOf(() =>
    spawnSync("ffmpeg", ["-nostats", "-v", "error", "-threads", "1", "-i", path, ...filter, "-f", "null", "-"]),
  );

/** What loudness and true peak of the file take there. */
export const ebur128Seconds = (path: string): number => ffmpegSeconds(path, "-af", "ebur128=peak=true");

export const against = (seconds: number, reference: number, what: string): string =>
  hasFfmpeg ? `${(seconds / reference).toFixed(2)} of ${what}` : "ffmpeg is not here to compare with";
