import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { delayed, noise } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { align } from "./align";
import { OutlineMaker, outlineBytes, outlineFrom, outlineOf } from "./outline";

/** 25 s of stereo at 48 kHz: long enough for the mid to be thinned. */
const long = noise(25, 0.3, 5);

describe("an outline", () => {
  it("is the same whatever pieces of whole blocks a sound comes in", () => {
    const sound = soundOf(long);
    const inOne = outlineOf(sound);
    const maker = new OutlineMaker(sound);
    for (let at = 0; at < sound.frames; at += 8192) maker.add(sound.read(at, Math.min(8192, sound.frames - at)));
    const inMany = maker.outline();
    expect(inMany.thinnedMid?.samples).toEqual(inOne.thinnedMid?.samples);
    expect(inMany.products).toEqual(inOne.products);
    expect(inMany.endShare).toBeCloseTo(inOne.endShare, 12);
    expect(inOne.thinnedMid?.factor).toBe(8);
  });

  it("of a short sound holds no thinned copy, and survives being kept as bytes, as a long one does", () => {
    const short = outlineOf(soundOf(recording("guitar-48000")));
    expect(short.thinnedMid).toBeNull();
    for (const outline of [short, outlineOf(soundOf(long))]) {
      expect(outlineFrom(outlineBytes(outline).buffer)).toEqual(outline);
    }
  });

  it("that is no outline, or cut short, is not taken for one", () => {
    const bytes = outlineBytes(outlineOf(soundOf(long)));
    expect(outlineFrom(bytes.slice(0, 9).buffer)).toBeNull();
    expect(outlineFrom(bytes.slice(0, -8).buffer)).toBeNull();
    expect(outlineFrom(new Float64Array(20).fill(7).buffer)).toBeNull();
  });

  it("lines up as the sound itself does; one of another sound is not used", () => {
    const render = delayed(long, 1234.25);
    const plain = align(long, render);
    const outlines = { reference: outlineOf(soundOf(long)), render: outlineOf(soundOf(render)) };
    expect(align(long, render, outlines)).toEqual(plain);
    expect(plain).toMatchObject({ found: true, delaySamples: expect.closeTo(1234.25, 2) });
    const foreign = outlineOf(soundOf(recording("guitar-48000")));
    expect(align(long, render, { reference: foreign, render: foreign })).toEqual(plain);
  });
});
