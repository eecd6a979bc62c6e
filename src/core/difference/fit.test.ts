import { describe, expect, it } from "vitest";
import { alignedClip } from "../alignment/aligned";
import { AS_IT_IS } from "../alignment/alignment";
import { frameCount, scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { added, noise, shifted } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { leastSquaresGainDb, residualsAround } from "./fit";

const guitar = recording("guitar-48000");
const frames = frameCount(guitar);

describe("residuals before and after", () => {
  it("silence once a delay is taken out, and not before; level is no matter", () => {
    const late = scaleClip(shifted(guitar, 64), 0.5);
    const placement = { ...AS_IT_IS, delaySamples: 64 };
    const { beforeDb, afterDb } = residualsAround(guitar, late, alignedClip(late, placement, frames), placement);
    expect(beforeDb).toBeGreaterThan(-12);
    expect(afterDb).toBeNull();
  });

  it("a flipped render leaves all of it before: no gain under nought is allowed to hide that", () => {
    const flipped = scaleClip(guitar, -1);
    const placement = { ...AS_IT_IS, polarity: { left: -1, right: -1 } } as const;
    const { beforeDb, afterDb } = residualsAround(guitar, flipped, alignedClip(flipped, placement, frames), placement);
    expect(beforeDb).toBeCloseTo(0, 10);
    expect(afterDb).toBeNull();
  });

  it("noise 40 dB under the sound leaves −40 dB", () => {
    const hiss = noise(frames / 48_000, 1, 9);
    const level = (clip: typeof guitar) => Math.sqrt(clip.channels[0].reduce((s, v) => s + v * v, 0));
    const noisy = added(guitar, scaleClip(hiss, (0.01 * level(guitar)) / level(hiss)));
    const { afterDb } = residualsAround(guitar, noisy, noisy, AS_IT_IS);
    expect(Math.abs((afterDb ?? 0) + 40)).toBeLessThan(1);
  });
});

describe("the gain that fits best", () => {
  it("is the one that was taken, whatever lies on top", () => {
    const quiet = scaleClip(guitar, amplitudeFromDb(-4.2));
    expect(leastSquaresGainDb(guitar, quiet)).toBeCloseTo(4.2, 4);
    expect(leastSquaresGainDb(guitar, added(quiet, noise(5, 0.001, 2)))).toBeCloseTo(4.2, 2);
    expect(leastSquaresGainDb(guitar, scaleClip(guitar, -1))).toBeNull();
  });
});
