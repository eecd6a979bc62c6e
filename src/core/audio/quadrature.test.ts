import { describe, expect, it } from "vitest";
import { inQuadrature } from "./quadrature";
import { seededRandom } from "./random";

// Against the definition of the Hilbert transform: cos becomes sin, sin becomes -cos, levels stay.

const tone = (turn: number, frames: number, of: (x: number) => number) =>
  Float32Array.from({ length: frames }, (_, i) => of(turn * i));

describe("a signal in quadrature", () => {
  it("is the sine of a cosine and the negative cosine of a sine, but for its ends", () => {
    for (const turn of [0.02, 0.3, 1.7, 3]) {
      const frames = 20_000;
      const [ofCos, ofSin] = [Math.cos, Math.sin].map((of) => inQuadrature(tone(turn, frames, of)));
      for (let i = 5000; i < 15_000; i += 37) {
        expect(ofCos[i]).toBeCloseTo(Math.sin(turn * i), 1);
        expect(ofSin[i]).toBeCloseTo(-Math.cos(turn * i), 1);
      }
      expect(ofCos).toHaveLength(frames);
    }
  });

  it("has the level of what it was made of, and nothing of silence or of an offset's middle", () => {
    const random = seededRandom(5);
    const noise = Float32Array.from({ length: 16_384 }, () => random() - 0.5);
    const level = (values: ArrayLike<number>) => {
      let sum = 0;
      for (let i = 0; i < values.length; i++) sum += values[i] ** 2;
      return Math.sqrt(sum / values.length);
    };
    expect(level(inQuadrature(noise)) / level(noise)).toBeCloseTo(1, 1);
    expect(level(inQuadrature(new Float32Array(1000)))).toBe(0);
    expect(Math.abs(inQuadrature(new Float32Array(4001).fill(1))[2000])).toBeLessThan(1e-3);
  });

  it("stands at right angles to it", () => {
    const random = seededRandom(6);
    const noise = Float32Array.from({ length: 8192 }, () => random() - 0.5);
    const turned = inQuadrature(noise);
    const product = noise.reduce((sum, v, i) => sum + v * turned[i], 0);
    const energy = noise.reduce((sum, v) => sum + v * v, 0);
    expect(Math.abs(product / energy)).toBeLessThan(1e-3);
  });
});
