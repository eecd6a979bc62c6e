import { z } from "zod";
import { cos, sin } from "../audio/exact-math";
import { filtered } from "../audio/filtered";
import { together } from "../audio/in-order";
import { defineProcessor, parameter } from "./processor";

/** Reach of the transformer to each side, as a part of a second: constant phase down to about 12 Hz. */
const REACH_SECONDS = 0.16;

/**
 * Windowed ideal Hilbert transformer, 2 / (πn) for odd n (Oppenheim and Schafer, Discrete-Time Signal Processing, chapter
 * 12; from memory) under a Blackman window.
 */
function hilbertResponse(reach: number): Float64Array {
  return Float64Array.from({ length: 2 * reach + 1 }, (_, i) => {
    const n = i - reach;
    if (n % 2 === 0) return 0;
    const x = (Math.PI * (n + reach + 1)) / (reach + 1);
    return (2 / (Math.PI * n)) * (0.42 - 0.5 * cos(x) + 0.08 * cos(2 * x));
  });
}

export const phaseRotator = defineProcessor({
  key: "phase-rotator",
  name: "Phase rotator",
  about: "Rotates every frequency by the same angle: peaks change, the spectrum does not, transients smear.",
  family: "other",
  parameters: z.object({ degrees: parameter("Rotation", "°", -180, 180, 90) }),
  latencySamples: (_, sampleRateHz) => Math.round(REACH_SECONDS * sampleRateHz),
  process(sound, { degrees }) {
    const angle = (degrees * Math.PI) / 180;
    const [along, across] = [cos(angle), sin(angle)];
    const reach = Math.round(REACH_SECONDS * sound.sampleRateHz);
    return together([sound, filtered(sound, [hilbertResponse(reach)], reach)], (output, channel, rotated) => {
      for (let i = 0; i < output.length; i++) output[i] = along * channel[i] - across * rotated[i];
    });
  },
});
