import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import { soundOf } from "../../audio/sound";
import { SMALL_FORM, sentSignal } from "../../testing/bench";
import { passesApartDb, transparency, wordLength } from "./housekeeping";

const { plan, signal } = sentSignal(SMALL_FORM);
const soundWith = (values: number[]) => soundOf({ sampleRateHz: 48_000, channels: [Float32Array.from(values)] });
/** Gaussian noise by the sum of twelve uniform numbers, of an effective value. */
function noisy(rms: number, seed: number): Float32Array {
  const random = seededRandom(seed);
  return Float32Array.from({ length: plan.frames }, () => {
    let sum = -6;
    for (let n = 0; n < 12; n++) sum += random();
    return rms * sum;
  });
}

describe("what leaves it", () => {
  it("has the fewest bits that hold every sample, or is 32-bit float", () => {
    const steps = (bits: number) => [1, -3, 5, 0].map((n) => n / 2 ** (bits - 1));
    for (const bits of [8, 12, 16, 20, 24]) expect(wordLength(soundWith(steps(bits)))).toBe(bits);
    expect(wordLength(soundWith([0.1, 0.2]))).toBeNull();
    expect(wordLength(soundWith([0, 0, 0]))).toBeNull();
    expect(wordLength(soundWith([0.5, -0.5]))).toBe(4);
  });

  it("is transparent where it is what was sent, bit for bit, and else tells what a null leaves", () => {
    const all = { startFrame: 0, endFrame: plan.frames };
    const [sent] = signal.channels;
    expect(transparency([sent], [sent.slice()], all)).toEqual({ isTransparent: true, addsDb: null });
    // A gain alone leaves nothing but the rounding of 32 bits.
    const half = transparency([sent], [sent.map((v) => 0.7 * v)], all);
    expect(half.isTransparent).toBe(false);
    expect(half.addsDb ?? -200).toBeLessThan(-120);
    // Something unlike it at a hundredth of its power: −20 dB.
    const power = sent.reduce((sum, v) => sum + v * v, 0) / sent.length;
    const other = noisy(0.1 * Math.sqrt(power), 11);
    expect(transparency([sent], [sent.map((v, i) => v + other[i])], all).addsDb).toBeCloseTo(-20, 0);
    // One bit of one sample.
    const nearly = sent.slice();
    nearly[plan.frames >> 1] += 2 ** -23;
    expect(transparency([sent], [nearly], all).isTransparent).toBe(false);
    expect(transparency([sent, sent], [sent], all).isTransparent).toBe(false);
  });

  it("is the same twice, or differs by as much as noise does", () => {
    expect(passesApartDb(signal.channels, plan.repeats)).toBeNull();
    const [, first] = plan.repeats;
    const [sent] = signal.channels;
    const level =
      sent.subarray(first.startFrame, first.startFrame + first.frames).reduce((sum, v) => sum + v * v, 0) /
      first.frames;
    const noise = noisy(0.01 * Math.sqrt(level), 13);
    // Noise in both passes: twice its power.
    expect(passesApartDb([sent.map((v, i) => v + noise[i])], plan.repeats)).toBeCloseTo(-37, 0);
  });
});
