import { z } from "zod";
import { pow } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { inOrder } from "../audio/in-order";
import { type Sound, spareArrays } from "../audio/sound";
import { hannWindow } from "../audio/window";
import { defineProcessor, parameter } from "./processor";

const SIZE = 2048;
/** Width in bins of the neighbourhood whose strongest bin decides what is dropped: about a critical band at 1 kHz. */
const NEIGHBOURS = 8;

/**
 * Drops the bins above the band limit and those far below their neighbours, frame by frame: the holes a coder leaves, without
 * being any coder. Square-root Hann windows at half overlap, so untouched frames add up to the input.
 */
function throughFrames(sound: Sound, limitBin: number, dropRatio: number): Sound {
  const window = hannWindow(SIZE).map(Math.sqrt);
  const frame = new Float64Array(SIZE);
  const keptOf = (samples: Float32Array): Float64Array => {
    for (let i = 0; i < SIZE; i++) frame[i] = window[i] * samples[i];
    const spectrum = forwardReal(frame, SIZE);
    const powers = Float64Array.from(
      { length: SIZE / 2 + 1 },
      (_, b) => spectrum[2 * b] ** 2 + spectrum[2 * b + 1] ** 2,
    );
    for (let b = 0; b <= SIZE / 2; b++) {
      let strongest = 0;
      for (let n = Math.max(0, b - NEIGHBOURS); n <= Math.min(SIZE / 2, b + NEIGHBOURS); n++) {
        strongest = Math.max(strongest, powers[n]);
      }
      if (b <= limitBin && powers[b] >= dropRatio * strongest) continue;
      spectrum[2 * b] = spectrum[2 * b + 1] = 0;
    }
    return inverseReal(spectrum).map((v, i) => window[i] * v);
  };
  const hop = SIZE / 2;
  return inOrder(sound, () => {
    // The second half of the frame before.
    let before = sound.read(-hop, SIZE).map((channel) => keptOf(channel).subarray(hop));
    return (from, count) => {
      const output = spareArrays(sound.channelCount, count);
      for (let at = 0; at < count; at += hop) {
        const frames = sound.read(from + at, SIZE).map(keptOf);
        for (const [c, channel] of output.entries()) {
          for (let i = 0; i < Math.min(hop, count - at); i++) channel[at + i] = before[c][i] + frames[c][i];
        }
        before = frames.map((kept) => kept.subarray(hop));
      }
      return output;
    };
  });
}

export const codedBand = defineProcessor({
  key: "coded-band",
  name: "Band limit, lossy-like",
  about: "Cuts everything above a limit, and weak parts near strong ones, like a lossy coder.",
  family: "other",
  parameters: z.object({
    limitHz: parameter("Band limit", "Hz", 1000, 22_000, 16_000),
    dropDb: parameter("Cut below the strongest neighbour", "dB", -90, -6, -30),
  }),
  latencySamples: () => SIZE / 2,
  process(sound, { limitHz, dropDb }) {
    const limitBin = Math.floor((limitHz * SIZE) / sound.sampleRateHz);
    return throughFrames(sound, limitBin, pow(10, dropDb / 10));
  },
});
