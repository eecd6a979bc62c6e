import { CROSSFADE_SECONDS, Fader } from "./fader";

export const LENSES = ["stereo", "mid", "side", "left", "right", "mono"] as const;
export type Lens = (typeof LENSES)[number];

/** Both channels on one loudspeaker, at the power of two that have nothing in common. */
const MONO = Math.SQRT1_2;

/** What each lens sends to [left from left, right from left, left from right, right from right]. */
const LENS_MATRIX: Record<Lens, readonly [number, number, number, number]> = {
  stereo: [1, 0, 0, 1],
  mid: [0.5, 0.5, 0.5, 0.5],
  side: [0.5, 0.5, -0.5, -0.5],
  left: [1, 1, 0, 0],
  right: [0, 0, 1, 1],
  mono: [MONO, MONO, MONO, MONO],
};

/** All frequencies; a band alone; all but a band. */
export const BAND_MODES = ["all", "alone", "without"] as const;
export type Band = { mode: (typeof BAND_MODES)[number]; centreHz: number; octaves: number };

/** All of it; where the dry render sets in; what remains of it. */
export const MOMENTS = ["all", "onsets", "sustain"] as const;
export type Moments = (typeof MOMENTS)[number];

/** What is looked through: alike for whatever is switched to, so its delay is the same for all. */
export type View = { lens: Lens; band: Band; moments: Moments };

export const PLAIN_VIEW: View = {
  lens: "stereo",
  band: { mode: "all", centreHz: 1000, octaves: 2 },
  moments: "all",
};

/** A band that is moved follows within this. */
const GLIDE_SECONDS = 0.02;
/** Web Audio counts the Q of a low- or high-pass in dB: that of Butterworth's second order; two of them are Linkwitz and Riley's fourth. */
const BUTTERWORTH_Q_DB = 20 * Math.log10(Math.SQRT1_2);
/** Of half the rate: where a filter of the browser's still stands. */
const HIGHEST_SHARE = 0.98;

/** The edges of a band, an octave being a factor of two. */
export const bandEdges = ({
  centreHz,
  octaves,
}: Pick<Band, "centreHz" | "octaves">): { low: number; high: number } => ({
  low: centreHz * 2 ** (-octaves / 2),
  high: centreHz * 2 ** (octaves / 2),
});

/**
 *   in → matrix of channels → gate by the mask of transients → band → out
 *
 * The mask is a signal that moves a gain sample by sample; it is the dry render's, whatever is heard.
 */
export class LensPath {
  readonly input: AudioNode;
  readonly output: AudioNode;
  private readonly matrix: Fader[];
  private readonly gate: Fader;
  private readonly maskAmount: Fader;
  private readonly bandFaders: { all: Fader; alone: Fader; without: Fader };
  private readonly edges: { low: BiquadFilterNode[]; high: BiquadFilterNode[] };
  private readonly hasMask: boolean;

  constructor(
    private readonly context: BaseAudioContext,
    own: <Node extends AudioNode>(node: Node) => Node,
    mask: { node: AudioNode; output: number } | null,
    view: View,
  ) {
    const gain = (value = 1) => {
      const node = own(context.createGain());
      node.gain.value = value;
      return node;
    };
    const input = gain();
    input.channelCount = 2;
    input.channelCountMode = "explicit";
    const split = own(context.createChannelSplitter(2));
    const merge = own(context.createChannelMerger(2));
    input.connect(split);
    this.matrix = LENS_MATRIX[view.lens].map((value, i) => {
      const node = gain(value);
      split.connect(node, i < 2 ? 0 : 1);
      node.connect(merge, 0, i % 2);
      return new Fader(node.gain, value);
    });

    const gate = gain();
    const amount = gain();
    this.hasMask = mask !== null;
    const [stands, follows] = this.gateFor(view);
    this.gate = new Fader(gate.gain, stands);
    this.maskAmount = new Fader(amount.gain, follows);
    mask?.node.connect(amount, mask.output);
    amount.connect(gate.gain);
    merge.connect(gate);

    const filter = (type: "lowpass" | "highpass") => {
      const node = own(context.createBiquadFilter());
      node.type = type;
      node.Q.value = BUTTERWORTH_Q_DB;
      return node;
    };
    const chain = (from: AudioNode, ...nodes: AudioNode[]) => nodes.reduce((last, node) => last.connect(node), from);
    const cut = { over: [filter("highpass"), filter("highpass")], under: [filter("lowpass"), filter("lowpass")] };
    const rest = { under: [filter("lowpass"), filter("lowpass")], over: [filter("highpass"), filter("highpass")] };
    this.edges = { low: [...cut.over, ...rest.under], high: [...cut.under, ...rest.over] };
    const output = gain();
    const heard = { all: gain(), alone: gain(), without: gain() };
    chain(gate, heard.all, output);
    chain(gate, ...cut.over, ...cut.under, heard.alone, output);
    chain(gate, ...rest.under, heard.without);
    chain(gate, ...rest.over, heard.without);
    heard.without.connect(output);
    const fader = (mode: Band["mode"]) => new Fader(heard[mode].gain, view.band.mode === mode ? 1 : 0);
    this.bandFaders = { all: fader("all"), alone: fader("alone"), without: fader("without") };
    this.input = input;
    this.output = output;
    this.placeBand(view.band, null);
  }

  set(view: View, time: number): void {
    for (const [i, value] of LENS_MATRIX[view.lens].entries()) this.matrix[i].rampTo(value, time, CROSSFADE_SECONDS);
    const [stands, follows] = this.gateFor(view);
    this.gate.rampTo(stands, time, CROSSFADE_SECONDS);
    this.maskAmount.rampTo(follows, time, CROSSFADE_SECONDS);
    for (const [mode, fader] of Object.entries(this.bandFaders))
      fader.rampTo(mode === view.band.mode ? 1 : 0, time, CROSSFADE_SECONDS);
    this.placeBand(view.band, time);
  }

  /** Until the mask is on the tape, all is heard rather than nothing. */
  private gateFor({ moments }: View): readonly [number, number] {
    return gateOf(this.hasMask ? moments : "all");
  }

  /** Moves the edges of the band: at once before anything sounds, gliding while it does. */
  private placeBand(band: Band, time: number | null): void {
    const { low, high } = bandEdges(band);
    const highest = (HIGHEST_SHARE * this.context.sampleRate) / 2;
    for (const [edge, hertz] of [
      ["low", low],
      ["high", high],
    ] as const) {
      for (const { frequency } of this.edges[edge]) {
        const value = Math.min(highest, hertz);
        if (time === null) frequency.value = value;
        else frequency.setTargetAtTime(value, time, GLIDE_SECONDS / 3);
      }
    }
  }
}

/** The gain that stands, and how much of the mask is added to it. */
const gateOf = (moments: Moments): readonly [number, number] =>
  moments === "onsets" ? [0, 1] : moments === "sustain" ? [1, -1] : [1, 0];
