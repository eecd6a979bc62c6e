import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { music, throughProcessors } from "../testing/chains";
import { align } from "./align";

describe("the order of channels behind crossovers", () => {
  const here = music(8, 2, 1, 16_000);
  const swap = (clip: Clip): Clip => ({ ...clip, channels: [clip.channels[1], clip.channels[0]] });

  it.each([
    ["a compressor in three bands", {}],
    ["its crossovers alone", { ratio: 1 }],
    ["much of it", { lowThresholdDb: -45, middleThresholdDb: -40, highThresholdDb: -45, ratio: 5 }],
  ])("is as it is through %s, and swapped where it was", (_, settings) => {
    const yonder = throughProcessors(here, ["multiband-compressor", settings]);
    expect(align(here, yonder)).toMatchObject({ found: true, swapped: false });
    expect(align(here, swap(yonder))).toMatchObject({ found: true, swapped: true });
  });
});
