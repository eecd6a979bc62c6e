import { z } from "zod";
import { type AnalogueSection, matched } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { eachSample } from "../audio/in-order";
import { defineProcessor, parameter } from "./processor";

/** A first-order lift (s + g) / (s + 1) in units of the corner: gain g at 0 Hz, none far above. */
function lift(cornerHz: number, gain: number): AnalogueSection {
  return { cornerHz, numerator: [gain, 1, 0], denominator: [1, 1, 0] };
}

/** The lift turned inverted. */
function dip(cornerHz: number, gain: number): AnalogueSection {
  const { numerator, denominator } = lift(cornerHz, gain);
  return { cornerHz, numerator: denominator, denominator: numerator };
}

/**
 * Boost and cut are two networks with corners of their own, as in a passive equalizer; turned up together they do not
 * cancel but leave what boost is over at the bottom and a dip above it (common practice, no published source).
 */
export const passiveLowPair = defineProcessor({
  key: "passive-low-pair",
  name: "Low boost and cut, passive style",
  about: "A low boost and a low cut at separate corners: together they lift the lows and dip above.",
  family: "equalizer",
  parameters: z.object({
    frequencyHz: parameter("Frequency", "Hz", 20, 200, 60),
    boostDb: parameter("Boost", "dB", 0, 14, 4),
    cutDb: parameter("Cut", "dB", 0, 18, 0),
    cutCornerRatio: parameter("Cut corner re boost corner", "×", 1, 8, 3),
    outputDb: parameter("Output", "dB", -24, 24, 0),
  }),
  process(sound, { frequencyHz, boostDb, cutDb, cutCornerRatio, outputDb }) {
    const boost = lift(frequencyHz, amplitudeFromDb(boostDb));
    const cut = dip(frequencyHz * cutCornerRatio, amplitudeFromDb(cutDb));
    const filters = [boost, cut].map((s) => matched(s, sound.sampleRateHz));
    const gain = amplitudeFromDb(outputDb);
    return eachSample(throughBiquads(sound, filters), (v) => gain * v);
  },
});
