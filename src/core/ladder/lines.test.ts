import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { aboveResidual, humOf, type Line, linesIn } from "./lines";
import type { PairSignals } from "./pair-signals";

const RATE = 16_000;
const FRAMES = 8 * RATE;
const random = seededRandom(11);
const noise = Float64Array.from({ length: FRAMES }, () => 0.1 * (random() - 0.5));
const tone = (hertz: number, peak: number, phase = 0.3) =>
  Float64Array.from({ length: FRAMES }, (_, n) => peak * Math.sin((2 * Math.PI * hertz * n) / RATE + phase));
const sum = (...signals: Float64Array[]) =>
  Float64Array.from({ length: FRAMES }, (_, n) => signals.reduce((total, s) => total + s[n], 0));
const pair: PairSignals = {
  sampleRateHz: RATE,
  here: [noise],
  yonder: [noise],
  halves: [new Float64Array(FRAMES), new Float64Array(FRAMES)],
  judged: new Float64Array(FRAMES).fill(1),
  judgedFrames: FRAMES,
  stretches: [{ from: 0, frames: FRAMES, passageFrame: 0 }],
  isDoubled: false,
};
const faint = noise.map((v) => 1e-4 * v);

describe("steady tones in a residual", () => {
  it("are told to a tenth of a hertz and a tenth of a dB, between bins as well", () => {
    for (const hertz of [60, 1234.5, 3955.07, 7000.3]) {
      const [line, ...others] = linesIn(pair, [sum(tone(hertz, 0.002), faint)], [noise]);
      expect(others).toEqual([]);
      expect(Math.abs(line.hertz - hertz)).toBeLessThan(0.1);
      // A peak of 0.002 is −53.98 dBFS (by hand).
      expect(Math.abs(line.levelDbfs + 53.98)).toBeLessThan(0.15);
    }
  });

  it("are none in noise, and none where a tone comes and goes", () => {
    expect(linesIn(pair, [noise], [noise])).toEqual([]);
    const beating = tone(1000, 0.002).map((v, n) => v * (n % RATE < RATE / 2 ? 1 : 0.1));
    expect(linesIn(pair, [sum(beating, faint)], [noise])).toEqual([]);
  });

  it("are no harmonics of a note that is held: a curve makes those", () => {
    const at = (hertz: number, note: Float64Array) =>
      linesIn(pair, [sum(tone(hertz, 0.002), faint)], [sum(note, noise)]).map((l) => Math.round(l.hertz));
    const held = tone(700, 0.3);
    for (const hertz of [1400, 2100, 3500]) expect(at(hertz, held)).toEqual([]);
    expect(at(2150, held)).toEqual([2150]);
    // What comes and goes makes harmonics that do.
    expect(
      at(
        2100,
        held.map((v, n) => v * (n % RATE < RATE / 2 ? 1 : 0.1)),
      ),
    ).toEqual([2100]);
    expect(at(2100, tone(700, 0.001))).toEqual([2100]);
  });

  it("are not another one's skirt, nor what remains of one that was subtracted", () => {
    const rest = [sum(tone(1000, 0.01), tone(1003, 0.00004), faint)];
    expect(linesIn(pair, rest, [noise]).map((l) => Math.round(l.hertz))).toEqual([1000]);
    const known: Line[] = [{ hertz: 1001, levelDbfs: -20, energy: 1, overSound: 1, shareAround: 0 }];
    expect(linesIn(pair, [sum(tone(1003, 0.0002), faint)], [noise], known)).toEqual([]);
    // As near, and loud enough to be one of its own; or far enough.
    expect(linesIn(pair, [sum(tone(1006, 0.004), faint)], [noise], known)).toHaveLength(1);
    expect(linesIn(pair, [sum(tone(1020, 0.0002), faint)], [noise], known)).toHaveLength(1);
  });

  it("are told where they are more than a held note's share of the residual", () => {
    // A note of which the chain leaves a hundredth (−40 dB), as of all else, and a tone where there is no note.
    const held = tone(440, 0.1);
    const rest = [sum(tone(440, 0.001, 1.2), tone(2000, 0.001), faint)];
    const lines = linesIn(pair, rest, [sum(held, faint)]);
    expect(aboveResidual(lines, 1e-4).map((l) => Math.round(l.hertz))).toEqual([2000]);
    // Were all else explained to −80 dB, the note's part would be too much for it.
    const found = linesIn(pair, [sum(tone(440, 0.02, 1.2), faint)], [sum(held, noise)]);
    expect(aboveResidual(found, 1e-8)).toHaveLength(1);
    // And it is not, where all around the note is off as far.
    const off = linesIn(
      pair,
      [
        sum(
          tone(440, 0.02, 1.2),
          noise.map((v) => 0.03 * v),
        ),
      ],
      [sum(held, noise)],
    );
    expect(off).toHaveLength(1);
    expect(aboveResidual(off, 1e-8)).toEqual([]);
  });
});

describe("hum", () => {
  const line = (hertz: number, levelDbfs = -60): Line => ({
    hertz,
    levelDbfs,
    energy: 1,
    overSound: 10,
    shareAround: 0,
  });

  it("is a fundamental of the mains or two of its multiples, by its own frequency; a lone tone elsewhere is none", () => {
    expect(humOf([line(50.1)]).hum?.hertz).toBeCloseTo(50.1, 6);
    expect(humOf([line(60.2), line(180.6)]).hum?.hertz).toBeCloseTo(60.2, 6);
    expect(humOf([line(100), line(150)]).hum?.hertz).toBeCloseTo(50, 6);
    for (const hertz of [45, 55, 1000]) expect(humOf([line(hertz)]).hum).toBeNull();
    const { hum, others } = humOf([line(50), line(1234.5)]);
    expect([hum?.hertz, others.map((l) => l.hertz)]).toEqual([50, [1234.5]]);
  });
});
