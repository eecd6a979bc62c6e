import { readdirSync, readFileSync } from "node:fs";
import { createMD5 } from "hash-wasm";
import { describe, expect, it, vi } from "vitest";
import type { Clip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { clipOf } from "../audio/sound";
import { bytesInMemory } from "./byte-source";
import { MOST_SAMPLES, type OpenedAudio } from "./decoded-audio";
import { flacFrames, flacStream } from "./flac-frames";
import { openFlac } from "./flac-read";
import { copyInMemory } from "./pcm-copy";

// Sixty files of ffmpeg, sox and the reference encoder (fixtures/make_flac.py), each with the MD5 of its samples that its encoder wrote.

const FOLDER = "fixtures/flac";
const names = readdirSync(FOLDER);
const fileBytes = (name: string) => new Uint8Array(readFileSync(`${FOLDER}/${name}`));

async function opened(bytes: Uint8Array, pieceBytes?: number): Promise<OpenedAudio> {
  const result = await openFlac(bytesInMemory(bytes), "take", copyInMemory, MOST_SAMPLES, pieceBytes);
  if (!result.ok) throw new Error(result.reason);
  return result.value;
}

/** The MD5 of a clip's integers, worked out another way than the reader does. */
async function digestOf({ channels }: Clip, bits: number): Promise<string> {
  const width = bits / 8;
  const bytes = Buffer.alloc(channels[0].length * channels.length * width);
  for (let i = 0; i < channels[0].length; i++) {
    channels.forEach((channel, c) => {
      bytes.writeIntLE(channel[i] * 2 ** (bits - 1), (i * channels.length + c) * width, width);
    });
  }
  return (await createMD5()).update(bytes).digest("hex");
}

/** Decoding tells of faults on the console; here they are meant. */
const quiet = () => vi.spyOn(console, "error").mockImplementation(() => {});

describe("FLAC is read to the last sample", () => {
  it.each(names)("%s", async (name) => {
    const bytes = fileBytes(name);
    const stream = flacStream(bytesInMemory(bytes));
    const file = await opened(bytes);
    expect(file).toMatchObject({ encoding: `FLAC ${stream?.bits}-bit, checksum fits`, remarks: [] });
    expect(file.sound.frames).toBe(stream?.frames);
    expect(await digestOf(clipOf(file.sound), stream?.bits ?? 0)).toBe(stream?.md5);
    const random = seededRandom(names.indexOf(name));
    const inPieces = await opened(bytes, 1 + Math.floor(40 * random()));
    expect(inPieces.encoding).toContain("checksum fits");
    expect(inPieces.sound.frames).toBe(file.sound.frames);
  });

  it("in pieces of each size from 1 to 40 bytes", async () => {
    const bytes = fileBytes(names.filter((name) => name.includes("music")).sort((a, b) => a.length - b.length)[0]);
    const frames = flacStream(bytesInMemory(bytes))?.frames;
    for (let pieceBytes = 1; pieceBytes <= 40; pieceBytes++) {
      const { sound, encoding, remarks } = await opened(bytes, pieceBytes);
      expect([pieceBytes, sound.frames, encoding.endsWith("checksum fits"), remarks]).toEqual([
        pieceBytes,
        frames,
        true,
        [],
      ]);
    }
  });

  it("with a tag behind the last frame", async () => {
    const bytes = fileBytes(names[0]);
    const tagged = new Uint8Array(bytes.length + 128);
    tagged.set(bytes);
    tagged.set([0x54, 0x41, 0x47], bytes.length);
    expect(await opened(tagged)).toMatchObject({ encoding: expect.stringContaining("checksum fits"), remarks: [] });
  });

  it("and no further than its stream", async () => {
    const bytes = fileBytes(names[0]);
    const { sound, remarks } = await opened(Uint8Array.from([...bytes, ...bytes]));
    expect(sound.frames).toBe((await opened(bytes)).sound.frames);
    expect(remarks).toEqual([]);
  });
});

/** Frames at which two clips differ, and those among them at which the second sounds. */
function differing(truth: Clip, read: Clip) {
  let frames = 0;
  let sounding = 0;
  truth.channels[0].forEach((_, i) => {
    if (truth.channels.every((channel, c) => channel[i] === read.channels[c][i])) return;
    frames++;
    if (read.channels.some((channel) => channel[i])) sounding++;
  });
  return { frames, sounding };
}

describe("a flipped bit", () => {
  it("is named, or not in the sound; what is not named is bit for bit", async () => {
    const console = quiet();
    const random = seededRandom(5);
    let named = 0;
    for (const name of names) {
      const bytes = fileBytes(name);
      const stream = flacStream(bytesInMemory(bytes));
      if (!stream) throw new Error("no stream");
      const truth = clipOf((await opened(bytes)).sound);
      const blocks = [...flacFrames(bytesInMemory(bytes), stream)].map(({ blockSize }) => blockSize);
      // Two of three in the sound, for short files are mostly padding.
      const from = random() < 2 / 3 ? stream.audioStart : 0;
      bytes[from + Math.floor(random() * (bytes.length - from))] ^= 1 << Math.floor(8 * random());
      const result = await openFlac(bytesInMemory(bytes), "take", copyInMemory, MOST_SAMPLES);
      if (!result.ok) {
        expect(result.reason).toContain("take");
        continue;
      }
      const { sound, remarks } = result.value;
      const { frames, sounding } = differing(truth, clipOf(sound));
      expect([name, sounding]).toEqual([name, 0]);
      expect(frames).toBeLessThanOrEqual(2 * Math.max(...blocks));
      if (frames > 0 || sound.frames !== truth.channels[0].length) expect(remarks).not.toEqual([]);
      if (remarks.length > 0) named++;
    }
    expect(named).toBeGreaterThan(20);
    console.mockRestore();
  });

  it("in a frame says where and how much is silent, and the rest keeps its place", async () => {
    const console = quiet();
    const name = "57-ffmpeg-music-24.flac";
    const bytes = fileBytes(name);
    const stream = flacStream(bytesInMemory(bytes));
    if (!stream) throw new Error("no stream");
    const all = [...flacFrames(bytesInMemory(bytes), stream)];
    const before = all.slice(0, 2).reduce((sum, frame) => sum + frame.bytes.length, stream.audioStart);
    bytes[before + Math.floor(all[2].bytes.length / 2)] ^= 4;
    const { sound, remarks } = await opened(bytes);
    const at = (all[2].startFrame / stream.sampleRateHz).toFixed(3);
    const long = ((1000 * all[2].blockSize) / stream.sampleRateHz).toFixed(1);
    expect(remarks).toEqual([`The file is damaged. Unreadable and silent: ${long} ms at ${at} s.`]);
    expect(sound.frames).toBe(stream.frames);
    expect(differing(clipOf((await opened(fileBytes(name))).sound), clipOf(sound)).frames).toBeLessThanOrEqual(
      all[2].blockSize,
    );
    console.mockRestore();
  });

  it("in the checksum is a checksum that differs", async () => {
    const bytes = fileBytes(names[3]);
    bytes[30] ^= 1;
    const { remarks } = await opened(bytes);
    expect(remarks[0]).toContain("Checksum mismatch");
  });
});
