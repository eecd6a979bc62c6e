import { describe, expect, it } from "vitest";
import { noise } from "../stimuli/signals";
import { bytesInMemory } from "./byte-source";
import { openTogether } from "./open-together";
import { writeWav } from "./wav-write";

const source = (file: string, bytes: Uint8Array) => ({ file, source: bytesInMemory(bytes) });
const wav = (file: string, rate: number, seconds = 0.1) =>
  source(file, writeWav(noise(seconds, 0.1, 3, 2, rate), "24-bit"));

describe("files that are looked at together", () => {
  it("are opened each at its own rate, in the order given", async () => {
    const opened = await openTogether([wav("a.wav", 48_000), wav("b.wav", 44_100)]);
    if (!opened.ok) throw new Error(opened.reason);
    expect(opened.value.map(({ file, sound }) => [file, sound.sampleRateHz, sound.channelCount])).toEqual([
      ["a.wav", 48_000, 2],
      ["b.wav", 44_100, 2],
    ]);
  });

  it("are told of by name where one cannot be read, and none is opened for nothing", async () => {
    const broken = source("broken.wav", new TextEncoder().encode("RIFF....WAVEnot really"));
    const opened = await openTogether([wav("a.wav", 48_000), broken]);
    expect(opened).toMatchObject({ ok: false, reason: expect.stringContaining("broken.wav") });
    expect(opened.ok || opened.advice.length).toBeGreaterThan(10);
  });
});
