import { closeSync, existsSync, openSync, writeSync } from "node:fs";
import type { Sound } from "@/core/audio/sound";
import { crossingTheme } from "@/core/demo/passages";
import { wavParts } from "@/core/formats/wav-write";

/** The demo's theme over and over, each time at another level; late and softer by render. */
function longSound(render: number, sampleRateHz: number, seconds: number): Sound {
  const { channels } = crossingTheme();
  const length = channels[0].length;
  const late = 97 * render;
  const gain = 1 - 0.05 * render;
  return {
    sampleRateHz,
    channelCount: 2,
    frames: Math.round(seconds * sampleRateHz),
    read: (start, count) =>
      channels.map((channel) =>
        Float32Array.from({ length: count }, (_, i) => {
          const at = start + i - late;
          return at < 0 ? 0 : gain * channel[at % length] * (0.5 + 0.4 * Math.sin(at / 4_000_000));
        }),
      ),
  };
}

/** A file of it, 24 bit, unless it is there already; its path. */
export function longFile(path: string, render: number, sampleRateHz: number, seconds: number): string {
  if (existsSync(path)) return path;
  const file = openSync(path, "w");
  for (const part of wavParts(longSound(render, sampleRateHz, seconds), "24-bit")) writeSync(file, part);
  closeSync(file);
  return path;
}
