import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { noise } from "../stimuli/signals";
import { channelOf, energyOf, FOR_CHAINS, IN_FULL, pairSignals, withReach } from "./pair-signals";

describe("what a pair is taken apart on", () => {
  it("is all of a short region and evenly spread stretches of a long one, halves of the same size", () => {
    fc.assert(
      fc.property(fc.double({ min: 0.2, max: 60, noNaN: true }), fc.constantFrom(1, 2), (seconds, channels) => {
        const frames = Math.round(seconds * 8000);
        const sound = soundOf(noise(seconds, 0.1, 3, channels, 8000));
        for (const taking of [IN_FULL, FOR_CHAINS]) {
          const pair = pairSignals(sound, sound, { startFrame: 0, endFrame: Math.min(frames, sound.frames) }, taking);
          const sum = (weight: Float64Array) => weight.reduce((s, v) => s + v, 0);
          // All of it where stretches with what is around them would be as much.
          const most = taking.mostSeconds * 8000 + 2 * taking.reach * (taking.stretches - 1);
          expect(pair.judgedFrames).toBeLessThanOrEqual(most);
          expect(sum(pair.judged)).toBe(pair.judgedFrames);
          expect(sum(pair.halves[0]) + sum(pair.halves[1])).toBe(pair.judgedFrames);
          expect(Math.abs(sum(pair.halves[0]) - sum(pair.halves[1]))).toBeLessThanOrEqual(pair.judgedFrames / 8 + 8000);
          for (const { from, frames: count, passageFrame } of pair.stretches)
            expect(pair.here[0][from + (count >> 1)]).toBe(sound.read(passageFrame + (count >> 1), 1)[0][0]);
        }
      }),
      { numRuns: 6 },
    );
  });

  it("is the same with less around its stretches, and by one channel", () => {
    const sound = soundOf(noise(30, 0.1, 6, 2, 8000));
    const pair = pairSignals(sound, sound, { startFrame: 4000, endFrame: 236_000 });
    const short = withReach(pair, 512);
    expect(short.judgedFrames).toBe(pair.judgedFrames);
    expect(energyOf(short.judged, short.here)).toBeCloseTo(energyOf(pair.judged, pair.here), 9);
    expect(energyOf(short.halves[1], short.yonder)).toBeCloseTo(energyOf(pair.halves[1], pair.yonder), 9);
    for (const [i, { from, frames, passageFrame }] of short.stretches.entries()) {
      expect([frames, passageFrame]).toEqual([pair.stretches[i].frames, pair.stretches[i].passageFrame]);
      for (const n of [-512, 0, frames + 511]) {
        const whole = pair.here[1][pair.stretches[i].from + n];
        expect(short.here[1][from + n]).toBe(whole);
      }
    }
    expect(withReach(short, 2048)).toBe(short);
    const right = channelOf(short, 1);
    expect([right.here, right.yonder]).toEqual([[short.here[1]], [short.yonder[1]]]);
  });

  it("gives mono to both sides of a stereo one, and knows two channels that are one", () => {
    const mono = soundOf(noise(1, 0.1, 4, 1));
    const [channel] = noise(1, 0.1, 4, 1).channels;
    const twice = soundOf({ sampleRateHz: 48_000, channels: [channel, channel] });
    const region = { startFrame: 0, endFrame: 48_000 };
    expect(pairSignals(mono, twice, region)).toMatchObject({ isDoubled: true });
    expect(pairSignals(mono, twice, region).here).toHaveLength(1);
    const stereo = soundOf(noise(1, 0.1, 5, 2));
    expect(pairSignals(mono, stereo, region)).toMatchObject({ isDoubled: false });
    expect(pairSignals(mono, stereo, region).here).toHaveLength(2);
  });

  it("has stretches among it that it is asked to have, in order, and none that would lie over them", () => {
    const sound = soundOf(noise(60, 0.1, 7, 1, 8000));
    const region = { startFrame: 0, endFrame: sound.frames };
    const plain = pairSignals(sound, sound, region);
    const [, second] = plain.stretches;
    const also = [
      { startFrame: second.passageFrame + 100, endFrame: second.passageFrame + 900 },
      { startFrame: sound.frames - 800, endFrame: sound.frames },
    ];
    const places = pairSignals(sound, sound, region, IN_FULL, null, also).stretches.map((s) => s.passageFrame);
    expect(places).toEqual([
      plain.stretches[0].passageFrame,
      also[0].startFrame,
      ...plain.stretches.slice(2).map((s) => s.passageFrame),
      also[1].startFrame,
    ]);
  });
});
