import type { Clip } from "../audio/clip";
import { type Sound, soundOf, withPages } from "../audio/sound";
import { type Outline, outlineOf } from "./outline";
import type { TwoChannels } from "./thinning";

/** What of a sound is looked at: the half sum of its sides, their half difference, or one channel as it is. */
export type ViewKind = "mid" | "side" | "channel";

/** (left ± right) / 2 of a sound, or one channel; never written out: samples are mixed where they are needed. */
export type View = {
  kind: ViewKind;
  sound: Sound;
  /** The channels that are mixed, or the one that is looked at twice. */
  sides: readonly [left: number, right: number];
  frames: number;
  /** Sum of squares in every block of `blockFrames` frames. */
  blockEnergies: Float64Array;
  energy: number;
  /** The view thinned to every `factor`-th sample, of long sounds, where that was done along the way. */
  thinned: Outline["thinnedMid"];
};

/** A sound as the alignment sees it. A mono one has no side, and its mid is its one channel. */
export type Views = {
  mid: View;
  side: View | null;
  channels: View[];
  blockFrames: number;
  frames: number;
  /** The part of the energy that lies at the very ends, where a window has hardly begun. */
  endShare: number;
};

const channelsOf = (sound: Sound, [left, right]: View["sides"]): TwoChannels => ({
  frames: sound.frames,
  read: (startFrame, frameCount) => {
    const channels = sound.read(startFrame, frameCount);
    return [channels[left], channels[right]];
  },
});

/** The two sides of a view, to be mixed by whoever reads them. */
export const sidesOf = ({ sound, sides }: View): TwoChannels => channelsOf(sound, sides);

/** Views of a sound, from its outline; it is read through for that where none is given. */
export function viewsOf(clip: Sound | Clip, known: Outline | null = null): Views {
  const sound = "read" in clip ? withPages(clip) : soundOf(clip);
  const right = sound.channelCount > 1 ? 1 : 0;
  const fits = known?.frames === sound.frames && known.channelCount === sound.channelCount;
  const { products, blockFrames, endShare, thinnedMid } = known && fits ? known : outlineOf(sound);
  const viewOf = (
    kind: ViewKind,
    sides: readonly [number, number],
    of: (aa: number, bb: number, ab: number) => number,
  ): View => {
    const blockEnergies = Float64Array.from({ length: products.length / 3 }, (_, i) =>
      Math.max(0, of(products[3 * i], products[3 * i + 1], products[3 * i + 2])),
    );
    const energy = blockEnergies.reduce((a, b) => a + b, 0);
    return { kind, sound, sides, frames: sound.frames, blockEnergies, energy, thinned: null };
  };
  const mid = { ...viewOf("mid", [0, right], (aa, bb, ab) => (aa + bb + 2 * ab) / 4), thinned: thinnedMid };
  const common = { mid, blockFrames, frames: sound.frames, endShare };
  if (right === 0) return { ...common, side: null, channels: [{ ...mid, kind: "channel" }] };
  return {
    ...common,
    side: viewOf("side", [0, 1], (aa, bb, ab) => (aa + bb - 2 * ab) / 4),
    channels: [viewOf("channel", [0, 0], (aa) => aa), viewOf("channel", [1, 1], (_, bb) => bb)],
  };
}

/** Energy of all channels of a sound together. */
export const energyOf = ({ channels }: Views): number => channels.reduce((sum, view) => sum + view.energy, 0);

/** The sign that a view's right side is mixed with. */
export const signOf = ({ kind }: View): 1 | -1 => (kind === "side" ? -1 : 1);

/** The two sides of a view mixed. */
function halfSum(view: View, left: Float32Array, right: Float32Array): Float32Array {
  if (left === right) return left;
  const sign = 0.5 * signOf(view);
  const output = new Float32Array(left.length);
  for (let i = 0; i < output.length; i++) output[i] = 0.5 * left[i] + sign * right[i];
  return output;
}

/** `count` samples from `start` on, silence outside. Not to be written into. */
export function stretchOf(view: View, start: number, count: number): Float32Array {
  return halfSum(view, ...sidesOf(view).read(start, count));
}

/** The same of several views of one sound, which is read once. */
export function stretchesOf(views: readonly View[], start: number, count: number): Float32Array[] {
  const channels = views[0].sound.read(start, count);
  return views.map((view) => halfSum(view, channels[view.sides[0]], channels[view.sides[1]]));
}

/** The view with most of the sound in it: the mid, unless that all but cancels (wide or out-of-phase material). */
export const fullerView = ({ mid, side }: Views): View => (side && mid.energy < 0.01 * side.energy ? side : mid);
