import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { bilinear, cutSections, matched } from "../audio/analogue";
import { biquadMagnitudeDb } from "../audio/biquad";
import { measureLevels } from "../loudness/measure";
import { responseOf } from "../stimuli/response";
import { noise } from "../stimuli/signals";
import { phaseOf } from "../testing/phase";
import { readFixture, recording } from "../testing/recordings";
import { bilinearEqualizer } from "./bilinear-equalizer";
import { analogueGainDb, type Band, sectionsOf } from "./equalizer-bands";
import { linearPhaseEqualizer } from "./linear-phase-equalizer";
import { matchedEqualizer } from "./matched-equalizer";
import { parallelHighShelf } from "./parallel-high-shelf";
import { passiveLowPair } from "./passive-low-pair";

const shape = z.object({ bilinearDb: z.array(z.number()), analogueDb: z.array(z.number()) });
/** scipy.signal's responses of the same filters: fixtures/make_processors.py. */
const scipy = z
  .object({
    hertz: z.array(z.number()),
    cuts: z.array(shape.extend({ side: z.enum(["low", "high"]), order: z.number() })),
    shapes: z.array(shape.extend({ kind: z.enum(["bell", "low shelf", "high shelf"]), q: z.number() })),
  })
  .parse(JSON.parse(readFixture("processors.json")));

const settings = (band: Partial<Band>, rest: Record<string, unknown> = {}) =>
  bilinearEqualizer.parameters.parse({ bands: [band], ...rest });

describe("curves", () => {
  it.each([
    [18_000, 2.74, 6.94],
    [20_000, 1.15, 5.67],
    [23_000, 0.07, 4.31],
  ])(
    "a bell at 12 kHz, Q 1, +12 dB, 48 kHz: at %i Hz %d dB bilinear, %d analogue (design table)",
    (hertz, warped, true_) => {
      const given = settings({ frequencyHz: 12_000, gainDb: 12, q: 1 });
      expect(responseOf((c) => bilinearEqualizer.processClip(c, given))(hertz).gainDb).toBeCloseTo(warped, 1);
      expect(analogueGainDb(sectionsOf(given), hertz)).toBeCloseTo(true_, 1);
      const kept = responseOf((c) => matchedEqualizer.processClip(c, given))(hertz).gainDb;
      expect(Math.abs(kept - true_)).toBeLessThan(hertz > 20_000 ? 1 : 0.25);
    },
  );

  it.each(scipy.shapes)(
    "a $kind as scipy.signal has it, bilinear and analogue",
    ({ kind, q, bilinearDb, analogueDb }) => {
      const given = settings({ kind, frequencyHz: 3000, gainDb: 6, q });
      const warped = responseOf((c) => bilinearEqualizer.processClip(c, given));
      const kept = responseOf((c) => matchedEqualizer.processClip(c, given));
      const linear = responseOf((c) => linearPhaseEqualizer.processClip(c, given));
      scipy.hertz.forEach((hertz, i) => {
        expect(warped(hertz).gainDb).toBeCloseTo(bilinearDb[i], 3);
        expect(Math.abs(kept(hertz).gainDb - analogueDb[i])).toBeLessThan(0.1);
        expect(linear(hertz).gainDb).toBeCloseTo(analogueDb[i], 1);
      });
    },
  );

  it.each(scipy.cuts)(
    "a $side cut of order $order as scipy.signal.butter has it",
    ({ side, order, bilinearDb, analogueDb }) => {
      const sections = cutSections(`${side} cut`, 1000, order);
      const gain = (realise: typeof bilinear, hertz: number) =>
        sections.reduce((sum, s) => sum + biquadMagnitudeDb(realise(s, 48_000), hertz, 48_000), 0);
      scipy.hertz.forEach((hertz, i) => {
        if (analogueDb[i] < -150) return;
        expect(analogueGainDb(sections, hertz)).toBeCloseTo(analogueDb[i], 4);
        expect(gain(bilinear, hertz)).toBeCloseTo(bilinearDb[i], 4);
        if (analogueDb[i] > -60 && hertz <= 16_000) {
          expect(Math.abs(gain(matched, hertz) - analogueDb[i])).toBeLessThan(0.3);
        }
      });
      expect(gain(bilinear, 1000)).toBeCloseTo(-3.01, 2);
    },
  );

  it("the matched form is stable at any setting, and within 0.65 dB (shelves 0.2) to 17.6 kHz for corners under a third of the rate", () => {
    const anyBand = fc.record({
      kind: fc.constantFrom("bell", "low shelf", "high shelf"),
      frequencyHz: fc.double({ min: 10, max: 20_000, noNaN: true }),
      gainDb: fc.double({ min: -18, max: 18, noNaN: true }),
      q: fc.double({ min: 0.3, max: 1, noNaN: true }),
    });
    fc.assert(
      fc.property(anyBand, fc.constantFrom(44_100, 48_000, 96_000), (band, rate) => {
        const sections = sectionsOf(settings(band as Partial<Band>));
        for (const section of sections) {
          const filter = matched(section, rate);
          expect(Math.abs(filter.a2)).toBeLessThan(1);
          expect(Math.abs(filter.a1)).toBeLessThan(1 + filter.a2);
          for (const hertz of [50, 400, 3000, 9000, 14_000, 17_600]) {
            const off = biquadMagnitudeDb(filter, hertz, rate) - analogueGainDb([section], hertz);
            expect(Number.isFinite(off)).toBe(true);
            if (section.cornerHz < rate / 3) expect(Math.abs(off)).toBeLessThan(band.kind === "bell" ? 0.65 : 0.2);
          }
        }
      }),
    );
  });

  it("bilinear and matched part only near half the rate: the instructive pair", () => {
    const given = settings({ kind: "high shelf", frequencyHz: 12_000, gainDb: 5 });
    const a = responseOf((c) => bilinearEqualizer.processClip(c, given));
    const b = responseOf((c) => matchedEqualizer.processClip(c, given));
    for (const hertz of [50, 500, 2000, 5000]) expect(Math.abs(a(hertz).gainDb - b(hertz).gainDb)).toBeLessThan(0.1);
    expect(Math.abs(a(19_000).gainDb - b(19_000).gainDb)).toBeGreaterThan(0.4);
  });
});

describe("linear phase", () => {
  it("turns no phase, rings as much before as after, and costs the latency it declares", () => {
    const given = settings({ frequencyHz: 800, gainDb: 9, q: 4 });
    const at = responseOf((c) => linearPhaseEqualizer.processClip(c, given));
    for (const hertz of [100, 800, 5000]) expect(phaseOf(at(hertz))).toBeCloseTo(0, 3);
    const { response } = at(800);
    const middle = response.length / 2;
    for (const k of [1, 20, 60, 200]) expect(response[middle - k]).toBeCloseTo(response[middle + k], 6);
    expect(Math.abs(response[middle - 30])).toBeGreaterThan(1e-3);
    expect(linearPhaseEqualizer.latencySamples?.(given, 48_000)).toBe(8191);
  });
});

describe("where and how much", () => {
  it("works on the side alone and leaves the mid bit for bit, or on one channel", () => {
    const clip = recording("guitar-48000");
    const on = (route: string) => bilinearEqualizer.processClip(clip, settings({ gainDb: 9 }, { route }));
    const side = on("side");
    for (let i = 1000; i < 200_000; i += 7919) {
      const mid = clip.channels[0][i] + clip.channels[1][i];
      expect(side.channels[0][i] + side.channels[1][i]).toBeCloseTo(mid, 6);
    }
    expect(side.channels[0]).not.toEqual(clip.channels[0]);
    expect(on("left").channels[1]).toEqual(clip.channels[1]);
    expect(on("right").channels[0]).toEqual(clip.channels[0]);
    const twin = { ...clip, channels: [clip.channels[0], clip.channels[0]] };
    expect(bilinearEqualizer.processClip(twin, settings({ gainDb: 9 }, { route: "side" }))).toEqual(twin);
  });

  it("one amount scales every gain: 50 % of +8 is +4, 0 % is nothing at all", () => {
    const half = settings({ frequencyHz: 1000, gainDb: 8, q: 1 }, { amountPercent: 50 });
    expect(responseOf((c) => bilinearEqualizer.processClip(c, half))(1000).gainDb).toBeCloseTo(4, 3);
    const clip = noise(0.2, 0.5, 3);
    const none = settings({ gainDb: 8 }, { amountPercent: 0 });
    expect(bilinearEqualizer.processClip(clip, none).channels[0]).toEqual(clip.channels[0]);
  });

  it("automatic make-up gives the loudness back, to a hundredth", () => {
    const clip = recording("guitar-48000");
    const loudness = (autoMakeup: boolean) =>
      measureLevels(
        matchedEqualizer.processClip(clip, settings({ frequencyHz: 300, gainDb: 9, q: 0.5 }, { autoMakeup })),
      ).integratedLufs ?? 0;
    const own = measureLevels(clip).integratedLufs ?? 0;
    expect(loudness(false) - own).toBeGreaterThan(3);
    expect(loudness(true)).toBeCloseTo(own, 2);
  });
});

describe("other equalizers", () => {
  it("boost and cut of the passive pair do not cancel: a lift below, a dip above (common practice, no published source)", () => {
    const given = passiveLowPair.parameters.parse({ boostDb: 10, cutDb: 6 });
    const at = responseOf((c) => passiveLowPair.processClip(c, given));
    expect(at(1).gainDb).toBeCloseTo(4, 1);
    expect(Math.min(...[150, 200, 300, 400, 600].map((hertz) => at(hertz).gainDb))).toBeLessThan(-1);
    expect(at(10_000).gainDb).toBeCloseTo(0, 1);
    const boost = passiveLowPair.parameters.parse({ boostDb: 8 });
    expect(responseOf((c) => passiveLowPair.processClip(c, boost))(1).gainDb).toBeCloseTo(8, 1);
  });

  it("a parallel path sums: 1 + k·jw / (1 + jw), worked out by hand", () => {
    const at = responseOf((c) =>
      parallelHighShelf.processClip(c, parallelHighShelf.parameters.parse({ frequencyHz: 4000, levelDb: 0 })),
    );
    for (const hertz of [100, 1000, 4000, 10_000]) {
      const w = hertz / 4000;
      // |1 + jw/(1 + jw)|² = (1 + 4w²) / (1 + w²)
      expect(at(hertz).gainDb).toBeCloseTo(10 * Math.log10((1 + 4 * w * w) / (1 + w * w)), 0);
    }
  });
});
