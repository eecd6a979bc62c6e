// The audio thread: plays the rings of a tape (workers/feed/tape.ts has their layout), one output a voice, all in step.
// Served as it stands and loaded by the audio context, which knows no modules of ours: so it imports nothing.

const PLAYS = 0;
const PLAYED = 1;
const MISSED = 2;
const WRITTEN = 3;
const STARTS_AT = 0;
const STOPS_AT = 1;

class Voices extends AudioWorkletProcessor {
  constructor({ processorOptions: { capacity, channelCounts, decks, fadeFrames } }) {
    super();
    this.capacity = capacity;
    this.fadeFrames = fadeFrames;
    this.decks = decks.map(({ counters, times, rings }) => ({
      counters: new Int32Array(counters),
      times: new Float64Array(times),
      voices: rings.map((ring, v) =>
        Array.from({ length: channelCounts[v] }, (_, c) => new Float32Array(ring, 4 * c * capacity, capacity)),
      ),
      // A stop that is seen late fades out from where it is seen.
      stopsAt: Number.POSITIVE_INFINITY,
    }));
    this.gains = new Float32Array(128);
    this.port.onmessage = () => {
      this.closed = true;
    };
  }

  process(_inputs, outputs) {
    for (const deck of this.decks) this.play(deck, outputs);
    return !this.closed;
  }

  play(deck, outputs) {
    const { counters, times } = deck;
    if (Atomics.load(counters, PLAYS) === 0) {
      deck.stopsAt = Number.POSITIVE_INFINITY;
      return;
    }
    if (times[STOPS_AT] <= times[STARTS_AT]) {
      Atomics.store(counters, PLAYS, 0);
      return;
    }
    const frames = outputs[0][0].length;
    const first = currentFrame - times[STARTS_AT];
    if (first + frames <= 0) return;
    if (times[STOPS_AT] < deck.stopsAt) deck.stopsAt = Math.max(times[STOPS_AT], currentFrame);
    if (currentFrame >= deck.stopsAt + this.fadeFrames) {
      Atomics.store(counters, PLAYS, 0);
      return;
    }
    const from = Math.max(0, -first);
    this.shape(first, from, frames, deck.stopsAt);
    for (const [v, channels] of deck.voices.entries()) {
      // Counters wrap; how far apart they are does not.
      const there = (Atomics.load(counters, WRITTEN + v) - (first | 0)) | 0;
      const until = Math.max(from, Math.min(frames, there));
      if (until < frames) Atomics.add(counters, MISSED, frames - until);
      for (const [c, ring] of channels.entries()) {
        const output = outputs[v][c];
        let at = (first + from) % this.capacity;
        for (let i = from; i < until; i++) {
          output[i] += ring[at] * this.gains[i];
          if (++at === this.capacity) at = 0;
        }
      }
    }
    Atomics.store(counters, PLAYED, (first + frames) | 0);
  }

  /** The gain of each frame: in at the start, out at the stop. */
  shape(first, from, frames, stopsAt) {
    for (let i = from; i < frames; i++) {
      const into = (first + i) / this.fadeFrames;
      const outOf = (currentFrame + i - stopsAt) / this.fadeFrames;
      this.gains[i] = Math.min(1, into) * (outOf <= 0 ? 1 : Math.max(0, 1 - outOf));
    }
  }
}

registerProcessor("voices", Voices);
