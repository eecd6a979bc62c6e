import { z } from "zod";
import { frameCount } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { seededRandom } from "../audio/random";
import { readBetween } from "../audio/read-between";
import { count, defineProcessor, eachChannel, parameter, toggle } from "./processor";

/** Uniform noise of ±1 has a mean square of a third. */
const UNIFORM_RMS = Math.sqrt(1 / 3);

/** The one processor that comes back late: that is what it is for. */
export const outboardLoop = defineProcessor({
  key: "outboard-loop",
  name: "Outboard loop",
  about: "Out through converters and back: late by a fraction, off in clock, a little noisy and uneven.",
  family: "other",
  parameters: z.object({
    latencySamples: parameter("Converter latency", "samples", 0, 10_000, 64.25),
    clockPpm: parameter("Clock error", "ppm", -200, 200, 0),
    noiseFloorDbfs: parameter("Noise floor", "dBFS", -140, -40, -96),
    gainDb: parameter("Gain", "dB", -24, 24, 0),
    rightOffsetDb: parameter("Right against left", "dB", -3, 3, 0.05),
    flipped: toggle("Polarity flipped", false),
    noiseSeed: count("Noise take", 1, 9999, 1),
  }),
  process(clip, { latencySamples, clockPpm, noiseFloorDbfs, gainDb, rightOffsetDb, flipped, noiseSeed }) {
    const frames = frameCount(clip) + Math.ceil(latencySamples);
    const stride = 1 - clockPpm * 1e-6;
    const noise = amplitudeFromDb(noiseFloorDbfs) / UNIFORM_RMS;
    const random = seededRandom(noiseSeed);
    return eachChannel(clip, (channel, c) => {
      const factor = (flipped ? -1 : 1) * amplitudeFromDb(gainDb + (c === 1 ? rightOffsetDb : 0));
      const output = readBetween(channel, -latencySamples, stride, frames);
      for (let i = 0; i < frames; i++) output[i] = factor * output[i] + noise * (2 * random() - 1);
      return output;
    });
  },
});
