import { type ChannelWork, eachInOrder, eachSample } from "../audio/in-order";
import { atRate, OVERSAMPLING_QUALITY } from "../audio/resample";
import { type Sound, stretch } from "../audio/sound";
import { step } from "./processor";

const FACTORS = [1, 2, 4, 8, 16] as const;
type Factor = (typeof FACTORS)[number];

export const oversamplingParameter = (initial: Factor) => step("Oversampling", "×", FACTORS, initial);

/** `shape` on a sound at `factor` times the rate, brought back without delay and at the same length. */
function atHigherRate(sound: Sound, factor: number, shape: (raised: Sound) => Sound): Sound {
  const shaped = shape(atRate(sound, sound.sampleRateHz * factor, OVERSAMPLING_QUALITY));
  const lowered = atRate(shaped, sound.sampleRateHz, OVERSAMPLING_QUALITY);
  return lowered.frames === sound.frames ? lowered : stretch(lowered, { startFrame: 0, endFrame: sound.frames });
}

/** The same for a shape with a memory, one each channel. */
export const oversampledChannels = (
  sound: Sound,
  factor: number,
  begin: (sampleRateHz: number) => ChannelWork,
): Sound => atHigherRate(sound, factor, (raised) => eachInOrder(raised, () => begin(raised.sampleRateHz)));

/** The same for a shape without memory. */
export const oversampled = (sound: Sound, factor: number, shape: (value: number) => number): Sound =>
  atHigherRate(sound, factor, (raised) => eachSample(raised, shape));
