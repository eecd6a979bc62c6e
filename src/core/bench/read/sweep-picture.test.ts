import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import { chainSchema } from "../../processors/chain";
import { processorOf } from "../../processors/registry";
import { sentSignal, through } from "../../testing/bench";
import { oversampledChains } from "../find/oversampled-chains";
import {
  foldedHertz,
  foldsSeen,
  PICTURE_COLUMNS,
  PICTURE_FLOOR_DB,
  PICTURE_ROWS,
  sentHertz,
  sweepPicture,
} from "./sweep-picture";

const RATE = 48_000;
const { plan, signal } = sentSignal({ sampleRateHz: RATE, channelCount: 1, levelDbfs: -3 });
const [sent] = signal.channels;
const [sweep] = plan.sweeps;
const pictureOf = (back: Float32Array) => sweepPicture(sweep, back, RATE);
const ordersOf = (back: Float32Array) => [...new Set(foldsSeen(pictureOf(back)).map(({ order }) => order))];
const rowOf = (hertz: number) => Math.floor((hertz * 2 * PICTURE_ROWS) / RATE);
const columnOf = (hertz: number) => Math.floor((hertz * 2 * PICTURE_COLUMNS) / RATE);

describe("where a frequency is thrown back to (the sampling theorem)", () => {
  it("is itself up to half the rate, and its mirror image beyond", () => {
    expect(foldedHertz(10_000, RATE)).toBe(10_000);
    expect(foldedHertz(30_000, RATE)).toBe(18_000);
    expect(foldedHertz(47_000, RATE)).toBe(1000);
    expect(foldedHertz(50_000, RATE)).toBe(2000);
  });
  it("never lies beyond half the rate, and is the same a whole rate further", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 400_000 }), fc.integer({ min: 8000, max: 384_000 }), (hertz, rate) => {
        const at = foldedHertz(hertz, rate);
        expect(at).toBeGreaterThanOrEqual(0);
        expect(at).toBeLessThanOrEqual(rate / 2);
        expect(foldedHertz(hertz + rate, rate)).toBeCloseTo(at, 6);
        // What is sampled there looks like what is sampled here.
        expect(Math.cos((2 * Math.PI * 7 * at) / rate)).toBeCloseTo(Math.cos((2 * Math.PI * 7 * hertz) / rate), 6);
      }),
    );
  });
});

describe("the picture of a sweep", () => {
  it("has the loudest cell of each column where the sweep is, within a row or two, and near its level", () => {
    const { levelsDb } = pictureOf(sent);
    for (let column = 2; column < 0.9 * PICTURE_COLUMNS; column++) {
      const rows = levelsDb.slice(column * PICTURE_ROWS, (column + 1) * PICTURE_ROWS);
      const top = Math.max(...rows);
      expect(Math.abs(rows.indexOf(top) - rowOf(sentHertz(column, RATE)))).toBeLessThanOrEqual(2);
      expect(top).toBeLessThanOrEqual(1);
      expect(top).toBeGreaterThan(-9);
    }
  });
  it("shows the second harmonic of x + a·x² alone, by a·A / 2 under the sweep, less what it is blurred by", () => {
    const amplitude = 10 ** (sweep.levelDbfs / 20);
    const { levelsDb } = pictureOf(sent.map((v) => v + 0.1 * v * v));
    const wanted = 20 * Math.log10((0.1 * amplitude) / 2);
    for (const hertz of [2000, 4000, 8000]) {
      const column = columnOf(hertz) * PICTURE_ROWS;
      const second = Math.max(...[-1, 0, 1].map((off) => levelsDb[column + rowOf(2 * hertz) + off]));
      const fundamental = Math.max(...[-1, 0, 1].map((off) => levelsDb[column + rowOf(hertz) + off]));
      expect(Math.abs(second - fundamental - wanted)).toBeLessThan(6);
      expect(levelsDb[column + rowOf(hertz / 2)]).toBeLessThan(-95);
    }
  });
  it("of silence has nothing in it", () => {
    const picture = pictureOf(new Float32Array(sent.length));
    expect(new Set(picture.levelsDb)).toEqual(new Set([PICTURE_FLOOR_DB]));
    expect(foldsSeen(picture)).toEqual([]);
  });
  it("has as many cells at any rate, and tells folds there too", () => {
    for (const sampleRateHz of [8000, 96_000, 384_000]) {
      const other = sentSignal({ sampleRateHz, channelCount: 1, levelDbfs: -3 });
      const [own] = other.signal.channels;
      const bent = sweepPicture(
        other.plan.sweeps[0],
        own.map((v) => Math.tanh(6 * v)),
        sampleRateHz,
      );
      expect(bent.levelsDb).toHaveLength(PICTURE_COLUMNS * PICTURE_ROWS);
      const folds = foldsSeen(bent);
      expect(folds.some(({ order }) => order === 3)).toBe(true);
      for (const { order, fromHz, toHz } of folds) {
        expect(order % 2).toBe(1);
        expect(order * fromHz).toBeGreaterThan(sampleRateHz / 2);
        expect(toHz).toBeLessThanOrEqual(sampleRateHz / 2);
      }
      expect(foldsSeen(sweepPicture(other.plan.sweeps[0], own, sampleRateHz))).toEqual([]);
    }
  });
});

describe("what is seen to fold back", () => {
  it("is H3 and other odd orders of a tanh at the file's rate, H2 of a square law", () => {
    expect(ordersOf(sent.map((v) => Math.tanh(4 * v))).every((order) => order % 2 === 1)).toBe(true);
    expect(ordersOf(sent.map((v) => Math.tanh(4 * v)))).toContain(3);
    expect(ordersOf(sent.map((v) => v + 0.2 * v * v))).toEqual([2]);
  });
  it("begins where the order reaches half the rate", () => {
    const [third] = foldsSeen(pictureOf(sent.map((v) => Math.tanh(4 * v)))).filter(({ order }) => order === 3);
    expect(third.fromHz).toBeGreaterThan(8000);
    expect(third.fromHz).toBeLessThan(8300);
  });
  it("is nothing of what only filters, turns phase, or adds noise", () => {
    const random = seededRandom(7);
    for (const db of [-40, -80, -100]) {
      const amplitude = 10 ** (db / 20);
      expect(ordersOf(sent.map((v) => v + amplitude * (2 * random() - 1)))).toEqual([]);
    }
    for (const [key, settings] of [
      ["matched-equalizer", { bands: [{ kind: "bell", frequencyHz: 9000, gainDb: 12, q: 4 }] }],
      ["linear-phase-equalizer", {}],
      ["phase-rotator", {}],
      ["outboard-loop", {}],
    ] as const)
      expect(ordersOf(through(signal, key, settings).channels[0])).toEqual([]);
  });
  it("grows less with oversampling: beyond what the filters' own edge lets through, nothing is left at eight times", () => {
    const most = (oversampling: number) =>
      foldsSeen(pictureOf(through(signal, "drive-stage", { driveDb: 12, oversampling }).channels[0])).reduce(
        (far, { toHz }) => Math.max(far, toHz),
        0,
      );
    expect(most(1)).toBeGreaterThan(15_000);
    // H3 of 8 to 9.3 kHz lies between 24 and 28 kHz, where half-band filters still fall.
    expect(most(8)).toBeLessThan(9500);
  });
});

describe("a chain at every oversampling it has", () => {
  const chainOf = (...keys: string[]) =>
    chainSchema.parse(
      keys.map((processorKey) => ({ processorKey, settings: processorOf(processorKey)?.parameters.parse({}) ?? {} })),
    );
  it("is that chain with one setting changed, its own marked", () => {
    const chains = oversampledChains(chainOf("gain", "drive-stage"));
    expect(chains.map(({ factor }) => factor)).toEqual([1, 2, 4, 8, 16]);
    expect(chains.filter(({ isOwn }) => isOwn).map(({ factor }) => factor)).toEqual([4]);
    for (const { chain, factor } of chains) {
      expect(chain[0]).toEqual(chainOf("gain")[0]);
      expect(chain[1].settings).toEqual({ ...chainOf("drive-stage")[0].settings, oversampling: factor });
    }
  });
  it("takes the last processor that has one, and is none where none has", () => {
    const chains = oversampledChains(chainOf("drive-stage", "tape-stage", "gain"));
    expect(chains[0].chain[0].settings.oversampling).toBe(4);
    expect(chains[0].chain[1].settings.oversampling).toBe(1);
    expect(oversampledChains(chainOf("gain", "bilinear-equalizer"))).toEqual([]);
    expect(oversampledChains([])).toEqual([]);
  });
});
