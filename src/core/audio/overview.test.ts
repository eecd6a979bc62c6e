import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { noise, sine } from "../stimuli/signals";
import { extremesFrom, overviewOf } from "./overview";
import { type Sound, soundOf } from "./sound";

/** Lowest and highest by looking at every sample. */
function byHand(sound: Sound, from: number, frames: number): [number, number] {
  const all = sound.read(from, frames).flatMap((channel) => [...channel]);
  return [Math.min(...all), Math.max(...all)];
}

describe("lowest and highest of columns from a frame on", () => {
  it("are those of every sample, wherever they begin and however long they are", () => {
    const sound = soundOf(noise(0.2, 0.7, 4, 2));
    fc.assert(
      fc.property(
        fc.integer({ min: -3000, max: 12_000 }),
        fc.integer({ min: 1, max: 900 }),
        fc.integer({ min: 1, max: 12 }),
        (start, columnFrames, columns) => {
          const { lows, highs } = extremesFrom(sound, start, columnFrames, columns);
          expect([lows.length, highs.length]).toEqual([columns, columns]);
          for (let c = 0; c < columns; c++) {
            const [low, high] = byHand(sound, start + c * columnFrames, columnFrames);
            expect(lows[c]).toBe(Math.fround(low));
            expect(highs[c]).toBe(Math.fround(high));
          }
        },
      ),
    );
  });

  it("are the samples themselves where a column is one frame, silence outside", () => {
    const tone = sine({ hertz: 997, peakDbfs: -3, seconds: 0.01, channels: 1 });
    const { lows, highs } = extremesFrom(soundOf(tone), -10, 1, 500);
    expect([...lows]).toEqual([...highs]);
    expect([...lows.subarray(0, 10)].every((v) => v === 0)).toBe(true);
    expect([...lows.subarray(10, 490)]).toEqual([...tone.channels[0]]);
    expect([...lows.subarray(490)].every((v) => v === 0)).toBe(true);
  });

  it("lie over each other at every zoom: two short columns make a long one", () => {
    const sound = soundOf(noise(1, 0.5, 6, 1));
    const [fine, coarse] = [extremesFrom(sound, 0, 100, 400), extremesFrom(sound, 0, 200, 200)];
    for (let c = 0; c < 200; c++) {
      expect(coarse.lows[c]).toBe(Math.min(fine.lows[2 * c], fine.lows[2 * c + 1]));
      expect(coarse.highs[c]).toBe(Math.max(fine.highs[2 * c], fine.highs[2 * c + 1]));
    }
    // And are what the overview draws, where its columns are as long.
    expect(extremesFrom(sound, 0, 480, 100)).toEqual(overviewOf(sound, 100));
  });

  it("take columns longer than a piece of reading", () => {
    const long = soundOf(noise(8, 0.5, 9, 1));
    const { lows, highs } = extremesFrom(long, 0, 192_000, 2);
    for (const c of [0, 1]) expect([lows[c], highs[c]]).toEqual(byHand2(long, c));
  });
});

/** The same over many samples, which spread would not hold. */
function byHand2(sound: Sound, column: number): [number, number] {
  const [channel] = sound.read(column * 192_000, 192_000);
  return [channel.reduce((a, b) => Math.min(a, b), 0), channel.reduce((a, b) => Math.max(a, b), 0)];
}
