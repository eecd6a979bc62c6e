import { type ByteSource, SourceView } from "./byte-source";
import { tagAt } from "./decoded-audio";

/** What an MP4 file tells of where its sound begins and ends, beside its packets (ISO/IEC 14496-12, 8.6.6; iTunes' comment from memory). */
export type Mp4Facts = {
  /** The edit of the audio track, in seconds; null where there is none. */
  edit: { durationSeconds: number; stepSeconds: number } | null;
  /** iTunes' own note of it, in samples; null where there is none. */
  note: { delay: number; frames: number } | null;
};

type Box = { tag: string; start: number; end: number };

/** Over any index of an hour of sound. */
const MOST_INDEX_BYTES = 32 * 2 ** 20;

function* boxesIn(view: SourceView, from: number, to: number): Generator<Box> {
  for (let at = from; at + 8 <= to; ) {
    const short = view.getUint32(at);
    const isLong = short === 1 && at + 16 <= to;
    const size = short === 0 ? to - at : isLong ? Number(view.getBigUint64(at + 8)) : short;
    const head = isLong ? 16 : 8;
    if (size < head) return;
    yield { tag: tagAt(view, at + 4), start: at + head, end: Math.min(to, at + size) };
    at += size;
  }
}

function boxIn(view: SourceView, { start, end }: Pick<Box, "start" | "end">, path: string): Box | null {
  let box: Box | null = { tag: "", start, end };
  for (const tag of path.split("/")) {
    const within: Box | null = box;
    box = within && ([...boxesIn(view, within.start, within.end)].find((b) => b.tag === tag) ?? null);
  }
  return box;
}

/** Reads them. A file that is none of the kind tells nothing. */
export function mp4Facts(source: ByteSource): Mp4Facts {
  const view = new SourceView(source);
  const moov = boxIn(view, { start: 0, end: view.byteLength }, "moov");
  if (!moov || moov.end - moov.start > MOST_INDEX_BYTES) return { edit: null, note: null };
  try {
    return { edit: editIn(view, moov), note: noteIn(source.read(moov.start, moov.end)) };
  } catch {
    // A box that ends in the middle of a field.
    return { edit: null, note: null };
  }
}

function editIn(view: SourceView, moov: Box): Mp4Facts["edit"] {
  const header = boxIn(view, moov, "mvhd");
  const track = [...boxesIn(view, moov.start, moov.end)].find((box) => {
    const handler = box.tag === "trak" ? boxIn(view, box, "mdia/hdlr") : null;
    return handler !== null && tagAt(view, handler.start + 8) === "soun";
  });
  const list = track && boxIn(view, track, "edts/elst");
  if (!header || !list) return null;
  const timescale = view.getUint32(header.start + (view.getUint8(header.start) === 1 ? 20 : 12));
  const isLong = view.getUint8(list.start) === 1;
  const count = view.getUint32(list.start + 4);
  // One edit that plays part of the media is what encoders write; others are no delay.
  const entry = list.start + 8;
  const duration = isLong ? Number(view.getBigUint64(entry)) : view.getUint32(entry);
  if (count !== 1 || timescale === 0) return null;
  return { durationSeconds: duration / timescale, stepSeconds: 1 / timescale };
}

function noteIn(bytes: Uint8Array): Mp4Facts["note"] {
  const mark = Array.from("iTunSMPB", (letter) => letter.charCodeAt(0));
  const at = bytes.findIndex((_, i) => mark.every((byte, k) => bytes[i + k] === byte));
  if (at < 0) return null;
  const text = String.fromCharCode(...bytes.subarray(at + mark.length, at + 200));
  const found = / [0-9A-F]{8} ([0-9A-F]{8}) [0-9A-F]{8} ([0-9A-F]{16})/i.exec(text);
  return found && { delay: Number.parseInt(found[1], 16), frames: Number.parseInt(found[2], 16) };
}
