import { readdirSync, readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Clip, frameCount, samplePeak, sliceClip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { clipOf } from "../audio/sound";
import { noise, sine } from "../stimuli/signals";
import { writeAiff } from "./aiff-write";
import type { ByteSource } from "./byte-source";
import { copyInMemory } from "./pcm-copy";
import type { WrittenEncoding } from "./pcm-write";
import { openAudio, readAudio } from "./read-audio";
import { writeWav } from "./wav-write";

// Files written, and lossy ones decoded again, by ffmpeg: fixtures/make_formats.py.

const fileBytes = (name: string) => new Uint8Array(readFileSync(`fixtures/formats/${name}`));

async function decoded(bytes: Uint8Array, name = "take") {
  const result = await readAudio(bytes, name);
  if (!result.ok) throw new Error(result.reason);
  return result.value;
}

async function refusal(bytes: Uint8Array) {
  const result = await readAudio(bytes, "take 3");
  if (result.ok) throw new Error("was read");
  expect(result.advice.length).toBeGreaterThan(10);
  return result.reason;
}

const take = async (name: string) => (await decoded(fileBytes(name), name)).clip;

/** Largest difference between two clips; they must have the same shape. */
function worstDifference(a: Clip, b: Clip): number {
  expect([b.sampleRateHz, b.channels.length, frameCount(b)]).toEqual([
    a.sampleRateHz,
    a.channels.length,
    frameCount(a),
  ]);
  let worst = 0;
  a.channels.forEach((channel, c) => {
    for (let i = 0; i < channel.length; i++) worst = Math.max(worst, Math.abs(channel[i] - b.channels[c][i]));
  });
  return worst;
}

describe("every lossless form of one recording nulls to silence with every other (written by ffmpeg)", () => {
  it.each([
    ["take.rf64.wav", "24-bit"],
    ["take.float.wav", "32-bit float"],
    ["take.double.wav", "64-bit float"],
    ["take.aiff", "24-bit"],
    ["take.float.aifc", "32-bit float"],
    ["take.flac", "FLAC 24-bit, checksum fits"],
    ["take.caf", "24-bit"],
    ["take.float.caf", "32-bit float"],
    ["take.wv", "WavPack 24-bit"],
    ["take.float.wv", "WavPack 32-bit float"],
  ])("%s", async (name, encoding) => {
    const file = await decoded(fileBytes(name), name);
    expect(file).toMatchObject({ encoding, remarks: [] });
    expect(worstDifference(await take("take.wav"), file.clip)).toBe(0);
  });

  it.each(["take.16.flac", "take.little.aifc", "take.little.caf", "take.16.wv"])(
    "%s, against 16-bit WAV",
    async (name) => {
      expect(worstDifference(await take("take.16.wav"), await take(name))).toBe(0);
    },
  );
});

describe("lossy files come as ffmpeg decodes them, at their own rate, encoder delay and all", () => {
  it.each([
    ["take.mp3", "MP3", 48_000, 2],
    ["take.mono.mp3", "MP3", 44_100, 1],
    ["take.ogg", "Vorbis", 48_000, 2],
    ["take.opus", "Opus", 48_000, 2],
  ])("%s", async (name, encoding, sampleRateHz, channelCount) => {
    const file = await decoded(fileBytes(name), name);
    expect(file.encoding).toBe(encoding);
    expect(file.clip).toMatchObject({ sampleRateHz });
    expect(file.clip.channels).toHaveLength(channelCount);
    const reference = await take(`${name}.ffmpeg.wav`);
    expect(samplePeak(reference)).toBeGreaterThan(0.1);
    // ffmpeg 5 drops Vorbis's last half block of 128 frames; the file declares them, and they are read here.
    expect(frameCount(file.clip) - frameCount(reference)).toBe(name === "take.ogg" ? 128 : 0);
    const shared = sliceClip(file.clip, 0, frameCount(reference));
    expect(worstDifference(reference, shared)).toBeLessThan(3e-6);
  });
});

describe("files are told apart by content, and refused in a sentence", () => {
  it("whatever their names say", async () => {
    expect((await decoded(fileBytes("take.flac"), "song.wav")).encoding).toContain("FLAC 24-bit");
  });

  it("says where AAC and Apple Lossless cannot be decoded, and what to do", async () => {
    expect(await refusal(fileBytes("take.m4a"))).toBe("take 3 is AAC, which cannot be decoded here.");
    expect(await refusal(fileBytes("take.alac.m4a"))).toBe("take 3 is ALAC, which cannot be decoded here.");
    expect(await refusal(fileBytes("take.alac.caf"))).toBe("take 3 is ALAC, which cannot be decoded here.");
  });

  it("says that a lossy WavPack is lossy", async () => {
    expect((await decoded(fileBytes("take.lossy.wv"))).remarks[0]).toContain("lossy");
  });

  it("names what is damaged", async () => {
    const text = (s: string) => Uint8Array.from(s, (c) => c.charCodeAt(0));
    expect(await refusal(new Uint8Array())).toBe("take 3 is empty.");
    expect(await refusal(text("fLaC and then some more bytes"))).toContain("no FLAC audio");
    expect(await refusal(text("ID3 something else here, no music"))).toContain("no MP3 audio");
    expect(await refusal(text(`OggS${" ".repeat(60)}`))).toContain("neither Vorbis nor Opus");
    expect(await refusal(text("FORM    8SVX and so on"))).toContain("not a supported audio file");
    expect(await refusal(fileBytes("take.aiff").subarray(0, 40))).toMatch(/damaged|no audio/);
  });

  it("says that a FLAC is cut short and reads what is there", async () => {
    const whole = fileBytes("take.flac");
    const cut = await decoded(whole.subarray(0, whole.length - 20_000));
    expect(frameCount(cut.clip)).toBeGreaterThan(4000);
    expect(cut.remarks[0]).toContain("cut short");
  });

  it("never throws on noise behind a known beginning", async () => {
    const heads = [
      "FORM\0\0\0\0AIFF",
      "FORM\0\0\0\0AIFC",
      "RF64\xff\xff\xff\xffWAVE",
      "OggS",
      "fLaC",
      "\xff\xfb\x90\x00",
    ];
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...heads), fc.uint8Array({ maxLength: 200 }), async (head, rest) => {
        await readAudio(Uint8Array.from([...Uint8Array.from(head, (c) => c.charCodeAt(0)), ...rest]), "noise");
      }),
      { numRuns: 60 },
    );
  });
});

describe("what a source gives holds until the next read", () => {
  /** Bytes that are written over as soon as others are asked for, as those of a kept file are. */
  const fleeting = (bytes: Uint8Array): ByteSource => {
    let last = new Uint8Array();
    const read = (start: number, end: number) => {
      last.fill(0xee);
      last = bytes.slice(start, end);
      return last;
    };
    return { byteLength: bytes.length, read };
  };
  const sounds = readdirSync("fixtures/formats").filter((name) => !/m4a|aac|alac|nothing|ffmpeg/.test(name));

  it.each(sounds)("%s comes out the same", async (name) => {
    const bytes = fileBytes(name);
    const opened = await openAudio(fleeting(bytes), name, copyInMemory);
    const known = await readAudio(bytes, name);
    if (!opened.ok || !known.ok) throw new Error("not read");
    expect(clipOf(opened.value.sound)).toEqual(known.value.clip);
    expect(opened.value.remarks).toEqual(known.value.remarks);
  });
});

describe("AIFF is written as it is read", () => {
  it.each(["16-bit", "24-bit", "32-bit", "32-bit float"] as WrittenEncoding[])(
    "%s, sides apart, odd rates",
    async (encoding) => {
      const clip: Clip = {
        sampleRateHz: 88_200,
        channels: [Float32Array.of(0.5, -0.25, -1), Float32Array.of(0.125, 0, 0.75)],
      };
      const file = await decoded(writeAiff(clip, encoding));
      expect(file).toMatchObject({ encoding, clip: { sampleRateHz: 88_200 } });
      expect(worstDifference(clip, file.clip)).toBe(0);
    },
  );

  it("and ffmpeg's file is written back sample for sample", async () => {
    const clip = await take("take.aiff");
    expect(worstDifference(clip, (await decoded(writeAiff(clip, "24-bit"))).clip)).toBe(0);
  });
});

describe("word length", () => {
  const errorDbfs = async (dithered: boolean) => {
    const clip = noise(2, 0.3, 11);
    const dither = dithered ? { random: seededRandom(5) } : null;
    const { clip: read } = await decoded(writeWav(clip, "16-bit", dither));
    let sum = 0;
    clip.channels.forEach((c, n) => {
      for (let i = 0; i < c.length; i++) sum += (read.channels[n][i] - c[i]) ** 2;
    });
    return 10 * Math.log10(sum / (2 * frameCount(clip)));
  };

  it("24 to 16 bit leaves −101.1 dBFS without dither, −96.3 with triangular dither (step²/12 and step²/4)", async () => {
    expect(await errorDbfs(false)).toBeCloseTo(-101.1, 1);
    expect(await errorDbfs(true)).toBeCloseTo(-96.3, 1);
  });

  it("dither keeps a tone of a third of a step alive, where plain rounding loses it", async () => {
    const tone = sine({ hertz: 1000, peakDbfs: 20 * Math.log10(1 / 3 / 32768), seconds: 1, channels: 1 });
    expect(samplePeak((await decoded(writeWav(tone, "16-bit"))).clip)).toBe(0);
    const { clip } = await decoded(writeWav(tone, "16-bit", { random: seededRandom(9) }));
    let kept = 0;
    for (let i = 0; i < 48_000; i++) kept += clip.channels[0][i] * tone.channels[0][i];
    let own = 0;
    for (let i = 0; i < 48_000; i++) own += tone.channels[0][i] ** 2;
    expect(kept / own).toBeGreaterThan(0.9);
    expect(kept / own).toBeLessThan(1.1);
  });
});

describe("sizes that lie", () => {
  const good = writeWav({ sampleRateHz: 48_000, channels: [Float32Array.of(0.5, 0.25, 0.125)] }, "16-bit");
  const withDataSize = (size: number) => {
    const bytes = good.slice();
    new DataView(bytes.buffer).setUint32(40, size, true);
    return bytes;
  };

  it.each([0, 0xffffffff])(
    "a length of %i is a recorder that never came back: all to the end is read",
    async (size) => {
      const file = await decoded(withDataSize(size));
      expect(Array.from(file.clip.channels[0])).toEqual([0.5, 0.25, 0.125]);
      expect(file.remarks[0]).toContain("gives no length");
    },
  );
});
