import { createStore } from "zustand/vanilla";
import { CEILING, type Lens, type LoopFrames, MonitorGraph } from "./graph";

/** One thing that can be heard: a render in step, or a hidden X. */
export type Voice = { key: string; channels: readonly Float32Array<ArrayBuffer>[] };

export type PlayerState = {
  ready: boolean;
  playing: boolean;
  /** The signal before the ceiling went over it in the last moments. */
  overCeiling: boolean;
};

/** Playback starts this far ahead, so that all voices are set when it does. */
const START_AHEAD_SECONDS = 0.02;
const TICK_MS = 100;
const SEAMS_AHEAD_SECONDS = 1.5;
const CEILING_LAMP_MS = 1200;

/** Samples copied at a time: some 10 ms of work. */
const PIECE_FRAMES = 4_000_000;

function* copiesInto(buffer: AudioBuffer, voice: Voice): Generator<() => void> {
  for (const [c, channel] of voice.channels.entries()) {
    for (let at = 0; at < channel.length; at += PIECE_FRAMES) {
      yield () => buffer.copyToChannel(channel.subarray(at, at + PIECE_FRAMES), c, at);
    }
  }
}

/**
 * The one transport: owns the AudioContext (opened at the material's own rate), the graph, the position and the loop.
 * Nothing plays until `play` is called.
 */
export class Player {
  readonly state = createStore<PlayerState>(() => ({ ready: false, playing: false, overCeiling: false }));
  private context: AudioContext | null = null;
  private graph: MonitorGraph | null = null;
  private voices: readonly Voice[] = [];
  private bufferCache = new WeakMap<object, AudioBuffer>();
  private gains: readonly number[] = [];
  private lens: Lens = "stereo";
  private loop: LoopFrames | null = null;
  private frames = 0;
  private restingFrame = 0;
  private ticker: ReturnType<typeof setInterval> | null = null;
  private ceilingLamp: ReturnType<typeof setTimeout> | null = null;
  private meterBlock = new Float32Array(4096);

  get durationFrames(): number {
    return this.frames;
  }

  /** Where playback stands, in frames, also while it rests. */
  positionFrames(): number {
    const { context, graph } = this;
    if (!context || !graph || !this.state.getState().playing) return this.restingFrame;
    const heardTime = context.currentTime - (context.outputLatency || 0);
    return Math.min(this.frames, graph.frameAt(heardTime) ?? this.restingFrame);
  }

  /**
   * Brings in what can be heard, with its gains; all voices of one rate and length. Playback goes on at the same place
   * when the material has the same length and rate.
   */
  load(voices: readonly Voice[], sampleRateHz: number, frames: number, gains: readonly number[]): void {
    const wasPlaying = this.state.getState().playing;
    const sameMaterial = this.context?.sampleRate === sampleRateHz && this.frames === frames;
    const position = sameMaterial ? this.positionFrames() : (this.loop?.startFrame ?? 0);
    this.halt();
    this.openContext(sampleRateHz);
    this.voices = voices;
    this.frames = frames;
    this.gains = gains;
    this.restingFrame = Math.min(position, frames);
    this.graph?.dispose();
    this.graph = null;
    this.buildGraph();
    this.state.setState({ ready: true });
    if (wasPlaying && sameMaterial) void this.play();
  }

  private openContext(sampleRateHz: number): void {
    if (this.context?.sampleRate === sampleRateHz) return;
    this.halt();
    this.graph?.dispose();
    this.graph = null;
    void this.context?.close();
    this.bufferCache = new WeakMap();
    this.context = new AudioContext({ sampleRate: sampleRateHz, latencyHint: "interactive" });
  }

  private buildGraph(): void {
    const { context } = this;
    if (!context) return;
    const buffers = this.voices.map((voice) => this.bufferOf(context, voice));
    this.graph = new MonitorGraph(context, buffers, this.gains, this.lens);
  }

  private bufferOf(context: AudioContext, voice: Voice): AudioBuffer {
    const kept = this.bufferCache.get(voice.channels);
    if (kept) return kept;
    const buffer = context.createBuffer(voice.channels.length, this.frames, context.sampleRate);
    for (const copy of copiesInto(buffer, voice)) copy();
    this.bufferCache.set(voice.channels, buffer);
    return buffer;
  }

  /** Copies long samples into buffers piece by piece, giving the page room between pieces, so that `load` has none to copy. */
  async prepare(voices: readonly Voice[], sampleRateHz: number, frames: number): Promise<void> {
    this.openContext(sampleRateHz);
    const { context, bufferCache } = this;
    for (const voice of voices) {
      if (!context || bufferCache.has(voice.channels)) continue;
      const buffer = context.createBuffer(voice.channels.length, frames, sampleRateHz);
      for (const copy of copiesInto(buffer, voice)) {
        copy();
        await new Promise((resolve) => setTimeout(resolve));
      }
      bufferCache.set(voice.channels, buffer);
    }
  }

  async play(): Promise<void> {
    const { context, graph } = this;
    if (!context || !graph) return;
    this.state.setState({ playing: true });
    await context.resume();
    if (this.graph !== graph || !this.state.getState().playing) return;
    if (this.restingFrame >= this.frames) this.restingFrame = this.loop?.startFrame ?? 0;
    graph.start(this.soon(context), Math.floor(this.restingFrame), this.loop);
    this.ticker ??= setInterval(() => this.tick(), TICK_MS);
    this.tick();
  }

  /** A time on the sample grid just ahead. */
  private soon(context: AudioContext): number {
    return Math.ceil((context.currentTime + START_AHEAD_SECONDS) * context.sampleRate) / context.sampleRate;
  }

  pause(): void {
    this.restingFrame = this.positionFrames();
    this.halt();
  }

  private halt(): void {
    if (this.ticker) clearInterval(this.ticker);
    this.ticker = null;
    if (this.context && this.graph) this.graph.stop(this.context.currentTime);
    if (this.state.getState().playing) this.state.setState({ playing: false });
  }

  togglePlay(): void {
    if (this.state.getState().playing) this.pause();
    else void this.play();
  }

  seek(frame: number): void {
    this.restingFrame = Math.max(0, Math.min(this.frames, Math.round(frame)));
    const { context, graph } = this;
    if (context && graph && this.state.getState().playing)
      graph.start(this.soon(context), this.restingFrame, this.loop);
  }

  /** Loops these frames, or plays on with null. Playing outside a new loop moves to its start. */
  setLoop(loop: LoopFrames | null): void {
    const same = loop?.startFrame === this.loop?.startFrame && loop?.endFrame === this.loop?.endFrame;
    if (same) return;
    this.loop = loop;
    const position = this.positionFrames();
    const inside = !loop || (position >= loop.startFrame && position < loop.endFrame);
    if (this.state.getState().playing) this.seek(inside ? position : loop.startFrame);
    else if (!inside) this.restingFrame = loop.startFrame;
  }

  /** One gain a voice, crossfaded. `gentle` fades slowly, for leaps in level. */
  mix(gains: readonly number[], gentle = false): void {
    this.gains = gains;
    if (this.context) this.graph?.switchTo(gains, this.context.currentTime, gentle);
  }

  /** For blind runs: every switch sounds the same, whether or not anything changes. */
  mixThroughSilence(gains: readonly number[]): void {
    this.gains = gains;
    if (this.context) this.graph?.switchThroughSilence(gains, this.context.currentTime);
  }

  setLens(lens: Lens): void {
    this.lens = lens;
    if (this.context) this.graph?.setLens(lens, this.context.currentTime);
  }

  private tick(): void {
    const { context, graph } = this;
    if (!context || !graph) return;
    graph.scheduleSeams(context.currentTime + SEAMS_AHEAD_SECONDS);
    this.watchCeiling(graph);
    if (!this.loop && this.positionFrames() >= this.frames) {
      this.halt();
      this.restingFrame = 0;
    }
  }

  private watchCeiling(graph: MonitorGraph): void {
    graph.meter.getFloatTimeDomainData(this.meterBlock);
    if (!this.meterBlock.some((v) => Math.abs(v) > CEILING)) return;
    if (this.ceilingLamp) clearTimeout(this.ceilingLamp);
    else this.state.setState({ overCeiling: true });
    this.ceilingLamp = setTimeout(() => {
      this.ceilingLamp = null;
      this.state.setState({ overCeiling: false });
    }, CEILING_LAMP_MS);
  }

  close(): void {
    this.halt();
    this.graph?.dispose();
    this.graph = null;
    void this.context?.close();
    this.context = null;
    this.voices = [];
    this.state.setState({ ready: false, playing: false, overCeiling: false });
  }
}
