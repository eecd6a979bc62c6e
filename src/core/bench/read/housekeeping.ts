import { dbFromPower } from "../../audio/decibels";
import { pow } from "../../audio/exact-math";
import { forwardReal, powerOfTwoAtLeast } from "../../audio/fft";
import { piecesOf, type Sound } from "../../audio/sound";
import type { SignalPlan } from "../signal/signal-plan";

/** Passes are held against each other below this part of the rate: what was put between samples is not exact above. */
const COMPARED_TO_PART = 0.4;

/** What two passes of one noise differ by, over its level, dB; null where they are the same bit for bit. */
export function passesApartDb(channels: readonly Float32Array[], repeats: SignalPlan["repeats"]): number | null {
  const [, first, again] = repeats;
  let [apart, all, differs] = [0, 0, false];
  for (const channel of channels) {
    const [a, b] = [first, again].map(({ startFrame, frames }) => channel.subarray(startFrame, startFrame + frames));
    differs ||= a.some((v, i) => v !== b[i]);
    const size = powerOfTwoAtLeast(a.length);
    const [x, y] = [forwardReal(a, size), forwardReal(b, size)];
    for (let i = 0; i < 2 * COMPARED_TO_PART * x.length; i++) {
      apart += (x[i] - y[i]) * (x[i] - y[i]);
      all += x[i] * x[i];
    }
  }
  return differs && apart > 0 && all > 0 ? dbFromPower(apart / all) : null;
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
  /** Residual of a sweep at the best gain re the sweep, dB; null where there is none. */
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
