import { z } from "zod";
import { whileTransformed } from "../audio/fft";
import type { FrameRange, Sound } from "../audio/sound";
import { hannWindow } from "../audio/window";
import { addSpectra, sumsBytes } from "../kernels/products";

/** Raise when an averaged spectrum would come out differently. */
export const SPECTRUM_VERSION = 1;

/** Points of a segment; powers of two. */
export const SEGMENT_POINTS: readonly number[] = [1024, 2048, 4096, 8192, 16_384, 32_768, 65_536];

/** The bin that a sine falls on holds a third of twice its mean square: what a peak reads over a bin (Hann). */
export const PEAK_FACTOR = 3;

/** Arrays of channels added up. */
export function sumOfChannels(channels: readonly Float64Array[]): Float64Array<ArrayBuffer> {
  const sum = channels[0].slice();
  for (const channel of channels.slice(1)) for (let k = 0; k < sum.length; k++) sum[k] += channel[k];
  return sum as Float64Array<ArrayBuffer>;
}

/** Segments whose products are summed at a time. */
const BATCH = 32;

const arrays = z.array(z.array(z.instanceof(Float64Array)));

/**
 * Averaged over segments (Welch 1967): powers of every channel of every sound, and cross-spectra of each sound's channels with the same channels
 * of the first, conj(first) · other. Bins add up to the mean square of the sound: a full-scale sine is one half, most of it in three bins.
 */
export const averagedSchema = z.object({
  points: z.number(),
  sampleRateHz: z.number(),
  segments: z.number(),
  /** By sound, then channel: `points` / 2 + 1 bins. */
  powers: arrays,
  /** The loudest segment of each bin. */
  maxima: arrays,
  /** By sound from the second on, then channel; interleaved. */
  crosses: arrays,
});
export type Averaged = z.infer<typeof averagedSchema>;

/**
 * Hann windows of `points`, half overlapped, over a region that all sounds cover; sounds of one rate, mono given to both sides of stereo. Null
 * where no segment fits. `pause` is called between batches, with the share done and what is known so far.
 */
export function averagedSpectra(
  sounds: readonly Sound[],
  { startFrame, endFrame }: FrameRange,
  points: number,
  pause: (share: number, soFar: () => Averaged) => void = () => {},
): Averaged | null {
  const count = Math.floor((endFrame - startFrame - points) / (points / 2)) + 1;
  if (count < 1) return null;
  const window = hannWindow(points);
  const bins = points / 2 + 1;
  const channelCount = Math.max(...sounds.map((s) => s.channelCount));
  const make = (length: number, from = 0) =>
    sounds.slice(from).map(() => Array.from({ length: channelCount }, () => new Float64Array(length)));
  const [powers, maxima, crosses] = [make(bins), make(bins), make(2 * bins, 1)];
  // Twice, for one side stands for both, over the window's own mean square of three eighths (Harris 1978).
  const scale = 2 / ((3 / 8) * points * points);
  const averaged = (segments: number): Averaged => {
    const by = (arrays: Float64Array[][], factor: number) =>
      arrays.map((channels) => channels.map((values) => values.map((v) => v * factor)));
    return {
      points,
      sampleRateHz: sounds[0].sampleRateHz,
      segments,
      powers: by(powers, scale / segments),
      maxima: by(maxima, scale),
      crosses: by(crosses, scale / segments),
    };
  };
  for (let first = 0; first < count; first += BATCH) {
    const batch = Math.min(BATCH, count - first);
    const from = startFrame + (first * points) / 2;
    const read = sounds.map((sound) => sound.read(from, ((batch + 1) * points) / 2));
    for (let c = 0; c < channelCount; c++) {
      const signals = read.map((channels) => channels[c] ?? channels[0]);
      const sums = {
        powers: powers.map((p) => p[c]),
        maxima: maxima.map((m) => m[c]),
        crosses: crosses.map((x) => x[c]),
      };
      whileTransformed(signals, window, points / 2, batch, sumsBytes(sounds.length, bins), (spectraAt, roomAt) =>
        addSpectra(spectraAt, roomAt, bins, batch, sums),
      );
    }
    pause((first + batch) / count, () => averaged(first + batch));
  }
  return averaged(count);
}
