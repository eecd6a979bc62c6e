/** Bytes that can be read anywhere without all being held: a file on a disk, a kept Blob, or an array. */
export type ByteSource = {
  readonly byteLength: number;
  /** Bytes [start, end), both within the source. Nobody writes into them, for they may be a view; they hold until the next read. */
  read(start: number, end: number): Uint8Array;
};

export const bytesInMemory = (bytes: Uint8Array): ByteSource => ({
  byteLength: bytes.byteLength,
  read: (start, end) => bytes.subarray(start, end),
});

const PIECE_BYTES = 4_194_304;

/** All bytes of a source in order, piece by piece. */
export function* piecesOfBytes(source: ByteSource, from = 0): Generator<Uint8Array> {
  for (let at = from; at < source.byteLength; at += PIECE_BYTES)
    yield source.read(at, Math.min(source.byteLength, at + PIECE_BYTES));
}

/** The source from a byte on. */
export const sourceFrom = (source: ByteSource, start: number): ByteSource =>
  start === 0
    ? source
    : {
        byteLength: source.byteLength - start,
        read: (from, to) => source.read(start + from, start + to),
      };

/** Bytes looked at together when a head is read. */
const LOOKED_AHEAD = 4096;

/** Numbers at any place of a source, read in small blocks. Places past its end throw RangeError, as those of a DataView do. */
export class SourceView {
  readonly byteLength: number;
  private blockStart = 0;
  private block: DataView = new DataView(new ArrayBuffer(0));

  constructor(private readonly source: ByteSource) {
    this.byteLength = source.byteLength;
  }

  private at(offset: number, count: number): number {
    if (offset < 0 || offset + count > this.byteLength) throw new RangeError("past the end of the source");
    if (offset < this.blockStart || offset + count > this.blockStart + this.block.byteLength) {
      const bytes = this.source.read(offset, Math.min(this.byteLength, offset + Math.max(count, LOOKED_AHEAD))).slice();
      this.block = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      this.blockStart = offset;
    }
    return offset - this.blockStart;
  }

  getUint8 = (offset: number): number => {
    const at = this.at(offset, 1);
    return this.block.getUint8(at);
  };
  getUint16 = (offset: number, le?: boolean): number => {
    const at = this.at(offset, 2);
    return this.block.getUint16(at, le);
  };
  getUint32 = (offset: number, le?: boolean): number => {
    const at = this.at(offset, 4);
    return this.block.getUint32(at, le);
  };
  getBigUint64 = (offset: number, le?: boolean): bigint => {
    const at = this.at(offset, 8);
    return this.block.getBigUint64(at, le);
  };
}
