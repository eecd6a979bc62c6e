import { z } from "zod";
import { type Clip, frameCount, scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { OVERSAMPLING_QUALITY, resample } from "../audio/resample";
import { truePeak } from "../loudness/true-peak";
import { onePole } from "./level-detection";
import { choice, defineProcessor, parameter } from "./processor";

const OVERSAMPLING = 4;
/** The gain moves between samples, so a true peak can pass the ceiling by a trace; then it is run again that much lower. */
const MOST_PASSES = 4;

/** Largest magnitude around each frame over all channels; with `between`, of the points between the frames too. */
function peaksOf(clip: Clip, between: boolean): Float32Array {
  const frames = frameCount(clip);
  const peaks = new Float32Array(frames);
  const factor = between ? OVERSAMPLING : 1;
  const dense = between ? resample(clip, clip.sampleRateHz * OVERSAMPLING, OVERSAMPLING_QUALITY) : clip;
  for (const [c, channel] of dense.channels.entries()) {
    for (let i = 0; i < frames; i++) {
      let peak = Math.max(peaks[i], Math.abs(clip.channels[c][i]));
      // The points up to the next frame belong to both frames beside them.
      for (let k = -factor + 1; k < factor; k++) {
        const magnitude = Math.abs(channel[i * factor + k] ?? 0);
        if (magnitude > peak) peak = magnitude;
      }
      peaks[i] = peak;
    }
  }
  return peaks;
}

/** The least of `values` over the next `window` frames, by a monotonic queue. */
function leastAhead(values: Float32Array, window: number): Float32Array {
  const output = new Float32Array(values.length);
  const queue = new Int32Array(values.length);
  let head = 0;
  let tail = 0;
  for (let i = values.length - 1; i >= 0; i--) {
    while (tail > head && values[queue[tail - 1]] >= values[i]) tail--;
    queue[tail++] = i;
    if (queue[head] >= i + window) head++;
    output[i] = values[queue[head]];
  }
  return output;
}

/** Mean of the last `window` frames, the first value continued before the start: a ramp that never overshoots. */
function trailingMean(values: Float32Array, window: number): Float32Array {
  const output = new Float32Array(values.length);
  let sum = window * values[0];
  for (let i = 0; i < values.length; i++) {
    sum += values[i] - (i >= window ? values[i - window] : values[0]);
    output[i] = sum / window;
  }
  return output;
}

export const truePeakLimiter = defineProcessor({
  key: "true-peak-limiter",
  name: "Limiter, look-ahead",
  about: "A brick wall that sees peaks coming, between the samples too, and lets go in two stages.",
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
  process(clip, { inputDb, ceilingDb, detection, lookAheadMs, fastReleaseMs, slowReleaseMs }) {
    const driven = scaleClip(clip, amplitudeFromDb(inputDb));
    if (frameCount(driven) === 0) return driven;
    const between = detection === "true peak";
    const peaks = peaksOf(driven, between);
    const ceiling = amplitudeFromDb(ceilingDb);
    const window = Math.max(1, Math.round((lookAheadMs * clip.sampleRateHz) / 1000));
    const fast = onePole(fastReleaseMs, clip.sampleRateHz);
    const slow = onePole(slowReleaseMs, clip.sampleRateHz);
    let target = ceiling;
    let limited = driven;
    for (let pass = 0; pass < MOST_PASSES; pass++) {
      const wanted = peaks.map((peak) => (peak > target ? target / peak : 1));
      const held = leastAhead(wanted, window);
      let quick = 1;
      let lasting = 1;
      for (let i = 0; i < held.length; i++) {
        quick = held[i] < quick ? held[i] : held[i] + fast * (quick - held[i]);
        // The slow stage goes half of the way down and comes back slowly.
        const half = Math.sqrt(held[i]);
        lasting = half < lasting ? half : half + slow * (lasting - half);
        held[i] = Math.min(quick, lasting, held[i]);
      }
      const gains = trailingMean(held, window);
      limited = { ...driven, channels: driven.channels.map((c) => c.map((v, i) => v * gains[i])) };
      const over = between ? truePeak(limited) / ceiling : 1;
      if (over <= 1) break;
      target /= over;
    }
    return limited;
  },
});
