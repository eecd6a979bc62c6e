import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import { SMALL_FORM, sentSignal } from "../../testing/bench";
import { tonePitchPpm } from "./tone-pitch";

const { plan, signal } = sentSignal(SMALL_FORM);
const [sent] = signal.channels;
const rate = SMALL_FORM.sampleRateHz;
const pitchOf = (channel: Float32Array) => tonePitchPpm(channel, plan.ladder, rate);
/** The ladder, each tone as long and as loud as it was sent, at another pitch; `each` says how much higher that of a tone is. */
const laddered = (each: (index: number) => number, shape: (v: number) => number = (v) => v): Float32Array => {
  const channel = new Float32Array(sent.length);
  for (const [n, { startFrame, frames, hertz, levelDbfs }] of plan.ladder.entries())
    for (let i = 0; i < frames; i++)
      channel[startFrame + i] = shape(
        10 ** (levelDbfs / 20) * Math.sin((2 * Math.PI * hertz * each(n) * (i + 7 * n)) / rate),
      );
  return channel;
};
/** Equal temperament: a cent is 2^(1/1200). */
const cents = (count: number) => 2 ** (count / 1200);

describe("pitch of tones", () => {
  it("is read from a cent to an octave, up and down, also of what is bent, gated or in noise", () => {
    const random = seededRandom(5);
    for (const count of [1, -1, 3, -7, 50, 100, -100, 700, -900])
      for (const shape of [
        (v: number) => v,
        (v: number) => Math.tanh(6 * v) / 6,
        (v: number) => (Math.abs(v) < 0.01 ? 0 : v),
        (v: number) => v + 0.003 * (2 * random() - 1),
      ]) {
        const ppm = pitchOf(laddered(() => cents(count), shape));
        expect(Math.abs(1200 * Math.log2(1 + (ppm ?? 0) / 1e6) - count), `${count}`).toBeLessThan(0.2);
      }
  });

  it("is nothing to tell where tones come back as they were sent, whatever else was done to them", () => {
    const random = seededRandom(9);
    for (const shape of [
      (v: number) => v,
      (v: number) => -0.01 * v,
      (v: number) => Math.tanh(20 * v),
      (v: number) => v * v,
      (v: number) => v + 0.1 * (2 * random() - 1),
      () => 0,
      () => 2 * random() - 1,
    ])
      expect(pitchOf(sent.map(shape))).toBeNull();
    // 50 ppm, as of two clocks, is not pitch; what goes to and fro is reported as wow.
    expect(pitchOf(laddered(() => 1 + 50e-6))).toBeNull();
    expect(pitchOf(laddered((n) => 1 + 2e-3 * Math.sin(n)))).toBeNull();
    expect(tonePitchPpm(sent, plan.ladder.slice(0, 4), rate)).toBeNull();
  });
});
