// How fast the heavy computations are, as ratios against ffmpeg and real time within one run.
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { align } from "@/core/alignment/align";
import { type Clip, frameCount } from "@/core/audio/clip";
import { resample } from "@/core/audio/resample";
import { crossingTheme } from "@/core/demo/passages";
import { readWav } from "@/core/formats/wav-read";
import { writeWav } from "@/core/formats/wav-write";
import { measureLevels } from "@/core/loudness/measure";
import { against, ebur128Seconds, secondsOf } from "./reference";

const SECONDS = 600;

/** The crossing theme over and over, ten minutes of 48 kHz stereo, each time at another level so that no two are alike. */
export function longClip(): Clip {
  const theme = crossingTheme();
  const frames = SECONDS * theme.sampleRateHz;
  const length = frameCount(theme);
  const channels = theme.channels.map((channel) =>
    Float32Array.from({ length: frames }, (_, i) => channel[i % length] * (0.5 + 0.4 * Math.sin(i / 4_000_000))),
  );
  return { sampleRateHz: theme.sampleRateHz, channels };
}

/** Prints the figures. */
export function benchCore(): void {
  const clip = longClip();
  const path = join(mkdtempSync(join(tmpdir(), "yonder-bench-")), "long.wav");
  writeFileSync(path, writeWav(clip, "24-bit"));

  const measured = secondsOf(() => {
    const decoded = readWav(readFileSync(path), path);
    if (decoded.ok) measureLevels(decoded.value.clip);
  });
  const metered = ebur128Seconds(path);
  console.log(
    `loudness, range, true peak of ${SECONDS} s stereo at 48 kHz, reading included: ${measured.toFixed(2)} s`,
  );
  console.log(`  ${against(measured, metered, "ffmpeg's ebur128 in this run")} (aim: 0.5)`);

  const late: Clip = { ...clip, channels: clip.channels.map((c) => c.subarray(12_345)) };
  const aligned = secondsOf(() => align(clip, late));
  console.log(`alignment of two such clips: ${aligned.toFixed(2)} s (aim: 2 s)`);
  console.log(`  ${against(aligned, metered, "ffmpeg's ebur128 in this run")}`);

  const minute: Clip = { sampleRateHz: 96_000, channels: clip.channels.map((c) => c.subarray(0, 60 * 96_000)) };
  const converted = secondsOf(() => resample(minute, 44_100));
  console.log(
    `rate conversion of 60 s stereo, 96 to 44.1 kHz: ${(60 / converted).toFixed(0)} times real time (aim: 40)`,
  );
}
