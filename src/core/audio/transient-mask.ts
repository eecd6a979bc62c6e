import { exp } from "./exact-math";
import { inOrder } from "./in-order";
import type { Sound } from "./sound";

/** Raise when a mask would come out differently. */
export const ONSET_MASK_VERSION = 1;

/** Weighs the highs, in which transients stand out: x[n] − 0.95 x[n − 1]. */
const EMPHASIS = 0.95;
const FAST = { attackSeconds: 0.001, releaseSeconds: 0.012 };
const SLOW = { attackSeconds: 0.04, releaseSeconds: 0.15 };
/** The fast power over the slow one from which an transient begins, and where it is nothing but one: 4 and 7.8 dB. */
const BEGINS = 2.5;
const WHOLE = 6;
/** Power under which nothing is called an transient: −90 dBFS. */
const FLOOR = 1e-9;
const OPEN_SECONDS = 0.002;
const HOLD_SECONDS = 0.025;
const CLOSE_SECONDS = 0.06;
/** Opens so much before the transient that its first edge is let through whole. */
const AHEAD_SECONDS = 0.004;

/**
 * Where a sound sets in, as a gain from 0 to 1 on one channel: with it only transients are heard, with what remains of 1 only what sustains, and both
 * together are the sound itself. All thresholds and times are common practice without a published source. By when, not by frequency: what
 * sounds on beneath an transient is let through with it.
 */
export function transientMask(sound: Sound): Sound {
  const { sampleRateHz, frames } = sound;
  const share = (seconds: number) => 1 - exp(-1 / (seconds * sampleRateHz));
  const [fastUp, fastDown] = [share(FAST.attackSeconds), share(FAST.releaseSeconds)];
  const [slowUp, slowDown] = [share(SLOW.attackSeconds), share(SLOW.releaseSeconds)];
  const [open, close] = [share(OPEN_SECONDS), share(CLOSE_SECONDS)];
  const holdFrames = Math.round(HOLD_SECONDS * sampleRateHz);
  const ahead = Math.round(AHEAD_SECONDS * sampleRateHz);
  return inOrder({ sampleRateHz, channelCount: 1, frames }, () => {
    let [before, fast, slow, gain, held] = [0, 0, 0, 0, 0];
    const work = (from: number, count: number): Float32Array => {
      const channels = sound.read(from, count);
      const output = new Float32Array(count);
      let [b, f, s, g, h] = [before, fast, slow, gain, held];
      for (let i = 0; i < count; i++) {
        let mono = 0;
        for (const channel of channels) mono += channel[i];
        const edge = mono - EMPHASIS * b;
        b = mono;
        const power = edge * edge;
        f += (power > f ? fastUp : fastDown) * (power - f);
        s += (power > s ? slowUp : slowDown) * (power - s);
        const wanted = Math.min(1, Math.max(0, (f / (s + FLOOR) - BEGINS) / (WHOLE - BEGINS)));
        if (wanted >= g) {
          g += open * (wanted - g);
          h = holdFrames;
        } else if (h > 0) h--;
        else g += close * (wanted - g);
        output[i] = g;
      }
      [before, fast, slow, gain, held] = [b, f, s, g, h];
      return output;
    };
    work(0, ahead);
    return (from, count) => [work(from + ahead, count)];
  });
}
