import { describe, expect, it } from "vitest";
import { noise } from "../stimuli/signals";
import { channelView } from "./channel-view";
import { clipOf, soundOf } from "./sound";

describe("what of a sound is looked at", () => {
  const stereo = noise(0.01, 0.5, 1, 2);
  const mono = noise(0.01, 0.5, 2, 1);
  const seen = (clip: typeof stereo, view: Parameters<typeof channelView>[1]) =>
    clipOf(channelView(soundOf(clip), view)).channels;

  it("is a channel, or half their sum or difference", () => {
    const [left, right] = stereo.channels;
    expect(seen(stereo, "both")).toEqual([left, right]);
    expect(seen(stereo, "left")).toEqual([left]);
    expect(seen(stereo, "right")).toEqual([right]);
    expect(seen(stereo, "mid")[0][7]).toBeCloseTo((left[7] + right[7]) / 2, 7);
    expect(seen(stereo, "side")[0][7]).toBeCloseTo((left[7] - right[7]) / 2, 7);
  });

  it("of mono is mono itself, and no side", () => {
    for (const view of ["both", "left", "right", "mid"] as const) expect(seen(mono, view)).toEqual(mono.channels);
    expect(seen(mono, "side")[0].every((v) => v === 0)).toBe(true);
  });
});
