import { describe, expect, it } from "vitest";
import { throughFilter } from "../audio/through-filters";
import { music } from "../testing/chains";
import { bestEqForm } from "./eq-fit";
import { fitFilter } from "./filter-fit";
import { energyOf } from "./pair-signals";

const RATE = 16_000;

/** A linear phase of 201 taps: a Hann window, which is a low-pass, beside the sound itself. */
const LINEAR = Float64Array.from({ length: 201 }, (_, n) => 0.01 * (1 + Math.cos((Math.PI * (n - 100)) / 100)));
LINEAR[100] += 0.5;

describe("a filter of taps", () => {
  it("is as long as it has to be, and known where one half alone has sound", () => {
    // Dark sound with a bright half second now and then: what is fitted on the one half has to hold on the other.
    const bright = music(4, 1, 1, RATE).channels[0];
    const sound = Float64Array.from(bright);
    for (let n = 1; n < sound.length; n++)
      if (Math.floor((2 * n) / RATE) % 2 === 0) sound[n] = 0.05 * sound[n] + 0.95 * sound[n - 1];
    const target = throughFilter([sound], { responses: [LINEAR], lead: 100 });
    const half = (which: number) => [sound.map((_, n) => (Math.floor((2 * n) / RATE) % 2 === which ? 1 : 0))];
    const found = bestEqForm(
      { inputs: [sound], targets: [target], weights: [half(0), half(1)], judgedFrames: sound.length },
      () => {},
    );
    expect(found.form.taps).toBeLessThanOrEqual(1024);
    expect(10 * Math.log10(found.leftShare)).toBeLessThan(-50);
  });

  it("comes as near from a shorter filter as from nothing, in few steps, on dark sound as well", () => {
    const [bright] = music(4, 1, 1, RATE).channels;
    // Twice through a one-pole at 300 Hz: 12 dB less for each octave above.
    const dark = Float64Array.from(bright);
    for (let pass = 0; pass < 2; pass++)
      for (let n = 1; n < dark.length; n++) dark[n] = 0.11 * dark[n] + 0.89 * dark[n - 1];
    const target = throughFilter([dark], { responses: [LINEAR], lead: 100 });
    const weight = dark.map((_, n) => (n > 2000 && n < dark.length - 2000 ? 1 : 0));
    const task = { inputs: [dark], target, weight, taps: 512, lead: 256 };
    const short = fitFilter({ ...task, taps: 64, lead: 32 }, undefined, 24);
    const longer = new Float64Array(512);
    longer.set(short.responses[0], 224);
    for (const from of [undefined, { responses: [longer], lead: 256 }]) {
      const found = fitFilter(task, from, 24, true);
      const left = energyOf(weight, [target], [throughFilter([dark], found)]) / energyOf(weight, [target]);
      expect(10 * Math.log10(left)).toBeLessThan(-90);
    }
  });
});
