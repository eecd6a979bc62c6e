import { type FrameRange, PIECE_FRAMES, type Sound } from "../audio/sound";
import type { Exception } from "../survey/survey";

/** Seconds that are looked at together: what a curve makes of a peak comes through the filters behind it a little later. */
const BLOCK_SECONDS = 2e-3;
/** So many other blocks have to be as loud in front of the curve, and nine in ten of them have to leave less than this share (−10 dB) of the residual at the click. */
const LEAST_OTHERS = 5;
const HOLDS_IN = 0.9;
const LESS = 0.3;

type Block = { high: number; low: number; peak: number };

/**
 * Clicks that a curve cannot be the cause of: wherever else what goes into it is as high, or as low, it leaves much less. A peak that nothing else comes up
 * to may be one that the curve was never fitted at.
 * @param input what goes into the curve
 * @param model Here with all that was found applied
 */
export function clicksBesideCurve(
  clicks: readonly Exception[],
  input: Sound,
  model: Sound,
  yonder: Sound,
  { startFrame, endFrame }: FrameRange,
): Exception[] {
  if (clicks.length === 0) return [];
  const rate = input.sampleRateHz;
  const blockFrames = Math.max(1, Math.round(BLOCK_SECONDS * rate));
  const blocks: Block[] = [];
  const piece = blockFrames * Math.max(1, Math.floor(PIECE_FRAMES / blockFrames));
  for (let at = startFrame; at < endFrame; at += piece) {
    const frames = Math.min(piece, endFrame - at);
    const [x, m, y] = [input, model, yonder].map((sound) => sound.read(at, frames));
    for (let from = 0; from < frames; from += blockFrames)
      blocks.push(blockOf(x, m, y, from, Math.min(frames, from + blockFrames)));
  }
  return clicks.filter(({ startSeconds }) => {
    const place = Math.floor((Math.round(startSeconds * rate) - startFrame) / blockFrames);
    const own = blocks.slice(Math.max(0, place - 1), place + 2);
    const high = Math.max(...own.map((b) => b.high));
    const low = Math.min(...own.map((b) => b.low));
    const left = Math.max(...own.map((b) => b.peak));
    const others = blocks.filter((_, i) => Math.abs(i - place) > 1);
    return [others.filter((b) => b.high >= high), others.filter((b) => b.low <= low)].every(
      (as) => as.length >= LEAST_OTHERS && as.filter(({ peak }) => peak < LESS * left).length >= HOLDS_IN * as.length,
    );
  });
}

function blockOf(
  input: readonly Float32Array[],
  model: readonly Float32Array[],
  yonder: readonly Float32Array[],
  from: number,
  end: number,
): Block {
  const block = { high: 0, low: 0, peak: 0 };
  for (const own of input)
    for (let n = from; n < end; n++) {
      if (own[n] > block.high) block.high = own[n];
      if (own[n] < block.low) block.low = own[n];
    }
  for (const [c, own] of yonder.entries()) {
    const other = model[c] ?? model[0];
    for (let n = from; n < end; n++) block.peak = Math.max(block.peak, Math.abs(own[n] - other[n]));
  }
  return block;
}
