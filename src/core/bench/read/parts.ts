import type { Beside, Bursts, SignalPlan, Steady, Sweep, Tone, Twin } from "../signal/signal-plan";

export const CHANNELS = ["left", "right", "mid", "side"] as const;
/** What is read by itself. Mid and side are half the sum and half the difference of left and right. */
export type ChannelName = (typeof CHANNELS)[number];

/** Parts of the signal that one channel is read by. */
export type Parts = {
  bursts: Bursts;
  /** A burst that this channel has alone, and the one that the other has. */
  alone: SignalPlan["bursts"]["oneSide"];
  others: SignalPlan["bursts"]["oneSide"];
  last: SignalPlan["bursts"]["last"] | null;
  ladder: Tone[];
  lowLadder: Tone[];
  highLadder: Tone[];
  afterLoud: SignalPlan["afterLoud"] | null;
  /** The loudest tone near 1 kHz, as long as it is had. */
  deep: Tone;
  series: Tone[];
  high: Tone[];
  modulation: Twin | null;
  differenceTone: Twin | null;
  steady: Steady[];
  beside: { lineBins: number[]; lineDbfs: number; blocks: Beside[] } | null;
  repeats: SignalPlan["repeats"] | null;
  quietSweeps: [Sweep, Sweep] | null;
  middleSweep: Sweep | null;
};

/** Which parts of a signal tell of a channel: all that both sound in, and those of its own; of the side the opposed ones alone. */
export function partsOf(plan: SignalPlan, channel: ChannelName): Parts {
  const { bursts, opposed } = plan;
  if (channel === "side" && opposed)
    return {
      bursts: opposed.bursts,
      alone: null,
      others: null,
      last: null,
      ladder: opposed.ladder,
      lowLadder: [],
      highLadder: [],
      afterLoud: null,
      deep: opposed.ladder[opposed.ladder.length - 1],
      series: [],
      high: [],
      modulation: null,
      differenceTone: null,
      steady: opposed.steady,
      beside: null,
      repeats: null,
      quietSweeps: null,
      middleSweep: null,
    };
  const isOne = channel === "left" || channel === "right";
  const { oneSide, otherSide } = bursts;
  return {
    bursts,
    alone: isOne ? (channel === "left" ? oneSide : otherSide) : null,
    others: isOne ? (channel === "left" ? otherSide : oneSide) : null,
    last: bursts.last,
    ladder: plan.ladder,
    lowLadder: plan.lowLadder,
    highLadder: plan.highLadder,
    afterLoud: plan.afterLoud,
    deep: plan.deep,
    series: plan.series,
    high: plan.high,
    modulation: plan.modulation,
    differenceTone: plan.differenceTone,
    steady: plan.steady,
    beside: plan.beside,
    repeats: plan.repeats,
    quietSweeps: plan.quietSweeps,
    middleSweep: plan.middleSweep,
  };
}

/** What is read of a channel, of both at once: half their sum, or half their difference. */
export function channelOf(channels: readonly Float32Array[], name: ChannelName): Float32Array {
  const [left, right = left] = channels;
  if (name === "left") return left;
  if (name === "right") return right;
  const sign = name === "mid" ? 0.5 : -0.5;
  return left.map((v, i) => 0.5 * v + sign * right[i]);
}
