import { z } from "zod";
import { type Clip, frameCount } from "./clip";

/** Lowest and highest sample in each of `lows.length` equal stretches, over all channels: a waveform to draw. */
export const overviewSchema = z.object({ lows: z.instanceof(Float32Array), highs: z.instanceof(Float32Array) });
export type Overview = z.infer<typeof overviewSchema>;

/** The waveform of a clip in `columns` stretches; fewer frames than columns repeat a frame rather than leave gaps. */
export function overviewOf(clip: Clip, columns: number): Overview {
  const frames = frameCount(clip);
  const lows = new Float32Array(columns);
  const highs = new Float32Array(columns);
  for (let column = 0; column < columns; column++) {
    const start = Math.floor((column * frames) / columns);
    const end = Math.max(start + 1, Math.floor(((column + 1) * frames) / columns));
    let low = 0;
    let high = 0;
    for (const channel of clip.channels) {
      for (let i = start; i < end && i < frames; i++) {
        if (channel[i] < low) low = channel[i];
        if (channel[i] > high) high = channel[i];
      }
    }
    lows[column] = low;
    highs[column] = high;
  }
  return { lows, highs };
}
