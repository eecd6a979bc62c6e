import type { FrameRange, Sound } from "@/core/audio/sound";
import { MISSED, PLAYED, PLAYS, type TapeMemory, WRITTEN } from "./tape";

/** Frames written at a time: a read of a file costs about a millisecond however little is read. */
export const PIECE_FRAMES = 16_384;

/** The frame of the material that is heard `frames` after playing began: straight on, and round the loop once it is entered. */
export function frameAfter(startFrame: number, frames: number, loop: FrameRange | null): number {
  const frame = startFrame + frames;
  if (!loop || startFrame >= loop.endFrame || frame < loop.endFrame) return frame;
  return loop.startFrame + ((frame - loop.startFrame) % (loop.endFrame - loop.startFrame));
}

type Run = { startFrame: number; loop: FrameRange | null; written: number[] };

/** Writes what is to be heard ahead of the audio thread. */
export class Feeder {
  private readonly counters: Int32Array[];
  private readonly rings: Float32Array[][][];
  private readonly runs: (Run | null)[];

  constructor(
    private readonly memory: TapeMemory,
    private readonly sounds: readonly Sound[],
  ) {
    this.counters = memory.decks.map((deck) => new Int32Array(deck.counters));
    this.rings = memory.decks.map((deck) =>
      deck.rings.map((ring, v) =>
        Array.from(
          { length: memory.channelCounts[v] },
          (_, c) => new Float32Array(ring, 4 * c * memory.capacity, memory.capacity),
        ),
      ),
    );
    this.runs = memory.decks.map(() => null);
  }

  /** Begins a deck anew at a frame; nothing of it is written yet, and it rests until the page starts it. */
  cue(deck: number, startFrame: number, loop: FrameRange | null): void {
    const counters = this.counters[deck];
    Atomics.store(counters, PLAYS, 0);
    for (let i = PLAYED; i < counters.length; i++) if (i !== MISSED) Atomics.store(counters, i, 0);
    this.runs[deck] = { startFrame, loop, written: this.sounds.map(() => 0) };
  }

  /** Writes more of a voice, as far as `aheadFrames` past what is played and as the ring has room. Whether anything was missing. */
  fill(deck: number, voice: number, aheadFrames = this.memory.capacity): boolean {
    const run = this.runs[deck];
    if (!run) return false;
    const written = run.written[voice];
    // Counters wrap; how far apart they are does not.
    const ahead = (written - Atomics.load(this.counters[deck], PLAYED)) | 0;
    const wanted = Math.min(aheadFrames, this.memory.capacity) - Math.max(0, ahead);
    if (wanted <= 0) return false;
    if (ahead < 0) {
      // What was not there in time is passed over, so that the voice is back aligned.
      run.written[voice] -= ahead;
      return this.fill(deck, voice, aheadFrames);
    }
    const frame = frameAfter(run.startFrame, written, run.loop);
    const untilSeam = run.loop && frame < run.loop.endFrame ? run.loop.endFrame - frame : Number.POSITIVE_INFINITY;
    const at = written % this.memory.capacity;
    const count = Math.min(wanted, PIECE_FRAMES, untilSeam, this.memory.capacity - at);
    const room = this.rings[deck][voice].map((ring) => ring.subarray(at, at + count));
    const sound = this.sounds[voice];
    const read = sound.read(frame, count, room.slice(0, sound.channelCount));
    // Channels that were exchanged lie in each other's room.
    const isExchanged = read.some(
      (channel, c) => channel !== room[c] && room.includes(channel as Float32Array<SharedArrayBuffer>),
    );
    const channels = isExchanged ? read.map((channel) => channel.slice()) : read;
    // One channel is heard on both sides of a voice that has two.
    for (const [c, part] of room.entries()) {
      const channel = channels[c] ?? channels[0];
      if (channel !== part) part.set(channel);
    }
    run.written[voice] += count;
    Atomics.store(this.counters[deck], WRITTEN + voice, run.written[voice] | 0);
    return true;
  }

  /** The voice of all decks that is least far ahead of what is played. */
  private neediest(): { deck: number; voice: number } | null {
    // Small reads cost as much as large ones: a voice waits until a piece of it fits.
    let least = this.memory.capacity - Math.min(PIECE_FRAMES, this.memory.capacity / 2);
    let found: { deck: number; voice: number } | null = null;
    for (const [deck, run] of this.runs.entries()) {
      if (!run) continue;
      const played = Atomics.load(this.counters[deck], PLAYED);
      for (const [voice, written] of run.written.entries()) {
        const ahead = (written - played) | 0;
        if (ahead <= least) {
          least = ahead;
          found = { deck, voice };
        }
      }
    }
    return found;
  }

  /** Writes a piece of the voice that needs it most. Whether there was any need. */
  feed(): boolean {
    const next = this.neediest();
    return next !== null && this.fill(next.deck, next.voice);
  }
}
