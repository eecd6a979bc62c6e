import { Deck, type TapeMemory } from "@/workers/feed/tape";

/** Crossfade at a switch: long enough not to click, too short to blur a comparison. Linear: the two are alike. */
export const CROSSFADE_SECONDS = 0.005;
/** Each half of a switch through silence, and of the dip that hides a loop's seam. */
export const DIP_SECONDS = 0.004;
/** A change of level by more than 6 dB is faded in over this. */
export const GENTLE_SECONDS = 0.25;
/** Nothing leaves louder than full scale: more would be clipped by the converter anyway, out of sight. */
export const CEILING = 1;

export const LENSES = ["stereo", "mid", "side", "left", "right"] as const;
export type Lens = (typeof LENSES)[number];

/** What each lens sends to [left from left, right from left, left from right, right from right]. */
const LENS_MATRIX: Record<Lens, readonly [number, number, number, number]> = {
  stereo: [1, 0, 0, 1],
  mid: [0.5, 0.5, 0.5, 0.5],
  side: [0.5, 0.5, -0.5, -0.5],
  left: [1, 1, 0, 0],
  right: [0, 0, 1, 1],
};

export type LoopFrames = { startFrame: number; endFrame: number };

/** A ramped AudioParam whose value is known at any time, so that a ramp can start from the middle of another. */
class Fader {
  private from: number;
  private to: number;
  private startTime = 0;
  private endTime = 0;

  constructor(
    private readonly param: AudioParam,
    value: number,
  ) {
    this.from = value;
    this.to = value;
    param.value = value;
  }

  valueAt(time: number): number {
    if (time >= this.endTime) return this.to;
    if (time <= this.startTime) return this.from;
    return this.from + ((this.to - this.from) * (time - this.startTime)) / (this.endTime - this.startTime);
  }

  rampTo(value: number, time: number, seconds: number): void {
    const from = this.valueAt(time);
    this.param.cancelScheduledValues(time);
    this.param.setValueAtTime(from, time);
    if (seconds > 0) this.param.linearRampToValueAtTime(value, time + seconds);
    else this.param.setValueAtTime(value, time);
    Object.assign(this, { from, to: value, startTime: time, endTime: time + seconds });
  }
}

type Running = {
  startTime: number;
  startFrame: number;
  loop: LoopFrames | null;
  seamsScheduledUntil: number;
  deck: number;
};

/** The name the worklet's processor goes by. */
const PROCESSOR = "voices";

/**
 * The monitor path: every voice plays all the time from one start, a switch only moves gains.
 *
 *   tape → voice gain ┐
 *   tape → voice gain ┴→ lens → seam dip → switch dip → (meter) → ceiling → destination
 *
 * The tape's voices have the context's rate. Works on any BaseAudioContext that has loaded the worklet, so tests render it offline.
 * Times are context seconds, positions whole frames.
 */
export class MonitorGraph {
  readonly meter: AnalyserNode;
  private readonly tape: AudioWorkletNode;
  private readonly decks: Deck[];
  private readonly voiceFaders: Fader[];
  private readonly lensFaders: Fader[];
  private readonly seam: GainNode;
  private readonly dip: GainNode;
  private readonly nodes: AudioNode[] = [];
  private running: Running | null = null;

  constructor(
    private readonly context: BaseAudioContext,
    memory: TapeMemory,
    gains: readonly number[],
    lens: Lens = "stereo",
  ) {
    const { channelCounts } = memory;
    this.decks = memory.decks.map((deck) => new Deck(deck));
    this.tape = this.own(
      new AudioWorkletNode(context, PROCESSOR, {
        numberOfInputs: 0,
        numberOfOutputs: channelCounts.length,
        outputChannelCount: channelCounts,
        processorOptions: { ...memory, fadeFrames: DIP_SECONDS * context.sampleRate },
      }),
    );
    const sum = this.own(context.createGain());
    const voiceGains = channelCounts.map(() => this.own(context.createGain()));
    this.voiceFaders = voiceGains.map((node, i) => new Fader(node.gain, gains[i] ?? 0));
    for (const [i, node] of voiceGains.entries()) {
      this.tape.connect(node, i);
      node.connect(sum);
    }

    const split = this.own(context.createChannelSplitter(2));
    const merge = this.own(context.createChannelMerger(2));
    sum.channelCount = 2;
    sum.channelCountMode = "explicit";
    sum.connect(split);
    this.lensFaders = LENS_MATRIX[lens].map((value, i) => {
      const node = this.own(context.createGain());
      split.connect(node, i < 2 ? 0 : 1);
      node.connect(merge, 0, i % 2);
      return new Fader(node.gain, value);
    });

    this.seam = this.own(context.createGain());
    this.dip = this.own(context.createGain());
    this.meter = this.own(context.createAnalyser());
    this.meter.fftSize = 4096;
    const ceiling = this.own(context.createWaveShaper());
    // Two points make a straight line from −1 to 1; beyond it a wave shaper holds its end values: an exact hard ceiling.
    ceiling.curve = new Float32Array([-CEILING, CEILING]);
    merge.connect(this.seam).connect(this.dip).connect(this.meter);
    this.dip.connect(ceiling).connect(context.destination);
  }

  private own<Node extends AudioNode>(node: Node): Node {
    this.nodes.push(node);
    return node;
  }

  /** The deck to cue for the next start: the one that does not play. */
  get restingDeck(): number {
    return this.running ? 1 - this.running.deck : 0;
  }

  /** Frames of voices that had to be played and were not there in time, since the tape was made. */
  get missedFrames(): number {
    return this.decks.reduce((sum, deck) => sum + deck.missedFrames, 0);
  }

  /**
   * Starts every voice at one instant from the frame that `deck` was cued to. A loop is entered from wherever playback starts before its
   * end. What played before fades out.
   */
  start(time: number, deck: number, frame: number, loop: LoopFrames | null): void {
    this.stop(time);
    this.decks[deck].start(Math.round(time * this.context.sampleRate));
    const entersLoop = loop !== null && frame < loop.endFrame;
    this.running = {
      startTime: time,
      startFrame: frame,
      loop: entersLoop ? loop : null,
      seamsScheduledUntil: time,
      deck,
    };
    this.seam.gain.cancelScheduledValues(0);
    this.seam.gain.setValueAtTime(1, time);
  }

  /** Fades out and ends all voices. */
  stop(time: number): void {
    if (this.running) this.decks[this.running.deck].stop(Math.round(time * this.context.sampleRate));
    this.running = null;
  }

  /** Sets what is heard: one gain a voice. Crossfades; slowly where the level would leap by more than 6 dB. */
  switchTo(gains: readonly number[], time: number, gentle = false): void {
    const seconds = gentle ? GENTLE_SECONDS : CROSSFADE_SECONDS;
    for (const [i, gain] of gains.entries()) this.voiceFaders[i].rampTo(gain, time, seconds);
  }

  /** The same through a short silence, alike whatever is switched to what: a switch must not tell whether anything changed. */
  switchThroughSilence(gains: readonly number[], time: number): void {
    const silent = time + DIP_SECONDS;
    this.dip.gain.cancelScheduledValues(time);
    this.dip.gain.setValueAtTime(1, time);
    this.dip.gain.linearRampToValueAtTime(0, silent);
    this.dip.gain.linearRampToValueAtTime(1, silent + DIP_SECONDS);
    for (const [i, gain] of gains.entries()) this.voiceFaders[i].rampTo(gain, silent, 0);
  }

  setLens(lens: Lens, time: number): void {
    for (const [i, value] of LENS_MATRIX[lens].entries()) this.lensFaders[i].rampTo(value, time, CROSSFADE_SECONDS);
  }

  /** Frame heard at `time`; null when nothing runs. */
  frameAt(time: number): number | null {
    if (!this.running) return null;
    const { startTime, startFrame, loop } = this.running;
    const frame = startFrame + Math.max(0, time - startTime) * this.context.sampleRate;
    if (!loop || frame < loop.endFrame) return frame;
    return loop.startFrame + ((frame - loop.startFrame) % (loop.endFrame - loop.startFrame));
  }

  /** Dips the sound around every loop seam up to `untilTime`, so that the jump does not click. Call again as time goes on. */
  scheduleSeams(untilTime: number): void {
    const running = this.running;
    if (!running?.loop) return;
    const rate = this.context.sampleRate;
    const { startTime, startFrame, loop } = running;
    const lengthSeconds = (loop.endFrame - loop.startFrame) / rate;
    let seamTime = startTime + (loop.endFrame - startFrame) / rate;
    if (lengthSeconds < 4 * DIP_SECONDS) return;
    if (seamTime <= running.seamsScheduledUntil) {
      seamTime += (Math.floor((running.seamsScheduledUntil - seamTime) / lengthSeconds) + 1) * lengthSeconds;
    }
    for (; seamTime <= untilTime; seamTime += lengthSeconds) {
      const before = Math.max(startTime, seamTime - DIP_SECONDS);
      this.seam.gain.setValueAtTime(1, before);
      this.seam.gain.linearRampToValueAtTime(0, seamTime);
      this.seam.gain.linearRampToValueAtTime(1, seamTime + DIP_SECONDS);
      running.seamsScheduledUntil = seamTime;
    }
  }

  /** Takes the graph off the destination for good. */
  dispose(): void {
    this.tape.port.postMessage("closed");
    for (const node of this.nodes) node.disconnect();
  }
}
