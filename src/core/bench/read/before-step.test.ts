import { describe, expect, it } from "vitest";
import { gaussian } from "../../testing/noise";
import { isRestHidden, movesAhead } from "./before-step";
import { powerErrorDb } from "./power-error";

const RATE = 48_000;
const REST = { startFrame: 1000, frames: RATE };
const STEP = REST.startFrame + REST.frames;
const WAVE = 10 ** (-42 / 20);

/** A square wave at rest, whose gain falls by so many dB over the last ms before the step, in noise of an effective value. */
function steppedWave({ aheadMs = 0, aheadDb = 0, noise = 0 }): Parameters<typeof movesAhead>[0] {
  const ahead = (aheadMs / 1000) * RATE;
  const hiss = gaussian(STEP + RATE, noise, 7);
  const back = Float32Array.from(hiss, (v, i) => {
    const share = i >= STEP - ahead ? (i - STEP + ahead) / Math.max(1, ahead) : 0;
    return v + (i % 48 < 24 ? 1 : -1) * WAVE * 10 ** ((-aheadDb * share) / 20);
  });
  const plan = { form: { sampleRateHz: RATE } };
  const parts = { bursts: { rest: REST, long: { startFrame: STEP, frames: RATE } } };
  return { input: { back, plan, parts }, noisePower: noise * noise } as unknown as Parameters<typeof movesAhead>[0];
}

describe("what comes before a step", () => {
  it("has an error that noise makes: of 200 powers of a wave beside noise", () => {
    const [frames, noise] = [400, WAVE / 3];
    const hiss = gaussian(200 * frames, noise, 3);
    const levels = Array.from({ length: 200 }, (_, n) => {
      let power = 0;
      for (let i = 0; i < frames; i++) power += ((i % 48 < 24 ? WAVE : -WAVE) + hiss[n * frames + i]) ** 2 / frames;
      return 10 * Math.log10((power - noise ** 2) / WAVE ** 2);
    });
    const mean = levels.reduce((sum, v) => sum + v, 0) / levels.length;
    const spread = Math.sqrt(levels.reduce((sum, v) => sum + (v - mean) ** 2, 0) / levels.length);
    // 200 of them tell a spread to 5 % (one standard error).
    expect(Math.abs(spread / powerErrorDb(1 / 9, frames) - 1)).toBeLessThan(0.15);
  });

  it.each([0, 10 ** (-70 / 20), 10 ** (-50 / 20)])(
    "moves ahead where a gain does, in noise of %s, and else not",
    (noise) => {
      expect(movesAhead(steppedWave({ aheadMs: 3, aheadDb: 6, noise }), 12)).toBe(true);
      expect(movesAhead(steppedWave({ noise }), 12)).toBe(false);
    },
  );

  it("is hidden by noise that is less than 20 dB under it", () => {
    expect(isRestHidden(steppedWave({ noise: 0 }))).toBe(false);
    expect(isRestHidden(steppedWave({ noise: WAVE / 20 }))).toBe(false);
    expect(isRestHidden(steppedWave({ noise: WAVE / 5 }))).toBe(true);
  });
});
