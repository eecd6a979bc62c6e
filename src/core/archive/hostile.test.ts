import { readFileSync } from "node:fs";
import { Uint8ArrayReader } from "@zip.js/zip.js";
import * as fc from "fast-check";
import { strToU8, unzipSync, zipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { readArchive } from "./archive";
import { listed, textBytes, unpack } from "./unzip";

// Archives that were changed or made to harm: an answer or a sentence, never an exception (common practice).

const indexOf = (version: number) =>
  new TextDecoder().decode(unzipSync(readFileSync(`fixtures/archives/archive-${version}.zip`))["archive.json"]);

const NAMED = { fileName: "sent.zip", what: "archive of a comparison", advice: "Choose another." };

async function entryOf(zip: Uint8Array) {
  const files = await listed(new Uint8ArrayReader(zip), NAMED);
  if (!files.ok) throw new Error(files.reason);
  return [...files.value.values()][0];
}

/** Where a tag of four bytes begins in a zip, from a place on. */
const tagAt = (zip: Uint8Array, tag: readonly number[]): number =>
  zip.findIndex((_, i) => tag.every((byte, k) => zip[i + k] === byte));
const CENTRAL = [0x50, 0x4b, 0x01, 0x02];

/** A zip of one file whose list declares another unpacked size (APPNOTE 4.3.12: 24 bytes into the entry). */
function declaring(text: Uint8Array, byteLength: number): Uint8Array {
  const zip = zipSync({ "archive.json": text });
  new DataView(zip.buffer).setUint32(tagAt(zip, CENTRAL) + 24, byteLength, true);
  return zip;
}

describe("an index", () => {
  it.each([1, 2])("of version %i with a string for a list is refused in one line", (version) => {
    for (const list of ["passages", "candidates", "renders", "measurements", "audio"]) {
      const index = { ...JSON.parse(indexOf(version)), [list]: "none" };
      const read = readArchive("sent.zip", JSON.stringify(index));
      expect(read).toMatchObject({
        ok: false,
        reason: expect.stringMatching(new RegExp(`^sent.zip is damaged: ${list} `)),
      });
    }
  });

  it("of any version, changed at any place, is read or refused", () => {
    const indexes = [1, 2, 3].map((version) => JSON.parse(indexOf(version)));
    const strange = fc.oneof(
      fc.constant("none"),
      fc.constant(null),
      fc.constant([]),
      fc.constant({}),
      fc.double(),
      fc.constant([[]]),
    );
    fc.assert(
      fc.property(
        fc.constantFrom(...indexes),
        fc.infiniteStream(fc.nat()),
        fc.integer({ min: 1, max: 4 }),
        strange,
        (index, steps, depth, value) => {
          const changed = structuredClone(index);
          let place: Record<string, unknown> = changed;
          for (let level = 1; ; level++) {
            const keys = Object.keys(place);
            if (keys.length === 0) break;
            const key = keys[steps.next().value % keys.length];
            const next = place[key];
            if (level >= depth || typeof next !== "object" || next === null) {
              if (!["schema", "version"].includes(key)) place[key] = value;
              break;
            }
            place = next as Record<string, unknown>;
          }
          const read = readArchive("sent.zip", JSON.stringify(changed));
          if (!read.ok) {
            expect(read.reason).toContain("sent.zip");
            expect(read.reason).not.toContain("\n");
          }
        },
      ),
      { numRuns: 400 },
    );
  });
});

describe("a zip", () => {
  it("whose index would be 600 MB is refused by its list, nothing unpacked", async () => {
    const entry = await entryOf(declaring(strToU8("{}"), 600 * 2 ** 20));
    expect(await textBytes("sent.zip", entry)).toMatchObject({
      reason: "sent.zip is damaged: archive.json would be 600 MB of text; the limit is 64 MB.",
    });
  });

  it("that unpacks into more than it declares is ended there", async () => {
    const entry = await entryOf(declaring(new Uint8Array(20 * 2 ** 20), 1000));
    let count = 0;
    const counted = (bytes: Uint8Array) => {
      count += bytes.length;
    };
    await expect(unpack(entry, counted)).rejects.toThrow();
    expect(count).toBeLessThanOrEqual(1000);
    expect(await textBytes("sent.zip", entry)).toMatchObject({
      reason: "sent.zip is damaged: archive.json cannot be read.",
    });
  });

  it("whose bytes are not what its checksum says cannot be read", async () => {
    const zip = zipSync({ "archive.json": strToU8("{} and some more of it") }, { level: 0 });
    zip[50] ^= 1;
    expect(await textBytes("sent.zip", await entryOf(zip))).toMatchObject({ ok: false });
  });

  it("of too many files, cut short, or none at all is refused in one line", async () => {
    const many = Object.fromEntries(Array.from({ length: 10_002 }, (_, i) => [`${i}`, new Uint8Array()]));
    for (const zip of [
      zipSync(many, { level: 0 }),
      zipSync({ a: strToU8("a") }).subarray(0, 60),
      strToU8("no zip at all"),
    ]) {
      const files = await listed(new Uint8ArrayReader(zip), NAMED);
      expect(files).toMatchObject({
        ok: false,
        reason: expect.stringMatching(/^sent.zip is not a valid archive of a comparison: [^\n]+\.$/),
      });
    }
  });
});
