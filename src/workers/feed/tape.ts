/**
 * What the feed writes and the audio thread plays, in shared memory: for each voice a ring of samples that are ahead of what is heard. There
 * are two decks, so that one can fade out while the other begins somewhere else.
 */
export type TapeMemory = {
  /** Frames of each ring. */
  capacity: number;
  channelCounts: number[];
  decks: DeckMemory[];
};

/** `counters` are 32-bit integers, which may wrap; `times` 64-bit floats; `rings` a block of channels a voice. */
export type DeckMemory = { counters: SharedArrayBuffer; times: SharedArrayBuffer; rings: SharedArrayBuffer[] };

/** Whether the deck plays; the frame that is played next; frames that were not there in time; then frames written, a voice each. */
export const PLAYS = 0;
export const PLAYED = 1;
export const MISSED = 2;
export const WRITTEN = 3;

/** Context frames that playing begins at and fades out from. */
export const STARTS_AT = 0;
export const STOPS_AT = 1;

export const DECKS = 2;

/** Memory for voices with so many channels each, silent. */
export function makeTape(channelCounts: number[], capacity: number): TapeMemory {
  const decks = Array.from({ length: DECKS }, () => ({
    counters: new SharedArrayBuffer(4 * (WRITTEN + channelCounts.length)),
    times: new SharedArrayBuffer(16),
    rings: channelCounts.map((channels) => new SharedArrayBuffer(4 * channels * capacity)),
  }));
  return { capacity, channelCounts, decks };
}

/** A deck as the page drives it. */
export class Deck {
  private readonly counters: Int32Array;
  private readonly times: Float64Array;

  constructor({ counters, times }: DeckMemory) {
    this.counters = new Int32Array(counters);
    this.times = new Float64Array(times);
  }

  /** Plays what is written from a context frame on. */
  start(atFrame: number): void {
    this.times[STOPS_AT] = Number.POSITIVE_INFINITY;
    this.times[STARTS_AT] = atFrame;
    Atomics.store(this.counters, PLAYS, 1);
  }

  /** Fades out from a context frame on, or from when this is seen; of several stops the first holds. Stopped before it starts, it never plays. */
  stop(atFrame: number): void {
    this.times[STOPS_AT] = Math.min(atFrame, this.times[STOPS_AT]);
  }

  /** Frames of voices that had to be played and were not there. */
  get missedFrames(): number {
    return Atomics.load(this.counters, MISSED);
  }
}
