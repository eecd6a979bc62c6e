import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { eachInOrder, eachSample, inOrder, listening, onceHeard } from "../audio/in-order";
import { atRate, OVERSAMPLING_QUALITY } from "../audio/resample";
import { asRead, type Sound } from "../audio/sound";
import { truePeak } from "../loudness/true-peak";
import { type Control, onePole, timesControl } from "./level-detection";
import { choice, defineProcessor, parameter } from "./processor";

const OVERSAMPLING = 4;
/** The gain moves between samples, so a true peak can pass the ceiling by a trace; then it is run again that much lower. */
const MOST_PASSES = 4;

/** Largest magnitude around each frame over all channels; with `between`, of the points between the frames too. */
function peaksOf(sound: Sound, between: boolean): Control {
  const factor = between ? OVERSAMPLING : 1;
  const dense = between ? atRate(sound, sound.sampleRateHz * OVERSAMPLING, OVERSAMPLING_QUALITY) : sound;
  return inOrder({ ...sound, channelCount: 1 }, () => (from, count) => {
    const peaks = new Float32Array(count);
    // From the frame before on: the points up to the next frame belong to both frames beside them.
    const points = dense.read((from - 1) * factor, (count + 1) * factor);
    for (const [c, channel] of sound.read(from, count).entries()) {
      const own = points[c];
      let before = 0;
      for (let i = -1; i < count; i++) {
        let behind = 0;
        const next = (i + 2) * factor;
        for (let k = next - factor + 1; k < next; k++) {
          const magnitude = Math.abs(own[k]);
          if (magnitude > behind) behind = magnitude;
        }
        if (i >= 0) peaks[i] = Math.max(peaks[i], Math.abs(channel[i]), before, behind);
        before = behind;
      }
    }
    return [peaks];
  });
}

/** The least of `values` over the next `window` frames, by a monotonic queue. */
function leastAhead(values: Control, window: number): Control {
  return asRead(values, (from, count) => {
    const seen = Math.min(values.frames - from, count + window - 1);
    const [given] = values.read(from, seen);
    const output = new Float32Array(count);
    const queue = new Int32Array(seen);
    let head = 0;
    let tail = 0;
    for (let i = seen - 1; i >= 0; i--) {
      while (tail > head && given[queue[tail - 1]] >= given[i]) tail--;
      queue[tail++] = i;
      if (queue[head] >= i + window) head++;
      if (i < count) output[i] = given[queue[head]];
    }
    return [output];
  });
}

/** Down at once, back in two stages: the slow one goes half of the way down and comes back slowly. */
const inTwoStages = (gains: Control, fast: number, slow: number): Control =>
  eachInOrder(gains, () => {
    const memory = Float64Array.of(1, 1);
    return (wanted) => {
      let [quick, lasting] = memory;
      for (let i = 0; i < wanted.length; i++) {
        const gain = wanted[i];
        quick = gain < quick ? gain : gain + fast * (quick - gain);
        const half = Math.sqrt(gain);
        lasting = half < lasting ? half : half + slow * (lasting - half);
        wanted[i] = Math.min(quick, lasting, gain);
      }
      memory.set([quick, lasting]);
      return wanted;
    };
  });

/** Mean of the last `window` frames, the first value continued before the start: a ramp that never overshoots. */
function trailingMean(values: Control, window: number): Control {
  return inOrder(values, () => {
    const first = values.read(0, 1)[0][0];
    let kept = window * first;
    return (from, count) => {
      let sum = kept;
      const [entering] = values.read(from, count);
      const [leaving] = values.read(from - window, count);
      const output = new Float32Array(count);
      for (let i = 0; i < count; i++) {
        sum += entering[i] - (from + i >= window ? leaving[i] : first);
        output[i] = sum / window;
      }
      kept = sum;
      return [output];
    };
  });
}

export const truePeakLimiter = defineProcessor({
  key: "true-peak-limiter",
  name: "Limiter, look-ahead",
  about: "A look-ahead brick-wall limiter on true peaks, with two-stage release.",
  family: "limiter",
  parameters: z.object({
    inputDb: parameter("Input gain", "dB", -24, 36, 0),
    ceilingDb: parameter("Ceiling", "dBTP", -24, 0, -1),
    detection: choice("Detection", ["true peak", "sample peak"], "true peak"),
    lookAheadMs: parameter("Look-ahead", "ms", 0.5, 10, 2),
    fastReleaseMs: parameter("Fast release", "ms", 1, 500, 30),
    slowReleaseMs: parameter("Slow release", "ms", 20, 5000, 400),
  }),
  latencySamples: ({ lookAheadMs }, sampleRateHz) => Math.round((lookAheadMs * sampleRateHz) / 1000),
  process(sound, { inputDb, ceilingDb, detection, lookAheadMs, fastReleaseMs, slowReleaseMs }, { onHeard }) {
    const driven = eachSample(sound, (v) => v * amplitudeFromDb(inputDb));
    if (sound.frames === 0) return driven;
    const between = detection === "true peak";
    const peaks = peaksOf(driven, between);
    const ceiling = amplitudeFromDb(ceilingDb);
    const window = Math.max(1, Math.round((lookAheadMs * sound.sampleRateHz) / 1000));
    const fast = onePole(fastReleaseMs, sound.sampleRateHz);
    const slow = onePole(slowReleaseMs, sound.sampleRateHz);
    const under = (target: number): Sound => {
      const wanted = eachSample(peaks, (peak) => (peak > target ? target / peak : 1));
      return timesControl(driven, trailingMean(inTwoStages(leastAhead(wanted, window), fast, slow), window));
    };
    if (!between) return under(ceiling);
    return onceHeard(driven, () => {
      let target = ceiling;
      let limited = under(target);
      for (let pass = 1; pass < MOST_PASSES; pass++) {
        const over = truePeak(listening(limited, (share) => onHeard?.(share))) / ceiling;
        if (over <= 1) break;
        target /= over;
        limited = under(target);
      }
      return limited;
    });
  },
});
