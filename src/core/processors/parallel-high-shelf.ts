import { z } from "zod";
import { cutSections, matched } from "../audio/analogue";
import { filterCascade } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { defineProcessor, eachChannel, parameter, step } from "./processor";

/** What passes a low cut is added to the untouched signal: phase in between makes it no plain shelf. */
export const parallelHighShelf = defineProcessor({
  key: "parallel-high-shelf",
  name: "High shelf by a parallel path",
  about: "The dry signal plus its own top through a low cut: a lift whose slope and phase are those of the sum.",
  family: "equalizer",
  parameters: z.object({
    frequencyHz: parameter("Frequency", "Hz", 1000, 20_000, 8000),
    levelDb: parameter("Level of the path", "dB", -40, 12, -6),
    slopeDbPerOctave: step("Slope", "dB/oct", [6, 12], 6),
    outputDb: parameter("Output", "dB", -24, 24, 0),
  }),
  process(clip, { frequencyHz, levelDb, slopeDbPerOctave, outputDb }) {
    const filters = cutSections("low cut", frequencyHz, slopeDbPerOctave / 6).map((s) => matched(s, clip.sampleRateHz));
    const gain = amplitudeFromDb(outputDb);
    const level = amplitudeFromDb(levelDb);
    return eachChannel(clip, (channel) => {
      const top = filterCascade(channel, filters);
      return channel.map((v, i) => gain * (v + level * top[i]));
    });
  },
});
