// Beside the monitor path, on the audio thread: adds up what is heard, K-weighted and as it is, and tells it every tenth of a second.
// Served as it stands and loaded by the audio context, which knows no modules of ours: so it imports nothing.

class Meter extends AudioWorkletProcessor {
  constructor({ processorOptions: { sections, blockFrames } }) {
    super();
    this.sections = sections;
    this.blockFrames = blockFrames;
    this.memories = [0, 1].map(() => sections.map(() => [0, 0]));
    this.begin();
    this.port.onmessage = () => {
      this.closed = true;
    };
  }

  begin() {
    this.frames = 0;
    this.weighted = [0, 0];
    this.sums = { left: 0, right: 0, product: 0 };
  }

  process([input]) {
    const [left, right = left] = input;
    if (!left) return !this.closed;
    for (let i = 0; i < left.length; i++) {
      const samples = [left[i], right[i]];
      this.sums.left += samples[0] * samples[0];
      this.sums.right += samples[1] * samples[1];
      this.sums.product += samples[0] * samples[1];
      for (let c = 0; c < 2; c++) {
        let value = samples[c];
        for (let s = 0; s < this.sections.length; s++) {
          const { b0, b1, b2, a1, a2 } = this.sections[s];
          const memory = this.memories[c][s];
          const filtered = b0 * value + memory[0];
          memory[0] = b1 * value - a1 * filtered + memory[1];
          memory[1] = b2 * value - a2 * filtered;
          value = filtered;
        }
        this.weighted[c] += value * value;
      }
      if (++this.frames === this.blockFrames) {
        this.port.postMessage({ frames: this.frames, weighted: this.weighted, ...this.sums });
        this.begin();
      }
    }
    return !this.closed;
  }
}

registerProcessor("meter", Meter);
