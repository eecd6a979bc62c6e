import { describe, expect, it } from "vitest";
import { alignedSound } from "@/core/alignment/aligned";
import { AS_IT_IS } from "@/core/alignment/alignment";
import { type Sound, soundOf } from "@/core/audio/sound";
import { Feeder, frameAfter, PIECE_FRAMES } from "./feeder";
import { MISSED, makeTape, PLAYED, WRITTEN } from "./tape";

/** Two sounds that say at each frame which frame it is, one of them inverted. */
const FRAMES = 200_000;
const ramp = Float32Array.from({ length: FRAMES }, (_, i) => i);
const sounds = [ramp, ramp.map((v) => -v)].map((channel) => soundOf({ sampleRateHz: 48_000, channels: [channel] }));
const CAPACITY = 4 * PIECE_FRAMES;

function fed() {
  const memory = makeTape([1, 1], CAPACITY);
  const feeder = new Feeder(memory, sounds);
  const counters = new Int32Array(memory.decks[0].counters);
  const ring = (voice: number) => new Float32Array(memory.decks[0].rings[voice]);
  /** What the audio thread would have heard of a frame of the stream. */
  const heard = (voice: number, frame: number) => ring(voice)[frame % CAPACITY];
  const fillAll = () => {
    while (feeder.feed());
  };
  return { feeder, counters, heard, fillAll };
}

describe("what is heard after so many frames", () => {
  it("is straight on, or round the loop once it is entered; one that lies behind is never entered", () => {
    const loop = { startFrame: 100, endFrame: 150 };
    expect(frameAfter(20, 70, null)).toBe(90);
    expect(frameAfter(20, 129, loop)).toBe(149);
    expect(frameAfter(20, 130, loop)).toBe(100);
    expect(frameAfter(120, 30 + 50 * 7 + 3, loop)).toBe(103);
    expect(frameAfter(150, 10, loop)).toBe(160);
  });
});

describe("the feeder", () => {
  it("writes every voice from the cued frame on, ahead of what is played and never over it", () => {
    const { feeder, counters, heard, fillAll } = fed();
    feeder.cue(0, 1000, null);
    fillAll();
    for (const voice of [0, 1]) {
      expect(counters[WRITTEN + voice]).toBeGreaterThan(CAPACITY - PIECE_FRAMES);
      expect(counters[WRITTEN + voice]).toBeLessThanOrEqual(CAPACITY);
    }
    for (const frame of [0, 1, PIECE_FRAMES, 50_000]) {
      expect(heard(0, frame)).toBe(1000 + frame);
      expect(heard(1, frame)).toBe(-1000 - frame);
    }
    // Half of it is played: what follows takes its place.
    counters[PLAYED] = CAPACITY / 2;
    fillAll();
    expect(heard(0, CAPACITY)).toBe(1000 + CAPACITY);
    expect(heard(0, CAPACITY / 2)).toBe(1000 + CAPACITY / 2);
  });

  it("keeps left and right apart where a render in step had them exchanged, and read into the ring itself", () => {
    const sides = [ramp, ramp.map((v) => -v)];
    const source: Sound = {
      sampleRateHz: 48_000,
      channelCount: 2,
      frames: FRAMES,
      read: (from, count, into) =>
        sides.map((side, c) => {
          const part = into?.[c] ?? new Float32Array(count);
          part.set(side.subarray(from, from + count));
          return part;
        }),
    };
    const polarity = { left: 1, right: -1 } as const;
    const exchanged = alignedSound(source, { ...AS_IT_IS, delaySamples: 7, swapped: true, polarity }, FRAMES);
    const memory = makeTape([2], CAPACITY);
    const feeder = new Feeder(memory, [exchanged]);
    feeder.cue(0, 1000, null);
    while (feeder.feed());
    const ring = new Float32Array(memory.decks[0].rings[0]);
    for (const frame of [0, 1, 20_000]) {
      expect(ring[frame]).toBe(-(1007 + frame));
      expect(ring[CAPACITY + frame]).toBe(-(1007 + frame));
    }
  });

  it("goes round a loop to the frame, and is silent past the end of the sound", () => {
    const { feeder, heard, fillAll } = fed();
    feeder.cue(0, 500, { startFrame: 400, endFrame: 777 });
    fillAll();
    for (const frame of [0, 276, 277, 278, 277 + 377 * 90]) {
      expect(heard(0, frame)).toBe(frameAfter(500, frame, { startFrame: 400, endFrame: 777 }));
    }
    feeder.cue(0, FRAMES - 10, null);
    fillAll();
    expect([9, 10, 5000].map((frame) => heard(0, frame))).toEqual([FRAMES - 1, 0, 0]);
  });

  it("reads the voices that are asked for first, as far as is asked", () => {
    const { feeder, counters } = fed();
    feeder.cue(0, 0, null);
    while (feeder.fill(0, 1, 5000));
    expect([counters[WRITTEN], counters[WRITTEN + 1]]).toEqual([0, 5000]);
  });

  it("passes over what was not there in time, so that a voice is back in step", () => {
    const { feeder, counters, heard, fillAll } = fed();
    feeder.cue(0, 0, null);
    fillAll();
    counters[PLAYED] = CAPACITY + 12_345;
    counters[MISSED] = 12_345;
    fillAll();
    expect(heard(0, CAPACITY + 12_345)).toBe(CAPACITY + 12_345);
    // How much was missed in all is not forgotten at the next start.
    feeder.cue(0, 0, null);
    expect(counters[MISSED]).toBe(12_345);
    expect(counters[PLAYED]).toBe(0);
  });

  it("goes on where counters of 32 bits have wrapped", () => {
    const memory = makeTape([1], CAPACITY);
    const counters = new Int32Array(memory.decks[0].counters);
    const loop = { startFrame: 0, endFrame: 65_536 };
    const feeder = new Feeder(memory, [sounds[0]]);
    feeder.cue(0, 0, loop);
    const far = 2 ** 31 + 1000;
    counters[PLAYED] = far | 0;
    // Half of the way back is as far as a counter can tell: what lies between is walked in steps, as playing walks it.
    counters[PLAYED] = 2 ** 30;
    while (feeder.feed());
    counters[PLAYED] = 2 ** 31 - 5;
    while (feeder.feed());
    counters[PLAYED] = far | 0;
    while (feeder.feed());
    expect((counters[WRITTEN] - (far | 0)) | 0).toBeGreaterThan(PIECE_FRAMES);
    expect(new Float32Array(memory.decks[0].rings[0])[far % CAPACITY]).toBe(far % 65_536);
  });
});
