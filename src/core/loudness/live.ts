import { log10 } from "../audio/exact-math";

/** What a tenth of a second adds up to, of both channels: K-weighted, and as it is. */
export type LiveBlock = { frames: number; weighted: [number, number]; left: number; right: number; product: number };

/** Three seconds (EBU Tech 3341, short-term) of blocks of a tenth. */
export const SHORT_TERM_BLOCKS = 30;
/** Correlation is reported over this many. Common practice, no published source. */
const CORRELATION_BLOCKS = 5;
/** Under this power of a channel, −80 dBFS, correlation is that of noise. */
const LEAST_POWER = 1e-8;

export type LiveFigures = {
  /** Of the last three seconds, or of as much as there is of them: BS.1770-5 without gates. Null for silence. */
  shortTermLufs: number | null;
  /** Seconds that it stands on. */
  seconds: number;
  /** −1 to 1; null where a side is all but silent. */
  correlation: number | null;
};

/** Loudness and correlation of what was heard last; `blocks` oldest first. */
export function liveFigures(blocks: readonly LiveBlock[], sampleRateHz: number): LiveFigures {
  const last = blocks.slice(-SHORT_TERM_BLOCKS);
  const frames = last.reduce((sum, b) => sum + b.frames, 0);
  const power = last.reduce((sum, b) => sum + b.weighted[0] + b.weighted[1], 0) / Math.max(1, frames);
  const few = blocks.slice(-CORRELATION_BLOCKS);
  const total = (of: (b: LiveBlock) => number) => few.reduce((sum, b) => sum + of(b), 0);
  const [left, right] = [total((b) => b.left), total((b) => b.right)];
  const least = LEAST_POWER * total((b) => b.frames);
  return {
    shortTermLufs: power > 0 ? -0.691 + 10 * log10(power) : null,
    seconds: frames / sampleRateHz,
    correlation: left > least && right > least ? total((b) => b.product) / Math.sqrt(left * right) : null,
  };
}
