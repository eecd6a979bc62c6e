import type { Sound } from "@/core/audio/sound";
import type { ByteSource } from "@/core/formats/byte-source";
import type { MakeCopy } from "@/core/formats/pcm-copy";
import { encodedSamples, type WrittenEncoding } from "@/core/formats/pcm-write";
import { openWav } from "@/core/formats/wav-read";
import { wavHead, wavParts } from "@/core/formats/wav-write";

/** Bytes fetched together: a fetch costs about a millisecond however short it is. */
const BLOCK_BYTES = 4_194_304;

/** A Blob no longer than this is fetched whole. */
const SMALL_BYTES = 2 * BLOCK_BYTES;

/**
 * The bytes of a Blob, read where they lie; in a worker alone, which may wait for them. Reads in order come out of blocks that are fetched
 * ahead, as long as `blockBytes`; what is asked for here and there is fetched by itself;
 * a small Blob is fetched whole.
 */
export function blobSource(blob: Blob, blockBytes = BLOCK_BYTES): ByteSource {
  const reader = new FileReaderSync();
  const fetched = (start: number, end: number) => new Uint8Array(reader.readAsArrayBuffer(blob.slice(start, end)));
  let block = new Uint8Array();
  let blockStart = 0;
  let next = 0;
  return {
    byteLength: blob.size,
    read: (start, end) => {
      const isInOrder = start === next;
      next = end;
      if (start >= blockStart && end <= blockStart + block.length)
        return block.subarray(start - blockStart, end - blockStart);
      if (blob.size <= SMALL_BYTES && blockBytes > 0) {
        block = fetched(0, blob.size);
        return block.subarray(start, end);
      }
      if (!isInOrder || end - start >= blockBytes) return fetched(start, end);
      blockStart = start;
      block = fetched(start, Math.min(blob.size, start + blockBytes));
      return block.subarray(0, end - start);
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
