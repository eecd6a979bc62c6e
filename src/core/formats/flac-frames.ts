import type { ByteSource } from "./byte-source";

/**
 * A FLAC stream cut into its frames (RFC 9639, 8 and 9): a frame ends where its CRC-16 comes out even and the next header, in sequence, follows.
 * A header is never judged before all of it is there, so that it does not matter in what pieces a file is read.
 */

/** What the first metadata block tells (RFC 9639, 8.2). */
export type FlacStream = {
  sampleRateHz: number;
  bits: number;
  channelCount: number;
  /** Samples of each channel in the longest frame. */
  blockSize: number;
  /** 0 where the file does not say. */
  frames: number;
  /** Of the samples as they were encoded; null where the file does not say. */
  md5: string | null;
  /** The byte after the last metadata block. */
  audioStart: number;
};

/** A frame's header (RFC 9639, 9.1). */
type FrameHeader = {
  /** Bytes, the CRC-8 included. */
  byteLength: number;
  /** Samples in each channel. */
  blockSize: number;
  /** Null where the header leaves it to STREAMINFO. */
  sampleRateHz: number | null;
  channelCount: number;
  bits: number | null;
  hasSampleNumber: boolean;
  /** Of the frame, or of its first sample. */
  number: number;
};

/** A frame; where nothing proves its end, the places in `bytes` where it may lie. */
export type FlacFrame = {
  startFrame: number;
  /** Samples in each channel. */
  blockSize: number;
  bytes: Uint8Array;
  ends: number[];
  /** Whether it stands right where the metadata end. */
  isFirst: boolean;
  /** As its header says, which has a checksum; as STREAMINFO says where it does not. */
  form: FlacForm;
};
export type FlacForm = { sampleRateHz: number; channelCount: number; bits: number };

const STREAM_INFO_END = 42;
/** Of the longest header: sync and codes, a number of 7 bytes, block size and rate of two each, CRC-8. */
const LONGEST_HEADER = 16;
const PIECE_BYTES = 65_536;

/** The first metadata block; null when it is not there. */
export function flacStream(source: ByteSource): FlacStream | null {
  if (source.byteLength < STREAM_INFO_END) return null;
  const bytes = source.read(0, STREAM_INFO_END).slice();
  const view = new DataView(bytes.buffer);
  if ((bytes[4] & 0x7f) !== 0) return null;
  const packed = view.getUint32(18);
  const md5 = Array.from(bytes.subarray(26), (byte) => byte.toString(16).padStart(2, "0")).join("");
  return {
    sampleRateHz: packed >>> 12,
    bits: ((packed >>> 4) & 0x1f) + 1,
    channelCount: ((packed >>> 9) & 7) + 1,
    blockSize: view.getUint16(10),
    frames: (packed & 0x0f) * 2 ** 32 + view.getUint32(22),
    md5: /^0+$/.test(md5) ? null : md5,
    audioStart: audioStart(source),
  };
}

/** Past all metadata blocks; past the first where their lengths lead out of the file. */
function audioStart(source: ByteSource): number {
  for (let at = 4; at + 4 <= source.byteLength; ) {
    const [kind, high, middle, low] = source.read(at, at + 4);
    at += 4 + high * 65_536 + middle * 256 + low;
    if ((kind & 0x80) !== 0) return at <= source.byteLength ? at : STREAM_INFO_END;
  }
  return STREAM_INFO_END;
}

function table(bits: 8 | 16, polynomial: number): Uint16Array {
  const top = 2 ** (bits - 1);
  return Uint16Array.from({ length: 256 }, (_, byte) => {
    let rest = byte << (bits - 8);
    for (let i = 0; i < 8; i++) rest = rest & top ? (rest << 1) ^ polynomial : rest << 1;
    return rest & (2 * top - 1);
  });
}
/** x⁸ + x² + x + 1, over a header, and x¹⁶ + x¹⁵ + x² + 1, over a frame (RFC 9639, 9.1.8 and 9.3). */
const CRC_8 = table(8, 0x07);
const CRC_16 = table(16, 0x8005);

const RATES_HZ = [0, 88_200, 176_400, 192_000, 8000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 96_000];
const WORD_LENGTHS = [0, 8, 12, -1, 16, 20, 24, 32];

/** The header that begins at a byte; null where there is none, or not all of it. */
function headerAt(bytes: Uint8Array, start: number, end: number): FrameHeader | null {
  if (start + 6 > end || bytes[start] !== 0xff || (bytes[start + 1] & 0xfe) !== 0xf8) return null;
  const sizeCode = bytes[start + 2] >> 4;
  const rateCode = bytes[start + 2] & 15;
  const channelCode = bytes[start + 3] >> 4;
  const bits = WORD_LENGTHS[(bytes[start + 3] >> 1) & 7];
  if (sizeCode === 0 || rateCode === 15 || channelCode > 10 || bits < 0 || bytes[start + 3] & 1) return null;
  // A number as UTF-8 writes one, of up to 36 bits.
  const first = bytes[start + 4];
  const more = first < 0x80 ? 0 : first < 0xc0 ? -1 : Math.clz32(~first & 0xff) - 25;
  if (more < 0 || more > 6) return null;
  let at = start + 5 + more;
  const wanted = (sizeCode === 6 ? 1 : sizeCode === 7 ? 2 : 0) + (rateCode === 12 ? 1 : rateCode > 12 ? 2 : 0);
  if (at + wanted + 1 > end) return null;
  let number = more === 0 ? first : first & (0x3f >> more);
  for (let i = 1; i <= more; i++) {
    if ((bytes[start + 4 + i] & 0xc0) !== 0x80) return null;
    number = 64 * number + (bytes[start + 4 + i] & 0x3f);
  }
  let blockSize = sizeCode === 1 ? 192 : sizeCode < 6 ? 576 << (sizeCode - 2) : 256 << (sizeCode - 8);
  if (sizeCode === 6) blockSize = bytes[at++] + 1;
  else if (sizeCode === 7) {
    blockSize = bytes[at] * 256 + bytes[at + 1] + 1;
    at += 2;
  }
  let sampleRateHz: number | null = RATES_HZ[rateCode] || null;
  if (rateCode === 12) sampleRateHz = 1000 * bytes[at++];
  else if (rateCode > 12) {
    sampleRateHz = (bytes[at] * 256 + bytes[at + 1]) * (rateCode === 14 ? 10 : 1);
    at += 2;
  }
  let check = 0;
  for (let i = start; i < at; i++) check = CRC_8[check ^ bytes[i]];
  if (check !== bytes[at]) return null;
  return {
    byteLength: at + 1 - start,
    blockSize,
    sampleRateHz,
    channelCount: channelCode < 8 ? channelCode + 1 : 2,
    bits: bits || null,
    hasSampleNumber: (bytes[start + 1] & 1) === 1,
    number,
  };
}

/** The bytes from one place on, read piece by piece. */
class Window {
  bytes = new Uint8Array(4 * PIECE_BYTES);
  /** Where `bytes` begins in the source, and how many of them are there. */
  start: number;
  length = 0;

  constructor(
    private readonly source: ByteSource,
    from: number,
    private readonly pieceBytes: number,
  ) {
    this.start = from;
  }

  /** Reads on until `count` bytes are there, or all; tells whether they are. */
  fill(count: number): boolean {
    while (this.length < count) {
      const at = this.start + this.length;
      const piece = this.source.read(at, Math.min(this.source.byteLength, at + this.pieceBytes));
      if (piece.length === 0) return false;
      if (this.length + piece.length > this.bytes.length) {
        const wider = new Uint8Array(2 * (this.length + piece.length));
        wider.set(this.bytes.subarray(0, this.length));
        this.bytes = wider;
      }
      this.bytes.set(piece, this.length);
      this.length += piece.length;
    }
    return true;
  }

  drop(count: number): void {
    this.bytes.copyWithin(0, count, this.length);
    this.start += count;
    this.length -= count;
  }
}

/** A frame of samples as they are is this long; none should be longer, and one twice as long is not looked for. */
const longest = ({ blockSize, channelCount, bits }: FrameHeader, stream: FlacStream): number =>
  2 * (LONGEST_HEADER + channelCount * (8 + Math.ceil((blockSize * ((bits ?? stream.bits) + 1)) / 8)));

/**
 * The frames of a stream, in order. Bytes that belong to none are stepped over: numbers in the headers say where a frame belongs, so that what is
 * missing shows. `resume` is reported where a frame ended whose end was not proven; without it, its bytes are looked through again.
 */
export function* flacFrames(
  source: ByteSource,
  stream: FlacStream,
  pieceBytes = PIECE_BYTES,
): Generator<FlacFrame, void, number | undefined> {
  const window = new Window(source, stream.audioStart, pieceBytes);
  let shape: FrameHeader | null = null;
  let nominal = 0;
  let atLeast = 0;
  const startOf = (header: FrameHeader) => (header.hasSampleNumber ? header.number : header.number * nominal);
  const fits = (header: FrameHeader) =>
    !shape ||
    (header.channelCount === shape.channelCount &&
      header.bits === shape.bits &&
      header.sampleRateHz === shape.sampleRateHz &&
      header.hasSampleNumber === shape.hasSampleNumber);
  while (window.fill(1)) {
    window.fill(LONGEST_HEADER);
    const header = headerAt(window.bytes, 0, window.length);
    if (!header || !fits(header) || (shape && startOf(header) < atLeast)) {
      if (shape && isMarker(window.bytes)) return;
      // On to the next byte that may begin one.
      const next = window.bytes.subarray(0, window.length).indexOf(0xff, 1);
      window.drop(next < 0 ? window.length : next);
      continue;
    }
    const isFirst = window.start === stream.audioStart;
    // All are as long as the first but the last: where the first is gone, the file's head must say how long they were.
    if (!shape) nominal = isFirst ? header.blockSize : stream.blockSize;
    const startFrame = startOf(header);
    const following = header.hasSampleNumber ? header.number + header.blockSize : header.number + 1;
    const { proven, ends } = endOf(window, header, longest(header, stream), (next) => {
      return next.hasSampleNumber === header.hasSampleNumber && next.number === following;
    });
    if (proven === 0 && ends.length === 0) {
      window.drop(1);
      continue;
    }
    const limit = proven || Math.max(...ends);
    const resume = yield {
      startFrame,
      blockSize: header.blockSize,
      bytes: window.bytes.slice(0, limit),
      ends: proven ? [proven] : ends,
      isFirst,
      form: {
        sampleRateHz: header.sampleRateHz ?? stream.sampleRateHz,
        channelCount: header.channelCount,
        bits: header.bits ?? stream.bits,
      },
    };
    if (resume === 0) {
      window.drop(1);
      continue;
    }
    shape ??= header;
    atLeast = startFrame + header.blockSize;
    window.drop(resume ?? limit);
  }
}

/** Whether another stream begins here: what follows one in its file is not its sound. */
const isMarker = ([f, l, a, c]: Uint8Array): boolean => f === 0x66 && l === 0x4c && a === 0x61 && c === 0x43;

/** Where the frame at the beginning of the window ends: proven by what follows it; or where its CRC-16 comes out even and something else follows. */
function endOf(
  window: Window,
  header: FrameHeader,
  most: number,
  follows: (next: FrameHeader) => boolean,
): { proven: number; ends: number[] } {
  let check = 0;
  const ends: number[] = [];
  for (let at = 0; at < most; at++) {
    if (at >= window.length && !window.fill(at + 1)) {
      // The file ends here, and so does its last frame.
      return check === 0 && at > header.byteLength + 2 ? { proven: at, ends } : { proven: 0, ends };
    }
    const byte = window.bytes[at];
    if (at > header.byteLength + 2 && (byte === 0xff || check === 0)) {
      window.fill(at + LONGEST_HEADER);
      const next = byte === 0xff ? headerAt(window.bytes, at, window.length) : null;
      const isNext = next !== null && follows(next);
      if (isNext && check === 0) return { proven: at, ends };
      // The next one stands here, but this one is not whole.
      if (isNext) return { proven: 0, ends: [] };
      if (check === 0) ends.push(at);
    }
    check = ((check << 8) & 0xffff) ^ CRC_16[(check >>> 8) ^ byte];
  }
  return { proven: 0, ends };
}
