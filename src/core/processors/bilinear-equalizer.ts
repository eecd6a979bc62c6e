import { z } from "zod";
import { type Biquad, filterBiquad } from "../audio/biquad";
import { scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { defineProcessor, parameter } from "./processor";

/**
 * Bell by the bilinear transform, so warped towards half the rate.
 * Bristow-Johnson, Cookbook formulae for audio EQ biquad filter coefficients (W3C note), peakingEQ.
 */
export function bilinearBell(frequencyHz: number, gainDb: number, q: number, sampleRateHz: number): Biquad {
  const w = (2 * Math.PI * frequencyHz) / sampleRateHz;
  const a = 10 ** (gainDb / 40);
  const alpha = Math.sin(w) / (2 * q);
  const a0 = 1 + alpha / a;
  return {
    b0: (1 + alpha * a) / a0,
    b1: (-2 * Math.cos(w)) / a0,
    b2: (1 - alpha * a) / a0,
    a1: (-2 * Math.cos(w)) / a0,
    a2: (1 - alpha / a) / a0,
  };
}

/** Low shelf of slope 1 by the bilinear transform; same source, lowShelf. Half the gain (in dB) at `frequencyHz`. */
export function bilinearLowShelf(frequencyHz: number, gainDb: number, sampleRateHz: number): Biquad {
  const w = (2 * Math.PI * frequencyHz) / sampleRateHz;
  const a = 10 ** (gainDb / 40);
  const cos = Math.cos(w);
  const slope = 2 * Math.sqrt(a) * (Math.sin(w) / 2) * Math.SQRT2;
  const a0 = a + 1 + (a - 1) * cos + slope;
  return {
    b0: (a * (a + 1 - (a - 1) * cos + slope)) / a0,
    b1: (2 * a * (a - 1 - (a + 1) * cos)) / a0,
    b2: (a * (a + 1 - (a - 1) * cos - slope)) / a0,
    a1: (-2 * (a - 1 + (a + 1) * cos)) / a0,
    a2: (a + 1 + (a - 1) * cos - slope) / a0,
  };
}

export const bilinearEqualizer = defineProcessor({
  key: "bilinear-equalizer",
  name: "Bell and shelf equalizer, bilinear",
  family: "equalizer",
  parameters: z.object({
    shelfHz: parameter("Low shelf", "Hz", 20, 1000, 90),
    shelfDb: parameter("Low shelf gain", "dB", -18, 18, 0),
    bellHz: parameter("Bell", "Hz", 20, 20000, 1000),
    bellDb: parameter("Bell gain", "dB", -18, 18, 0),
    bellQ: parameter("Bell Q", "", 0.1, 20, 1),
    outputDb: parameter("Output", "dB", -24, 24, 0),
  }),
  process(clip, settings) {
    const shelf = bilinearLowShelf(settings.shelfHz, settings.shelfDb, clip.sampleRateHz);
    const bell = bilinearBell(settings.bellHz, settings.bellDb, settings.bellQ, clip.sampleRateHz);
    const channels = clip.channels.map((channel) => filterBiquad(filterBiquad(channel, shelf), bell));
    return scaleClip({ ...clip, channels }, amplitudeFromDb(settings.outputDb));
  },
});
