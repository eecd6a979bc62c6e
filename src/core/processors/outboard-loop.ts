import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { eachInOrder } from "../audio/in-order";
import { channelSeed, seededRandom } from "../audio/random";
import { soundBetween } from "../audio/read-between";
import { count, defineProcessor, parameter, toggle } from "./processor";

/** Uniform noise of ±1 has a mean square of a third. */
const UNIFORM_RMS = Math.sqrt(1 / 3);

/** The one processor that comes back late: that is what it is for. */
export const outboardLoop = defineProcessor({
  key: "outboard-loop",
  name: "Outboard loop",
  about: "Through converters and back: fractional delay, drift, a little noise and imbalance.",
  family: "other",
  parameters: z.object({
    latencySamples: parameter("Converter latency", "samples", 0, 10_000, 64.25),
    clockPpm: parameter("Drift", "ppm", -200, 200, 0),
    noiseFloorDbfs: parameter("Noise floor", "dBFS", -140, -40, -96),
    gainDb: parameter("Gain", "dB", -24, 24, 0),
    rightOffsetDb: parameter("R/L balance", "dB", -3, 3, 0.05),
    flipped: toggle("Polarity inverted", false),
    noiseSeed: count("Noise take", 1, 9999, 1),
  }),
  process(sound, { latencySamples, clockPpm, noiseFloorDbfs, gainDb, rightOffsetDb, flipped, noiseSeed }) {
    const frames = sound.frames + Math.ceil(latencySamples);
    const noise = amplitudeFromDb(noiseFloorDbfs) / UNIFORM_RMS;
    const late = soundBetween(sound, -latencySamples, 1 - clockPpm * 1e-6, frames);
    return eachInOrder(late, (c) => {
      const factor = (flipped ? -1 : 1) * amplitudeFromDb(gainDb + (c === 1 ? rightOffsetDb : 0));
      const random = seededRandom(channelSeed(noiseSeed, c));
      return (channel) => channel.map((v) => factor * v + noise * (2 * random() - 1));
    });
  },
});
