import { z } from "zod";
import { extremesWithin } from "../kernels/sums";
import type { Clip } from "./clip";
import { PIECE_FRAMES, piecesOf, type Sound, soundOf } from "./sound";

/** Lowest and highest sample in each of `lows.length` equal stretches, over all channels: a waveform to draw. */
export const overviewSchema = z.object({ lows: z.instanceof(Float32Array), highs: z.instanceof(Float32Array) });
export type Overview = z.infer<typeof overviewSchema>;

/** The waveform of a sound that comes piece by piece, in `columns` stretches; fewer frames than columns repeat a frame rather than leave gaps. */
export class OverviewDrawer {
  readonly overview: Overview;
  private frame = 0;

  constructor(
    private readonly frames: number,
    columns: number,
  ) {
    this.overview = { lows: new Float32Array(columns), highs: new Float32Array(columns) };
  }

  /** The next piece. Whether all of its samples are numbers within `limit`. */
  add(channels: readonly Float32Array[], limit = Number.MAX_VALUE): boolean {
    const { lows, highs } = this.overview;
    const columns = lows.length;
    let isSound = true;
    const start = this.frame;
    const end = start + channels[0].length;
    if (this.frames < columns) isSound = this.repeat(channels, start, limit);
    else {
      let column = Math.floor((start * columns) / this.frames);
      while (Math.floor(((column + 1) * this.frames) / columns) <= start) column++;
      const ends: number[] = [];
      for (let next = column; (ends.at(-1) ?? 0) < end - start; next++) {
        ends.push(Math.min(end, Math.floor(((next + 1) * this.frames) / columns)) - start);
      }
      for (const channel of channels) {
        for (const [i, { low, high }] of extremesWithin(channel, ends).entries()) {
          // Written so that what is no number fails it too.
          if (!(low > -limit && high < limit)) isSound = false;
          lows[column + i] = Math.min(lows[column + i], low);
          highs[column + i] = Math.max(highs[column + i], high);
        }
      }
    }
    this.frame = end;
    return isSound;
  }

  /** Fewer frames than columns: each column has one. */
  private repeat(channels: readonly Float32Array[], start: number, limit: number): boolean {
    const { lows, highs } = this.overview;
    for (let column = 0; column < lows.length; column++) {
      const at = Math.floor((column * this.frames) / lows.length) - start;
      for (const channel of channels) {
        if (at < 0 || at >= channel.length) continue;
        lows[column] = Math.min(lows[column], channel[at]);
        highs[column] = Math.max(highs[column], channel[at]);
      }
    }
    return channels.every((channel) => channel.every((v) => v > -limit && v < limit));
  }
}

/** The waveform of a whole sound. */
export function overviewOf(clip: Sound | Clip, columns: number): Overview {
  const sound = soundOf(clip);
  const drawer = new OverviewDrawer(sound.frames, columns);
  for (const { channels } of piecesOf(sound)) drawer.add(channels);
  return drawer.overview;
}

/** Lowest and highest sample of each of `columns` stretches of `columnFrames` from a frame on; one frame each: the samples themselves. */
export function extremesFrom(sound: Sound, startFrame: number, columnFrames: number, columns: number): Overview {
  const [lows, highs] = [new Float32Array(columns), new Float32Array(columns)];
  const most = Math.max(1, Math.floor(PIECE_FRAMES / columnFrames));
  for (let first = 0; first < columns; first += most) {
    const count = Math.min(most, columns - first);
    const channels = sound.read(startFrame + first * columnFrames, count * columnFrames);
    const ends = Array.from({ length: count }, (_, i) => (i + 1) * columnFrames);
    for (const [c, channel] of channels.entries()) {
      for (const [i, { low, high }] of extremesWithin(channel, ends).entries()) {
        lows[first + i] = c === 0 ? low : Math.min(lows[first + i], low);
        highs[first + i] = c === 0 ? high : Math.max(highs[first + i], high);
      }
    }
  }
  return { lows, highs };
}
