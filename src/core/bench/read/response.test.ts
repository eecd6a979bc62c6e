import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Chain } from "../../processors/chain";
import { SMALL_FORM } from "../../testing/bench";
import { benchChain } from "../bench";
import { bandDb } from "../find/band-model";
import { controlCheck } from "../find/control-check";
import { fittedBands } from "../find/fit-bands";
import type { BenchReport, FittedBand } from "../report";
import { DEFAULT_FORM } from "../signal/signal-plan";

const bell = (frequencyHz: number, gainDb: number, q: number) => ({ kind: "bell", frequencyHz, gainDb, q });
/** One channel is enough where nothing is asked of two. */
const mono = (chain: Chain) => benchChain(chain, { ...DEFAULT_FORM, channelCount: 1 });
const equalizer = (bands: object[], processorKey = "bilinear-equalizer"): Chain => [
  { processorKey, settings: { bands } },
];
const at = ({ response }: BenchReport, hertz: number): number => {
  const i = response.hertz.findIndex((hz) => hz >= hertz);
  const [a, b] = [response.hertz[i - 1], response.hertz[i]];
  const part = Math.log(hertz / a) / Math.log(b / a);
  return response.magnitudeDb[i - 1] + part * (response.magnitudeDb[i] - response.magnitudeDb[i - 1]);
};
/** A curve of bands with noise of a hundredth of a decibel, at the bench's frequencies. */
const curveOf = (bands: FittedBand[], rateHz: number, way: "analogue" | "bilinear") => {
  const hertz = Array.from({ length: 240 }, (_, i) => 20 * 2 ** (i / 24)).filter((hz) => hz < 0.49 * rateHz);
  return { hertz, db: hertz.map((hz) => bands.reduce((sum, band) => sum + bandDb(band, hz, rateHz, way), 0)) };
};

describe("a response", () => {
  it("of a bilinear bell at 12 kHz falls short of the analogue one as the formula says", () => {
    // Bristow-Johnson's cookbook, bilinear against analogue, +12 dB, Q 1, 48 kHz: +2.74, +1.15 and +0.07 dB where the analogue one reads +6.94, +5.67, +4.31.
    const report = mono(equalizer([bell(12_000, 12, 1)]));
    expect(at(report, 18_000)).toBeCloseTo(2.74, 1);
    expect(at(report, 20_000)).toBeCloseTo(1.15, 1);
    expect(at(report, 23_000)).toBeCloseTo(0.07, 1);
    expect(report.realised).toBe("bilinear");
    expect(report.fitted).toHaveLength(1);
    const [band] = report.fitted;
    for (const [hz, db] of [
      [18_000, 6.94],
      [20_000, 5.67],
      [23_000, 4.31],
    ])
      expect(Math.abs(bandDb(band, hz, 48_000, "analogue") - db)).toBeLessThan(0.01);
    expect(report.sentences.join(" ")).toMatch(/Cramped towards Nyquist \(bilinear transform\)/);
  });

  it("tells minimum phase, linear phase, all-passes, rotation and none, with the delay that each costs", () => {
    const kinds: [Chain, Partial<BenchReport>][] = [
      [equalizer([bell(1000, 6, 1)]), { phaseKind: "minimum", latencySamples: 0 }],
      [equalizer([bell(1000, 6, 1)], "linear-phase-equalizer"), { phaseKind: "linear", latencySamples: 8191 }],
      [[{ processorKey: "all-pass", settings: { frequencyHz: 200 } }], { phaseKind: "all-pass", latencySamples: 0 }],
      [[{ processorKey: "phase-rotator", settings: { degrees: 90 } }], { phaseKind: "all-pass", latencySamples: 7680 }],
      [[{ processorKey: "gain", settings: {} }], { phaseKind: "none", latencySamples: 0 }],
      [[{ processorKey: "outboard-loop", settings: { latencySamples: 64.25 } }], { phaseKind: "none" }],
    ];
    const reports = kinds.map(([chain]) => mono(chain));
    for (const [i, [chain, { phaseKind, latencySamples }]] of kinds.entries()) {
      expect(reports[i].phaseKind, chain[0].processorKey).toBe(phaseKind);
      if (latencySamples !== undefined)
        expect(reports[i].latencySamples ?? Number.NaN).toBeCloseTo(latencySamples ?? 0, 2);
    }
    expect(reports[2].crossoversHz).toEqual([expect.closeTo(200, 1)]);
    expect(Math.abs(reports[3].rotationDegrees)).toBeCloseTo(90, 0);
    expect(Math.abs((reports[5].latencySamples ?? 0) - 64.25)).toBeLessThan(0.01);
  });

  it("finds the crossovers of a split into bands, which sums flat with the phase of all-passes", () => {
    // Linkwitz 1976: bands of 24 dB an octave sum to an all-pass of second order.
    const report = mono([
      { processorKey: "multiband-compressor", settings: { lowCrossoverHz: 150, highCrossoverHz: 4000 } },
    ]);
    expect(report.phaseKind).toBe("all-pass");
    expect(report.crossoversHz).toEqual([expect.closeTo(150, 0), expect.closeTo(4000, -1)]);
    expect(report.moves.kind).toBe("split bands");
    // Reported of quiet lines beside loud ones, edges are only near.
    expect(report.moves.edgesHz).toHaveLength(2);
    expect(Math.abs(report.moves.edgesHz[1] / 4000 - 1)).toBeLessThan(0.3);
    expect(Math.abs(report.latencySamples ?? 1)).toBeLessThan(0.01);
  });

  it("tells mid from side, left from right, and how far one is heard in the other", () => {
    const side = benchChain([
      { processorKey: "bilinear-equalizer", settings: { bands: [bell(1000, 6, 1)], route: "side" } },
    ]);
    const near = (values: number[] | null) => values?.[side.response.hertz.findIndex((hz) => hz >= 1000)];
    expect(near(side.sideDb)).toBeCloseTo(6, 1);
    expect(near(side.midDb)).toBeCloseTo(0, 1);
    // Half of what is added to the side comes out of the other channel: 0.5 · (10^(6/20) − 1) over 0.5 · (10^(6/20) + 1).
    expect(side.crosstalkDb).toBeLessThan(-9);
    const uneven = benchChain([{ processorKey: "outboard-loop", settings: { rightOffsetDb: 0.5 } }]);
    expect(near(uneven.rightOverLeftDb)).toBeCloseTo(0.5, 2);
    expect(uneven.crosstalkDb).toBeNull();
  });
});

describe("fitted bands", () => {
  const bands = fc.record({
    kind: fc.constantFrom("bell" as const, "low shelf" as const, "high shelf" as const),
    hertz: fc.double({ min: Math.log(60), max: Math.log(9000), noNaN: true }).map(Math.exp),
    gainDb: fc.double({ min: 1, max: 15, noNaN: true }).chain((g) => fc.constantFrom(g, -g)),
    q: fc.double({ min: Math.log(0.4), max: Math.log(6), noNaN: true }).map(Math.exp),
    slopeDbPerOctave: fc.constant(null),
  });

  it("are the one band that made a curve, to 1 % of frequency, 0.1 dB of gain and 5 % of Q", () => {
    fc.assert(
      fc.property(bands, fc.constantFrom("analogue" as const, "bilinear" as const), (band, way) => {
        const { hertz, db } = curveOf([band], 48_000, way);
        const fit = fittedBands(hertz, db, 48_000);
        // A shelf is also its counterpart and a gain: what the two make together is what counts.
        const told = hertz.map((hz) =>
          fit.bands.reduce((sum, b) => sum + bandDb(b, hz, 48_000, fit.realised ?? way), fit.gainDb),
        );
        const inBand = told.filter((_, i) => hertz[i] < 0.42 * 48_000);
        for (const [i, v] of inBand.entries()) expect(Math.abs(v - db[i])).toBeLessThan(0.1);
        if (band.kind !== "bell" || fit.bands.length !== 1) return;
        expect(fit.bands[0].hertz / band.hertz).toBeCloseTo(1, 1.7);
        expect(Math.abs((fit.bands[0].gainDb ?? 0) - band.gainDb)).toBeLessThan(0.1);
        expect(Math.abs((fit.bands[0].q ?? 0) / band.q - 1)).toBeLessThan(0.05);
      }),
      { numRuns: 10 },
    );
  });

  it("are cuts with their slopes, and bells beside them", () => {
    const cut = (kind: "low cut" | "high cut", hertz: number, slopeDbPerOctave: number): FittedBand => ({
      kind,
      hertz,
      gainDb: null,
      q: null,
      slopeDbPerOctave,
    });
    for (const slope of [6, 24]) {
      const made = [cut("low cut", 90, slope), { ...cut("high cut", 7000, slope) }];
      const { hertz, db } = curveOf(made, 48_000, "bilinear");
      const fit = fittedBands(hertz, db, 48_000);
      expect(fit.bands.map((b) => [b.kind, b.slopeDbPerOctave])).toEqual(made.map((b) => [b.kind, b.slopeDbPerOctave]));
      for (const [i, band] of fit.bands.entries()) expect(Math.abs(band.hertz / made[i].hertz - 1)).toBeLessThan(0.01);
    }
  });

  it("are as few as were set: a steep shelf is no row of bells against each other", () => {
    const band = (kind: FittedBand["kind"], hertz: number, gainDb: number): FittedBand => ({
      kind,
      hertz,
      gainDb,
      q: 1.2,
      slopeDbPerOctave: null,
    });
    const made = [band("bell", 300, -3), band("bell", 2500, 2), band("high shelf", 9000, 4)];
    for (const way of ["analogue", "bilinear"] as const) {
      const { hertz, db } = curveOf(made, 48_000, way);
      const fit = fittedBands(hertz, db, 48_000);
      expect(fit.realised).toBe(way);
      expect(fit.bands.map(({ kind }) => kind)).toEqual(made.map(({ kind }) => kind));
      for (const [i, { hertz: at, gainDb, q }] of fit.bands.entries()) {
        expect(Math.abs(at / made[i].hertz - 1)).toBeLessThan(0.01);
        expect(gainDb).toBeCloseTo(made[i].gainDb ?? 0, 1);
        expect(Math.abs((q ?? 0) / 1.2 - 1)).toBeLessThan(0.05);
      }
    }
  });

  it("are none where a curve is flat, and no more than eight", () => {
    const { hertz } = curveOf([], 48_000, "analogue");
    expect(
      fittedBands(
        hertz,
        hertz.map(() => -3.2),
        48_000,
      ),
    ).toMatchObject({ bands: [], gainDb: -3.2, mostDb: 0 });
    // A comb is no equalizer.
    const comb = hertz.map((hz) => 20 * Math.log10(Math.abs(1.2 + Math.cos(hz / 150))));
    const fit = fittedBands(hertz, comb, 48_000);
    expect(fit.bands.length).toBeLessThanOrEqual(8);
    expect(fit.mostDb).toBeGreaterThan(1);
  });
});

describe("a dial check", () => {
  it("holds the panel against the curve, band by band", () => {
    const chain = equalizer([bell(120, -4, 2), bell(3000, 3.5, 0.7)]);
    const report = mono(chain);
    const check = controlCheck(chain, report);
    expect(check?.rows.map(({ control }) => control.hertz)).toEqual([120, 3000]);
    for (const row of check?.rows ?? []) {
      expect(Math.abs(row.hertzErrorPercent)).toBeLessThan(1);
      expect(Math.abs(row.gainErrorDb ?? 9)).toBeLessThan(0.1);
      expect(Math.abs(row.qErrorPercent ?? 99)).toBeLessThan(5);
    }
    // Against a panel that says something else it tells by how much.
    const other = controlCheck(equalizer([bell(126, -4, 2), bell(3000, 3, 0.7)]), report);
    expect(other?.rows[0].hertzErrorPercent).toBeCloseTo(-4.8, 1);
    expect(other?.rows[1].gainErrorDb).toBeCloseTo(0.5, 1);
  });

  it("has nothing to say where there is no panel of bands", () => {
    const report = benchChain([{ processorKey: "gain", settings: {} }], SMALL_FORM);
    expect(controlCheck([{ processorKey: "gain", settings: {} }], report)).toBeNull();
    const side: Chain = [
      { processorKey: "bilinear-equalizer", settings: { bands: [bell(1000, 6, 1)], route: "side" } },
    ];
    expect(controlCheck(side, report)).toBeNull();
  });
});
