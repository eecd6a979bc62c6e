import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { windowedSpectrum } from "../audio/fft";
import { throughFilter } from "../audio/through-filters";
import { hannWindow } from "../audio/window";
import { energyUnder, times } from "../numeric/vectors";
import { fitFilter } from "./filter-fit";
import { aboveResidual, humOf, type Line, linesIn, withoutLines } from "./lines";
import { energyOf, type PairSignals } from "./pair-signals";

/**
 * What remains may be: rounding to so many bits, dither, steady noise, hum of the mains, clicks; or it follows the sound, aligned with its powers
 * (harmonic) or not, or goes on after it.
 */
export const leftKindSchema = z.enum([
  "rounding",
  "dither",
  "noise",
  "hum",
  "line",
  "clicks",
  "harmonic",
  "outlasting",
  "inharmonic",
]);
export type LeftKind = z.infer<typeof leftKindSchema>;

export const leftPartSchema = z.object({
  kind: leftKindSchema,
  /** Energy over Yonder's. */
  shareDb: z.number(),
  /** What it was known by: word length of rounding and dither, frequency of hum. */
  bits: z.number().optional(),
  hertz: z.number().optional(),
  /** Peak level of a line. */
  levelDbfs: z.number().optional(),
});
export type LeftPart = z.infer<typeof leftPartSchema>;

const FRAME = 2048;
/** A part under this share of what remains is not reported. */
const WORTH_TELLING = 0.02;
/** What sounds all the time is what a band holds in its quietest tenth. */
const QUIETEST = 0.1;
/** A level of rounding or dither has to be met to within this many dB, and its spectrum be as flat. */
const NEAR_DB = 0.7;
/** Crests over the 20 ms around by this factor of power are clicks. */
const CLICK = 60;
const POWER_TAPS = 128;
/** Under this share of Yonder (−85 dB) nobody asks what a residual that follows the sound is made of. */
const WORTH_SORTING = 3e-9;

/** Error of rounding to one step is 1/12 of it squared, with triangular dither 3/12 (Lipshitz, Wannamaker and Vanderkooy 1992);
 * no sample is off by more than half a step, or one and a half. */
const WORD_LENGTHS = [
  { kind: "rounding", parts: 1 / 12, most: 0.55 },
  { kind: "dither", parts: 3 / 12, most: 1.55 },
  // Of both files, each by itself.
  { kind: "dither", parts: 6 / 12, most: 3.1 },
] as const;

/** What signals leave of Yonder where it is judged. */
const restOf = ({ yonder, judged }: PairSignals, explained: readonly Float64Array[]): Float64Array[] =>
  yonder.map((y, c) => {
    const left = new Float64Array(y.length);
    for (let n = 0; n < y.length; n++) if (judged[n] !== 0) left[n] = y[n] - explained[c][n];
    return left;
  });

/** Lines are taken off first where they are at least this share of what a plain gain leaves. */
const LINES_LEAD = 0.5;
/** Where so much of the rest is steady noise or word length, nothing else is looked for. */
const ALL_OF_IT = 0.98;

/**
 * What Yonder has over Here at one gain and has nothing to do with Here: lines, taken out of the pair that is answered, and whether the rest is word length or
 * steady noise, so that no processing needs to be looked for. Fitted first, a filter would take a hum for what held notes of the same pitch become.
 */
export function addedAtLevel(
  pair: PairSignals,
  levelled: readonly Float64Array[],
): { lines: Line[]; pair: PairSignals; isAll: boolean } {
  const rest = restOf(pair, levelled);
  const energy = energyOf(pair.judged, rest);
  if (energy === 0) return { lines: [], pair, isAll: true };
  if (wordLengthOf(rest, energy / (pair.judgedFrames * rest.length), pair)) return { lines: [], pair, isAll: true };
  const found = linesIn(pair, rest, levelled);
  const isLed = found.reduce((sum, l) => sum + l.energy, 0) > LINES_LEAD * energy;
  const lines = isLed ? found : [];
  const without = isLed ? withoutLines(pair, rest, lines) : pair;
  const left = isLed ? restOf(without, levelled) : rest;
  const leftEnergy = energyOf(pair.judged, left);
  const isNothing = leftEnergy < NEXT_TO_NOTHING * energyOf(pair.judged, pair.yonder);
  const isWord = leftEnergy > 0 && wordLengthOf(left, leftEnergy / (pair.judgedFrames * left.length), pair) !== null;
  return {
    lines,
    pair: without,
    isAll: isNothing || isWord || steadyOf(framesOf(pair, left, levelled)) > ALL_OF_IT,
  };
}
/** So little (−100 dB re Yonder) is what lines leave of themselves. */
const NEXT_TO_NOTHING = 1e-10;

/**
 * What a chain leaves, sorted as far as it can be; shares over Yonder's energy, loudest first. Nothing where nothing is left. `known` are lines that were taken
 * off before.
 */
export function residualParts(
  pair: PairSignals,
  explained: readonly Float64Array[],
  known: readonly Line[] = [],
): LeftPart[] {
  const { yonder, judged, sampleRateHz } = pair;
  const whole = energyOf(judged, yonder);
  const rest = restOf(pair, explained);
  const energy = energyOf(judged, rest);
  if (whole === 0) return [];
  const lineParts = (lines: readonly Line[]) => {
    const { hum, others } = humOf(lines);
    return [
      ...(hum ? [{ kind: "hum" as const, line: hum }] : []),
      ...others.map((line) => ({ kind: "line" as const, line })),
    ].map(({ kind, line }) => ({ kind, energy: line.energy, hertz: line.hertz, levelDbfs: line.levelDbfs }));
  };
  const shareDb = (part: number) => dbFromPower(part / whole);
  const told = (parts: readonly { kind: LeftKind; energy: number; hertz?: number; levelDbfs?: number }[]) =>
    parts.map(({ energy: own, ...part }) => ({ ...part, shareDb: shareDb(own) }));
  const takenOff = told(lineParts(known));
  if (energy === 0) return takenOff;
  const frames = pair.judgedFrames * yonder.length;
  const word = wordLengthOf(rest, energy / frames, pair);
  if (word) return [...takenOff, { ...word, shareDb: shareDb(energy) }];

  const spectra = framesOf(pair, rest, explained);
  const parts: { kind: LeftKind; energy: number; hertz?: number; levelDbfs?: number }[] = [];
  const energyOfLines = (of: readonly Line[]) => of.reduce((sum, l) => sum + l.energy, 0);
  const seen = linesIn(pair, rest, explained, known);
  const lines = aboveResidual(seen, Math.max(0, energy - energyOfLines(seen)) / whole);
  const lined = energyOfLines(lines);
  parts.push(...lineParts([...known, ...lines]));
  const clicks = clicksOf(rest, judged, sampleRateHz);
  parts.push({ kind: "clicks", energy: clicks });
  const steady = Math.max(0, steadyOf(spectra) * energy - lined);
  parts.push({ kind: "noise", energy: steady });
  const following = Math.max(0, energy - lined - clicks - steady);
  const harmonic = energy > WORTH_SORTING * whole ? Math.min(1, harmonicShareOf(pair, explained, rest)) * following : 0;
  parts.push({ kind: "harmonic", energy: harmonic });
  parts.push({ kind: outlasts(spectra) ? "outlasting" : "inharmonic", energy: following - harmonic });
  return told(parts.filter((p) => p.energy > WORTH_TELLING * energy || p.kind === "line" || p.kind === "hum")).toSorted(
    (a, b) => b.shareDb - a.shareDb,
  );
}

/** Rounding or dither of 8 to 24 bits, where level and flatness of the residual are what they leave, and one of the two holds words of that length. */
function wordLengthOf(rest: readonly Float64Array[], power: number, pair: PairSignals) {
  const { judged } = pair;
  if (!isFlat(rest, judged)) return null;
  const largest = rest.reduce((most, signal) => signal.reduce((m, v) => Math.max(m, Math.abs(v)), most), 0);
  for (let bits = 8; bits <= 24; bits++) {
    const step = 2 ** (1 - bits);
    for (const { kind, parts, most } of WORD_LENGTHS) {
      if (largest > most * step) continue;
      if (Math.abs(dbFromPower(power / (step * step * parts))) > NEAR_DB) continue;
      if ([pair.yonder, pair.here].some((signals) => areWords(signals, bits, judged))) return { kind, bits };
    }
  }
  return null;
}

/** Samples that lie on the steps of a word length to within a hundredth, at least, where they are words; from here on nothing else is finer in single precision. */
const ON_STEP = 0.01;
const FINEST_BITS = 22;
const LOOKED_AT = 4096;

/** Whether samples are whole steps of a word length; of 22 bits and more single precision can hardly say otherwise. */
function areWords(signals: readonly Float64Array[], bits: number, judged: Float64Array): boolean {
  if (bits >= FINEST_BITS) return true;
  const full = 2 ** (bits - 1);
  let looked = 0;
  for (let n = 0; n < judged.length && looked < LOOKED_AT; n++) {
    if (judged[n] === 0) continue;
    looked++;
    for (const signal of signals) {
      const steps = signal[n] * full;
      if (Math.abs(steps - Math.round(steps)) > ON_STEP) return false;
    }
  }
  return looked > 0;
}

/** Whether neighbouring samples have nothing to do with each other: correlation at the first few lags, as of white noise. */
function isFlat(rest: readonly Float64Array[], judged: Float64Array): boolean {
  for (let lag = 1; lag <= 4; lag++) {
    let [product, energy, count] = [0, 0, 0];
    for (const signal of rest) {
      for (let n = lag; n < signal.length; n++) {
        if (judged[n] === 0 || judged[n - lag] === 0) continue;
        product += signal[n] * signal[n - lag];
        energy += signal[n] * signal[n];
        count++;
      }
    }
    if (!(energy > 0) || Math.abs(product / energy) > 0.02 + 4 / Math.sqrt(count)) return false;
  }
  return true;
}

type Frames = { bands: Float64Array[]; left: Float64Array; sound: Float64Array };

/** Energies of what remains in third octaves, frame by frame; of all of it, and of the sound. */
function framesOf(pair: PairSignals, rest: readonly Float64Array[], applied: readonly Float64Array[]): Frames {
  const window = hannWindow(FRAME);
  const edges: number[] = [1];
  while (edges[edges.length - 1] < FRAME / 2) edges.push(Math.ceil(edges[edges.length - 1] * 1.26));
  const starts = pair.stretches.flatMap(({ from, frames }) =>
    Array.from(
      { length: Math.max(0, Math.floor((frames - FRAME) / (FRAME / 2)) + 1) },
      (_, i) => from + (i * FRAME) / 2,
    ),
  );
  const bands = edges.map(() => new Float64Array(starts.length));
  const [left, sound] = [new Float64Array(starts.length), new Float64Array(starts.length)];
  const squares = times(window, window);
  const energyAt = (signal: Float64Array, start: number) => energyUnder(squares, signal.subarray(start, start + FRAME));
  for (const [t, start] of starts.entries()) {
    for (const [c, signal] of rest.entries()) {
      left[t] += energyAt(signal, start);
      sound[t] += energyAt(applied[c], start);
      const spectrum = windowedSpectrum(signal, start, window);
      for (const [b, band] of bands.entries()) {
        let energy = 0;
        for (let k = edges[b], end = Math.min(edges[b + 1] ?? Infinity, FRAME / 2 + 1); k < end; k++)
          energy += spectrum[2 * k] * spectrum[2 * k] + spectrum[2 * k + 1] * spectrum[2 * k + 1];
        band[t] += energy;
      }
    }
  }
  return { bands, left, sound };
}

/** Steady energy of one third of an octave alone is a tone or a held note, not noise, from this share of all of it on. */
const ONE_BAND = 0.6;

/** The share of a residual that sounds all the time, in more than one band. */
function steadyOf({ bands }: Frames): number {
  const steady = bands.map((band) => {
    const sorted = band.toSorted();
    return (sorted[Math.floor(QUIETEST * (sorted.length - 1))] ?? 0) * band.length;
  });
  const all = bands.reduce((total, band) => total + band.reduce((sum, e) => sum + e, 0), 0);
  const sum = steady.reduce((total, e) => total + e, 0);
  const most = Math.max(...steady);
  return all > 0 ? Math.min(1, (most > ONE_BAND * sum ? sum - most : sum) / all) : 0;
}

/** Whether it goes on where the sound falls: there it stands higher against the sound than where the sound rises, by 6 dB. */
function outlasts({ left, sound }: Frames): boolean {
  const loudest = sound.reduce((most, e) => Math.max(most, e), 0);
  const sums = { falling: [0, 0], rising: [0, 0] };
  for (let t = 2; t < sound.length; t++) {
    if (sound[t - 2] < 1e-6 * loudest) continue;
    const change = sound[t] / Math.max(sound[t - 2], 1e-30);
    const sum = change < 0.25 ? sums.falling : change > 4 ? sums.rising : null;
    if (!sum) continue;
    sum[0] += log10(Math.max(left[t], 1e-30) / Math.max(sound[t], 1e-30));
    sum[1]++;
  }
  const { falling, rising } = sums;
  if (falling[1] < 5 || rising[1] < 5) return false;
  return falling[0] / falling[1] - rising[0] / rising[1] > 0.6;
}

/** Energy of crests that nothing around them leads to. */
function clicksOf(rest: readonly Float64Array[], judged: Float64Array, rateHz: number): number {
  const reach = Math.round(0.02 * rateHz);
  let energy = 0;
  for (const signal of rest) {
    const before = new Float64Array(signal.length + 1);
    for (let n = 0; n < signal.length; n++) before[n + 1] = before[n] + signal[n] * signal[n];
    for (let n = 0; n < signal.length; n++) {
      if (judged[n] === 0) continue;
      const [from, end] = [Math.max(0, n - reach), Math.min(signal.length, n + reach + 1)];
      const own = signal[n] * signal[n];
      const around = (before[end] - before[from] - own) / (end - from - 1);
      if (own > CLICK * around) energy += own;
    }
  }
  return energy;
}

/**
 * The share of what remains that powers of the sound explain through a short filter, in the channel that is left most of: square and cube, fitted on one
 * half and judged on the other.
 */
function harmonicShareOf(
  { judged, halves: [fitted, other] }: PairSignals,
  applied: readonly Float64Array[],
  rest: readonly Float64Array[],
): number {
  const energies = rest.map((signal) => energyOf(judged, [signal]));
  const c = energies.indexOf(Math.max(...energies));
  const square = applied[c].map((v) => v * v);
  let [sum, count] = [0, 0];
  for (let n = 0; n < square.length; n++)
    if (judged[n] !== 0) {
      sum += square[n];
      count++;
    }
  const mean = count > 0 ? sum / count : 0;
  const inputs = [square.map((v) => v - mean), applied[c].map((v) => v * v * v)];
  const form = { taps: POWER_TAPS, lead: POWER_TAPS >> 2 };
  const filter = fitFilter({ inputs, target: rest[c], weight: fitted, ...form }, undefined, 12);
  const all = energyOf(other, [rest[c]]);
  return all > 0 ? Math.max(0, 1 - energyOf(other, [rest[c]], [throughFilter(inputs, filter)]) / all) : 0;
}
