import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import { log2, pow } from "../audio/exact-math";
import { powerOfTwoAtLeast } from "../audio/fft";
import { overlapAdd } from "../audio/overlap-add";
import type { FrameRange, Sound } from "../audio/sound";
import { bandCentres } from "../spectrum/bands";

/** Raise when a crest would come out differently. */
export const BAND_CREST_VERSION = 1;

/** Windows last about so long, so that the lowest octave is distinguished from its neighbours. */
const WINDOW_SECONDS = 0.12;
const LOWEST_HZ = 31;
const HIGHEST_HZ = 16_100;
/** A band is whole to so many octaves from its centre, and gone at so many. */
const WHOLE = 0.4;
const GONE = 0.6;
/** Samples to the shortest wave of a band, so that its peaks are seen. */
const SAMPLES_A_WAVE = 5;
/** A band under this share of the sound (−100 dB) holds nothing to tell a crest by. */
const LEAST_SHARE = 1e-10;

/** Crest factor in octave bands: highest sample of the band over its RMS, dB; NaN where it holds nothing. */
export const bandCrestSchema = z.object({
  hertz: z.instanceof(Float64Array),
  crestDb: z.instanceof(Float64Array),
  rmsDbfs: z.instanceof(Float64Array),
});
export type BandCrest = z.infer<typeof bandCrestSchema>;

/** Bands without phase of their own: octaves after IEC 61260-1's centres (memory) with sloping edges, over windows of about a sixth of a second. */
export function bandCrest(sound: Sound, region: FrameRange, pause: (share: number) => void = () => {}): BandCrest {
  const { sampleRateHz } = sound;
  const size = powerOfTwoAtLeast(WINDOW_SECONDS * sampleRateHz);
  const binHz = sampleRateHz / size;
  const centres = bandCentres(1, LOWEST_HZ, HIGHEST_HZ).filter((hz) => hz < sampleRateHz / 2);
  const bands = centres.map((centre) => {
    const first = Math.max(1, Math.ceil((centre * pow(2, -GONE)) / binHz));
    const last = Math.min(size / 2, Math.floor((centre * pow(2, GONE)) / binHz));
    const own = Math.min(size, powerOfTwoAtLeast(SAMPLES_A_WAVE * last));
    const shares = Float64Array.from({ length: last - first + 1 }, (_, i) => {
      const away = Math.abs(log2(((first + i) * binHz) / centre));
      return Math.max(0, Math.min(1, (GONE - away) / (GONE - WHOLE)));
    });
    return { first, shares, own };
  });
  const peaks = new Float64Array(centres.length);
  const sums = new Float64Array(centres.length);
  const counts = new Float64Array(centres.length);
  overlapAdd(
    sound,
    region,
    size,
    (spectrum) =>
      bands.map(({ first, shares, own }) => {
        const output = new Float64Array(own + 2);
        for (let i = 0; i < shares.length; i++) {
          output[2 * (first + i)] = shares[i] * spectrum[2 * (first + i)];
          output[2 * (first + i) + 1] = shares[i] * spectrum[2 * (first + i) + 1];
        }
        return output;
      }),
    (_, __, halves) => {
      for (const [b, half] of halves.entries()) {
        for (const v of half) {
          const power = v * v;
          sums[b] += power;
          if (power > peaks[b]) peaks[b] = power;
        }
        counts[b] += half.length;
      }
    },
    pause,
  );
  const means = sums.map((sum, b) => (counts[b] > 0 ? sum / counts[b] : 0));
  const whole = means.reduce((a, b) => a + b, 0);
  const told = (b: number, value: number) => (means[b] > LEAST_SHARE * whole ? value : Number.NaN);
  return {
    hertz: Float64Array.from(centres),
    crestDb: means.map((mean, b) => told(b, dbFromPower(peaks[b] / mean))),
    rmsDbfs: means.map((mean, b) => told(b, dbFromPower(mean))),
  };
}
