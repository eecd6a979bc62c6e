import type { Clip } from "../audio/clip";
import { blockProducts } from "../kernels/sums";

/** What of a clip is compared: the sum of its sides, or their difference. */
export type ViewKind = "mid" | "side";

/** Frames of one block of energy. */
export const BLOCK_FRAMES = 4096;

/** (left ± right) / 2 of a clip, never written out: samples are mixed where they are needed. */
export type View = {
  kind: ViewKind;
  left: Float32Array;
  right: Float32Array;
  /** Sum of squares in every block of 4096 frames. */
  blockEnergies: Float64Array;
  energy: number;
};

/** Both views of a clip; a mono clip has no side. */
export type Views = { mid: View; side: View | null };

export function viewsOf({ channels: [left, right = left] }: Clip): Views {
  const products = blockProducts(left, right, BLOCK_FRAMES);
  const view = (kind: ViewKind): View => {
    const sign = kind === "mid" ? 2 : -2;
    const blockEnergies = Float64Array.from({ length: products.length / 3 }, (_, i) =>
      Math.max(0, (products[3 * i] + products[3 * i + 1] + sign * products[3 * i + 2]) / 4),
    );
    return { kind, left, right, blockEnergies, energy: blockEnergies.reduce((a, b) => a + b, 0) };
  };
  return { mid: view("mid"), side: left === right ? null : view("side") };
}

export const rmsOf = (view: View): number => Math.sqrt(view.energy / Math.max(1, view.left.length));

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
