import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import { soundOf } from "../../audio/sound";
import { SMALL_FORM, sentSignal, through } from "../../testing/bench";
import { returnedFrom } from "../signal/returned";
import { timingOnWay } from "./timing";

// Losses and repeats of known place and size, anywhere in the signal: no place is reported more closely than it is known.

const { plan, signal } = sentSignal(SMALL_FORM);
const rate = plan.form.sampleRateHz;

/** What is reported of so many samples that were lost (or came twice, where negative) from a second on. */
function jumpsOf(channel: Float32Array, seconds: number, lost: number) {
  const at = Math.round(seconds * rate);
  const back = Float32Array.from([...channel.subarray(0, at), ...channel.subarray(at + lost)]);
  const returned = returnedFrom("back.wav", soundOf({ sampleRateHz: rate, channels: [back] }));
  if (!returned.ok) throw new Error(returned.reason);
  return timingOnWay(returned.value, signal.channels).jumps.map(({ atFrame, errorFrames, samples }) => ({
    seconds: (returned.value.atFrame + atFrame) / rate,
    within: errorFrames / rate,
    samples,
  }));
}

const noisy = (channel: Float32Array, peak: number, seed: number): Float32Array => {
  const random = seededRandom(seed);
  return channel.map((v) => v + peak * (random() - 0.5));
};

/** Bells, a cut, all-passes, a saturator: what turns phases, and what adds to them. */
const processed = [
  signal,
  through(signal, "bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] }),
  through(signal, "bilinear-equalizer", {
    bands: [
      { kind: "low cut", frequencyHz: 80, gainDb: 0, q: 0.71, slopeDbPerOctave: 12 },
      { kind: "high shelf", frequencyHz: 4000, gainDb: -9, q: 0.7 },
    ],
  }),
  through(signal, "all-pass", { stages: 4 }),
  through(signal, "drive-stage", { driveDb: 24 }),
].map(({ channels }) => channels[0]);

describe("where samples were lost or came twice", () => {
  it("is told with an error that holds it, wherever it lies, behind filters and saturation, clean and in noise", () => {
    const random = seededRandom(11);
    const lengths = [1, 16, 96, 128, 480, 512, 1024];
    for (const [n, channel] of processed.entries())
      for (let go = 0; go < lengths.length; go++) {
        const seconds = 8 + random() * (plan.frames / rate - 12);
        const lost = lengths[go] * (random() < 0.4 ? -1 : 1);
        const peak = [0, 0.0003, 0.006][go % 3];
        for (const told of jumpsOf(noisy(channel, peak, n + 1), seconds, lost)) {
          expect(told.samples, `${n} ${go} ${peak} at ${seconds}`).toBe(-lost);
          expect
            .soft(
              Math.abs(told.seconds - seconds),
              `${n} ${go} ${lost} ${peak} at ${seconds}, told ${told.seconds} within ${told.within}`,
            )
            .toBeLessThan(told.within + 0.05);
        }
      }
  });

  it("is told closely in the middle of a tone, and to the whole of it where whole periods are lost", () => {
    const { startFrame, frames, hertz } = plan.deep;
    const middle = (startFrame + frames / 2) / rate;
    const [close] = jumpsOf(signal.channels[0], middle, 101);
    expect(close.within).toBeLessThan(0.05);
    const periods = Math.round((8 * rate) / hertz);
    const [open] = jumpsOf(signal.channels[0], middle, periods);
    // Eight periods of 1 kHz are 127 samples and a thirtieth of one: phase hardly turns.
    expect(open.within).toBeGreaterThan(0.3);
    expect(Math.abs(open.seconds - middle)).toBeLessThan(open.within + 0.02);
  });
});
