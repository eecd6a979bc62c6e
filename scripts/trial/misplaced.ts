// Known misplacements of a clip, none of them made by the code that has to find them.
import { type Clip, frameCount } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import { delayed } from "@/core/stimuli/signals";

const each = (clip: Clip, work: (channel: Float32Array, c: number) => Float32Array): Clip => ({
  ...clip,
  channels: clip.channels.map(work),
});

/** Late by whole samples (early when negative): the length grows by what comes before, or shrinks. */
export const late = (clip: Clip, samples: number): Clip =>
  each(clip, (channel) => {
    const output = new Float32Array(channel.length + Math.max(0, samples));
    output.set(samples < 0 ? channel.subarray(-samples) : channel, Math.max(0, samples));
    return samples < 0 ? output.subarray(0, channel.length + samples) : output;
  });

/** Late by any part of a sample; the length grows as with whole ones. */
export const lateBy = (clip: Clip, samples: number): Clip => delayed(clip, samples, Math.max(0, Math.ceil(samples)));

/** Rounded to a word length, with triangular dither of ±1 step that no other copy shares. */
export function worded(clip: Clip, bits: 16 | 24 | "float", seed: number): Clip {
  if (bits === "float") return clip;
  const random = seededRandom(seed);
  const full = 2 ** (bits - 1);
  return each(clip, (channel) =>
    channel.map((v) => Math.max(-1, Math.min(1 - 1 / full, Math.round(v * full + random() - random()) / full))),
  );
}

export const scaled = (clip: Clip, gain: number): Clip => each(clip, (channel) => channel.map((v) => v * gain));

/** Frames from `from` on, as a clip of its own. */
export const part = (clip: Clip, from: number, to: number): Clip => each(clip, (channel) => channel.slice(from, to));

export function after(...clips: readonly Clip[]): Clip {
  const frames = clips.reduce((sum, clip) => sum + frameCount(clip), 0);
  return each(clips[0], (_, c) => {
    const output = new Float32Array(frames);
    let at = 0;
    for (const clip of clips) {
      output.set(clip.channels[c] ?? clip.channels[0], at);
      at += frameCount(clip);
    }
    return output;
  });
}

export const quiet = (clip: Clip, seconds: number): Clip =>
  each(clip, () => new Float32Array(Math.round(seconds * clip.sampleRateHz)));

/** Left and right as given. */
export const sides = (clip: Clip, left: Float32Array, right: Float32Array): Clip => ({
  ...clip,
  channels: [left, right],
});

/** A clip of clicks, one every quarter of a second. */
export const clicks = (clip: Clip, seconds: number): Clip =>
  each(quiet(clip, seconds), (channel) => {
    for (let i = 100; i < channel.length; i += Math.round(clip.sampleRateHz / 4)) channel[i] = 0.9;
    return channel;
  });

export const asMono = (clip: Clip): Clip => ({
  ...clip,
  channels: [clip.channels[0].map((v, i) => 0.5 * (v + (clip.channels[1] ?? clip.channels[0])[i]))],
});

export const asStereo = (clip: Clip): Clip => ({
  ...clip,
  channels: clip.channels.length === 2 ? clip.channels : [clip.channels[0], clip.channels[0].slice()],
});
