import { dbFromPower } from "../../audio/decibels";
import { cos, sin } from "../../audio/exact-math";
import { forwardReal } from "../../audio/fft";
import { hannWindow } from "../../audio/window";

/** What became of a tone. Levels are of peaks over full scale; null where noise hides one. */
export type ToneReading = {
  hertz: number;
  /** What was sent. */
  levelDbfs: number;
  /** The fundamental that came back. */
  outDbfs: number;
  /** H2 to H10 over the fundamental, dB, and what each may be off by. */
  partialsDb: (number | null)[];
  partialErrorsDb: (number | null)[];
  /** Root of the sum of H2 to H10 over the fundamental, percent. */
  thdPercent: number | null;
  /** All that is not the fundamental over all there is, percent (IEC 60268-3), over the whole band. */
  thdNoisePercent: number;
  /** Energy of what aliased, and of other lines off the tone's harmonics, over the fundamental, dB. */
  aliasDb: number | null;
  aliasErrorDb: number | null;
};

/** Filters of linear phase ring ahead: tones are read up to so long before the next begins. */
export const GUARD_SECONDS = 0.02;
export const HIGHEST_PARTIAL = 10;
/** Harmonics up to this one are looked for where they are reflected to. */
const FURTHEST_FOLDED = 400;
/** And not more of them than leave bins to tell noise from. */
const MOST_FOLDED_SHARE = 0.1;
/** A line is distinguished from noise when its power is so many times that of noise in a bin. */
const OVER_NOISE = 8;
/** Other lines have to be clearer: there are thousands of bins to be deceived by. */
const LINE_OVER_NOISE = 40;
/** Half the width of a line under a Hann window, in bins. */
const WIDTH = 2;
/** Noise is read over so many bins to each side of a line; fewer free ones tell nothing. */
const AROUND = 16;
const LEAST_AROUND = 6;
/** The median of noise's power over its mean (exponentially distributed). */
const MEDIAN_SHARE = Math.LN2;
/** What was sent holds lines of its own, of its rounding: so many times their power is reported, and no less. */
const OVER_SENT = 4;
/** Lines under this (power of a peak: −150 dBFS) are what 32-bit samples are rounded to. */
const LEAST_POWER = 1e-15;

const windows = new Map<number, Float64Array>();

function windowOf(points: number): Float64Array {
  const known = windows.get(points) ?? hannWindow(points);
  windows.set(points, known);
  return known;
}

/** Powers of peaks (amplitude squared) by bins, level-true for a line in the middle of one. */
export function linePowers(signal: Float32Array): Float64Array {
  const points = signal.length;
  const window = windowOf(points);
  const windowed = new Float32Array(points);
  for (let i = 0; i < points; i++) windowed[i] = signal[i] * window[i];
  const spectrum = forwardReal(windowed, points);
  const scale = 4 / points;
  const powers = new Float64Array(points / 2 + 1);
  for (let k = 0; k < powers.length; k++) {
    const re = spectrum[2 * k] * scale;
    const im = spectrum[2 * k + 1] * scale;
    powers[k] = re * re + im * im;
  }
  return powers;
}

const folded = (bin: number, points: number): number => {
  const inside = bin % points;
  return inside <= points / 2 ? inside : points - inside;
};

/** Mean power of noise in a bin, by the median of bins that hold no line. */
function noisePower(powers: Float64Array, taken: Uint8Array): number {
  const free = powers.filter((_, k) => k > WIDTH && !taken[k]).sort();
  return free.length > 0 ? free[free.length >> 1] / MEDIAN_SHARE : 0;
}

/** Noise around a bin: what lies between lines there, where it is more than everywhere. */
function noiseAround(powers: Float64Array, taken: Uint8Array, bin: number, everywhere: number): number {
  const near: number[] = [];
  for (let k = bin - AROUND; k <= bin + AROUND; k++)
    if (k > WIDTH && k < powers.length && !taken[k]) near.push(powers[k]);
  if (near.length < LEAST_AROUND) return everywhere;
  near.sort((a, b) => a - b);
  return Math.max(everywhere, near[near.length >> 1] / MEDIAN_SHARE);
}

/** Reads a tone that stands on a bin of `signal`, all of which is settled, beside what was sent in its place. */
export function readTone(
  signal: Float32Array,
  sentSignal: Float32Array,
  bin: number,
  sent: { hertz: number; levelDbfs: number },
): ToneReading {
  const points = signal.length;
  const powers = linePowers(signal);
  const own = linePowers(sentSignal);
  const half = points / 2;
  const taken = new Uint8Array(half + 1);
  const take = (at: number) => {
    for (let k = Math.max(0, at - WIDTH); k <= Math.min(half, at + WIDTH); k++) taken[k] = 1;
  };
  take(0);
  take(half);
  const harmonics: number[] = [];
  for (let k = bin; k < half - WIDTH; k += bin) {
    harmonics.push(k);
    take(k);
  }
  const foldedBins: number[] = [];
  for (let order = Math.ceil(half / bin); order <= FURTHEST_FOLDED; order++) {
    if (foldedBins.length > MOST_FOLDED_SHARE * half) break;
    const at = folded(order * bin, points);
    if (at <= WIDTH || at >= half - WIDTH || taken[at]) continue;
    foldedBins.push(at);
    take(at);
  }
  const noise = noisePower(powers, taken);
  const fundamental = Math.max(1e-30, powers[bin] - noise);
  const ownAt = (at: number) => (OVER_SENT * own[at] * fundamental) / own[bin] + LEAST_POWER;
  const partials = Array.from({ length: HIGHEST_PARTIAL - 1 }, (_, i) => {
    const at = harmonics[i + 1];
    if (at === undefined) return null;
    const near = noiseAround(powers, taken, at, noise);
    return powers[at] > OVER_NOISE * near + ownAt(at) ? { power: powers[at] - near, noise: near } : null;
  });
  const errorDb = (power: number, of: number) => 8.686 * Math.sqrt(of / (2 * power));
  const known = partials.filter((p) => p !== null);
  let aliasPower = 0;
  let aliasOwn = 0;
  let aliasSpread = 0;
  let strongest = { bin: 0, power: 0, noise };
  const counts = (at: number, near: number) => {
    aliasPower += powers[at] - near;
    if (powers[at] - near > strongest.power) strongest = { bin: at, power: powers[at] - near, noise: near };
  };
  for (const at of foldedBins) {
    const near = noiseAround(powers, taken, at, noise);
    counts(at, near);
    aliasOwn += ownAt(at);
    aliasSpread += near * near;
  }
  aliasSpread = Math.sqrt(aliasSpread);
  for (let k = WIDTH + 1; k < half - WIDTH; k++) {
    if (taken[k] || powers[k] < LINE_OVER_NOISE * noise + ownAt(k)) continue;
    if (powers[k] < powers[k - 1] || powers[k] < powers[k + 1]) continue;
    if (powers[k] < LINE_OVER_NOISE * noiseAround(powers, taken, k, noise)) continue;
    counts(k, noise);
    take(k);
  }
  const hasAlias = aliasPower > 4 * aliasSpread + aliasOwn && isSteadyLine(signal, harmonics, strongest);
  return {
    ...sent,
    outDbfs: dbFromPower(fundamental),
    partialsDb: partials.map((p) => (p === null ? null : dbFromPower(p.power / fundamental))),
    partialErrorsDb: partials.map((p) => (p === null ? null : errorDb(p.power, p.noise))),
    thdPercent: known.length > 0 ? 100 * Math.sqrt(known.reduce((sum, p) => sum + p.power, 0) / fundamental) : null,
    thdNoisePercent: 100 * restOf(signal, bin),
    aliasDb: hasAlias ? dbFromPower(aliasPower / fundamental) : null,
    aliasErrorDb: hasAlias ? (4.343 * aliasSpread) / aliasPower : null,
  };
}

/** A line that falls or rises by more than this from the first half to the last rings on, or follows a gain (dB). */
const STEADY_DB = 3;
const SIGMAS = 3;

/** Cosine and sine of a bin, sample by sample. */
function alongBin(points: number, bin: number, each: (i: number, c: number, s: number) => void): void {
  const turn = (2 * Math.PI * bin) / points;
  const [stepC, stepS] = [cos(turn), sin(turn)];
  let [c, s] = [1, 0];
  for (let i = 0; i < points; i++) {
    each(i, c, s);
    const next = c * stepC - s * stepS;
    s = c * stepS + s * stepC;
    c = next;
  }
}

type Line = { re: number; im: number };

/** A line of a bin in the first half of a signal and in the last, each under a Hann window, with phases of one and the same cosine. */
export function lineInHalves(signal: ArrayLike<number>, bin: number): [Line, Line] {
  const half = signal.length / 2;
  const window = windowOf(half);
  const [first, last] = [
    { re: 0, im: 0 },
    { re: 0, im: 0 },
  ];
  alongBin(signal.length, bin, (i, c, s) => {
    const line = i < half ? first : last;
    const v = signal[i] * window[i % half];
    line.re += v * c;
    line.im -= v * s;
  });
  return [first, last];
}

/** Whether a line is as strong in the first half as in the last, once the tone and its harmonics are out of the way. */
function isSteadyLine(
  signal: Float32Array,
  harmonics: readonly number[],
  line: { bin: number; power: number; noise: number },
): boolean {
  const n = signal.length;
  const rest = Float64Array.from(signal);
  for (const bin of harmonics.slice(0, HIGHEST_PARTIAL)) {
    let [re, im] = [0, 0];
    alongBin(n, bin, (i, c, s) => {
      re += rest[i] * c;
      im += rest[i] * s;
    });
    alongBin(n, bin, (i, c, s) => {
      rest[i] -= (2 / n) * (re * c + im * s);
    });
  }
  const [first, last] = lineInHalves(rest, line.bin).map(({ re, im }) => re * re + im * im);
  // Over half as many frames noise is twice as strong beside a line.
  const openDb = STEADY_DB + SIGMAS * 8.686 * Math.sqrt((2 * line.noise) / line.power);
  return Math.abs(dbFromPower((first + 1e-30) / (last + 1e-30))) < openDb;
}

/** What remains of a signal without its mean and the sine of a bin, over all of it (without the mean): a ratio of effective values. */
function restOf(signal: Float32Array, bin: number): number {
  const n = signal.length;
  let [mean, re, im, all] = [0, 0, 0, 0];
  alongBin(n, bin, (i, c, s) => {
    const v = signal[i];
    mean += v;
    all += v * v;
    re += v * c;
    im += v * s;
  });
  mean /= n;
  const power = all / n - mean * mean;
  const fundamental = (2 * (re * re + im * im)) / (n * n);
  return power > 0 ? Math.sqrt(Math.max(0, power - fundamental) / power) : 0;
}

/** Intermodulation of two tones: products over a reference, percent, or null where noise hides them. */
export type TwinReading = {
  hertz: [number, number];
  /** SMPTE RP 120: the pairs of products beside the high tone over it. IEC 60268-3: the second-order product over both, and the third-order ones. */
  secondPercent: number | null;
  thirdPercent: number | null;
};

/** Reads products of two tones on bins of `signal`; `around` takes those beside the high one, otherwise those of their difference. */
export function readTwin(
  signal: Float32Array,
  [low, high]: readonly [number, number],
  around: boolean,
  hertz: [number, number],
): TwinReading {
  const powers = linePowers(signal);
  const second = around ? [high - low, high + low] : [high - low];
  const third = around ? [high - 2 * low, high + 2 * low] : [2 * low - high, 2 * high - low];
  const taken = new Uint8Array(powers.length);
  for (const at of [0, low, high, ...second, ...third, 2 * low, 3 * low, 4 * low, 2 * high])
    for (let k = at - WIDTH; k <= at + WIDTH; k++) if (k >= 0) taken[k] = 1;
  const noise = noisePower(powers, taken);
  const amplitudes = (bins: readonly number[]) => {
    const inside = bins.filter((b) => b > WIDTH && b < powers.length - WIDTH);
    const lines = inside.map((b) => powers[b]);
    if (!lines.some((p) => p > OVER_NOISE * noise && p > OVER_SENT * LEAST_POWER)) return null;
    return lines.reduce((sum, p) => sum + Math.sqrt(Math.max(0, p - noise)), 0);
  };
  const reference = around ? Math.sqrt(powers[high]) : Math.sqrt(powers[low]) + Math.sqrt(powers[high]);
  const percent = (amplitude: number | null) => (amplitude === null ? null : (100 * amplitude) / reference);
  return { hertz, secondPercent: percent(amplitudes(second)), thirdPercent: percent(amplitudes(third)) };
}
