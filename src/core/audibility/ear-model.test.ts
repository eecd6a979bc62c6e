import { describe, expect, it } from "vitest";
import { forwardReal } from "../audio/fft";
import { seededRandom } from "../audio/random";
import { Ear, earWeightDb, hertzOf, internalNoiseDb } from "./ear-model";

// The model written out as ITU-R BS.1387 states it (from memory, the document was not at hand), band by band and without a short cut: what the compiled loops
// are held against.

const STEP_BARK = 0.25;

function randomSignal(length: number, seed: number): Float64Array {
  const random = seededRandom(seed);
  return Float64Array.from({ length }, () => 2 * random() - 1);
}

/** What each band passes on to each, summed as powers of 0.4, over what all bands alike come to. */
function spreadPlainly(powers: Float64Array, centreHz: Float64Array): number[] {
  const sumsOf = (bands: ArrayLike<number>) => {
    const sums = new Float64Array(bands.length);
    for (let l = 0; l < bands.length; l++) {
      const levelDb = 10 * Math.log10(bands[l]);
      const upDb = Math.max(0, 24 + 230 / centreHz[l] - 0.2 * levelDb);
      const parts = Array.from(sums, (_, k) =>
        k < l ? 10 ** (-2.7 * STEP_BARK * (l - k)) : 10 ** ((-upDb / 10) * STEP_BARK * (k - l)),
      );
      const whole = parts.reduce((a, b) => a + b, 0);
      for (const [k, part] of parts.entries()) sums[k] += ((bands[l] * part) / whole) ** 0.4;
    }
    return Array.from(sums, (sum) => sum ** 2.5);
  };
  const flat = sumsOf(new Float64Array(powers.length).fill(1));
  return sumsOf(powers).map((v, k) => v / flat[k]);
}

describe("the ear model's compiled loops", () => {
  it.each([8000, 44_100, 48_000, 96_000])("spread as written out, at %d Hz and any level", (rateHz) => {
    const ear = new Ear(rateHz);
    const { centreHz } = ear.bands;
    const noise = centreHz.map((hz) => 10 ** (internalNoiseDb(hz) / 10));
    for (const reach of [0, 6, 11]) {
      const draw = randomSignal(ear.bandCount, 7 + reach);
      const powers = Float64Array.from(draw, (v) => 10 ** (reach * (0.5 + v / 2)));
      if (reach === 6) powers.fill(0, 10, 20);
      const wanted = spreadPlainly(
        powers.map((power, b) => power + noise[b]),
        centreHz,
      );
      const found = ear.spread(powers);
      for (const [b, value] of wanted.entries()) expect(found[b] / value).toBeCloseTo(1, 9);
    }
  });

  it.each([8000, 44_100, 48_000, 192_000])("sum bins to bands as written out, at %d Hz", (rateHz) => {
    const ear = new Ear(rateHz, 80);
    const { frame, bands } = ear;
    const [here, yonder] = [21, 22].map((seed) => Float32Array.from(randomSignal(frame, seed), (v) => 0.1 * v));
    const gain = 0.7;
    const powersOf = (signal: Float32Array, by: number) => {
      const windowed = Float64Array.from(signal, (v, n) => v * (0.5 - 0.5 * Math.cos((2 * Math.PI * n) / frame)));
      const spectrum = forwardReal(windowed, frame);
      return Array.from({ length: frame / 2 + 1 }, (_, k) => {
        if (k === 0) return 0;
        const magnitude = by * Math.hypot(spectrum[2 * k], spectrum[2 * k + 1]);
        return 10 ** ((80 + earWeightDb((k * rateHz) / frame)) / 10) * (magnitude / (frame / 4)) ** 2;
      });
    };
    // A bin reaches half a bin to either side; what of it lies in a band is summed.
    const banded = (powers: number[]) =>
      Array.from(bands.lowHz, (low, b) =>
        powers.reduce((sum, power, k) => {
          const [from, to] = [((k - 0.5) * rateHz) / frame, ((k + 0.5) * rateHz) / frame];
          return sum + (power * Math.max(0, Math.min(to, bands.highHz[b]) - Math.max(from, low)) * frame) / rateHz;
        }, 0),
      );
    const [one, other] = [powersOf(here, gain), powersOf(yonder, 1)];
    const apart = one.map((power, k) => (Math.sqrt(power) - Math.sqrt(other[k])) ** 2);
    const found = ear.bandPowers([here, yonder], [gain, 1]);
    expect(found).toHaveLength(3);
    for (const [i, powers] of [one, other, apart].entries())
      for (const [b, wanted] of banded(powers).entries()) expect(found[i][b]).toBeCloseTo(wanted, 6);
    expect(ear.bandPowers([here], [gain])).toEqual([found[0]]);
  });

  it("keep what one rate has apart from another's, whatever was asked before", () => {
    const signal = Float32Array.from(randomSignal(2048, 3), (v) => 0.1 * v);
    const [before] = new Ear(48_000).bandPowers([signal], [1]);
    new Ear(96_000).bandPowers([Float32Array.from(randomSignal(4096, 4))], [1]);
    expect(new Ear(48_000).bandPowers([signal], [1])[0]).toEqual(before);
    // Where it is played louder, all is louder alike.
    const [louder] = new Ear(48_000, 102).bandPowers([signal], [1]);
    for (const [b, power] of before.entries()) expect(louder[b] / power).toBeCloseTo(10, 9);
    expect(hertzOf(0)).toBe(0);
  });
});
