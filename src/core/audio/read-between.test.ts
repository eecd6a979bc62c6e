import { describe, expect, it } from "vitest";
import { sine } from "../stimuli/signals";
import { readBetween } from "./read-between";

const RATE = 48_000;

/** Error in dB and gain in dB of a tone read `by` samples on, away from the ends. */
function readTone(hertz: number, by: number, stride = 1) {
  const [channel] = sine({ hertz, peakDbfs: 0, seconds: 0.2, channels: 1 }).channels;
  const read = readBetween(channel, by, stride, 9000);
  let [error, power, product] = [0, 0, 0];
  for (let i = 300; i < 8700; i++) {
    const expected = Math.sin((2 * Math.PI * hertz * (by + i * stride)) / RATE);
    error += (read[i] - expected) ** 2;
    power += expected ** 2;
    product += read[i] * expected;
  }
  return { errorDb: 10 * Math.log10(error / power), gainDb: 20 * Math.log10(product / power) };
}

describe("reading between samples", () => {
  it.each([100, 1000, 10_000, 19_200, 21_600])(
    "at %i Hz errs by less than −110 dB and is flat within 0.01 dB, to 0.45 of the rate",
    (hertz) => {
      for (const by of [0.01, 0.25, 0.5, 0.77]) {
        const { errorDb, gainDb } = readTone(hertz, by);
        expect(errorDb).toBeLessThan(-110);
        expect(Math.abs(gainDb)).toBeLessThan(0.01);
      }
    },
  );

  it("follows a clock that is off", () => {
    for (const ppm of [50, -50]) expect(readTone(1000, 3.3, 1 + ppm * 1e-6).errorDb).toBeLessThan(-110);
  });

  it("gives the samples themselves at whole places, and silence outside", () => {
    const [channel] = sine({ hertz: 440, peakDbfs: -6, seconds: 0.05, channels: 1 }).channels;
    const read = readBetween(channel, 500, 1, 100);
    for (let i = 0; i < 100; i++) expect(read[i]).toBeCloseTo(channel[500 + i], 6);
    expect(readBetween(channel, -5000, 1, 100)).toEqual(new Float32Array(100));
    expect(readBetween(channel, 1e6, 1, 10)).toEqual(new Float32Array(10));
  });
});
