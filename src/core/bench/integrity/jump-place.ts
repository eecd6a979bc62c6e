import { atan2, hypot } from "../../audio/exact-math";
import { inQuadrature } from "../../audio/quadrature";
import type { Returned } from "../signal/returned";
import type { SignalPlan } from "../signal/signal-plan";

/** Samples that went missing, or came twice, on the way: where in the signal, how closely that is known, and how many (positive: came twice). */
export type Jump = { atFrame: number; errorFrames: number; samples: number };

/** Where a mark lies, samples later than it should. */
export type Place = { plannedFrame: number; delay: number; error: number };

type Interval = { from: Place; to: Place; driftPpm: number; samples: number };

/** Windows that one delay or the other explains last so long. */
const WINDOW_SECONDS = 0.008;
/** Costs within this of the least, on each channel, are as good (a window that is not alike at all costs 1). */
const NEARLY = 0.3;
const SIGMAS = 3;
/** A window is more like one delay than like the other from this difference on: harmonics that a processor adds make less (part). */
const CLEARLY = 0.25;
/** Phases turn by more than this where something is lost (radians, of windows that are alike); noise turns them by less. */
const CLEAR_STEP = 0.1;
/** Of noise one step in 65,000 is so many times the median (of Rayleigh's distribution: 2^−16). */
const CLEAR_OF_NOISE = 4;
/** A filter delays a frequency by a few of its periods, too: only a jump of more tells itself by it. */
const LEAST_TURNS = 4;
/** After this a filter has settled on a new tone (a low one, and an all-pass of six stages). */
const SETTLING_SECONDS = 0.05;
/** Windows on each side that tell what is usual around one. */
const NEIGHBOURS = 25;
/** Mean energy of what counts for silence: −120 dBFS. */
const SILENT = 1e-12;

/**
 * Where between two marks samples were lost or came twice. Before that place one delay holds, after it the other. A filter turns the phase of what it
 * passes, by more or less from frequency to frequency, so a delay is not right where phases agree but where the phase between what was sent and what came
 * back stays as it is while one frequency is sent: a loss in the middle of a tone turns it there, once.
 */
export function jumpBetween(
  { sound, atFrame, plan }: Returned,
  sent: readonly Float32Array[],
  { from, to, driftPpm, samples }: Interval,
): Jump {
  const rate = plan.form.sampleRateHz;
  const half = Math.round(WINDOW_SECONDS * rate) / 2;
  const [first, last] = [from.plannedFrame, to.plannedFrame].map((frame) => Math.round(frame));
  const length = last - first;
  // Drift counts as its mean between the marks: what it moves from there turns phases slowly, before and after the jump alike.
  const drift = (driftPpm * 1e-6 * (to.plannedFrame - from.plannedFrame)) / 2;
  const laid = (delay: number) => sound.read(atFrame + first + Math.round(delay), length);
  const before = laid(from.delay + drift);
  const after = laid(from.delay + drift + samples);
  const { costs, noise } = costsOf({
    plan,
    first,
    half,
    samples,
    channels: sent.map((own, c) => ({
      sent: own.subarray(first, last),
      before: before[c] ?? before[0],
      after: after[c] ?? after[0],
    })),
  });
  const best = costs.reduce((least, cost, i) => (cost < costs[least] ? i : least), 0);
  // What windows on the way from the best place to another say for one or the other adds up, or is noise.
  const reach = (way: 1 | -1) => {
    let furthest = best;
    let squares = 0;
    for (let i = best + way; i >= 0 && i < costs.length; i += way) {
      squares += noise[i] * noise[i];
      if (costs[i] < costs[best] + NEARLY * sent.length + SIGMAS * Math.sqrt(squares)) furthest = i;
    }
    return furthest;
  };
  const [a, b] = [reach(-1), reach(1)];
  return {
    atFrame: Math.round(first + ((a + b + 3) / 2) * half),
    errorFrames: Math.round(((b - a) / 2) * half) + 2 * half,
    samples,
  };
}

type Compared = {
  plan: SignalPlan;
  first: number;
  half: number;
  samples: number;
  /** What was sent between the marks, and what came back, read by the delay before the jump and by that after it. */
  channels: { sent: Float32Array; before: Float32Array; after: Float32Array }[];
};

/** What it costs to take each place, half a window after the other, for that of the jump, and what noise makes of it from one to the next. */
function costsOf({ plan, first, half, samples, channels }: Compared): { costs: Float64Array; noise: Float64Array } {
  const window = 2 * half;
  const count = Math.max(0, Math.floor((channels[0].sent.length - window) / half) + 1);
  // Phases are compared within one tone: from one frequency to the next a filter turns them as a loss does, and in a sweep all along.
  const tones = steadyTones(plan);
  const settling = SETTLING_SECONDS * plan.form.sampleRateHz;
  const places = Array.from({ length: count }, (_, i) => {
    const start = first + i * half;
    const isInside = ({ startFrame, frames }: Piece) => startFrame <= start && start + window <= startFrame + frames;
    const tone = tones.findIndex((pieces) => isInside(whole(pieces)));
    // What a filter makes of the beginning of a tone, or of another level, is no loss.
    const isUnsettled = tones.some((pieces) =>
      pieces.some(({ startFrame }) => startFrame < start + window && start < startFrame + settling),
    );
    return { tone: isUnsettled ? -1 : tone, isUnsettled };
  });
  const nextTold = (from: number) => {
    for (let i = from; i < count; i++) if (places[i].tone >= 0) return i;
    return count;
  };
  const lastTold = (from: number) => {
    for (let i = from; i >= 0; i--) if (places[i].tone >= 0) return i;
    return -1;
  };
  // Between the last window before the jump and the first one after it lie those that hold some of it, or of what was lost.
  const apart = 2 + Math.ceil(Math.max(0, -samples) / half);
  const early = new Float64Array(count + 1);
  const late = new Float64Array(count + 1);
  const across = new Float64Array(count + 1);
  for (const { sent, before, after } of channels) {
    const x = analytic(sent);
    const turn = turns(x, window, count);
    const [e, l] = [before, after].map((back) => likenesses(x, analytic(back), window, count));
    // Where nothing is sent, or neither delay explains what came back, nothing is reported.
    const weight = e.re.map((_, i) => Math.max(likeness(e, i), likeness(l, i)) ** 2);
    const step = (a: Likenesses, i: number, b: Likenesses, j: number) =>
      i < 0 || j >= count || places[j].tone < 0 || places[i].tone !== places[j].tone
        ? 0
        : Math.min(weight[i], weight[j]) * hypot(a.re[i] - b.re[j], a.im[i] - b.im[j]);
    const steps = (a: Likenesses) => clearSteps(a.re.map((_, i) => step(a, lastTold(i - 1), a, i)));
    const [earlySteps, lateSteps] = [steps(e), steps(l)];
    const betters = e.re.map((_, i) => likeness(l, i) - likeness(e, i));
    const changes = betters.map((better, i) => Math.abs(better - betters[Math.max(0, i - 1)]));
    for (let i = 0; i < count; i++) {
      // A window costs what the other delay does better, where that is clear, and what phases turn by from the one before.
      const isClear =
        turn[i] * Math.abs(samples) > LEAST_TURNS * 2 * Math.PI &&
        Math.abs(betters[i]) > CLEARLY + CLEAR_OF_NOISE * medianAround(changes, i);
      const told = isClear && !places[i].isUnsettled ? weight[i] * betters[i] : 0;
      early[i] += Math.max(0, told) + earlySteps[i];
      late[i] += Math.max(0, -told) + (places[i].tone < 0 ? 0 : (lateSteps[nextTold(i + 1)] ?? 0));
      const acrossStep = step(e, lastTold(i - 1), l, nextTold(i + apart));
      across[i] += acrossStep > CLEAR_STEP ? acrossStep : 0;
    }
  }
  const costs = new Float64Array(count + 1);
  let sum = 0;
  for (let i = 0; i <= count; i++) {
    costs[i] = sum + across[i];
    sum += early[i];
  }
  sum = 0;
  for (let i = count; i >= 0; i--) {
    sum += late[i + apart] ?? 0;
    costs[i] += sum;
  }
  // From window to window what is said for one place or the other changes by noise.
  const said = early.map((cost, i) => cost - late[i]);
  const noise = usualAround(said.map((cost, i) => Math.abs(cost - said[Math.max(0, i - 1)]) * Math.SQRT1_2));
  return { costs, noise };
}

const medianAround = (values: Float64Array, i: number): number => {
  const near = values.slice(Math.max(0, i - NEIGHBOURS), i + NEIGHBOURS + 1).sort();
  return near[near.length >> 1];
};

/** Each value, or the median of its neighbourhood where that is less: what a few windows tell clearly is no noise. */
const usualAround = (values: Float64Array): Float64Array =>
  values.map((value, i) => Math.min(value, medianAround(values, i)));

/** What steps of phase stand out of their neighbourhood by, where that is clear of noise there. */
const clearSteps = (steps: Float64Array): Float64Array =>
  steps.map((step, i) => {
    if (step <= CLEAR_STEP) return 0;
    const usual = medianAround(steps, i);
    return step > CLEAR_OF_NOISE * usual + CLEAR_STEP ? step - usual : 0;
  });

/** Tones whose frequency stays as it is, each in pieces of one level. */
function steadyTones(plan: SignalPlan): Piece[][] {
  const { bursts, steady, ladder, lowLadder, highLadder, afterLoud, deep, series, high, opposed } = plan;
  const { modulation, differenceTone, beside, repeats } = plan;
  const burstsOf = (of: object): Piece[] => Object.values(of).filter((burst) => burst !== null);
  return [
    burstsOf(bursts),
    steady,
    [...ladder, afterLoud.middle],
    [...lowLadder, afterLoud.low],
    [...highLadder, afterLoud.high],
    high,
    ...[deep, ...series, modulation, differenceTone, ...beside.blocks, ...repeats].map((piece) => [piece]),
    ...(opposed ? [burstsOf(opposed.bursts), opposed.ladder, opposed.steady] : []),
  ].filter((pieces) => pieces.length > 0);
}

/** From where the first of some pieces starts to where the last one ends. */
function whole(pieces: readonly Piece[]): Piece {
  const startFrame = Math.min(...pieces.map((piece) => piece.startFrame));
  return { startFrame, frames: Math.max(...pieces.map((piece) => piece.startFrame + piece.frames)) - startFrame };
}
type Piece = { startFrame: number; frames: number };

type Analytic = { re: Float32Array; im: Float64Array };
const analytic = (signal: Float32Array): Analytic => ({ re: signal, im: inQuadrature(signal) });

type Likenesses = { re: Float64Array; im: Float64Array };
const likeness = ({ re, im }: Likenesses, i: number): number => hypot(re[i], im[i]);

/** How alike windows, each half a window on, of two signals are: a complex number of magnitude 0 to 1 and the phase between them, 0 beside silence. */
function likenesses(x: Analytic, y: Analytic, window: number, count: number): Likenesses {
  const re = new Float64Array(count);
  const im = new Float64Array(count);
  for (let n = 0; n < count; n++) {
    const from = Math.round((n * window) / 2);
    let xx = 0;
    let yy = 0;
    // What is in quadrature rings on in silence: that is judged by the signal itself.
    let sent = 0;
    for (let i = from; i < from + window; i++) {
      const a = x.re[i];
      const b = x.im[i];
      const c = y.re[i];
      const d = y.im[i];
      sent += a * a;
      xx += a * a + b * b;
      yy += c * c + d * d;
      re[n] += a * c + b * d;
      im[n] += b * c - a * d;
    }
    const isSilent = sent < SILENT * window || yy < SILENT * window;
    const norm = isSilent ? 0 : 1 / Math.sqrt(xx * yy);
    re[n] *= norm;
    im[n] *= norm;
  }
  return { re, im };
}

/** By how much a signal turns from sample to sample in each window, radians: its frequency. */
function turns({ re, im }: Analytic, window: number, count: number): Float64Array {
  return new Float64Array(count).map((_, n) => {
    const from = Math.round((n * window) / 2);
    let onRe = 0;
    let onIm = 0;
    for (let i = from + 1; i < from + window; i++) {
      onRe += re[i] * re[i - 1] + im[i] * im[i - 1];
      onIm += im[i] * re[i - 1] - re[i] * im[i - 1];
    }
    return Math.abs(atan2(onIm, onRe));
  });
}
