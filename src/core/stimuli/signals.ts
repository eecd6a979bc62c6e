import type { Clip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { cos, sin } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import { seededRandom } from "../audio/random";

/** A sine in every channel: `peakDbfs` is the level of its peak. */
export function sine(options: {
  hertz: number;
  peakDbfs: number;
  seconds: number;
  sampleRateHz?: number;
  channels?: number;
  phaseDegrees?: number;
}): Clip {
  const { hertz, peakDbfs, seconds, sampleRateHz = 48_000, channels = 2, phaseDegrees = 0 } = options;
  const amplitude = amplitudeFromDb(peakDbfs);
  const phase = (phaseDegrees * Math.PI) / 180;
  const samples = Float32Array.from(
    { length: Math.round(seconds * sampleRateHz) },
    (_, i) => amplitude * sin((2 * Math.PI * hertz * i) / sampleRateHz + phase),
  );
  return { sampleRateHz, channels: Array.from({ length: channels }, () => samples) };
}

export function silence(seconds: number, sampleRateHz = 48_000, channels = 2): Clip {
  const samples = new Float32Array(Math.round(seconds * sampleRateHz));
  return { sampleRateHz, channels: Array.from({ length: channels }, () => samples) };
}

/** Clips one after the other; all of one rate and channel count. */
export function joined(...clips: Clip[]): Clip {
  const frames = clips.reduce((sum, c) => sum + c.channels[0].length, 0);
  return {
    sampleRateHz: clips[0].sampleRateHz,
    channels: clips[0].channels.map((_, c) => {
      const output = new Float32Array(frames);
      let at = 0;
      for (const clip of clips) {
        output.set(clip.channels[c], at);
        at += clip.channels[c].length;
      }
      return output;
    }),
  };
}

/** Uniform noise, different in each channel, repeatable. */
export function noise(seconds: number, amplitude: number, seed: number, channels = 2, sampleRateHz = 48_000): Clip {
  const random = seededRandom(seed);
  return {
    sampleRateHz,
    channels: Array.from({ length: channels }, () =>
      Float32Array.from({ length: Math.round(seconds * sampleRateHz) }, () => amplitude * (2 * random() - 1)),
    ),
  };
}

/** The clip `samples` later (earlier when negative), of the same length. */
export function shifted(clip: Clip, samples: number): Clip {
  return {
    ...clip,
    channels: clip.channels.map((channel) => Float32Array.from(channel, (_, i) => channel[i - samples] ?? 0)),
  };
}

/** Silence around a clip, so that what a delay rings of it is not lost or wrapped. */
const RINGING_FRAMES = 16_384;

/**
 * The clip later by any part of a sample, by the phase of the whole file's spectrum: no filter of core has a part in it. Of the same
 * length, or `moreFrames` longer.
 */
export function delayed(clip: Clip, samples: number, moreFrames = 0): Clip {
  const channels = clip.channels.map((channel) => {
    const size = powerOfTwoAtLeast(channel.length + moreFrames + 2 * RINGING_FRAMES);
    const padded = new Float32Array(size);
    padded.set(channel, RINGING_FRAMES);
    const spectrum = forwardReal(padded, size);
    for (let k = 0; k <= size / 2; k++) {
      const angle = (-2 * Math.PI * k * samples) / size;
      const [re, im] = [spectrum[2 * k], spectrum[2 * k + 1]];
      spectrum[2 * k] = re * cos(angle) - im * sin(angle);
      spectrum[2 * k + 1] = re * sin(angle) + im * cos(angle);
    }
    return Float32Array.from(
      inverseReal(spectrum).subarray(RINGING_FRAMES, RINGING_FRAMES + channel.length + moreFrames),
    );
  });
  return { ...clip, channels };
}

export function added(a: Clip, b: Clip): Clip {
  return { ...a, channels: a.channels.map((channel, c) => channel.map((v, i) => v + b.channels[c][i])) };
}
