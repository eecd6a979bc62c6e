import { findTransients } from "../alignment/transient";
import { type FrameRange, type Sound, stretch } from "../audio/sound";

/** What follows an transient has to hold so many times the energy of what came just before (8 dB), both over so long: common practice, no published source. */
const RISE = 6.3;
const SECONDS = 0.01;
const GUARD_SECONDS = 0.001;

/** Frames of a sound at which it clearly sets in within a region, at most `wanted`, in order. What swells or flutters is none. */
export function clearTransients(sound: Sound, region: FrameRange, wanted: number): number[] {
  const frames = Math.max(1, Math.round(SECONDS * sound.sampleRateHz));
  const guard = Math.round(GUARD_SECONDS * sound.sampleRateHz);
  const energy = (from: number) =>
    sound.read(from, frames).reduce((sum, channel) => sum + channel.reduce((s, v) => s + v * v, 0), 0);
  return findTransients(stretch(sound, region), wanted)
    .map(({ frame }) => frame + region.startFrame)
    .filter((frame) => energy(frame) > RISE * energy(frame - guard - frames));
}
