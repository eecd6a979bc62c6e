import { PIECE } from "../kernels/kernels";
import type { Clip } from "./clip";

/**
 * Sound wherever it lies: in a file, in memory, or worked out as it is read. Full scale at ±1; one or two channels unless a function says
 * otherwise, 8 kHz to 384 kHz.
 */
export type Sound = {
  readonly sampleRateHz: number;
  readonly channelCount: number;
  readonly frames: number;
  /**
   * `frameCount` frames from `startFrame` on, one array a channel, silence outside. The same frames are the same samples however they are
   * asked for. Nobody writes into what comes back: it may be a view. Arrays of `frameCount` in `into` may be used for the answer, or not:
   * whoever reads on and on saves the machine from making new ones.
   */
  read(startFrame: number, frameCount: number, into?: Float32Array[]): readonly Float32Array[];
};

/** Frames [startFrame, endFrame). */
export type FrameRange = { startFrame: number; endFrame: number };

/** Reads any stretch where only frames inside the sound can be had: `readInside` is asked for those alone. */
export function readWithSilence(
  { frames, channelCount }: Pick<Sound, "frames" | "channelCount">,
  startFrame: number,
  frameCount: number,
  readInside: (startFrame: number, frameCount: number, into?: Float32Array[]) => readonly Float32Array[],
  into?: Float32Array[],
): readonly Float32Array[] {
  const from = Math.max(0, Math.min(frames, startFrame));
  const to = Math.max(from, Math.min(frames, startFrame + frameCount));
  if (from === startFrame && to === startFrame + frameCount) return readInside(from, frameCount, into);
  const inside = to > from ? readInside(from, to - from) : [];
  return Array.from({ length: channelCount }, (_, c) => {
    const channel = new Float32Array(frameCount);
    if (inside.length > 0) channel.set(inside[c], from - startFrame);
    return channel;
  });
}

/** What a sound is like before a sample of it is known. */
export type Shape = Pick<Sound, "sampleRateHz" | "channelCount" | "frames">;

/** Frames that are worked out as they are read: `readInside` is asked for those inside alone; silence outside. */
export function asRead(
  { sampleRateHz, channelCount, frames }: Shape,
  readInside: (startFrame: number, frameCount: number) => readonly Float32Array[],
): Sound {
  const shape = { sampleRateHz, channelCount, frames };
  return { ...shape, read: (from, count) => readWithSilence(shape, from, count, readInside) };
}

/** A clip in memory as a sound; a sound as it is. */
export function soundOf(sound: Sound | Clip): Sound {
  if ("read" in sound) return sound;
  const { channels, sampleRateHz } = sound;
  const size = { frames: channels[0]?.length ?? 0, channelCount: channels.length };
  return asRead({ ...size, sampleRateHz }, (from, count) => channels.map((c) => c.subarray(from, from + count)));
}

/** All of a sound in memory: for short signals, and for what cannot be done piece by piece. */
export function clipOf(sound: Sound | Clip): Clip {
  if (!("read" in sound)) return sound;
  const { sampleRateHz, channelCount, frames } = sound;
  const channels = Array.from({ length: channelCount }, () => new Float32Array(frames));
  for (const { startFrame, channels: piece } of piecesOf(sound)) {
    for (const [c, channel] of piece.entries()) channels[c].set(channel, startFrame);
  }
  return { sampleRateHz, channels };
}

/** A stretch of a sound as a sound of its own. */
export function stretch(sound: Sound | Clip, { startFrame, endFrame }: FrameRange): Sound {
  const whole = soundOf(sound);
  const size = { frames: endFrame - startFrame, channelCount: whole.channelCount };
  return {
    ...size,
    sampleRateHz: whole.sampleRateHz,
    read: (from, count, into) =>
      readWithSilence(size, from, count, (at, inside, given) => whole.read(startFrame + at, inside, given), into),
  };
}

/** A sound with every sample multiplied by `gain` (linear, may be negative), rounded to 32 bits. */
export function atGain(sound: Sound, gain: number): Sound {
  if (gain === 1) return sound;
  return { ...sound, read: (from, count) => sound.read(from, count).map((channel) => channel.map((v) => v * gain)) };
}

/** Yonder minus Here, as long as the longer one; a mono side is given to both sides of a stereo one. */
export function difference(here: Sound, yonder: Sound): Sound {
  const channelCount = Math.max(here.channelCount, yonder.channelCount);
  return {
    sampleRateHz: here.sampleRateHz,
    channelCount,
    frames: Math.max(here.frames, yonder.frames),
    read: (from, count) => {
      const [a, b] = [here.read(from, count), yonder.read(from, count)];
      return Array.from({ length: channelCount }, (_, c) => {
        const [less, more] = [a[c] ?? a[0], b[c] ?? b[0]];
        return more.map((v, i) => v - less[i]);
      });
    },
  };
}

/** Frames read at a time: as many as the compiled loops take at once. */
export const PIECE_FRAMES = PIECE;

/** Arrays to read into, again and again. */
export const spareArrays = (channelCount: number, frames: number): Float32Array[] =>
  Array.from({ length: channelCount }, () => new Float32Array(frames));

type SoundPiece = { startFrame: number; channels: readonly Float32Array[] };

/** A stretch of a sound in order, in pieces of `PIECE_FRAMES`; the last one is shorter. A piece holds until the next is asked for. */
export function* piecesOf(
  sound: Sound,
  { startFrame, endFrame }: FrameRange = { startFrame: 0, endFrame: sound.frames },
): Generator<SoundPiece> {
  const into = spareArrays(sound.channelCount, Math.min(PIECE_FRAMES, endFrame - startFrame));
  for (let at = startFrame; at < endFrame; at += PIECE_FRAMES) {
    const count = Math.min(PIECE_FRAMES, endFrame - at);
    yield { startFrame: at, channels: sound.read(at, count, count < PIECE_FRAMES ? undefined : into) };
  }
}

/** Frames [from, from + count) put together from blocks of a grid, each `blockFrames` long and had by its number. */
export function fromBlocks(
  channelCount: number,
  blockFrames: number,
  blockAt: (block: number) => readonly Float32Array[],
  from: number,
  count: number,
): Float32Array[] {
  const output = spareArrays(channelCount, count);
  const last = Math.floor((from + count - 1) / blockFrames);
  for (let block = Math.floor(from / blockFrames); block <= last; block++) {
    const blockStart = block * blockFrames;
    const channels = blockAt(block);
    const skipped = Math.max(0, from - blockStart);
    for (const [c, channel] of output.entries())
      channel.set(channels[c].subarray(skipped, from + count - blockStart), blockStart + skipped - from);
  }
  return output;
}

/** Frames of a page that small reads are served from, and pages that are kept. */
const PAGE_FRAMES = 16_384;
const KEPT_PAGES = 128;

/** The same sound, with the pages that small reads fell on kept for the next ones. Long reads go by. */
export function withPages(sound: Sound): Sound {
  const pages = new Map<number, readonly Float32Array[]>();
  const pageAt = (index: number) => {
    const known = pages.get(index);
    const page = known ?? sound.read(index * PAGE_FRAMES, Math.min(PAGE_FRAMES, sound.frames - index * PAGE_FRAMES));
    pages.delete(index);
    pages.set(index, page);
    if (pages.size > KEPT_PAGES) for (const oldest of pages.keys()) if (pages.delete(oldest)) break;
    return page;
  };
  return {
    sampleRateHz: sound.sampleRateHz,
    channelCount: sound.channelCount,
    frames: sound.frames,
    read: (startFrame, frameCount) =>
      frameCount > 2 * PAGE_FRAMES
        ? sound.read(startFrame, frameCount)
        : readWithSilence(sound, startFrame, frameCount, (from, count) =>
            fromBlocks(sound.channelCount, PAGE_FRAMES, pageAt, from, count),
          ),
  };
}
