import { createStore } from "zustand/vanilla";
import { type LiveBlock, SHORT_TERM_BLOCKS } from "@/core/loudness/live";
import { CROSSFADE_SECONDS } from "./fader";
import { type Feed, openFeed, type Voice } from "./feed";
import { CEILING, DIP_SECONDS, GENTLE_SECONDS, type LoopFrames, MASK_VOICE, MonitorGraph } from "./graph";
import { PLAIN_VIEW, type View } from "./lens";
import { type Manner, PLAIN_MANNER, type Turns, TurnTaker } from "./turns";

export type PlayerState = {
  ready: boolean;
  playing: boolean;
  /** Where it goes on from while it rests. */
  restingFrame: number;
  /** The signal before the ceiling went over it in the last moments. */
  overCeiling: boolean;
  /** Frames that had to be played and could not be read in time, since the voices were loaded: 0 where all is well. */
  missedFrames: number;
  /** What stopped playback, in words. */
  problem: string | null;
  /** What is heard of what can be switched to. */
  scene: string;
  /** Which of the turns is heard, from 0, while switching goes by itself. */
  turn: number | null;
};

const AT_REST: PlayerState = {
  ready: false,
  playing: false,
  restingFrame: 0,
  overCeiling: false,
  missedFrames: 0,
  problem: null,
  scene: "",
  turn: null,
};

/** Playback starts this far ahead, so that all voices are set when it does. */
const START_AHEAD_SECONDS = 0.02;
/** What other voices take over so far ahead of now: time enough to read them. */
const TAKE_OVER_AHEAD_SECONDS = 0.15;
const TICK_MS = 100;
const SEAMS_AHEAD_SECONDS = 1.5;
const CEILING_LAMP_MS = 1200;

/** Linear gains by the keys of voices; what is not named is silent. */
export type Gains = ReadonlyMap<string, number>;
/** All that can be switched to, by name. */
export type Scenes = ReadonlyMap<string, Gains>;

/** A leap to a gain of more than this is faded in gently, never switched. */
const LEAP = 2;
const NO_GAINS: Gains = new Map();

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
  private scenes: Scenes = new Map();
  /** What is heard now: of the scene, as it was when it was switched to. */
  private gains: Gains = NO_GAINS;
  private behind: Gains = NO_GAINS;
  private view: View = PLAIN_VIEW;
  private trim = 1;
  private device = "";
  private readonly turns = new TurnTaker({
    seamAfter: (time) => this.rig?.graph.seamAfter(time) ?? null,
    foretell: (scene, time, fadeSeconds) => {
      this.gains = this.scenes.get(scene) ?? NO_GAINS;
      this.rig?.graph.switchTo(this.gainsOf(this.rig.voices), time, fadeSeconds && this.fadeFor(fadeSeconds));
    },
    jump: (scene, manner) => this.change(scene, manner),
    arrived: (scene, turn) => this.state.setState({ scene, turn }),
    rest: () => this.pause(),
  });
  /** What was heard last, in tenths of a second. */
  private readonly blocks: LiveBlock[] = [];
  private loop: LoopFrames | null = null;
  private frames = 0;
  /** Counts what was loaded, and where playing was asked to begin: what was asked for since makes older answers void. */
  private loads = 0;
  private cues = 0;
  /** The fade over which what was switched to comes in where playback starts next; null where it is heard already. */
  private owedFade: number | null = null;
  private ticker: ReturnType<typeof setInterval> | null = null;
  private ceilingLamp: ReturnType<typeof setTimeout> | null = null;
  private meterBlock = new Float32Array(0);

  /**
   * `evenly`: nothing begins before all voices are there, so that what is heard first does not tell which it is. `live`: what is heard is
   * measured beside the path.
   */
  constructor(private readonly options: { evenly?: boolean; live?: boolean } = {}) {}

  /** Loads once more what could not be loaded. */
  reload: () => void = () => {};

  private get restingFrame(): number {
    return this.state.getState().restingFrame;
  }

  private set restingFrame(restingFrame: number) {
    if (restingFrame !== this.restingFrame) this.state.setState({ restingFrame });
  }

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
   * playback goes on at the same place without a gap, the new voices taking over from the old ones aligned.
   */
  async load(
    voices: readonly Voice[],
    sampleRateHz: number,
    frames: number,
    scenes: Scenes,
    scene = this.state.getState().scene,
  ): Promise<void> {
    const load = ++this.loads;
    this.reload = () => void this.load(voices, sampleRateHz, frames, this.scenes);
    this.scenes = scenes;
    this.state.setState({ scene });
    // What goes on sounding keeps its level; what is new to the ear is heard as it is now.
    if (!this.state.getState().playing || !voices.some((v) => this.gains.has(v.key)))
      this.gains = scenes.get(scene) ?? NO_GAINS;
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
    const keys = voices.map((v) => v.key);
    const graph = new MonitorGraph(context, feed.memory, keys, this.gainsOf(voices), {
      view: this.view,
      trim: this.trim,
      onMeter: this.options.live ? (block) => this.keepBlock(block) : null,
    });
    graph.showBehind(this.gainsOf(voices, this.behind), context.currentTime);
    const rig: Rig = { voices, feed, graph };
    const before = this.rig;
    const wasPlaying = this.state.getState().playing;
    const took = before !== null && wasPlaying && (await this.takeOver(before, rig, context));
    if (load !== this.loads) return closeRig(rig);
    const position = this.positionFrames();
    this.rig = rig;
    // What was asked for while the new voices were made ready went to the old ones alone.
    graph.switchTo(this.gainsOf(voices), context.currentTime, 0);
    graph.setView(this.view, context.currentTime);
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
    this.worklet = Promise.all([
      context.audioWorklet.addModule(new URL("./voices.worklet.js", import.meta.url)),
      this.options.live && context.audioWorklet.addModule(new URL("./meter.worklet.js", import.meta.url)),
      // One that was pulled out since is no reason for silence: the system's own is used.
      this.device ? toDevice(context, this.device).catch(() => {}) : null,
    ]).then(() => {});
    // Reported of by whoever waits for it.
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
    this.blocks.length = 0;
    this.takeScene(rig, context.currentTime, 0);
    await this.begin(this.restingFrame);
  }

  /** The gains of the scene as they are now become what is heard. */
  private takeScene(rig: Rig, time: number, seconds: number): void {
    this.gains = this.scenes.get(this.state.getState().scene) ?? NO_GAINS;
    rig.graph.switchTo(this.gainsOf(rig.voices), time, seconds);
  }

  private async begin(frame: number): Promise<void> {
    await this.startFrom(frame);
    if (!this.state.getState().playing) return;
    this.ticker ??= setInterval(() => this.tick(), TICK_MS);
    this.tick();
  }

  /** Cues the resting deck and starts it, not before `earliest`, unless something else was asked for meanwhile. */
  private async startFrom(frame: number, earliest = 0): Promise<void> {
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
    const time = onGrid(context, Math.max(earliest, context.currentTime + START_AHEAD_SECONDS));
    rig.graph.start(time, deck, first, loop);
    if (this.owedFade !== null) rig.graph.switchTo(this.gainsOf(rig.voices), time, this.owedFade);
    this.owedFade = null;
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
    this.endTurns();
    if (this.state.getState().playing) this.state.setState({ playing: false });
  }

  togglePlay(): void {
    if (this.state.getState().playing) this.pause();
    else void this.play();
  }

  seek(frame: number): void {
    this.restingFrame = Math.max(0, Math.min(this.frames, Math.round(frame)));
    this.turns.lookAgain();
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

  private gainsOf = (voices: readonly Voice[], gains = this.gains): number[] =>
    voices.map(({ key }) => gains.get(key) ?? 0);

  /** The voices of a rig that have to be there before it begins: those that are heard, or all. */
  private audibleIn = ({ voices }: Rig): number[] =>
    [...voices.keys()].filter((v) => {
      const { key } = voices[v];
      return this.options.evenly || key === MASK_VOICE || (this.gains.get(key) ?? 0) !== 0;
    });

  /**
   * What can be switched to from now on. `held`: what sounds now is left as it is until the next switch or start; nothing audible changes
   * because something was measured meanwhile.
   */
  setScenes(scenes: Scenes, held: boolean): void {
    this.scenes = scenes;
    const { context, rig } = this;
    if (held && this.state.getState().playing) return;
    const wanted = scenes.get(this.state.getState().scene) ?? NO_GAINS;
    // A fade under way is not cut short by what changes nothing.
    if (isSame(wanted, this.gains)) return;
    this.gains = wanted;
    if (context && rig)
      rig.graph.switchTo(this.gainsOf(rig.voices), context.currentTime, this.fadeFor(CROSSFADE_SECONDS));
  }

  /** A leap in level is faded in gently. */
  private fadeFor(seconds: number): number {
    const loudest = Math.max(0, ...[...this.gains.values()].map(Math.abs));
    return loudest > LEAP ? Math.max(GENTLE_SECONDS, seconds) : seconds;
  }

  /** Switches by hand: turns that go by themselves end. */
  hear(scene: string, manner: Manner = PLAIN_MANNER): void {
    this.endTurns();
    this.change(scene, manner);
  }

  private change(scene: string, { fadeSeconds, gapSeconds, toFrame }: Manner): void {
    this.state.setState({ scene });
    const { context, rig } = this;
    this.gains = this.scenes.get(scene) ?? NO_GAINS;
    if (!context || !rig) return;
    const now = context.currentTime;
    const fade = this.fadeFor(fadeSeconds);
    if (!this.state.getState().playing) {
      if (toFrame !== null) this.seek(toFrame);
      rig.graph.switchTo(this.gainsOf(rig.voices), now, 0);
    } else if (toFrame === null && gapSeconds === 0) rig.graph.switchTo(this.gainsOf(rig.voices), now, fade);
    else {
      const frame = toFrame ?? this.positionFrames();
      if (gapSeconds > 0) rig.graph.hush(now);
      this.owedFade = gapSeconds > 0 ? 0 : fade;
      void this.startFrom(Math.max(0, Math.min(this.frames, frame)), now + gapSeconds);
    }
  }

  /** For blind runs: every switch sounds the same, whether or not anything changes. */
  hearThroughSilence(scene: string): void {
    this.state.setState({ scene });
    this.gains = this.scenes.get(scene) ?? NO_GAINS;
    const { context, rig } = this;
    if (context && rig) rig.graph.switchThroughSilence(this.gainsOf(rig.voices), context.currentTime);
  }

  /** Begins to switch by itself, from the first of the turns on; null ends it. */
  async setTurns(plan: Turns | null): Promise<void> {
    this.endTurns();
    if (!plan || plan.scenes.length === 0) return;
    this.change(plan.scenes[0], PLAIN_MANNER);
    if (!this.state.getState().playing) await this.play();
    if (!this.state.getState().playing) return;
    this.turns.begin(plan, this.context?.currentTime ?? 0);
    this.state.setState({ turn: 0 });
  }

  private endTurns(): void {
    this.turns.end();
    if (this.state.getState().turn !== null) this.state.setState({ turn: null });
  }

  /** What is shown behind what is heard, and never heard itself. */
  setBehind(gains: Gains): void {
    this.behind = gains;
    const { context, rig } = this;
    if (context && rig) rig.graph.showBehind(this.gainsOf(rig.voices, gains), context.currentTime);
  }

  setView(view: View): void {
    this.view = view;
    if (this.context) this.rig?.graph.setView(view, this.context.currentTime);
  }

  setTrim(gain: number): void {
    this.trim = gain;
    if (this.context) this.rig?.graph.setTrim(gain, this.context.currentTime);
  }

  /** Plays to another device, by the id the browser gives it; the empty one is the system's own. */
  async setDevice(id: string): Promise<void> {
    this.device = id;
    if (this.context) await toDevice(this.context, id);
  }

  private keepBlock(block: LiveBlock): void {
    if (!this.state.getState().playing) return;
    this.blocks.push(block);
    if (this.blocks.length > SHORT_TERM_BLOCKS) this.blocks.shift();
  }

  /** What was heard in the last three seconds, by tenths; and the analysers of what is heard and of what is shown behind it. */
  get live(): { blocks: readonly LiveBlock[]; heard: AnalyserNode | null; behind: AnalyserNode | null } {
    return { blocks: this.blocks, heard: this.rig?.graph.meter ?? null, behind: this.rig?.graph.ghost ?? null };
  }

  private tick(): void {
    const { context, rig } = this;
    if (!context || !rig) return;
    rig.graph.scheduleSeams(context.currentTime + SEAMS_AHEAD_SECONDS);
    this.watchCeiling(rig.graph);
    this.turns.take(context.currentTime);
    const { missedFrames } = rig.graph;
    if (missedFrames !== this.state.getState().missedFrames) this.state.setState({ missedFrames });
    if (!this.loop && this.positionFrames() >= this.frames) {
      this.halt();
      this.restingFrame = 0;
    }
  }

  private watchCeiling(graph: MonitorGraph): void {
    if (this.meterBlock.length !== graph.meter.fftSize) this.meterBlock = new Float32Array(graph.meter.fftSize);
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

const isSame = (a: Gains, b: Gains): boolean => a.size === b.size && [...a].every(([key, gain]) => b.get(key) === gain);

/** The first time on the sample grid from one on. */
const onGrid = (context: BaseAudioContext, time: number): number =>
  Math.ceil(time * context.sampleRate) / context.sampleRate;

/** Where the browser can choose a device at all. */
async function toDevice(context: AudioContext, id: string): Promise<void> {
  const chooser = context as AudioContext & { setSinkId?: (id: string) => Promise<void> };
  await chooser.setSinkId?.(id);
}

function closeRig({ feed, graph }: Rig): void {
  graph.dispose();
  feed.close();
}
