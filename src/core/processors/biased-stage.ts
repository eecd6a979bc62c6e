import { z } from "zod";
import { bilinear, cutSections } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { tanh } from "../audio/exact-math";
import { oversampled, oversamplingParameter } from "./oversampling";
import { defineProcessor, mixed, parameter } from "./processor";

/** tanh around a working point, zero in, zero out, small-signal gain one: the bias makes even harmonics. */
export function biasedSample(value: number, drive: number, bias: number): number {
  const rest = tanh(bias);
  return (tanh(value * drive + bias) - rest) / (drive * (1 - rest * rest));
}

/** Where the offset that even harmonics bring is taken out, as a coupling capacitor would. */
const COUPLING_HZ = 5;

export const biasedStage = defineProcessor({
  key: "biased-stage",
  name: "Saturator, biased",
  about: "Asymmetric saturation: even harmonics, mainly the second.",
  family: "saturator",
  parameters: z.object({
    driveDb: parameter("Drive", "dB", 0, 36, 6),
    bias: parameter("Bias", "", 0, 1.5, 0.4),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
    oversampling: oversamplingParameter(4),
  }),
  process(sound, { driveDb, bias, outputDb, mixPercent, oversampling }) {
    const drive = amplitudeFromDb(driveDb);
    const output = amplitudeFromDb(outputDb);
    const bent = oversampled(sound, oversampling, (v) => output * biasedSample(v, drive, bias));
    const coupling = cutSections("low cut", COUPLING_HZ, 1).map((s) => bilinear(s, sound.sampleRateHz));
    return mixed(sound, throughBiquads(bent, coupling), mixPercent);
  },
});
