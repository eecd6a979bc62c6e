import { readFileSync } from "node:fs";
import { afterEach, describe, expect, it } from "vitest";
import { bytesInMemory } from "./byte-source";
import { type HostedStream, setHostDecoder } from "./host-decoder";
import { mp4Facts } from "./mp4-facts";
import { readAudio } from "./read-audio";

// Files of ffmpeg's AAC encoder, which puts 1,024 samples in front, and what ffmpeg decodes of all their packets (fixtures/make_formats.py).

const fileBytes = (name: string) => new Uint8Array(readFileSync(`fixtures/formats/${name}`));

async function taken(name: string, bytes = fileBytes(name)) {
  const result = await readAudio(bytes, name);
  if (!result.ok) throw new Error(result.reason);
  return result.value;
}

/** A host that answers with ffmpeg's decoding, in pieces as decoders give them, and keeps what it was asked. */
async function hosted(): Promise<HostedStream[]> {
  const { clip } = await taken("take.m4a.raw.wav");
  const asked: HostedStream[] = [];
  setHostDecoder(async (stream, take) => {
    asked.push(stream);
    for (let at = 0; at < clip.channels[0].length; at += 1024)
      take({ channelData: clip.channels.map((c) => c.slice(at, at + 1024)), sampleRate: clip.sampleRateHz });
    return { ok: true, value: null };
  });
  return asked;
}

afterEach(() => setHostDecoder(null));

describe("AAC in MP4", () => {
  it("is cut to the sound that was encoded: what was put before and behind it goes", async () => {
    const asked = await hosted();
    const { clip, encoding, remarks } = await taken("take.m4a");
    const [whole, source] = [(await taken("take.m4a.raw.wav")).clip, (await taken("take.wav")).clip];
    expect([encoding, remarks]).toEqual(["AAC", []]);
    expect(clip.channels[0].length).toBe(source.channels[0].length);
    expect(clip.channels[0]).toEqual(whole.channels[0].slice(1024, 1024 + source.channels[0].length));
    expect(asked[0].packets?.config).toMatchObject({ codec: "mp4a.40.2", sampleRate: 48_000, numberOfChannels: 2 });
    let packets = 0;
    for await (const { bytes } of asked[0].packets?.each() ?? []) packets += bytes.length > 0 ? 1 : 0;
    expect(packets).toBe(whole.channels[0].length / 1024);
  });

  it("by itself, or without an edit list, does not tell its delay, and a remark says so", async () => {
    await hosted();
    expect((await taken("take.aac")).remarks[0]).toContain("encoder delay is not given");
    // The edit list made a box of no meaning.
    const bytes = fileBytes("take.m4a");
    bytes.set([0x66, 0x72, 0x65, 0x65], Buffer.from(bytes).indexOf("edts"));
    expect(mp4Facts(bytesInMemory(bytes)).edit).toBeNull();
    const { clip, remarks } = await taken("take.m4a", bytes);
    expect(remarks[0]).toContain("Alignment finds the delay");
    expect(clip.channels[0].length).toBe((await taken("take.m4a.raw.wav")).clip.channels[0].length);
    // iTunes' note in its place tells it.
    const note = ` 00000000 00000840 000001C0 ${(0x1000).toString(16).padStart(16, "0")} 00000000`;
    const noted = withNote(bytes, note);
    expect(mp4Facts(bytesInMemory(noted)).note).toEqual({ delay: 0x840, frames: 0x1000 });
    const told = await taken("take.m4a", noted);
    expect(told.remarks).toEqual([]);
    expect(told.clip.channels[0].length).toBe(0x1000);
    expect(told.clip.channels[0][0]).toBe(clip.channels[0][0x840]);
  });

  it("says what its host says, with the file's name; and what is damaged", async () => {
    setHostDecoder(async () => ({
      ok: false,
      reason: "is AAC, which this browser does not decode.",
      advice: "Convert it.",
    }));
    expect(await readAudio(fileBytes("take.m4a"), "mix.m4a")).toMatchObject({
      reason: "mix.m4a is AAC, which this browser does not decode.",
    });
    setHostDecoder(async () => {
      throw new Error("decoder broke");
    });
    expect(await readAudio(fileBytes("take.m4a"), "mix.m4a")).toMatchObject({
      reason: "mix.m4a is damaged: no AAC audio could be decoded.",
    });
    await hosted();
    expect(await readAudio(fileBytes("take.m4a").subarray(0, 3000), "mix.m4a")).toMatchObject({ ok: false });
    expect(await readAudio(fileBytes("take.m4a"), "mix.m4a", 5000)).toMatchObject({
      reason: expect.stringContaining("MB, the limit"),
    });
  });
});

/** The file with a note in its index, its lengths made to fit. */
function withNote(bytes: Uint8Array, note: string): Uint8Array<ArrayBuffer> {
  const text = Buffer.from(`iTunSMPB\0\0\0\0data\0\0\0\0${note}`, "latin1");
  const box = Buffer.alloc(8 + text.length);
  box.writeUInt32BE(box.length, 0);
  box.write("free", 4, "latin1");
  text.copy(box, 8);
  const given = Buffer.from(bytes);
  const moov = given.indexOf("moov") - 4;
  const size = given.readUInt32BE(moov);
  const made = Buffer.concat([given.subarray(0, moov + size), box, given.subarray(moov + size)]);
  made.writeUInt32BE(size + box.length, moov);
  return new Uint8Array(made);
}

describe("Apple Lossless", () => {
  it("is taken as its host decodes it, exact to 24 bits", async () => {
    const source = (await taken("take.wav")).clip;
    setHostDecoder(async ({ codec, packets }, take) => {
      expect([codec, packets]).toEqual(["ALAC", null]);
      take({ channelData: source.channels, sampleRate: source.sampleRateHz });
      return { ok: true, value: null };
    });
    for (const name of ["take.alac.m4a", "take.alac.caf"]) {
      const { clip, encoding } = await taken(name);
      expect(encoding).toBe("ALAC");
      expect(clip).toEqual(source);
    }
  });
});

describe("WavPack with a flipped bit", () => {
  it("is silent where it was, and says so; what is not named is bit for bit", async () => {
    const whole = fileBytes("take.wv");
    const truth = (await taken("take.wv")).clip;
    let named = 0;
    for (let n = 0; n < 24; n++) {
      const bytes = whole.slice();
      bytes[Math.floor(((n + 0.5) / 24) * bytes.length)] ^= 1 << (n % 8);
      const result = await readAudio(bytes, "take.wv");
      if (!result.ok) {
        expect(result.reason).toContain("take.wv");
        named++;
        continue;
      }
      const { clip, remarks } = result.value;
      const isSame = clip.channels.every((channel, c) =>
        channel.every((v, i) => v === truth.channels[c][i] || (v === 0 && remarks.length > 0)),
      );
      expect([n, isSame]).toEqual([n, true]);
      if (remarks.length > 0) named++;
    }
    expect(named).toBeGreaterThan(18);
  });
});
