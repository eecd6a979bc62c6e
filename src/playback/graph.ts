import { kWeighting } from "@/core/loudness/k-weighting";
import type { LiveBlock } from "@/core/loudness/live";
import { Deck, type TapeMemory } from "@/workers/feed/tape";
import { CROSSFADE_SECONDS, Fader } from "./fader";
import { LensPath, PLAIN_VIEW, type View } from "./lens";

/** Each half of a switch through silence, and of the dip that hides a loop's seam. */
export const DIP_SECONDS = 0.004;
/** A change of level by more than 6 dB is faded in over this. */
export const GENTLE_SECONDS = 0.25;
/** Nothing leaves louder than full scale: more would be clipped by the converter anyway, out of sight. */
export const CEILING = 1;

export type LoopFrames = { startFrame: number; endFrame: number };

type Running = {
  startTime: number;
  startFrame: number;
  loop: LoopFrames | null;
  seamsScheduledUntil: number;
  deck: number;
  /** From when on it is silent, though nothing else plays yet. */
  hushedAt: number | null;
};

/** The names the worklets' processors go by. */
const VOICES = "voices";
const METER = "meter";

/** The voice that is no sound but a mask of transients, where there is one. */
export const MASK_VOICE = "transient mask";
/** Blocks that loudness is added up from. */
const METER_SECONDS = 0.1;
const SPECTRUM_POINTS = 8192;

/**
 * The monitor path: every voice plays all the time from one start, a switch only moves gains.
 *
 *   tape → voice gain ┐
 *   tape → voice gain ┴→ lens → seam dip → switch dip → trim → ceiling → destination
 *                                                        └→ (analysers, meter)
 *   tape → ghost gains → lens → (analyser): what stands on the other side, never heard
 *
 * The tape's voices have the context's rate. Works on any BaseAudioContext that has loaded the worklets, so tests render it offline.
 * Times are context seconds, positions whole frames.
 */
export class MonitorGraph {
  /** What is heard, before the ceiling: by samples for the lamp, as a spectrum for the eye. */
  readonly meter: AnalyserNode;
  readonly ghost: AnalyserNode | null;
  private readonly tape: AudioWorkletNode;
  private readonly decks: Deck[];
  private readonly voiceFaders: (Fader | null)[];
  private readonly ghostFaders: (Fader | null)[];
  private readonly paths: LensPath[];
  private readonly seam: GainNode;
  private readonly dip: GainNode;
  private readonly trim: Fader;
  private readonly loudness: AudioWorkletNode | null;
  private readonly nodes: AudioNode[] = [];
  private running: Running | null = null;

  /** `keys` name the voices of the tape. `onMeter` is told what is heard, every tenth of a second; without it nothing is measured beside the path. */
  constructor(
    private readonly context: BaseAudioContext,
    memory: TapeMemory,
    keys: readonly string[],
    gains: readonly number[],
    {
      view = PLAIN_VIEW,
      trim = 1,
      onMeter = null,
    }: { view?: View; trim?: number; onMeter?: ((block: LiveBlock) => void) | null } = {},
  ) {
    const { channelCounts } = memory;
    this.decks = memory.decks.map((deck) => new Deck(deck));
    this.tape = this.own(
      new AudioWorkletNode(context, VOICES, {
        numberOfInputs: 0,
        numberOfOutputs: channelCounts.length,
        outputChannelCount: channelCounts,
        processorOptions: { ...memory, fadeFrames: DIP_SECONDS * context.sampleRate },
      }),
    );
    const maskVoice = keys.indexOf(MASK_VOICE);
    const mask = maskVoice < 0 ? null : { node: this.tape, output: maskVoice };
    const own = <Node extends AudioNode>(node: Node) => this.own(node);
    /** All voices but the mask through gains of their own into a lens. */
    const bus = (levels: readonly number[]) => {
      const path = new LensPath(context, own, mask, view);
      const faders = channelCounts.map((_, i) => {
        if (i === maskVoice) return null;
        const node = this.own(context.createGain());
        this.tape.connect(node, i);
        node.connect(path.input);
        return new Fader(node.gain, levels[i] ?? 0);
      });
      return { path, faders };
    };
    const heard = bus(gains);
    this.voiceFaders = heard.faders;
    this.seam = this.own(context.createGain());
    this.dip = this.own(context.createGain());
    const trimmed = this.own(context.createGain());
    this.trim = new Fader(trimmed.gain, trim);
    this.meter = this.own(context.createAnalyser());
    this.meter.fftSize = SPECTRUM_POINTS;
    const ceiling = this.own(context.createWaveShaper());
    // Two points make a straight line from −1 to 1; beyond it a wave shaper holds its end values: an exact hard ceiling.
    ceiling.curve = new Float32Array([-CEILING, CEILING]);
    heard.path.output.connect(this.seam).connect(this.dip).connect(trimmed);
    trimmed.connect(this.meter);
    trimmed.connect(ceiling).connect(context.destination);
    this.paths = [heard.path];
    this.ghostFaders = [];
    this.ghost = null;
    this.loudness = null;
    if (!onMeter) return;
    const other = bus(channelCounts.map(() => 0));
    this.paths.push(other.path);
    this.ghostFaders = other.faders;
    this.ghost = this.own(context.createAnalyser());
    this.ghost.fftSize = SPECTRUM_POINTS;
    other.path.output.connect(this.ghost);
    const { shelf, highPass } = kWeighting(context.sampleRate);
    this.loudness = this.own(
      new AudioWorkletNode(context, METER, {
        numberOfInputs: 1,
        numberOfOutputs: 0,
        channelCount: 2,
        channelCountMode: "explicit",
        processorOptions: {
          sections: [shelf, highPass],
          blockFrames: Math.round(METER_SECONDS * context.sampleRate),
        },
      }),
    );
    this.loudness.port.onmessage = ({ data }) => onMeter(data);
    trimmed.connect(this.loudness);
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
      hushedAt: null,
    };
    this.seam.gain.cancelScheduledValues(0);
    this.seam.gain.setValueAtTime(1, time);
  }

  /** Fades out and ends all voices. */
  stop(time: number): void {
    if (this.running) this.decks[this.running.deck].stop(Math.round(time * this.context.sampleRate));
    this.running = null;
  }

  /** Sets what is heard: one gain a voice. Crossfades over `seconds`, linearly: the two are alike. */
  switchTo(gains: readonly number[], time: number, seconds = CROSSFADE_SECONDS): void {
    for (const [i, gain] of gains.entries()) this.voiceFaders[i]?.rampTo(gain, time, seconds);
  }

  /** What is shown behind what is heard. */
  showBehind(gains: readonly number[], time: number): void {
    for (const [i, gain] of gains.entries()) this.ghostFaders[i]?.rampTo(gain, time, CROSSFADE_SECONDS);
  }

  /** Fades what plays out from `time` on, and holds the position there, until something is started. */
  hush(time: number): void {
    if (!this.running) return;
    this.decks[this.running.deck].stop(Math.round(time * this.context.sampleRate));
    this.running.hushedAt ??= time;
  }

  /** The same through a short silence, alike whatever is switched to what: a switch must not tell whether anything changed. */
  switchThroughSilence(gains: readonly number[], time: number): void {
    const silent = time + DIP_SECONDS;
    this.dip.gain.cancelScheduledValues(time);
    this.dip.gain.setValueAtTime(1, time);
    this.dip.gain.linearRampToValueAtTime(0, silent);
    this.dip.gain.linearRampToValueAtTime(1, silent + DIP_SECONDS);
    for (const [i, gain] of gains.entries()) this.voiceFaders[i]?.rampTo(gain, silent, 0);
  }

  setView(view: View, time: number): void {
    for (const path of this.paths) path.set(view, time);
  }

  setTrim(gain: number, time: number): void {
    this.trim.rampTo(gain, time, CROSSFADE_SECONDS);
  }

  /** When the loop begins anew next after `time`; null where nothing loops. */
  seamAfter(time: number): number | null {
    if (!this.running?.loop) return null;
    const { startTime, startFrame, loop } = this.running;
    const rate = this.context.sampleRate;
    const length = (loop.endFrame - loop.startFrame) / rate;
    const first = startTime + (loop.endFrame - startFrame) / rate;
    return time < first ? first : first + (Math.floor((time - first) / length) + 1) * length;
  }

  /** Frame heard at `time`; null when nothing runs. */
  frameAt(time: number): number | null {
    if (!this.running) return null;
    const { startTime, startFrame, loop, hushedAt } = this.running;
    const heardUntil = hushedAt === null ? time : Math.min(time, hushedAt);
    const frame = startFrame + Math.max(0, heardUntil - startTime) * this.context.sampleRate;
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
    this.loudness?.port.postMessage("closed");
    for (const node of this.nodes) node.disconnect();
  }
}
