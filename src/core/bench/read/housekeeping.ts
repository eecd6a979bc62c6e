import { dbFromPower } from "../../audio/decibels";
import { log2, pow } from "../../audio/exact-math";
import { piecesOf, type Sound } from "../../audio/sound";
import type { SignalPlan } from "../signal/signal-plan";
import { linePowers } from "./tone-reading";

export type NoiseReading = {
  /** Effective value over full scale, mean of the channels' powers; null where there is digital silence. */
  noiseFloorDbfs: number | null;
  /** Lines of the mains in it: their frequency and level together; null where none stands out. */
  hum: { hertz: 50 | 60; dbfs: number } | null;
};

/** The silence is read between these parts of it: it rings of what came before, and, through filters of linear phase, of what comes after. */
const READ_FROM = 0.38;
const READ_TO = 0.75;
/** Noise under −200 dBFS is what recursions leave of nothing. */
const LEAST_NOISE_POWER = 1e-20;
const HUM_HARMONICS = 6;
const HUM_OVER_NOISE = 30;
/** Lines under this are round-off. */
const LEAST_HUM_DBFS = -150;

export function readNoise(channels: readonly Float32Array[], { silence, form }: SignalPlan): NoiseReading {
  const [from, end] = [READ_FROM, READ_TO].map((part) => silence.startFrame + Math.round(part * silence.frames));
  let power = 0;
  let hum: NoiseReading["hum"] = null;
  for (const channel of channels) {
    const part = channel.subarray(from, end);
    const mean = part.reduce((sum, v) => sum + v, 0) / part.length;
    power += part.reduce((sum, v) => sum + (v - mean) * (v - mean), 0) / part.length / channels.length;
    const points = 2 ** Math.floor(log2(part.length));
    const powers = linePowers(part.slice(part.length - points));
    const sorted = powers.slice(2).sort();
    const noise = sorted[sorted.length >> 1];
    for (const hertz of [50, 60] as const) {
      let sum = 0;
      for (let n = 1; n <= HUM_HARMONICS; n++) {
        const bin = Math.round((n * hertz * points) / form.sampleRateHz);
        const line = Math.max(powers[bin - 1] ?? 0, powers[bin], powers[bin + 1]);
        if (bin > 1 && line > HUM_OVER_NOISE * noise) sum += line / 2;
      }
      const dbfs = dbFromPower(sum);
      if (dbfs > LEAST_HUM_DBFS && (!hum || dbfs > hum.dbfs)) hum = { hertz, dbfs };
    }
  }
  return { noiseFloorDbfs: power > LEAST_NOISE_POWER ? dbFromPower(power) : null, hum };
}

/** What two passes of one noise differ by, over its level, dB; null where they are the same bit for bit. */
export function passesApartDb(channels: readonly Float32Array[], { repeats }: SignalPlan): number | null {
  const [, first, again] = repeats;
  let [apart, all] = [0, 0];
  for (const channel of channels)
    for (let i = 0; i < first.frames; i++) {
      const [a, b] = [channel[first.startFrame + i], channel[again.startFrame + i]];
      apart += (a - b) * (a - b);
      all += a * a;
    }
  return apart > 0 && all > 0 ? dbFromPower(apart / all) : null;
}

const SHORTEST_WORD = 4;
const LONGEST_WORD = 24;

/** The fewest bits that hold every sample, 4 to 24; null where none of them does: 32-bit float. */
export function wordLength(sound: Sound): number | null {
  let bits = SHORTEST_WORD;
  let any = false;
  for (const { channels } of piecesOf(sound))
    for (const channel of channels)
      for (const v of channel) {
        if (v === 0) continue;
        any = true;
        while (bits <= LONGEST_WORD && !Number.isInteger(v * pow2(bits - 1))) bits++;
        if (bits > LONGEST_WORD) return null;
      }
  return any ? bits : null;
}

const POWERS = Array.from({ length: LONGEST_WORD + 1 }, (_, n) => pow(2, n));
const pow2 = (n: number): number => POWERS[n];

export type Transparency = {
  /** Whether what came back is what was sent, bit for bit. */
  isTransparent: boolean;
  /** What is left of a sweep's null at the best gain, over the sweep, dB; null where nothing is. */
  addsDb: number | null;
};

/** Holds what came back against what was sent: all of it for equality, a stretch for the null. */
export function transparency(
  sent: readonly Float32Array[],
  back: readonly Float32Array[],
  { startFrame, endFrame }: { startFrame: number; endFrame: number },
): Transparency {
  const isTransparent =
    sent.length === back.length && sent.every((channel, c) => channel.every((v, i) => v === back[c][i]));
  let [xx, xy, yy] = [0, 0, 0];
  for (const [c, channel] of sent.entries()) {
    const other = back[c] ?? back[0];
    for (let i = startFrame; i < endFrame; i++) {
      xx += channel[i] * channel[i];
      xy += channel[i] * other[i];
      yy += other[i] * other[i];
    }
  }
  // y − g·x at the g that leaves least.
  const left = xx > 0 ? Math.max(0, yy - (xy * xy) / xx) : 0;
  const kept = xx > 0 ? (xy * xy) / xx : 0;
  return { isTransparent, addsDb: !isTransparent && left > 0 && kept > 0 ? dbFromPower(left / kept) : null };
}

/** Rows of samples at full scale that are this long were cut off on the way in. */
const CLIPPED_ROW = 3;
const FULL_SCALE = 1 - 2 ** -15;

/** Frames at which rows of samples stand at full scale, as only a recorder's ceiling leaves them: the first of each row, with its length. */
export function clippedRows(sound: Sound): { frame: number; count: number }[] {
  const rows: { frame: number; count: number }[] = [];
  for (let c = 0; c < sound.channelCount; c++) {
    let count = 0;
    let at = 0;
    const end = () => {
      if (count >= CLIPPED_ROW) rows.push({ frame: at - count, count });
      count = 0;
    };
    for (const { channels } of piecesOf(sound))
      for (const v of channels[c]) {
        if (Math.abs(v) >= FULL_SCALE) count++;
        else end();
        at++;
      }
    end();
  }
  return rows;
}
