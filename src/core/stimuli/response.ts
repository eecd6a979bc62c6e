import type { Clip } from "../audio/clip";
import { amplitudeFromDb, dbFromAmplitude } from "../audio/decibels";
import { cos, log10, sin } from "../audio/exact-math";
import { forwardReal } from "../audio/fft";
import { hannWindow } from "../audio/window";

/** Frames of the impulse and its response: 1.4 s at 48 kHz. */
const SIZE = 2 ** 16;
const CENTRE = SIZE / 2;

/** A click in the middle of silence, in one or two channels. */
export function click(channels = 1, amplitude = 1, sampleRateHz = 48_000, frames = SIZE): Clip {
  return {
    sampleRateHz,
    channels: Array.from({ length: channels }, () => {
      const samples = new Float32Array(frames);
      samples[frames / 2] = amplitude;
      return samples;
    }),
  };
}

/** Gain in dB and complex response of a linear process, read off its response to a click, at any frequency. */
export function responseOf(process: (clip: Clip) => Clip, channel = 0) {
  const given = click(channel + 1);
  const { channels, sampleRateHz } = process(given);
  const response = channels[channel];
  return (hertz: number) => {
    const w = (2 * Math.PI * hertz) / sampleRateHz;
    let re = 0;
    let im = 0;
    for (let i = 0; i < response.length; i++) {
      if (response[i] === 0) continue;
      re += response[i] * cos(w * (i - CENTRE));
      im -= response[i] * sin(w * (i - CENTRE));
    }
    return { gainDb: 10 * log10(re * re + im * im), re, im, response };
  };
}

export const BIN_HZ = 48_000 / 4096;

/** Levels in dB of all bins of 4096 at 48 kHz, from the 8192nd frame on; bin-centred tones read their peak. */
export function toneLevelsDb(clip: Clip, channel = 0): Float64Array {
  const start = 8192;
  const segment = hannWindow(4096).map((w, i) => w * clip.channels[channel][start + i]);
  const spectrum = forwardReal(segment, 4096);
  return Float64Array.from({ length: 2049 }, (_, bin) => {
    const [re, im] = [spectrum[2 * bin] / 1024, spectrum[2 * bin + 1] / 1024];
    return 10 * log10(re * re + im * im);
  });
}

export const toneDb = (clip: Clip, bin: number): number => toneLevelsDb(clip)[bin];

/** Steady values of alternating sign, so that the magnitude is the same in every frame: a level without ripple. */
export function steady(levelsDb: readonly number[], secondsEach: number, sampleRateHz = 48_000): Clip {
  const each = Math.round(secondsEach * sampleRateHz);
  const channel = Float32Array.from(
    { length: each * levelsDb.length },
    (_, i) => amplitudeFromDb(levelsDb[Math.floor(i / each)]) * (i % 2 ? -1 : 1),
  );
  return { sampleRateHz, channels: [channel] };
}

/** Level in dB of the magnitude at one frame. */
export const levelAt = (clip: Clip, frame: number): number => dbFromAmplitude(Math.abs(clip.channels[0][frame]));
