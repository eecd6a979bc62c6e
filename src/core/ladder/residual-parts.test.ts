import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { soundOf } from "../audio/sound";
import { music } from "../testing/chains";
import { pairSignals } from "./pair-signals";
import { type LeftPart, residualParts } from "./residual-parts";

const LOW = 16_000;
const here = music(6, 1, 1, LOW);
const [x] = here.channels;

/** What is reported of a sound that was remaining from Here, when all that could be applied is applied. */
function told(rest: (n: number) => number): LeftPart[] {
  const yonder = { ...here, channels: [x.map((v, n) => v + rest(n))] };
  const pair = pairSignals(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: x.length });
  return residualParts(pair, pair.here);
}
const kinds = (rest: (n: number) => number) => told(rest).map(({ kind }) => kind);

/** White noise as a function of the frame. */
function hiss(amplitude: number, seed: number): (n: number) => number {
  const random = seededRandom(seed);
  const values = Float32Array.from({ length: x.length }, () => amplitude * (2 * random() - 1));
  return (n) => values[n] ?? 0;
}

describe("what is left is told apart", () => {
  it("as nothing, where nothing is left", () => {
    expect(told(() => 0)).toEqual([]);
  });

  it.each([8, 12, 16, 20])("as rounding to %d bits", (bits) => {
    const step = 2 ** (1 - bits);
    const rounded = told((n) => Math.round(x[n] / step) * step - x[n]);
    // At 8 bits the error begins to follow the sound: it is then reported as what it is, and never as other bits.
    if (bits > 8) expect(rounded).toMatchObject([{ kind: "rounding", bits }]);
    else expect(rounded.every((part) => part.kind !== "dither" && (part.bits ?? bits) === bits)).toBe(true);
  });

  it("as noise, where it is as loud as dither and neither file holds words of that length", () => {
    // Uniform noise of −60 dBFS RMS has the power of triangular dither at 10 bits to 0.2 dB (by hand: 10⁻⁶ over 2⁻¹⁸/4).
    const noise = hiss(0.001 * Math.sqrt(3), 77);
    expect(kinds(noise)[0]).toBe("noise");
    expect(kinds(noise)).not.toContain("dither");
  });

  it.each([12, 16])("as dither at %d bits, its level with it", (bits) => {
    const step = 2 ** (1 - bits);
    const [one, other] = [hiss(step / 2, 3), hiss(step / 2, 4)];
    const [part] = told((n) => Math.round((x[n] + one(n) + other(n)) / step) * step - x[n]);
    expect(part).toMatchObject({ kind: "dither", bits });
    // Lipshitz, Wannamaker and Vanderkooy 1992: a quarter of a step squared.
    const power = x.reduce((sum, v) => sum + v * v, 0) / x.length;
    expect(part.shareDb).toBeCloseTo(10 * Math.log10((step * step) / 4 / power), 0);
  });

  it("as dither only where its largest error can be dither's", () => {
    const step = 2 ** -15;
    // Noise of the very power of 16-bit dither, but not its kind.
    const random = seededRandom(9);
    const gauss = Float32Array.from({ length: x.length }, () => {
      let sum = 0;
      for (let i = 0; i < 12; i++) sum += random() - 0.5;
      return (sum * step) / 2;
    });
    expect(kinds((n) => gauss[n])).not.toContain("dither");
  });

  it("as hum, at its mains, beside noise", () => {
    const hum = (mains: number) => (n: number) =>
      0.003 * (Math.sin((2 * Math.PI * mains * n) / LOW) + 0.6 * Math.sin((2 * Math.PI * 2 * mains * n) / LOW + 1));
    expect(told(hum(50))[0]).toMatchObject({ kind: "hum", hertz: expect.closeTo(50, 1) });
    const noise = hiss(0.001, 5);
    const sixty = hum(60);
    expect(told((n) => sixty(n) + noise(n))[0]).toMatchObject({ kind: "hum", hertz: expect.closeTo(60, 1) });
    const others = told((n) => 0.003 * Math.sin((2 * Math.PI * 443.7 * n) / LOW));
    // A single tone is no hum: a line, by its own frequency and level.
    expect(others[0]).toMatchObject({
      kind: "line",
      hertz: expect.closeTo(443.7, 1),
      levelDbfs: expect.closeTo(-50.5, 0),
    });
  });

  it("as clicks, where crests come out of nothing", () => {
    expect(kinds((n) => (n % 7001 === 500 ? 0.1 : 0))[0]).toBe("clicks");
  });

  it("as steady noise, where it sounds all the time", () => {
    const noise = hiss(0.002, 6);
    // Coloured, for white noise of some power is that of some word length.
    expect(kinds((n) => noise(n) + 0.8 * noise(n - 1))[0]).toBe("noise");
  });

  it("as harmonic, where powers of the sound are in it", () => {
    expect(kinds((n) => 0.05 * x[n] * x[n] * x[n])[0]).toBe("harmonic");
    expect(kinds((n) => 0.02 * x[n] * x[n] - 0.004 * (x[n - 3] ?? 0) ** 2)[0]).toBe("harmonic");
  });

  it("as not harmonic, where it follows the sound and nothing else is known", () => {
    const noise = hiss(1, 7);
    expect(kinds((n) => 0.02 * Math.abs(x[n]) * noise(n))[0]).toBe("inharmonic");
  });

  it("with shares that add up to what is left", () => {
    const noise = hiss(0.002, 8);
    const rest = (n: number) => noise(n) + 0.8 * noise(n - 1) + (n % 7001 === 500 ? 0.2 : 0);
    const parts = told(rest);
    const [sum, all] = [
      parts.reduce((s, p) => s + 10 ** (p.shareDb / 10), 0),
      x.reduce((s, _, n) => s + rest(n) ** 2, 0),
    ];
    const whole = x.reduce((s, v, n) => s + (v + rest(n)) ** 2, 0);
    expect(sum / (all / whole)).toBeGreaterThan(0.9);
    expect(sum / (all / whole)).toBeLessThan(1.05);
  });
});
