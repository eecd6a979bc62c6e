import type { Sound } from "@/core/audio/sound";
import type { ByteSource } from "@/core/formats/byte-source";
import type { MakeCopy } from "@/core/formats/pcm-copy";
import { encodedSamples, type WrittenEncoding } from "@/core/formats/pcm-write";
import { openWav } from "@/core/formats/wav-read";
import { wavHead, wavParts } from "@/core/formats/wav-write";
import { Ahead } from "./ahead/ahead";
import { AHEAD_BYTES } from "./ahead/protocol";
import { endIfGivenUp } from "./given-up";

/** Bytes fetched together at the most: a fetch costs about a millisecond however short it is. */
const BLOCK_BYTES = AHEAD_BYTES;
/** A reader is called for no less than this. */
const LONG_RUN_BYTES = 4 * AHEAD_BYTES;
/** Whoever reads so much at a time, one behind the other, reads on: a reader is called at once. */
const LONG_READ_BYTES = AHEAD_BYTES / 16;

/** Fills `bytes` with what lies one behind the other in several blocks of a run; null where the run breaks off. */
function acrossBlocks(first: Uint8Array, run: Ahead, bytes: Uint8Array): { last: Uint8Array; used: number } | null {
  const count = bytes.length;
  bytes.set(first);
  let filled = first.length;
  for (;;) {
    const last = run.next();
    if (!last) return null;
    const used = Math.min(last.length, count - filled);
    bytes.set(last.subarray(0, used), filled);
    filled += used;
    if (filled === count) return { last, used };
  }
}

/**
 * The bytes of a Blob, read where they lie; in a worker alone, which may wait for them. Reads in order come out of blocks that are fetched
 * ahead, each twice as long as the one before, up to `blockBytes`, and then by a thread of their own where there is one; what is asked for here
 * and there is fetched by itself. A Blob no longer than a block is fetched whole. What comes back holds until the next read.
 */
export function blobSource(blob: Blob, blockBytes = BLOCK_BYTES): ByteSource {
  const reader = new FileReaderSync();
  const fetched = (start: number, end: number) => new Uint8Array(reader.readAsArrayBuffer(blob.slice(start, end)));
  /** Where reads that lie across blocks are put together. */
  let across: Uint8Array = new Uint8Array();
  let block: Uint8Array = new Uint8Array();
  let blockStart = 0;
  let next = 0;
  let ahead = 0;
  let run: Ahead | null = null;
  let mayRun = true;
  const inBlock = (start: number, end: number) => block.subarray(start - blockStart, end - blockStart);
  const fromRun = (start: number, end: number) => {
    if (across.length !== end - start) across = new Uint8Array(end - start);
    const found = run && acrossBlocks(block.subarray(start - blockStart), run, across);
    if (!found) return null;
    block = found.last;
    blockStart = end - found.used;
    return across;
  };
  const endRun = () => {
    run?.stop();
    run = null;
    block = new Uint8Array();
  };
  return {
    byteLength: blob.size,
    read: (start, end) => {
      endIfGivenUp();
      const isInOrder = start === next;
      next = end;
      if (start >= blockStart && end <= blockStart + block.length) return inBlock(start, end);
      if (run) {
        const bytes = isInOrder ? fromRun(start, end) : null;
        if (bytes) return bytes;
        if (isInOrder) mayRun = false;
        endRun();
      }
      const isSmall = blob.size <= blockBytes;
      if (!isSmall && !isInOrder) ahead = end - start;
      if (!isSmall && (!isInOrder || end - start >= blockBytes)) return fetched(start, end);
      ahead = Math.min(blockBytes, 2 * Math.max(ahead, end - start));
      const isLongRead = ahead === blockBytes || end - start >= LONG_READ_BYTES;
      if (mayRun && isLongRead && blob.size - start >= LONG_RUN_BYTES) {
        run = Ahead.from(blob, start);
        block = new Uint8Array();
        blockStart = start;
        const bytes = run && fromRun(start, end);
        if (bytes) return bytes;
        mayRun = run === null;
        endRun();
      }
      blockStart = isSmall ? 0 : start;
      block = fetched(blockStart, isSmall ? blob.size : Math.min(blob.size, start + ahead));
      return inBlock(start, end);
    },
  };
}

/** A Blob of parts, each handed to the browser as it is made, so that this process never holds them all. */
export function blobOf(parts: Iterable<Uint8Array<ArrayBuffer>>, type = "audio/wav"): Blob {
  const handed: Blob[] = [];
  for (const part of parts) handed.push(new Blob([part]));
  return new Blob(handed, { type });
}

/** A sound written to a WAV file. */
export const wavBlob = (sound: Sound, encoding: WrittenEncoding): Blob => blobOf(wavParts(sound, encoding));

/** The sound of a WAV file made here. */
export function soundOfCopy(blob: Blob): Sound {
  const opened = openWav(blobSource(blob), "A kept copy");
  if (!opened.ok) throw new Error(`${opened.reason} ${opened.advice}`);
  return opened.value.sound;
}

/** Somewhere for the samples of a coded file to go; the Blob is there once `finish` was called. */
export function copyInBlob(): { makeCopy: MakeCopy; blob: () => Blob | null } {
  let made: Blob | null = null;
  const makeCopy: MakeCopy = (form) => {
    const parts: Blob[] = [];
    let frames = 0;
    return {
      add: (channels) => {
        frames += channels[0].length;
        parts.push(new Blob([encodedSamples(channels, form.encoding, true, null)]));
      },
      finish: () => {
        made = new Blob([wavHead({ ...form, frames }, form.encoding), ...parts], { type: "audio/wav" });
        return soundOfCopy(made);
      },
    };
  };
  return { makeCopy, blob: () => made };
}
