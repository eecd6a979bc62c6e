import { createStore } from "zustand/vanilla";
import { type Feed, openFeed, type Voice } from "./feed";
import { CEILING, DIP_SECONDS, type Lens, type LoopFrames, MonitorGraph } from "./graph";

export type PlayerState = {
  ready: boolean;
  playing: boolean;
  /** The signal before the ceiling went over it in the last moments. */
  overCeiling: boolean;
  /** Frames that had to be played and could not be read in time, since the voices were loaded: 0 where all is well. */
  missedFrames: number;
  /** What stopped playback, in words. */
  problem: string | null;
};

const AT_REST: PlayerState = { ready: false, playing: false, overCeiling: false, missedFrames: 0, problem: null };

/** Playback starts this far ahead, so that all voices are set when it does. */
const START_AHEAD_SECONDS = 0.02;
/** What other voices take over so far ahead of now: time enough to read them. */
const TAKE_OVER_AHEAD_SECONDS = 0.15;
const TICK_MS = 100;
const SEAMS_AHEAD_SECONDS = 1.5;
const CEILING_LAMP_MS = 1200;

/** Linear gains by the keys of voices; what is not named is silent. */
export type Gains = ReadonlyMap<string, number>;

/** A tape, what writes it, and the path from it to the ear. */
type Rig = { voices: readonly Voice[]; feed: Feed; graph: MonitorGraph };

const sentenceOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/**
 * The one transport: owns the AudioContext (opened at the material's own rate), the feed, the graph, the position and the loop.
 * Nothing plays until `play` is called.
 */
export class Player {
  readonly state = createStore<PlayerState>(() => AT_REST);
  private context: AudioContext | null = null;
  private worklet: Promise<void> | null = null;
  private rig: Rig | null = null;
  private gains: Gains = new Map();
  private lens: Lens = "stereo";
  private loop: LoopFrames | null = null;
  private frames = 0;
  private restingFrame = 0;
  /** Counts what was loaded, and where playing was asked to begin: what was asked for since makes older answers void. */
  private loads = 0;
  private cues = 0;
  private ticker: ReturnType<typeof setInterval> | null = null;
  private ceilingLamp: ReturnType<typeof setTimeout> | null = null;
  private meterBlock = new Float32Array(4096);

  /** `evenly`: nothing begins before all voices are there, so that what is heard first does not tell which it is. */
  constructor(private readonly evenly = false) {}

  /** Loads once more what could not be loaded. */
  reload: () => void = () => {};

  get durationFrames(): number {
    return this.frames;
  }

  /** Where playback stands, in frames, also while it rests. */
  positionFrames(): number {
    const { context, rig } = this;
    if (!context || !rig || !this.state.getState().playing) return this.restingFrame;
    return this.heardAt(context.currentTime - (context.outputLatency || 0)) ?? this.restingFrame;
  }

  private heardAt(time: number): number | null {
    const frame = this.rig?.graph.frameAt(time) ?? null;
    return frame === null ? null : Math.min(this.frames, frame);
  }

  /**
   * Brings in what can be heard, with its gains; all voices of one rate and length. Where the material has the same length and rate,
   * playback goes on at the same place without a gap, the new voices taking over from the old ones in step.
   */
  async load(voices: readonly Voice[], sampleRateHz: number, frames: number, gains: Gains): Promise<void> {
    const load = ++this.loads;
    this.reload = () => void this.load(voices, sampleRateHz, frames, this.gains);
    this.gains = gains;
    const sameMaterial = this.context?.sampleRate === sampleRateHz && this.frames === frames && this.rig !== null;
    if (!sameMaterial) {
      this.halt();
      this.restingFrame = Math.min(this.loop?.startFrame ?? 0, frames);
      this.dropRig();
      this.state.setState({ ready: false });
    }
    this.frames = frames;
    this.openContext(sampleRateHz);
    try {
      await this.build(load, voices, sampleRateHz);
    } catch (error) {
      if (load === this.loads) this.state.setState({ problem: sentenceOf(error) });
    }
  }

  private async build(load: number, voices: readonly Voice[], sampleRateHz: number) {
    const [feed] = await Promise.all([openFeed(voices, sampleRateHz), this.worklet]);
    const { context } = this;
    if (load !== this.loads || !context) return feed.close();
    const graph = new MonitorGraph(context, feed.memory, this.gainsOf(voices), this.lens);
    const rig: Rig = { voices, feed, graph };
    const before = this.rig;
    const wasPlaying = this.state.getState().playing;
    const took = before !== null && wasPlaying && (await this.takeOver(before, rig, context));
    if (load !== this.loads) return closeRig(rig);
    const position = this.positionFrames();
    this.rig = rig;
    if (before) setTimeout(() => closeRig(before), 1000 * (TAKE_OVER_AHEAD_SECONDS + 2 * DIP_SECONDS));
    this.state.setState({ ready: true, missedFrames: 0, problem: null });
    // Something else was asked for while the new voices were made ready: they begin where that was.
    if (!took && this.state.getState().playing) {
      before?.graph.stop(context.currentTime);
      await this.begin(position);
    }
  }

  /** Starts the new voices where the old ones will be, and fades from these to those. Whether that was done. */
  private async takeOver(before: Rig, rig: Rig, context: AudioContext): Promise<boolean> {
    const cue = ++this.cues;
    for (let ahead = TAKE_OVER_AHEAD_SECONDS; ; ahead *= 2) {
      const time = onGrid(context, context.currentTime + ahead);
      const frame = before.graph.frameAt(time);
      if (frame === null) return false;
      const { loop } = this;
      await rig.feed.cue(0, Math.round(frame), loop, this.audibleIn(rig));
      if (cue !== this.cues || !this.state.getState().playing) return false;
      if (context.currentTime + START_AHEAD_SECONDS / 2 > time) continue;
      rig.graph.start(time, 0, Math.round(frame), loop);
      before.graph.stop(time);
      return true;
    }
  }

  private openContext(sampleRateHz: number): void {
    if (this.context?.sampleRate === sampleRateHz) return;
    this.halt();
    this.dropRig();
    void this.context?.close();
    const context = new AudioContext({ sampleRate: sampleRateHz, latencyHint: "interactive" });
    this.context = context;
    this.worklet = context.audioWorklet.addModule(new URL("./voices.worklet.js", import.meta.url));
    // Told of by whoever waits for it.
    this.worklet.catch(() => {});
  }

  private dropRig(): void {
    if (this.rig) closeRig(this.rig);
    this.rig = null;
  }

  async play(): Promise<void> {
    const { context, rig } = this;
    if (!context || !rig) return;
    this.state.setState({ playing: true });
    await context.resume();
    if (this.rig !== rig || !this.state.getState().playing) return;
    if (this.restingFrame >= this.frames) this.restingFrame = this.loop?.startFrame ?? 0;
    await this.begin(this.restingFrame);
  }

  private async begin(frame: number): Promise<void> {
    await this.startFrom(frame);
    if (!this.state.getState().playing) return;
    this.ticker ??= setInterval(() => this.tick(), TICK_MS);
    this.tick();
  }

  /** Cues the resting deck and starts it, unless something else was asked for meanwhile. */
  private async startFrom(frame: number): Promise<void> {
    const { context, rig, loop } = this;
    if (!context || !rig) return;
    const cue = ++this.cues;
    const deck = rig.graph.restingDeck;
    const first = Math.floor(frame);
    try {
      await rig.feed.cue(deck, first, loop, this.audibleIn(rig));
    } catch (error) {
      this.halt();
      this.state.setState({ problem: sentenceOf(error) });
      return;
    }
    if (cue !== this.cues || this.rig !== rig || !this.state.getState().playing) return;
    rig.graph.start(onGrid(context, context.currentTime + START_AHEAD_SECONDS), deck, first, loop);
  }

  pause(): void {
    this.restingFrame = this.positionFrames();
    this.halt();
  }

  private halt(): void {
    this.cues++;
    if (this.ticker) clearInterval(this.ticker);
    this.ticker = null;
    if (this.context) this.rig?.graph.stop(this.context.currentTime);
    if (this.state.getState().playing) this.state.setState({ playing: false });
  }

  togglePlay(): void {
    if (this.state.getState().playing) this.pause();
    else void this.play();
  }

  seek(frame: number): void {
    this.restingFrame = Math.max(0, Math.min(this.frames, Math.round(frame)));
    if (this.state.getState().playing) void this.startFrom(this.restingFrame);
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

  private gainsOf = (voices: readonly Voice[]): number[] => voices.map(({ key }) => this.gains.get(key) ?? 0);

  /** The voices of a rig that have to be there before it begins: those that are heard, or all. */
  private audibleIn = ({ voices }: Rig): number[] =>
    [...voices.keys()].filter((v) => this.evenly || (this.gains.get(voices[v].key) ?? 0) !== 0);

  /** Sets what is heard, crossfaded. `gentle` fades slowly, for leaps in level. */
  mix(gains: Gains, gentle = false): void {
    this.gains = gains;
    const { context, rig } = this;
    if (context && rig) rig.graph.switchTo(this.gainsOf(rig.voices), context.currentTime, gentle);
  }

  /** For blind runs: every switch sounds the same, whether or not anything changes. */
  mixThroughSilence(gains: Gains): void {
    this.gains = gains;
    const { context, rig } = this;
    if (context && rig) rig.graph.switchThroughSilence(this.gainsOf(rig.voices), context.currentTime);
  }

  setLens(lens: Lens): void {
    this.lens = lens;
    if (this.context) this.rig?.graph.setLens(lens, this.context.currentTime);
  }

  private tick(): void {
    const { context, rig } = this;
    if (!context || !rig) return;
    rig.graph.scheduleSeams(context.currentTime + SEAMS_AHEAD_SECONDS);
    this.watchCeiling(rig.graph);
    const { missedFrames } = rig.graph;
    if (missedFrames !== this.state.getState().missedFrames) this.state.setState({ missedFrames });
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
    this.loads++;
    this.halt();
    this.dropRig();
    void this.context?.close();
    this.context = null;
    this.worklet = null;
    this.state.setState(AT_REST);
  }
}

/** The first time on the sample grid from one on. */
const onGrid = (context: BaseAudioContext, time: number): number =>
  Math.ceil(time * context.sampleRate) / context.sampleRate;

function closeRig({ feed, graph }: Rig): void {
  graph.dispose();
  feed.close();
}
