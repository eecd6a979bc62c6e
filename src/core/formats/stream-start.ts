import type { ByteSource } from "./byte-source";

/** Where what counts begins in a file of streams: past tags, at frames and pages. */

/** Bytes of an ID3v2 tag's head, and of its foot where it has one (ID3v2.4, 3.1 and 3.4). */
const TAG_HEAD = 10;

/** Past all ID3v2 tags at the start of a file, whose length is four bytes of seven bits. */
export function pastTags(source: ByteSource): number {
  let at = 0;
  while (source.byteLength - at > TAG_HEAD) {
    const head = source.read(at, at + TAG_HEAD);
    if (head[0] !== 0x49 || head[1] !== 0x44 || head[2] !== 0x33) break;
    const size = (head[6] << 21) | (head[7] << 14) | (head[8] << 7) | head[9];
    const hasFoot = (head[5] & 0x10) !== 0;
    at += TAG_HEAD + size + (hasFoot ? TAG_HEAD : 0);
  }
  return Math.min(at, source.byteLength);
}

/** Bit rates in kbit/s by index: MPEG 1 layers 1 to 3, MPEG 2 and 2.5 layer 1, then layers 2 and 3 (ISO/IEC 11172-3, 13818-3). */
const BIT_RATES = {
  "1,1": [0, 32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448],
  "1,2": [0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
  "1,3": [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  "2,1": [0, 32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256],
  "2,2": [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
  "2,3": [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
} as const;
const RATES_HZ = [44_100, 48_000, 32_000];

export type MpegFrame = {
  byteLength: number;
  samples: number;
  sampleRateHz: number;
  isMono: boolean;
  layer: 1 | 2 | 3;
  lowRate: boolean;
};

/** The MPEG audio frame that begins at a byte, by its head; null where there is none. Free-format streams are not known. */
export function mpegFrameAt(bytes: Uint8Array, at: number): MpegFrame | null {
  if (at + 4 > bytes.length || bytes[at] !== 0xff || (bytes[at + 1] & 0xe0) !== 0xe0) return null;
  const version = (bytes[at + 1] >> 3) & 3;
  const layer = (4 - ((bytes[at + 1] >> 1) & 3)) as 1 | 2 | 3 | 4;
  const rateIndex = bytes[at + 2] >> 4;
  const frequency = (bytes[at + 2] >> 2) & 3;
  if (version === 1 || layer === 4 || rateIndex === 0 || rateIndex === 15 || frequency === 3) return null;
  const lowRate = version !== 3;
  const bitRate = 1000 * BIT_RATES[`${lowRate ? 2 : 1},${layer}`][rateIndex];
  const sampleRateHz = RATES_HZ[frequency] / (version === 3 ? 1 : version === 2 ? 2 : 4);
  const padding = (bytes[at + 2] >> 1) & 1;
  const samples = layer === 1 ? 384 : layer === 3 && lowRate ? 576 : 1152;
  const byteLength =
    layer === 1
      ? 4 * (Math.floor((12 * bitRate) / sampleRateHz) + padding)
      : Math.floor(((samples / 8) * bitRate) / sampleRateHz) + padding;
  return { byteLength, samples, sampleRateHz, isMono: bytes[at + 3] >>> 6 === 3, layer, lowRate };
}

/** Zeros or leftovers before the first frame that are stepped over. */
const MOST_LEFTOVER_BYTES = 65_536;
/** Over the longest frame there is: layer 2 at 384 kbit/s and 32 kHz has 1728 bytes, layer 1 at 448 kbit/s and 32 kHz 672. */
const LONGEST_FRAME_BYTES = 4096;

/**
 * Where MPEG audio begins: the first frame that another one of its kind follows where it should, or that ends with the file. −1 where there
 * is none near the start: eleven set bits alone also begin a text in UTF-16.
 */
export function mpegStart(source: ByteSource): number {
  const tags = pastTags(source);
  const bytes = source.read(tags, Math.min(source.byteLength, tags + MOST_LEFTOVER_BYTES + 3 * LONGEST_FRAME_BYTES));
  const start = startWithin(bytes);
  return start < 0 ? -1 : tags + start;
}

/** The same within the bytes that follow the tags. */
function startWithin(bytes: Uint8Array): number {
  const to = Math.min(bytes.length - 4, MOST_LEFTOVER_BYTES);
  for (let at = 0; at <= to; at++) {
    if (bytes[at] !== 0xff) continue;
    const frame = mpegFrameAt(bytes, at);
    if (!frame) continue;
    // Further in, two heads may stand aligned by chance: three do not.
    let next = at;
    let heads = 0;
    for (let one: MpegFrame | null = frame; one && heads < 3; one = mpegFrameAt(bytes, next)) {
      if (one.sampleRateHz !== frame.sampleRateHz || one.layer !== frame.layer) break;
      heads++;
      next += one.byteLength;
    }
    if (heads >= 3 || (at === 0 && (heads === 2 || next === bytes.length))) return at;
  }
  return -1;
}

const OGG_HEAD = 27;
const FIRST_PAGE = 0x02;

/** The streams of an Ogg file that follow one another (RFC 3533: chained), each from its first page to before the next one's. */
export function oggStreams(bytes: Uint8Array): Uint8Array[] {
  const starts: number[] = [];
  let begun = false;
  let at = 0;
  while (at + OGG_HEAD <= bytes.length) {
    if (bytes[at] !== 0x4f || bytes[at + 1] !== 0x67 || bytes[at + 2] !== 0x67 || bytes[at + 3] !== 0x53) {
      at++;
      continue;
    }
    const isFirst = (bytes[at + 5] & FIRST_PAGE) !== 0;
    if (isFirst && (starts.length === 0 || begun)) starts.push(at);
    begun = !isFirst;
    const lacing = bytes[at + OGG_HEAD - 1];
    let end = at + OGG_HEAD + lacing;
    for (let i = 0; i < lacing; i++) end += bytes[at + OGG_HEAD + i] ?? 0;
    at = end;
  }
  return starts.map((start, i) => bytes.subarray(start, starts[i + 1] ?? bytes.length));
}
