import { type AnalogueSection, analoguePower } from "../audio/analogue";
import { cos, log2 } from "../audio/exact-math";
import { inverseReal } from "../audio/fft";
import { filtered } from "../audio/filtered";
import { defineEqualizer } from "./equalizer-bands";

/** About a third of a second at any rate: long enough for narrow bells at 30 Hz. */
const sizeAt = (sampleRateHz: number): number => 2 ** Math.round(log2(sampleRateHz / 3));

/**
 * A symmetric impulse response with the analogue magnitude and no phase: the inverse DFT of the magnitude, under a Hann
 * window (frequency sampling; Oppenheim and Schafer, Discrete-Time Signal Processing, chapter 7; from memory).
 */
function symmetricResponse(sections: AnalogueSection[], sampleRateHz: number): Float64Array {
  const size = sizeAt(sampleRateHz);
  const spectrum = new Float64Array(size + 2);
  for (let bin = 0; bin <= size / 2; bin++) {
    const hertz = (bin * sampleRateHz) / size;
    const magnitude = Math.sqrt(sections.reduce((product, s) => product * analoguePower(s, hertz), 1));
    spectrum[2 * bin] = magnitude;
  }
  const circular = inverseReal(spectrum);
  const response = new Float64Array(size - 1);
  const centre = size / 2 - 1;
  for (let i = 0; i < response.length; i++) {
    const lag = i - centre;
    response[i] = circular[(lag + size) % size] * (0.5 + 0.5 * cos((Math.PI * lag) / (size / 2)));
  }
  return response;
}

export const linearPhaseEqualizer = defineEqualizer({
  key: "linear-phase-equalizer",
  name: "Equalizer, linear phase",
  about: "The analogue magnitude without phase shift: pre-ringing as strong as post-ringing, and latency.",
  latencySamples: (_, sampleRateHz) => sizeAt(sampleRateHz) / 2 - 1,
  realise: (sections, rate) => {
    const response = symmetricResponse(sections, rate);
    return (sound) => filtered(sound, [response], (response.length - 1) / 2);
  },
});
