import { z } from "zod";
import { pow } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { defineProcessor, eachChannel, parameter } from "./processor";

const SIZE = 2048;
/** Width in bins of the neighbourhood whose strongest bin decides what is dropped: about a critical band at 1 kHz. */
const NEIGHBOURS = 8;

/**
 * Drops the bins above the band limit and those far below their neighbours, frame by frame: the holes a coder leaves, without
 * being any coder. Square-root Hann windows at half overlap, so untouched frames add up to the input.
 */
function throughFrames(channel: Float32Array, limitBin: number, dropRatio: number): Float32Array {
  const window = hannWindow(SIZE).map(Math.sqrt);
  const output = new Float32Array(channel.length + SIZE);
  const frame = new Float64Array(SIZE);
  for (let start = -SIZE / 2; start < channel.length; start += SIZE / 2) {
    for (let i = 0; i < SIZE; i++) frame[i] = window[i] * (channel[start + i] ?? 0);
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
    const kept = inverseReal(spectrum);
    for (let i = Math.max(0, -start); i < SIZE; i++) output[start + i] += window[i] * kept[i];
  }
  return output.subarray(0, channel.length);
}

export const codedBand = defineProcessor({
  key: "coded-band",
  name: "Band limit, lossy-like",
  about: "No sound above a limit, and holes where weak parts lie beside strong ones, as a lossy coder leaves them.",
  family: "other",
  parameters: z.object({
    limitHz: parameter("Band limit", "Hz", 1000, 22_000, 16_000),
    dropDb: parameter("Dropped below the strongest neighbour", "dB", -90, -6, -30),
  }),
  latencySamples: () => SIZE / 2,
  process(clip, { limitHz, dropDb }) {
    const limitBin = Math.floor((limitHz * SIZE) / clip.sampleRateHz);
    return eachChannel(clip, (channel) => throughFrames(channel, limitBin, pow(10, dropDb / 10)));
  },
});
