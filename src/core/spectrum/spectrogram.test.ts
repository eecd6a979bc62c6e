import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { soundOf } from "../audio/sound";
import { joined, noise, silence, sine } from "../stimuli/signals";
import { readFixture, recording } from "../testing/recordings";
import {
  NOTHING,
  PIECE_COLUMNS,
  rowEdges,
  SPECTROGRAM_ROWS,
  type SpectrogramAsk,
  type SpectrogramPiece,
  spectrogramPiece,
} from "./spectrogram";

// scipy.signal.spectrogram: fixtures/make_over_time.py.
const scipy: { points: number; columns: number[]; spectrogram: number[][] } = JSON.parse(readFixture("over-time.json"));

const ask = (more: Partial<SpectrogramAsk> = {}): SpectrogramAsk => ({
  startFrame: 0,
  columnFrames: 512,
  points: 1024,
  isLog: false,
  ...more,
});
const levelAt = ({ levels }: SpectrogramPiece, column: number, row: number) =>
  levels[column * SPECTROGRAM_ROWS + row] / 100;
const rowOf = (rateHz: number, isLog: boolean, hertz: number) =>
  rowEdges(rateHz, isLog).findIndex((edge) => edge > hertz) - 1;
const tone = (hertz: number, peakDbfs: number, sampleRateHz = 48_000, channels = 1) =>
  sine({ hertz, peakDbfs, seconds: 2, sampleRateHz, channels });
const loudestRow = (piece: SpectrogramPiece, column: number) => {
  let best = 0;
  for (let r = 0; r < SPECTROGRAM_ROWS; r++) if (levelAt(piece, column, r) > levelAt(piece, column, best)) best = r;
  return best;
};

describe("a spectrogram", () => {
  it("is scipy's, segment by segment", () => {
    const guitar = recording("guitar-48000");
    const sound = soundOf({ ...guitar, channels: [guitar.channels[0]] });
    const binHz = sound.sampleRateHz / scipy.points;
    const edges = rowEdges(48_000, false);
    for (const [c, column] of scipy.columns.entries()) {
      // scipy's segment begins at 512 · column: a column of two frames in its middle.
      const piece = spectrogramPiece(sound, ask({ startFrame: 512 * column + 511, columnFrames: 2 }));
      for (const row of [2, 10, 40, 120, 200, 254]) {
        // Rows are two bins wide; three are taken about their middle. Bin k reaches from k − ½ to k + ½.
        const middle = (edges[row] + edges[row + 1]) / 2 / binHz;
        const power = scipy.spectrogram[c].reduce((sum, v, k) => {
          const inside = Math.min(k + 0.5, middle + 1.5) - Math.max(k - 0.5, middle - 1.5);
          return sum + Math.max(0, inside) * v;
        }, 0);
        // scipy's bins read a sine's effective value: three of them hold one and a half times its mean square.
        const wanted = dbFromPower((2 * power) / 1.5);
        if (wanted > -150) expect(Math.abs(levelAt(piece, 0, row) - wanted)).toBeLessThan(0.02);
      }
    }
  });

  it("reads a full-scale tone as 0 dB where it is, at every rate, length and axis", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(8000, 44_100, 96_000, 384_000),
        fc.constantFrom(1024, 4096, 16_384),
        fc.boolean(),
        fc.constantFrom(1, 2),
        (rate, points, isLog, channels) => {
          const hertz = rate / 8;
          const sound = soundOf(tone(hertz, -6, rate, channels));
          const piece = spectrogramPiece(sound, ask({ startFrame: 0.4 * rate, columnFrames: 64, points, isLog }));
          const row = rowOf(rate, isLog, hertz);
          expect(Math.abs(loudestRow(piece, 10) - row)).toBeLessThanOrEqual(2);
          // A tone on the edge of two rows lies half in each.
          const level = levelAt(piece, 10, loudestRow(piece, 10));
          expect(level).toBeLessThan(-5.9);
          expect(level).toBeGreaterThan(-9.2);
        },
      ),
      { numRuns: 16 },
    );
  });

  it("averages what a long column holds, and tells its middle first", () => {
    const [quiet, loud] = [noise(1, 0.01, 3, 1), noise(1, 0.1, 4, 1)];
    // Half of the first column is 20 dB louder: by power 0.505 of the loud one.
    const sound = soundOf(joined(quiet, loud, loud, loud));
    const parts: SpectrogramPiece[] = [];
    const piece = spectrogramPiece(sound, ask({ columnFrames: 96_000 }), (_, soFar) => parts.push(soFar()));
    const level = (p: SpectrogramPiece, column: number) => {
      let power = 0;
      for (let r = 20; r < 220; r++) power += 10 ** (levelAt(p, column, r) / 10);
      return dbFromPower(power);
    };
    expect(level(piece, 0) - level(piece, 1)).toBeCloseTo(dbFromPower(0.505), 0);
    expect(parts[0].isPartial).toBe(true);
    expect(piece.isPartial).toBe(false);
    expect(parts.length).toBe(1 + 2);
    // Steady noise is about the same by one segment as by all of them.
    expect(Math.abs(level(parts[0], 1) - level(piece, 1))).toBeLessThan(1.5);
  });

  it("holds nothing outside the sound and in silence", () => {
    const sound = soundOf(joined(silence(0.5, 48_000, 1), tone(1000, -6)));
    const piece = spectrogramPiece(sound, ask({ startFrame: -51_200 }));
    const column = (n: number) => piece.levels.subarray(n * SPECTROGRAM_ROWS, (n + 1) * SPECTROGRAM_ROWS);
    expect(column(10).every((v) => v === NOTHING)).toBe(true);
    expect(column(120).every((v) => v === NOTHING)).toBe(true);
    expect(column(180).some((v) => v > -1000)).toBe(true);
    const after = spectrogramPiece(sound, ask({ startFrame: sound.frames - 5120 }));
    expect(after.levels.subarray((PIECE_COLUMNS - 1) * SPECTROGRAM_ROWS).every((v) => v === NOTHING)).toBe(true);
    const short: Clip = { sampleRateHz: 48_000, channels: [new Float32Array(100).fill(0.5)] };
    expect(spectrogramPiece(soundOf(short), ask()).levels.some((v) => v !== NOTHING)).toBe(true);
  });

  it("lays rows by their logarithm from 20 Hz, or evenly, to half the rate", () => {
    const [log, even] = [rowEdges(44_100, true), rowEdges(44_100, false)];
    expect([log[0], even[0]]).toEqual([20, 0]);
    for (const edges of [log, even]) expect(edges[SPECTROGRAM_ROWS]).toBeCloseTo(22_050, 6);
    expect(log[129] / log[128]).toBeCloseTo(log[1] / log[0], 9);
    expect(even[2] - even[1]).toBeCloseTo(even[200] - even[199], 9);
  });
});
