import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { exp, sin, tanh } from "../audio/exact-math";
import { inverseReal } from "../audio/fft";
import { filtered } from "../audio/filtered";
import type { ChannelWork } from "../audio/in-order";
import { hannWindow } from "../audio/window";
import { oversampledChannels, oversamplingParameter } from "./oversampling";
import { defineProcessor, mixed, parameter, step } from "./processor";

/** Widths of the play operators in parts of the hysteresis width, and how much each one counts: a small Preisach model. */
const PLAYS = [0.1, 0.25, 0.45, 0.7, 1] as const;

/**
 * Rate-independent hysteresis by play operators (Prandtl-Ishlinskii; Visintin, Differential Models of Hysteresis, 1994, from
 * memory), then tanh: the way up and the way down differ by up to `width`.
 */
function magnetise(drive: number, width: number): ChannelWork {
  const states = new Float64Array(PLAYS.length);
  return (channel) => {
    for (let i = 0; i < channel.length; i++) {
      const x = channel[i] * drive;
      let sum = x;
      for (let p = 0; p < PLAYS.length; p++) {
        const reach = PLAYS[p] * width;
        states[p] = Math.max(x - reach, Math.min(x + reach, states[p]));
        sum += states[p];
      }
      channel[i] = tanh(sum / (PLAYS.length + 1)) / drive;
    }
    return channel;
  };
}

const MICROMETRES_PER_INCH = 25_400;
const RESPONSE_TAPS = 1023;

/**
 * What head and tape lose at short wavelengths: spacing e^(−2πd/λ), thickness (1 − e^(−2πδ/λ)) / (2πδ/λ), gap
 * sin(πg/λ) / (πg/λ). Wallace, The Reproduction of Magnetically Recorded Signals, Bell System Technical Journal 30 (1951).
 */
export function headLoss(hertz: number, speedIps: number, spacingUm: number, gapUm: number, coatingUm = 5): number {
  if (hertz === 0) return 1;
  const wavelengthUm = (speedIps * MICROMETRES_PER_INCH) / hertz;
  const spacing = exp((-2 * Math.PI * spacingUm) / wavelengthUm);
  const depth = (2 * Math.PI * coatingUm) / wavelengthUm;
  const gap = (Math.PI * gapUm) / wavelengthUm;
  return spacing * ((1 - exp(-depth)) / depth) * Math.abs(sin(gap) / gap);
}

/** The loss as a symmetric response (frequency sampling), relative to 1 kHz, where a machine is set to its level. */
function headResponse(sampleRateHz: number, speedIps: number, spacingUm: number, gapUm: number): Float64Array {
  const size = RESPONSE_TAPS + 1;
  const spectrum = new Float64Array(size + 2);
  const level = headLoss(1000, speedIps, spacingUm, gapUm);
  for (let bin = 0; bin <= size / 2; bin++) {
    const value = headLoss((bin * sampleRateHz) / size, speedIps, spacingUm, gapUm) / level;
    spectrum[2 * bin] = value;
  }
  const circular = inverseReal(spectrum);
  const window = hannWindow(size);
  return Float64Array.from(
    { length: RESPONSE_TAPS },
    (_, i) => circular[(i - (size / 2 - 1) + size) % size] * window[i + 1],
  );
}

export const tapeStage = defineProcessor({
  key: "tape-stage",
  name: "Saturator, tape-like",
  about: "Hysteresis and saturation of a magnetic layer, then the head's high-frequency loss at a given speed.",
  family: "saturator",
  parameters: z.object({
    driveDb: parameter("Drive", "dB", 0, 24, 6),
    hysteresisPercent: parameter("Hysteresis", "%", 0, 100, 20),
    speedIps: step("Tape speed", "ips", [3.75, 7.5, 15, 30], 15),
    spacingUm: parameter("Head spacing", "µm", 0, 10, 0.5),
    gapUm: parameter("Head gap", "µm", 0.5, 15, 4),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
    oversampling: oversamplingParameter(4),
  }),
  process(sound, { driveDb, hysteresisPercent, speedIps, spacingUm, gapUm, outputDb, mixPercent, oversampling }) {
    const drive = amplitudeFromDb(driveDb);
    const width = (0.3 * hysteresisPercent) / 100;
    const bent = oversampledChannels(sound, oversampling, () => magnetise(drive, width));
    const response = headResponse(sound.sampleRateHz, speedIps, spacingUm, gapUm).map(
      (tap) => tap * amplitudeFromDb(outputDb),
    );
    return mixed(sound, filtered(bent, [response], (response.length - 1) / 2), mixPercent);
  },
});
