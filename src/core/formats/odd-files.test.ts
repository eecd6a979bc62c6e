import { readdirSync, readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { frameCount } from "../audio/clip";
import { noise } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { bytesInMemory } from "./byte-source";
import { readAudio } from "./read-audio";
import { mpegStart, oggStreams, pastTags } from "./stream-start";
import { writeWav } from "./wav-write";

// Files as they are met outside: containers larger than their samples, tags in front, streams in a row, lengths that lie.
// Forms after Microsoft's "Multiple channel audio data and WAVE files" (2001; from memory), ID3v2.4, RFC 3533 and ISO/IEC 11172-3.

const fixture = (name: string) => new Uint8Array(readFileSync(`fixtures/formats/${name}`));
const ascii = (text: string) => Uint8Array.from(text, (c) => c.charCodeAt(0));
const glued = (...parts: Uint8Array[]) => Uint8Array.from(parts.flatMap((p) => Array.from(p)));

async function read(bytes: Uint8Array, mostSamples?: number) {
  const result = await readAudio(bytes, "take 3", mostSamples);
  if (!result.ok) throw new Error(result.reason);
  return result.value;
}

async function refusal(bytes: Uint8Array, mostSamples?: number) {
  const result = await readAudio(bytes, "take 3", mostSamples);
  if (result.ok) throw new Error("was read");
  expect(result.reason).toContain("take 3");
  expect(result.advice.length).toBeGreaterThan(10);
  return result.reason;
}

const number = (value: number, bytes: number) =>
  Uint8Array.from({ length: bytes }, (_, i) => Math.floor(value / 256 ** i) % 256);

/** A mono WAV of integers as a writer might lay them out: `values` are written into `container` bytes each. */
function wavOf(options: {
  values: number[];
  bits: number;
  container: number;
  blockAlign?: number;
  extensible?: boolean;
  before?: Uint8Array;
  after?: Uint8Array;
}): Uint8Array {
  const { values, bits, container, extensible = false } = options;
  const blockAlign = options.blockAlign ?? container;
  const declared = extensible ? 8 * container : bits;
  const head = glued(
    number(extensible ? 0xfffe : 1, 2),
    number(1, 2),
    number(48_000, 4),
    number(48_000 * blockAlign, 4),
    number(blockAlign, 2),
    number(declared, 2),
  );
  const guid = glued(number(1, 2), Uint8Array.from([0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71]));
  const format = extensible ? glued(head, number(22, 2), number(bits, 2), number(4, 4), guid) : head;
  const data = glued(...values.map((v) => number(v < 0 ? v + 256 ** container : v, container)));
  const chunk = (tag: string, body: Uint8Array) => glued(ascii(tag), number(body.length, 4), body);
  const body = glued(
    ascii("WAVE"),
    options.before ?? new Uint8Array(),
    chunk("fmt ", format),
    options.after ?? new Uint8Array(),
    chunk("data", data),
  );
  return glued(ascii("RIFF"), number(body.length, 4), body);
}

const samples = async (bytes: Uint8Array) => Array.from((await read(bytes)).clip.channels[0]);

describe("integers in containers larger than themselves", () => {
  const values = [0, 1, -1, 1000, -1000, 8_388_607, -8_388_608];
  const full = 8_388_608;
  const wanted = values.map((v) => v / full);

  it.each([
    [
      "24 in 32, on the upper side, extensible",
      { values: values.map((v) => v * 256), bits: 24, container: 4, extensible: true },
    ],
    [
      "24 in 32, on the upper side, told by the block alone",
      { values: values.map((v) => v * 256), bits: 24, container: 4 },
    ],
    ["24 in 32, on the lower side", { values, bits: 24, container: 4 }],
    ["24 in 24 whose block says 32", { values, bits: 24, container: 3, blockAlign: 4 }],
    ["24 in 24 whose block says nothing", { values, bits: 24, container: 3, blockAlign: 0 }],
    ["24 in 24 whose block says 1", { values, bits: 24, container: 3, blockAlign: 1 }],
  ])("%s", async (_, layout) => {
    // A block that lies is distinguished from the samples: more of them make that sure.
    const many = Array.from({ length: 40 }, () => layout.values).flat();
    expect((await samples(wavOf({ ...layout, values: many }))).slice(0, 7)).toEqual(wanted);
  });

  it("20 in 24 and 12 in 16, on either side", async () => {
    const twenty = [0, 1, -1, 524_287, -524_288];
    const twelve = [0, 1, -1, 2047, -2048];
    const of20 = twenty.map((v) => v / 2 ** 19);
    const of12 = twelve.map((v) => v / 2 ** 11);
    expect(
      await samples(wavOf({ values: twenty.map((v) => v * 16), bits: 20, container: 3, extensible: true })),
    ).toEqual(of20);
    expect(await samples(wavOf({ values: twenty, bits: 20, container: 3 }))).toEqual(of20);
    expect(await samples(wavOf({ values: twelve.map((v) => v * 16), bits: 12, container: 2 }))).toEqual(of12);
    expect(await samples(wavOf({ values: twelve, bits: 12, container: 2, extensible: true }))).toEqual(of12);
  });
});

describe("chunks as they should not be", () => {
  const plain = { values: [1, 2, 3, 4], bits: 16, container: 2 };
  const wanted = [1, 2, 3, 4].map((v) => v / 32_768);

  it("an odd one with and without its byte of padding", async () => {
    const odd = glued(ascii("note"), number(3, 4), ascii("abc"));
    expect(await samples(wavOf({ ...plain, before: glued(odd, number(0, 1)) }))).toEqual(wanted);
    expect(await samples(wavOf({ ...plain, before: odd }))).toEqual(wanted);
  });

  it("a second format says nothing of the samples", async () => {
    const other = glued(
      ascii("fmt "),
      number(16, 4),
      number(1, 2),
      number(2, 2),
      number(8000, 4),
      number(0, 6),
      number(8, 2),
    );
    expect(await samples(wavOf({ ...plain, after: other }))).toEqual(wanted);
  });
});

describe("what stands before the sound", () => {
  const tag = (size: number) =>
    glued(ascii("ID3"), Uint8Array.from([4, 0, 0, 0, 0, size >> 7, size & 127]), new Uint8Array(size).fill(0x55));

  it("tags of a tagger, one or two, before any kind of file", async () => {
    for (const name of ["take.wav", "take.flac", "take.mono.mp3", "take.aiff"]) {
      const [plain, tagged] = [await read(fixture(name)), await read(glued(tag(300), tag(20), fixture(name)))];
      expect(tagged.clip.channels.length, name).toBe(plain.clip.channels.length);
      expect(tagged.clip.channels[0], name).toEqual(plain.clip.channels[0]);
    }
    expect(pastTags(bytesInMemory(glued(tag(300), tag(20), ascii("fLaC"))))).toBe(340);
  });

  it("zeros before an MP3", async () => {
    const [plain, padded] = [
      await read(fixture("take.mp3")),
      await read(glued(new Uint8Array(1500), fixture("take.mp3"))),
    ];
    expect(padded.encoding).toBe("MP3");
    expect(frameCount(padded.clip)).toBe(frameCount(plain.clip));
  });

  it("a text in UTF-16 is no MP3, nor is noise with eleven set bits in it", async () => {
    const text = Uint8Array.from([
      0xff,
      0xfe,
      ..."A list of takes\nand more of them".split("").flatMap((c) => [c.charCodeAt(0), 0]),
    ]);
    expect(await refusal(text)).toContain("not a supported audio file");
    const [channel] = noise(0.5, 1, 4).channels;
    const random = Uint8Array.from(channel, (v) => 128 + 127 * v);
    random.set([0xff, 0xfb, 0x90, 0x00], 0);
    expect(mpegStart(bytesInMemory(random))).toBe(-1);
  });
});

describe("streams", () => {
  it("that follow one another in an Ogg file are all read", async () => {
    for (const name of ["take.ogg", "take.opus"]) {
      const bytes = fixture(name);
      expect(oggStreams(glued(bytes, bytes, bytes))).toHaveLength(3);
      const [one, three] = [await read(bytes), await read(glued(bytes, bytes, bytes))];
      expect(frameCount(three.clip)).toBe(3 * frameCount(one.clip));
      expect(three.clip.channels[0].slice(frameCount(one.clip), 2 * frameCount(one.clip))).toEqual(
        one.clip.channels[0],
      );
    }
  });

  it("an MP3 at 8 kHz lies where ffmpeg decodes it", async () => {
    const [ours, theirs] = [await read(fixture("take.8000.mp3")), await read(fixture("take.8000.mp3.ffmpeg.wav"))];
    const frames = Math.min(frameCount(ours.clip), frameCount(theirs.clip));
    expect(frames).toBeGreaterThan(3000);
    for (let i = 0; i < frames; i++)
      expect(Math.abs(ours.clip.channels[0][i] - theirs.clip.channels[0][i])).toBeLessThan(1e-4);
  });
});

describe("samples beyond measure, and files that unfold", () => {
  it("one sample of 3·10³⁸ ends in a sentence that says where", async () => {
    const guitar = recording("guitar-48000");
    const channel = guitar.channels[0].slice();
    channel[24_000] = 3e38;
    expect(await refusal(writeWav({ ...guitar, channels: [channel] }, "32-bit float"))).toBe(
      "take 3 contains a sample far above full scale (3e+38), the first at 0.500 s.",
    );
  });

  it("seven kilobytes that are ten minutes are refused, by what their head says and by what comes out of them", async () => {
    const bomb = fixture("ten-minutes-of-nothing.flac");
    expect(bomb.length).toBeLessThan(20_000);
    expect(await refusal(bomb, 1_000_000)).toContain("decodes to more than 4 MB");
    const silent = bomb.slice();
    // The head does not say how long it is: the 36 bits of the total are nought.
    silent[21] &= 0xf0;
    silent.fill(0, 22, 26);
    expect(await refusal(silent, 1_000_000)).toContain("decodes to more than 4 MB");
    expect(frameCount((await read(bomb)).clip)).toBe(28_800_000);
  });

  it("a WAV over the limit is refused before it is read", async () => {
    expect(await refusal(writeWav(recording("guitar-48000"), "16-bit"), 1000)).toContain("the limit");
  });
});

describe("files with errors in them", () => {
  const forms = readdirSync(new URL("../../../fixtures/formats/", import.meta.url)).filter(
    (name) => name.startsWith("take.") && !name.includes("ffmpeg"),
  );
  /** What a bad disk, a broken transfer or a careless tool makes of a file. */
  const damage = fc.record({
    kind: fc.constantFrom("bytes", "cut", "more", "less", "size", "twice"),
    at: fc.double({ min: 0, max: 0.999, noNaN: true }),
    inHead: fc.boolean(),
    bytes: fc.uint8Array({ minLength: 1, maxLength: 40 }),
  });

  function damaged(
    whole: Uint8Array,
    { kind, at, inHead, bytes }: typeof damage extends fc.Arbitrary<infer T> ? T : never,
  ) {
    const place = Math.floor(at * (inHead ? Math.min(200, whole.length) : whole.length));
    const [head, tail] = [whole.subarray(0, place), whole.subarray(place)];
    if (kind === "cut") return head;
    if (kind === "more") return Uint8Array.from([...head, ...bytes, ...tail]);
    if (kind === "less") return Uint8Array.from([...head, ...tail.subarray(bytes.length)]);
    if (kind === "twice") return Uint8Array.from([...head, ...whole]);
    const changed = whole.slice();
    const written = kind === "size" ? [0xff, 0xff, 0xff, bytes[0] % 2 ? 0xff : 0x7f] : bytes;
    changed.set(written.slice(0, whole.length - place), place);
    return changed;
  }

  it.each(forms)("made of %s are read or refused in words, and never throw", async (name) => {
    const whole = readFileSync(new URL(`../../../fixtures/formats/${name}`, import.meta.url));
    await fc.assert(
      fc.asyncProperty(damage, async (how) => {
        const read = await readAudio(damaged(whole, how), name);
        if (!read.ok) expect(read.reason).toContain(name);
        else for (const channel of read.value.clip.channels) expect(channel.every(Number.isFinite)).toBe(true);
      }),
      { numRuns: Number(process.env.PROPERTY_RUNS) || 25 },
    );
  });
});
