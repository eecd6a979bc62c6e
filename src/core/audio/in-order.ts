import { asRead, fromBlocks, type Shape, type Sound } from "./sound";

/** Frames worked out at a time. */
const BLOCK_FRAMES = 16_384;
/**
 * Blocks that stay for whoever looks back while another reads ahead: the longest response, a third of a second at 384 kHz, is read with its block,
 * 393,215 frames, and what it is mixed with lies where that began.
 */
const KEPT_BLOCKS = 26;

/** Works out frames [startFrame, startFrame + count), one array a channel; called with one stretch after the other, from 0 on. */
type InOrder = (startFrame: number, count: number) => readonly Float32Array[];

/**
 * A sound of something with a memory, such as a recursive filter or a compressor: worked out block by block from its beginning, on a fixed
 * grid, so that samples are the same however they are read. `begin` starts afresh; it is called again when frames are asked for that were let go.
 */
export function inOrder({ sampleRateHz, channelCount, frames }: Shape, begin: () => InOrder): Sound {
  const kept = new Map<number, readonly Float32Array[]>();
  let work: InOrder | null = null;
  let next = 0;
  const blockAt = (block: number): readonly Float32Array[] => {
    for (;;) {
      const known = kept.get(block);
      if (known) return known;
      if (!work || block < next) {
        work = begin();
        next = 0;
      }
      const startFrame = next * BLOCK_FRAMES;
      kept.delete(next - KEPT_BLOCKS);
      kept.set(next++, work(startFrame, Math.min(BLOCK_FRAMES, frames - startFrame)));
    }
  };
  return inBlocks({ sampleRateHz, channelCount, frames }, blockAt);
}

/** The same sound, of which what was just read stays: for several readers of what takes long to work out. */
export function remembered(sound: Sound): Sound {
  const kept = new Map<number, readonly Float32Array[]>();
  return inBlocks(sound, (block) => {
    const startFrame = block * BLOCK_FRAMES;
    const channels = kept.get(block) ?? sound.read(startFrame, Math.min(BLOCK_FRAMES, sound.frames - startFrame));
    kept.set(block, channels);
    // The first in a map is the one that came first.
    if (kept.size > KEPT_BLOCKS) for (const oldest of kept.keys()) if (kept.delete(oldest)) break;
    return channels;
  });
}

/** A sound that is had by the blocks of the grid. */
function inBlocks(shape: Shape, blockAt: (block: number) => readonly Float32Array[]): Sound {
  return asRead(shape, (from, count) => {
    const block = Math.floor(from / BLOCK_FRAMES);
    const startFrame = block * BLOCK_FRAMES;
    // Most readers go along the grid: they are given views of the block.
    if (from + count <= startFrame + BLOCK_FRAMES)
      return blockAt(block).map((channel) => channel.subarray(from - startFrame, from - startFrame + count));
    return fromBlocks(shape.channelCount, BLOCK_FRAMES, blockAt, from, count);
  });
}

/**
 * Works on one channel, one stretch after the other; it may write into what it is given, which is its own. Its memory is best held in local
 * variables while it works: those that closures share cost an allocation at each write.
 */
export type ChannelWork = (channel: Float32Array) => Float32Array;

/** Every channel through something with a memory of its own. */
export const eachInOrder = (sound: Sound, begin: (channel: number) => ChannelWork): Sound =>
  inOrder(sound, () => {
    const works = Array.from({ length: sound.channelCount }, (_, c) => begin(c));
    return (from, count) => sound.read(from, count).map((channel, c) => works[c](channel.slice()));
  });

/** Every sample by itself. */
export const eachSample = (sound: Sound, work: (value: number, channel: number) => number): Sound =>
  asRead(sound, (from, count) => sound.read(from, count).map((channel, c) => channel.map((v) => work(v, c))));

/**
 * Each channel made of the same frames of several sounds, the first of which gives the length; a sound of one channel goes with all. `work`
 * writes a channel into `output`.
 */
export const together = (
  sounds: readonly [Sound, ...Sound[]],
  work: (output: Float32Array, ...inputs: Float32Array[]) => void,
): Sound =>
  asRead(sounds[0], (from, count) => {
    const pieces = sounds.map((sound) => sound.read(from, count));
    return pieces[0].map((_, c) => {
      const output = new Float32Array(count);
      work(output, ...pieces.map((channels) => channels[c] ?? channels[0]));
      return output;
    });
  });

/** A sound that can only be reported once all of its source was heard: `make` is called at the first reading. */
export function onceHeard(shape: Shape, make: () => Sound): Sound {
  let made: Sound | null = null;
  return asRead(shape, (from, count) => {
    made ??= make();
    return made.read(from, count);
  });
}

/** The same sound, which tells how much of it was read, 0 to 1, as it is read from its beginning to its end. */
export const listening = (sound: Sound, onHeard: (share: number) => void): Sound => ({
  ...sound,
  read(from, count, into) {
    onHeard(Math.min(1, (from + count) / sound.frames));
    return sound.read(from, count, into);
  },
});
