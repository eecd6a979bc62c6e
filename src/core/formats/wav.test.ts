import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { recording } from "../testing/recordings";
import type { WrittenEncoding } from "./pcm-write";
import { readWav } from "./wav-read";
import { writeWav } from "./wav-write";

const clipOf = (...channels: number[][]): Clip => ({
  sampleRateHz: 48_000,
  channels: channels.map((c) => Float32Array.from(c)),
});

function decoded(bytes: Uint8Array) {
  const result = readWav(bytes, "file.wav");
  if (!result.ok) throw new Error(result.reason);
  return result.value;
}

function refusal(bytes: Uint8Array): string {
  const result = readWav(bytes, "take 3.wav");
  if (result.ok) throw new Error("was read");
  expect(result.advice.length).toBeGreaterThan(10);
  return result.reason;
}

const ascii = (text: string) => Uint8Array.from(text, (c) => c.charCodeAt(0));

describe("WAV integers are exact", () => {
  it.each([
    ["16-bit", 15],
    ["24-bit", 23],
  ] as const)("%s: every value k reads k / 2^%i and is written back bit for bit", (encoding, power) => {
    const full = 2 ** power;
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -full, max: full - 1 }), { minLength: 2, maxLength: 64 }), (values) => {
        const clip = clipOf(values.map((v) => v / full));
        const bytes = writeWav(clip, encoding);
        expect(Array.from(decoded(bytes).clip.channels[0], (v) => v * full)).toEqual(values);
        expect(writeWav(decoded(bytes).clip, encoding)).toEqual(bytes);
      }),
    );
  });

  it("reads the extremes: −2^15 is −1, 2^15 − 1 is 32767/32768", () => {
    const clip = clipOf([-1, 32767 / 32768, 0, -1 / 32768]);
    expect(decoded(writeWav(clip, "16-bit")).clip.channels[0]).toEqual(clip.channels[0]);
  });

  it("reads what ffmpeg wrote, 16 and 24 bit (extensible), at the file's own rate", () => {
    expect(recording("tabla-44100")).toMatchObject({ sampleRateHz: 44_100 });
    const guitar = recording("guitar-48000");
    expect(guitar.channels).toHaveLength(2);
    expect(guitar.channels[0].every((v) => Number.isInteger(v * 2 ** 23))).toBe(true);
  });

  it.each(["16-bit", "24-bit", "32-bit", "32-bit float"] as WrittenEncoding[])(
    "keeps stereo sides apart in %s",
    (encoding) => {
      const { clip, encoding: read } = decoded(writeWav(clipOf([0.5, -0.25], [0.125, 0]), encoding));
      expect(read).toBe(encoding);
      expect(clip.channels.map((c) => Array.from(c))).toEqual([
        [0.5, -0.25],
        [0.125, 0],
      ]);
    },
  );

  it("passes over unknown and odd-sized chunks, and keeps values over full scale in floats", () => {
    const plain = writeWav(clipOf([1.5, -2]), "32-bit float");
    const odd = new Uint8Array(plain.length + 12);
    odd.set(plain.subarray(0, 12));
    odd.set(ascii("note"), 12);
    odd.set([3, 0, 0, 0, 1, 2, 3, 0], 16);
    odd.set(plain.subarray(12), 24);
    expect(Array.from(decoded(odd).clip.channels[0])).toEqual([1.5, -2]);
  });
});

describe("bad files are refused in a sentence with their name", () => {
  const good = writeWav(clipOf([0.5, 0.25, 0.125, 0]), "16-bit");
  const patched = (offset: number, ...values: number[]) => {
    const bytes = good.slice();
    bytes.set(values, offset);
    return bytes;
  };

  it("says what is wrong inside", () => {
    expect(refusal(patched(22, 6))).toContain("6 channels");
    expect(refusal(patched(20, 17))).toContain("code 17");
    expect(refusal(patched(24, 100, 0, 0, 0))).toContain("100 Hz");
    expect(refusal(good.subarray(0, 44))).toContain("contains no audio");
    expect(refusal(good.subarray(0, 12))).toContain("damaged");
    expect(refusal(writeWav(clipOf([Number.NaN, 0]), "32-bit float"))).toContain("not numbers");
  });

  it("reads what is there of a file cut short, and says that it is", () => {
    const cut = decoded(good.subarray(0, good.length - 4));
    expect(cut.clip.channels[0]).toHaveLength(2);
    expect(cut.remarks[0]).toContain("cut short");
  });

  it("never throws, whatever the bytes", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 120 }), fc.nat(40), (noise, at) => {
        const bytes = good.slice();
        bytes.set(noise.subarray(0, Math.max(0, bytes.length - at)), at);
        readWav(bytes, "noise.wav");
        readWav(noise, "noise.wav");
      }),
    );
  });
});
