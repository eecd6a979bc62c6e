import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { oversampledChannels, oversamplingParameter } from "./oversampling";
import { defineProcessor, mixed, parameter } from "./processor";

export const bitAndRateReducer = defineProcessor({
  key: "bit-and-rate-reducer",
  name: "Saturator, fewer bits and samples",
  about: "Sample-and-hold and rounding without dither: steps, images and noise, as an effect.",
  family: "saturator",
  parameters: z.object({
    driveDb: parameter("Drive", "dB", 0, 36, 0),
    bits: parameter("Word length", "bit", 2, 24, 10),
    rateHz: parameter("Rate", "Hz", 500, 192_000, 16_000),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
    oversampling: oversamplingParameter(1),
  }),
  process(sound, { driveDb, bits, rateHz, outputDb, mixPercent, oversampling }) {
    const drive = amplitudeFromDb(driveDb);
    const full = 2 ** (bits - 1);
    const output = amplitudeFromDb(outputDb);
    const reduced = oversampledChannels(sound, oversampling, (sampleRateHz) => {
      const stride = Math.min(1, rateHz / sampleRateHz);
      let held = 0;
      let phase = 1;
      return (channel) =>
        channel.map((v) => {
          if (phase >= 1) {
            held = Math.max(-1, Math.min(1 - 1 / full, Math.round(v * drive * full) / full));
            phase -= 1;
          }
          phase += stride;
          return output * held;
        });
    });
    return mixed(sound, reduced, mixPercent);
  },
});
