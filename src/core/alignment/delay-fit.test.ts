import { describe, expect, it } from "vitest";
import { type AnalogueSection, bellSection, bilinear, cutSections, highShelfSection } from "../audio/analogue";
import type { Biquad } from "../audio/biquad";
import { seededRandom } from "../audio/random";
import { fitDelay } from "./delay-fit";
import { BEYOND, minimumPhase } from "./minimum-phase";
import { coherenceOf, type Shared } from "./shared-sound";

// Cross-spectra made from a filter's own response, so that the truth is the formula of a second-order section. Such sections with zeros
// inside the unit circle are minimum-phase (Oppenheim and Schafer, Discrete-Time Signal Processing), and so is a row of them.

const FRAMES = 4096;
const RATE_HZ = 48_000;

/** The response of a row of sections at a bin, as re and im. */
function responseAt(filters: readonly Biquad[], bin: number): [number, number] {
  const w = (2 * Math.PI * bin) / FRAMES;
  const at = (c0: number, c1: number, c2: number): [number, number] => [
    c0 + c1 * Math.cos(w) + c2 * Math.cos(2 * w),
    -c1 * Math.sin(w) - c2 * Math.sin(2 * w),
  ];
  return filters.reduce(
    ([re, im], { b0, b1, b2, a1, a2 }): [number, number] => {
      const [nr, ni] = at(b0, b1, b2);
      const [dr, di] = at(1, a1, a2);
      const power = dr * dr + di * di;
      const [hr, hi] = [(nr * dr + ni * di) / power, (ni * dr - nr * di) / power];
      return [re * hr - im * hi, re * hi + im * hr];
    },
    [1, 0],
  );
}

type Truth = { filters?: Biquad[]; delay?: number; polarity?: 1 | -1; noise?: number; from?: number; to?: number };

/** White sound through a filter, later by `delay`, with noise of its own on both; silent outside bins [from, to). */
function sharedBy({ filters = [], delay = 0, polarity = 1, noise = 0, from = 1, to = FRAMES / 2 }: Truth): Shared {
  const bins = FRAMES / 2 + 1;
  const cross = new Float64Array(2 * bins);
  const [referencePower, renderPower] = [new Float64Array(bins), new Float64Array(bins)];
  const random = seededRandom(9);
  const segments = 64;
  for (let k = from; k < to; k++) {
    const [re, im] = responseAt(filters, k);
    const angle = (-2 * Math.PI * k * delay) / FRAMES;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    // Noise that shares nothing shrinks to the root of the number of segments.
    const chance = () => (noise / Math.sqrt(segments)) * 2 * (random() - 0.5);
    cross[2 * k] = segments * (polarity * (re * c - im * s) + chance());
    cross[2 * k + 1] = segments * (polarity * (re * s + im * c) + chance());
    referencePower[k] = segments * (1 + noise * noise);
    renderPower[k] = segments * (re * re + im * im + noise * noise);
  }
  return { frames: FRAMES, segments, cross, referencePower, renderPower };
}

const realised = (...sections: AnalogueSection[]) => sections.map((section) => bilinear(section, RATE_HZ));
const FILTERS: [string, Biquad[]][] = [
  ["a bell of +9 dB at 3 kHz", realised(bellSection(3000, 9, 1))],
  ["a bell of −9 dB at 800 Hz", realised(bellSection(800, -9, 2))],
  ["a high shelf of −8 dB at 6 kHz", realised(highShelfSection(6000, -8, 0.7))],
  ["a low-pass of 12 dB an octave at 2 kHz", realised(...cutSections("high cut", 2000, 2))],
  ["a low-pass of 24 dB an octave at 5 kHz", realised(...cutSections("high cut", 5000, 4))],
];

describe("the phase of a minimum-phase filter", () => {
  it.each(FILTERS)("of %s is that of its formula", (_, filters) => {
    const shared = sharedBy({ filters });
    const phase = minimumPhase(shared, coherenceOf(shared, true).shared, "to nothing");
    let worst = 0;
    for (let k = 40; k < 0.35 * FRAMES; k += 7) {
      const [re, im] = responseAt(filters, k);
      const turned = Math.atan2(im * phase[2 * k] - re * phase[2 * k + 1], re * phase[2 * k] + im * phase[2 * k + 1]);
      worst = Math.max(worst, Math.abs(turned));
    }
    expect(worst).toBeLessThan(0.12);
  });

  it.each(BEYOND)("of no filter is none, however what cannot be told goes on (%s)", (beyond) => {
    const shared = sharedBy({ delay: 5, to: 900 });
    const phase = minimumPhase(shared, coherenceOf(shared, true).shared, beyond);
    for (let k = 1; k < 900; k++) expect(Math.abs(phase[2 * k + 1])).toBeLessThan(1e-9);
  });
});

const fitOf = (truth: Truth) => {
  const shared = sharedBy(truth);
  const fit = fitDelay(shared, coherenceOf(shared, true));
  if (!fit) throw new Error("nothing is shared");
  return fit;
};

describe("a delay from one cross-spectrum", () => {
  it.each([0, 7.37, -0.25, 300.5, -900])("of %f samples, of either polarity, is found to a thousandth", (delay) => {
    for (const polarity of [1, -1] as const) {
      const fit = fitOf({ delay, polarity });
      expect(fit.polarity).toBe(polarity);
      expect(Math.abs(fit.offsetSamples - delay)).toBeLessThan(1e-3);
      expect(fit.errorSamples).toBeLessThan(0.01);
    }
  });

  it.each(FILTERS)("through %s lies within the error told, and is no flip", (_, filters) => {
    for (const [delay, polarity] of [
      [12, 1],
      [-3.5, -1],
    ] as const) {
      const fit = fitOf({ filters, delay, polarity, noise: 0.003 });
      expect(fit.polarity).toBe(polarity);
      expect(Math.abs(fit.offsetSamples - delay)).toBeLessThanOrEqual(fit.errorSamples);
      expect(fit.errorSamples).toBeLessThan(12);
    }
  });

  it("is known the less, the less of the spectrum tells it", () => {
    const errors = [2000, 400, 60].map((to) => fitOf({ delay: 4, noise: 0.3, to }).errorSamples);
    expect(errors[0]).toBeLessThan(errors[1]);
    expect(errors[1]).toBeLessThan(errors[2]);
  });

  it("misfits more beside its place, and at the other polarity", () => {
    const fit = fitOf({ delay: 4, noise: 0.1 });
    for (const by of [-1, -0.1, 0.1, 1]) expect(fit.misfitAt(by)).toBeGreaterThan(fit.misfitAt(0));
    expect(fit.otherMisfit).toBeGreaterThan(10 * fit.misfit);
    expect(fit.contrary).toBe(0);
  });

  it("is none where nothing is shared", () => {
    const silent = sharedBy({ from: 1, to: 1 });
    expect(fitDelay(silent, coherenceOf(silent, true))).toBeNull();
  });
});
