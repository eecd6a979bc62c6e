import { dbFromPower } from "../../audio/decibels";
import { atan2, cos, hypot, log2, sin } from "../../audio/exact-math";
import { linePowers } from "../read/tone-reading";
import type { SignalPlan } from "../signal/signal-plan";

/** A steady line where nothing is sent: hum, whistle. */
export type IdleLine = {
  hertz: number;
  errorHertz: number;
  /** Level of its peak re full scale, one channel's. */
  levelDbfs: number;
  /** Whether it keeps its phase from the first silence to the last, so that it can be taken off all of the recording. */
  isSteady: boolean;
  cosine: number;
  sine: number;
};

/** What a channel holds where nothing is sent. */
export type Idle = {
  /** Mean re full scale, 0 where it is not known from none. */
  dc: number;
  lines: IdleLine[];
  /** Effective value of the rest re full scale; null where there is digital silence. */
  noiseDbfs: number | null;
  /** Power of the rest in each bin of `noiseBinHz`, peak powers as of `linePowers`. */
  noisePowers: Float64Array;
  noiseBinHz: number;
};

/** Filters and gains ring on for so long after a marker, and filters of linear phase so long before the next sound (seconds). */
const AFTER_SOUND_SECONDS = 0.45;
const BEFORE_SOUND_SECONDS = 0.12;
/** What is less is what recursions leave of nothing (power re full scale). */
const LEAST_NOISE_POWER = 1e-20;
/** Lines lie above this (Hz): slower than that is drift. */
const LOWEST_LINE_HZ = 12;
/** A line stands so many times (power) over the middle of its neighbours, so many bins to each side. */
const LINE_OVER_NEIGHBOURS = 60;
const NEIGHBOURS = 24;
/** Lines under this are round-off (peak power: −150 dBFS). */
const LEAST_LINE_POWER = 1e-15;
const MOST_LINES = 24;
/** A frequency is known to half a bin, less by how far its line stands over noise (amplitude); so many turns more or less are tried. */
const HALF_BIN = 0.5;
const MOST_TURNS = 3;
/** A mean counts that is so many times its error, and more than this (re full scale: −120 dBFS). */
const DC_SIGMAS = 6;
const LEAST_DC = 1e-6;
/** Means of so many parts tell how closely the mean of all is known. */
const DC_PARTS = 16;
/** A line is the same in both silences that is off in level by no more than this (dB), and keeps its phase that a fit of the first leaves this much of the last. */
const SAME_LINE_DB = 6;
const STEADY_SHARE = 0.1;

/** Where nothing is sent and nothing of what was sent is left: the first and the last silence. */
export function idleStretches({ silence, lastSilence, form }: SignalPlan): { from: number; to: number }[] {
  const [after, before] = [AFTER_SOUND_SECONDS, BEFORE_SOUND_SECONDS].map((s) => Math.round(s * form.sampleRateHz));
  return [silence, lastSilence].map(({ startFrame, frames }) => ({
    from: startFrame + after,
    to: startFrame + frames - before,
  }));
}

/** Reads what a channel holds where nothing is sent: an offset, lines, noise. */
export function idleOf(channel: Float32Array, plan: SignalPlan): Idle {
  const rate = plan.form.sampleRateHz;
  const [first, last] = idleStretches(plan);
  const points = 2 ** Math.floor(log2(first.to - first.from));
  const start = first.to - points;
  const dc = meanOf(channel, [first, last]);
  const block = Float32Array.from({ length: points }, (_, i) => channel[start + i] - dc);
  const lines: IdleLine[] = [];
  const rest = block.slice();
  // The strongest first: what it spills over would be taken for others.
  while (lines.length < MOST_LINES) {
    const powers = linePowers(rest);
    const strongest = strongestLine(powers, rate / points, lines);
    if (strongest === null) break;
    const { bin, over } = strongest;
    const line = lineAt(rest, rate, bin / points, powers[bin]);
    if (!line) break;
    takeOff(rest, line, 0, rate);
    const errorHertz = (HALF_BIN * rate) / points / Math.sqrt(over);
    lines.push(tracked(channel, line, { dc, rate, start, points, last, errorHertz }));
  }
  const powers = linePowers(rest);
  const noise = rest.reduce((sum, v) => sum + v * v, 0) / points;
  return {
    dc,
    lines,
    noiseDbfs: noise > LEAST_NOISE_POWER ? dbFromPower(noise) : null,
    noisePowers: powers,
    noiseBinHz: rate / points,
  };
}

/** The mean of stretches where it is known from none, else 0. */
function meanOf(channel: Float32Array, stretches: readonly { from: number; to: number }[]): number {
  const means = stretches.flatMap(({ from, to }) =>
    Array.from({ length: DC_PARTS }, (_, n) => {
      const [a, b] = [n, n + 1].map((k) => from + Math.floor((k * (to - from)) / DC_PARTS));
      return channel.subarray(a, b).reduce((sum, v) => sum + v, 0) / (b - a);
    }),
  );
  const mean = means.reduce((sum, v) => sum + v, 0) / means.length;
  const spread = Math.sqrt(means.reduce((sum, v) => sum + (v - mean) ** 2, 0) / (means.length - 1));
  // Neighbouring parts of slow noise are alike: as if there were a quarter as many.
  const error = spread / Math.sqrt(means.length / 4);
  return Math.abs(mean) > Math.max(LEAST_DC, DC_SIGMAS * error) ? mean : 0;
}

/** The bin of the strongest line that stands out of its neighbours; null where none does. */
function strongestLine(powers: Float64Array, binHz: number, known: readonly IdleLine[]) {
  let best: { bin: number; over: number } | null = null;
  for (let k = Math.ceil(LOWEST_LINE_HZ / binHz); k < powers.length - 2; k++) {
    if (powers[k] < LEAST_LINE_POWER || powers[k] < powers[k - 1] || powers[k] < powers[k + 1]) continue;
    if (best !== null && powers[k] <= powers[best.bin]) continue;
    if (known.some(({ hertz }) => Math.abs(hertz - k * binHz) < 3 * binHz)) continue;
    const from = Math.max(2, k - NEIGHBOURS);
    const to = Math.min(powers.length - 1, k + NEIGHBOURS);
    const isNear = (n: number) => Math.abs(n - k) > 2;
    const times = (n: number) => powers[k] / (powers[n] + 1e-30);
    // Whether it stands over their middle is counted first: sorting takes long, and hardly any does.
    let [count, under] = [0, 0];
    for (let n = from; n <= to; n++) {
      if (!isNear(n)) continue;
      count++;
      if (times(n) > LINE_OVER_NEIGHBOURS) under++;
    }
    if (under <= count >> 1) continue;
    const near: number[] = [];
    for (let n = from; n <= to; n++) if (isNear(n)) near.push(powers[n]);
    near.sort((a, b) => a - b);
    best = { bin: k, over: powers[k] / (near[near.length >> 1] + 1e-30) };
  }
  return best;
}

type Line = { hertz: number; cosine: number; sine: number };

/** Amplitude, phase and frequency of a sine, by the phases of both halves of a block; frame 0 is the block's first. */
function lineAt(block: Float32Array, rate: number, cycles: number, power: number): Line | null {
  const half = block.length / 2;
  let hertz = cycles * rate;
  for (let round = 0; round < 4; round++) {
    const [a, b] = [project(block, 0, half, hertz / rate), project(block, half, half, hertz / rate)];
    let turned = atan2(b.im, b.re) - atan2(a.im, a.re);
    turned -= 2 * Math.PI * Math.round(turned / (2 * Math.PI));
    hertz += (turned / (2 * Math.PI * half)) * rate;
  }
  const { re, im } = project(block, 0, block.length, hertz / rate);
  return re * re + im * im > 0.1 * power ? { hertz, cosine: re, sine: -im } : null;
}

/** The amplitude at a frequency (turns a sample) of part of a signal, under a Hann window; the phase is of frame 0 of the signal. */
function project(signal: ArrayLike<number>, from: number, count: number, turns: number) {
  let [re, im, weights] = [0, 0, 0];
  const step = 2 * Math.PI * turns;
  for (let i = 0; i < count; i++) {
    const weight = 1 - cos((2 * Math.PI * (i + 0.5)) / count);
    const angle = step * (from + i);
    re += weight * signal[from + i] * cos(angle);
    im -= weight * signal[from + i] * sin(angle);
    weights += weight;
  }
  return { re: (2 * re) / weights, im: (2 * im) / weights };
}

/** Takes a line off a signal that begins `at` frames after the line's own beginning. */
function takeOff(signal: Float32Array, { hertz, cosine, sine }: Line, at: number, rate: number): void {
  const step = (2 * Math.PI * hertz) / rate;
  for (let i = 0; i < signal.length; i++) {
    const angle = step * (at + i);
    signal[i] -= cosine * cos(angle) + sine * sin(angle);
  }
}

type Where = {
  dc: number;
  rate: number;
  start: number;
  points: number;
  last: { from: number; to: number };
  errorHertz: number;
};

/** A line of the first silence looked for in the last one: its frequency closer, and whether it kept its phase. */
function tracked(channel: Float32Array, line: Line, { dc, rate, start, points, last, errorHertz }: Where): IdleLine {
  const count = last.to - last.from;
  const [first, end] = [
    Float32Array.from({ length: points }, (_, i) => channel[start + i] - dc),
    Float32Array.from({ length: count }, (_, i) => channel[last.from + i] - dc),
  ];
  const offset = last.from - start;
  const amplitude = hypot(line.cosine, line.sine);
  const again = project(end, 0, count, line.hertz / rate);
  const levelsApart = Math.abs(dbFromPower((again.re ** 2 + again.im ** 2) / (amplitude * amplitude || 1)));
  // Over the whole time phase tells the frequency finely; by the first silence alone it is known to a turn of that time.
  const expected = atan2(-line.sine, line.cosine) + (2 * Math.PI * line.hertz * offset) / rate;
  let off = atan2(again.im, again.re) - expected;
  off -= 2 * Math.PI * Math.round(off / (2 * Math.PI));
  const fine = line.hertz + (off / (2 * Math.PI * offset)) * rate;
  const candidates = [fine];
  const oneTurn = rate / offset;
  for (let n = 1; n <= MOST_TURNS && n * oneTurn < errorHertz * 3; n++)
    candidates.push(fine + n * oneTurn, fine - n * oneTurn);
  let best = { share: Number.POSITIVE_INFINITY, hertz: line.hertz, cosine: line.cosine, sine: line.sine };
  const before = energyOf(end);
  for (const hertz of candidates) {
    const whole = project(first, 0, points, hertz / rate);
    const rest = end.slice();
    takeOff(rest, { hertz, cosine: whole.re, sine: -whole.im }, offset, rate);
    // What the line is of all that is there bounds what taking it off can do.
    const of = (again.re ** 2 + again.im ** 2) / 2;
    const share = (energyOf(rest) - (before - of)) / of;
    if (share < best.share) best = { share, hertz, cosine: whole.re, sine: -whole.im };
  }
  const isSteady = levelsApart < SAME_LINE_DB && best.share < STEADY_SHARE;
  const kept = isSteady ? best : { ...line };
  // The phase of frame 0 of the signal.
  const back = (2 * Math.PI * kept.hertz * start) / rate;
  return {
    hertz: kept.hertz,
    errorHertz: isSteady ? rate / offset / 10 : errorHertz,
    levelDbfs: dbFromPower(amplitude * amplitude),
    isSteady,
    cosine: kept.cosine * cos(back) - kept.sine * sin(back),
    sine: kept.cosine * sin(back) + kept.sine * cos(back),
  };
}

const energyOf = (signal: Float32Array): number => signal.reduce((sum, v) => sum + v * v, 0) / signal.length;

/** A channel without its offset and its steady lines. */
export function withoutIdle(channel: Float32Array, { dc, lines }: Idle, rate: number): Float32Array {
  const steady = lines.filter((line) => line.isSteady);
  if (dc === 0 && steady.length === 0) return channel;
  const output = channel.map((v) => v - dc);
  for (const { hertz, cosine, sine } of steady) {
    const step = (2 * Math.PI * hertz) / rate;
    // A turning pointer, set anew now and then, so that rounding does not add up.
    for (let from = 0; from < output.length; from += POINTER_FRAMES) {
      const [stepC, stepS] = [cos(step), sin(step)];
      let [c, s] = [cos(step * from), sin(step * from)];
      const to = Math.min(output.length, from + POINTER_FRAMES);
      for (let i = from; i < to; i++) {
        output[i] -= cosine * c + sine * s;
        const next = c * stepC - s * stepS;
        s = c * stepS + s * stepC;
        c = next;
      }
    }
  }
  return output;
}
const POINTER_FRAMES = 4096;
