import { z } from "zod";
import { cutSections, matched } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { together } from "../audio/in-order";
import { defineProcessor, parameter, step } from "./processor";

/** What passes a low cut is added to the untouched signal: phase in between makes it no plain shelf. */
export const parallelHighShelf = defineProcessor({
  key: "parallel-high-shelf",
  name: "High shelf by a parallel path",
  about: "Dry plus a low-cut copy: a high-frequency lift with the slope and phase of the sum.",
  family: "equalizer",
  parameters: z.object({
    frequencyHz: parameter("Frequency", "Hz", 1000, 20_000, 8000),
    levelDb: parameter("Parallel level", "dB", -40, 12, -6),
    slopeDbPerOctave: step("Slope", "dB/oct", [6, 12], 6),
    outputDb: parameter("Output", "dB", -24, 24, 0),
  }),
  process(sound, { frequencyHz, levelDb, slopeDbPerOctave, outputDb }) {
    const filters = cutSections("low cut", frequencyHz, slopeDbPerOctave / 6).map((s) =>
      matched(s, sound.sampleRateHz),
    );
    const gain = amplitudeFromDb(outputDb);
    const level = amplitudeFromDb(levelDb);
    return together([sound, throughBiquads(sound, filters)], (output, channel, top) => {
      for (let i = 0; i < output.length; i++) output[i] = gain * (channel[i] + level * top[i]);
    });
  },
});
