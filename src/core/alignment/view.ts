import type { Clip } from "../audio/clip";
import { blockProducts, innerProduct } from "../kernels/sums";

/** What of a clip is looked at: the half sum of its sides, their half difference, or one channel as it is. */
export type ViewKind = "mid" | "side" | "channel";

/** (left ± right) / 2 of a clip, or one channel; never written out: samples are mixed where they are needed. */
export type View = {
  kind: ViewKind;
  left: Float32Array;
  right: Float32Array;
  /** Sum of squares in every block of `blockFrames` frames. */
  blockEnergies: Float64Array;
  energy: number;
};

/** A clip as the alignment sees it. A mono clip has no side, and its mid is its one channel. */
export type Views = {
  mid: View;
  side: View | null;
  channels: View[];
  blockFrames: number;
  frames: number;
  /** The part of the energy that lies at the very ends, where a window has hardly begun. */
  endShare: number;
};

/** Frames at either end that count as the very end, an eighth of a short clip. */
const END_FRAMES = 1024;

function endShareOf(left: Float32Array, right: Float32Array, energy: number): number {
  const frames = Math.min(END_FRAMES, left.length >> 3);
  const within = (from: number, to: number) =>
    [left, right].reduce((sum, c) => sum + innerProduct(c.subarray(from, to), c.subarray(from, to)), 0);
  return energy > 0 ? (within(0, frames) + within(left.length - frames, left.length)) / energy : 0;
}

const viewOf = (kind: ViewKind, left: Float32Array, right: Float32Array, blockEnergies: Float64Array): View => ({
  kind,
  left,
  right,
  blockEnergies,
  energy: blockEnergies.reduce((a, b) => a + b, 0),
});

/** Views of a clip with energies in blocks of `blockFrames` (a divisor of 131072). */
export function viewsOf({ channels: [left, right = left] }: Clip, blockFrames: number): Views {
  const products = blockProducts(left, right, blockFrames);
  const energies = (of: (aa: number, bb: number, ab: number) => number) =>
    Float64Array.from({ length: products.length / 3 }, (_, i) =>
      Math.max(0, of(products[3 * i], products[3 * i + 1], products[3 * i + 2])),
    );
  const mid = viewOf(
    "mid",
    left,
    right,
    energies((aa, bb, ab) => (aa + bb + 2 * ab) / 4),
  );
  const both = products.reduce((sum, v, i) => (i % 3 === 2 ? sum : sum + v), 0);
  const common = { mid, blockFrames, frames: left.length, endShare: endShareOf(left, right, both) };
  if (left === right) return { ...common, side: null, channels: [{ ...mid, kind: "channel" }] };
  return {
    ...common,
    side: viewOf(
      "side",
      left,
      right,
      energies((aa, bb, ab) => (aa + bb - 2 * ab) / 4),
    ),
    channels: [
      viewOf(
        "channel",
        left,
        left,
        energies((aa) => aa),
      ),
      viewOf(
        "channel",
        right,
        right,
        energies((_, bb) => bb),
      ),
    ],
  };
}

/** Energy of all channels of a clip together. */
export const energyOf = ({ channels }: Views): number => channels.reduce((sum, view) => sum + view.energy, 0);

/** The two sides of a view, whole or thinned alike, mixed. */
export function mixed({ kind }: View, left: Float32Array, right: Float32Array): Float32Array {
  if (left === right) return left;
  const sign = kind === "mid" ? 0.5 : -0.5;
  const output = new Float32Array(left.length);
  for (let i = 0; i < output.length; i++) output[i] = 0.5 * left[i] + sign * right[i];
  return output;
}

/** `count` samples from `start` on, silence outside. */
export function stretchOf(view: View, start: number, count: number): Float32Array {
  const output = new Float32Array(count);
  const from = Math.max(0, start);
  const to = Math.min(view.left.length, start + count);
  if (to <= from) return output;
  const left = view.left.subarray(from, to);
  output.set(mixed(view, left, view.left === view.right ? left : view.right.subarray(from, to)), from - start);
  return output;
}

/** The view with most of the sound in it: the mid, unless that all but cancels (wide or out-of-phase material). */
export const fullerView = ({ mid, side }: Views): View => (side && mid.energy < 0.01 * side.energy ? side : mid);
