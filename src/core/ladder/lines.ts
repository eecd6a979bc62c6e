import { addCross, crossSums } from "../audio/cross-spectra";
import { dbFromAmplitude } from "../audio/decibels";
import { atan2, cos, log, sin } from "../audio/exact-math";
import { windowedSpectrum } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { addTimes } from "../numeric/vectors";
import type { PairSignals } from "./pair-signals";

/**
 * A steady tone: its frequency, its peak level, its energy in the judged frames, its power beside what the sound itself has there, and the residual's beside the sound
 * around it, to a sixth of an octave.
 */
export type Line = { hertz: number; levelDbfs: number; energy: number; overSound: number; shareAround: number };

/** A line stands out of its surroundings by this factor of power, in the average… */
const OUT = 60;
/** … and at each of the moments looked at it lies within this factor (4 dB) of it. */
const STEADY = 2.5;
/** Of the bins on either side these are its surroundings. */
const [NEAR, FAR] = [6, 20];
const LEAST_SEGMENTS = 4;
/** … and holds at least this share (−30 dB) of what the sound itself has there, or does not go together with it (coherence). */
const LEAST_OF_SOUND = 0.001;
const GOES_TOGETHER = 0.7;
/** A softer line is none (dBFS). */
const LEAST_DBFS = -110;
const MOST_LINES = 12;
/** So near (Hz) to a line this much louder (dB), a peak is that one's skirt under the window, or what remains of it once it is subtracted. */
const SKIRT_HERTZ = 8;
const SKIRT_DB = 40;

const isSkirt = (line: Line, others: readonly Line[]): boolean =>
  others.some((o) => Math.abs(o.hertz - line.hertz) < SKIRT_HERTZ && o.levelDbfs > line.levelDbfs + SKIRT_DB);

/** No window is longer. */
const MOST_SECONDS = 1.5;

/** Steady tones in what a chain leaves, lowest first; `known` were taken off before. */
export function linesIn(
  pair: PairSignals,
  rest: readonly Float64Array[],
  explained: readonly Float64Array[],
  known: readonly Line[] = [],
): Line[] {
  const rateHz = pair.sampleRateHz;
  const shortest = Math.min(...pair.stretches.map(({ frames }) => frames));
  let size = 256;
  while (size * 2 <= shortest && size < MOST_SECONDS * rateHz) size *= 2;
  while (size > 4096 && pair.judgedFrames / size < LEAST_SEGMENTS) size /= 2;
  const window = hannWindow(size);
  const bins = size / 2 + 1;
  const segments: Float64Array[] = [];
  const soundSegments: Float64Array[] = [];
  const sums = rest.map(() => crossSums(bins));
  const [sound, whole] = [new Float64Array(bins), new Float64Array(bins)];
  for (const { from, frames } of pair.stretches)
    for (let at = from; at + size <= from + frames; at += size / 2) {
      const [power, soundPower] = [new Float64Array(bins), new Float64Array(bins)];
      for (const [c, signal] of rest.entries()) {
        const own = windowedSpectrum(signal, at, window);
        const other = windowedSpectrum(explained[c], at, window);
        addPower(power, own);
        addPower(soundPower, other);
        addCross(sums[c], own, other);
      }
      segments.push(power);
      soundSegments.push(soundPower);
    }
  for (const { xx, yy } of sums) {
    addTimes(whole, 1, xx);
    addTimes(sound, 1, yy);
  }
  /** How far the residual goes together with the sound at a bin, 0 to 1. */
  const together = (k: number) =>
    sound[k] > 0 && whole[k] > 0
      ? sums.reduce((sum, { re, im }) => sum + re[k] ** 2 + im[k] ** 2, 0) * (rest.length / (sound[k] * whole[k]))
      : 0;
  if (segments.length < LEAST_SEGMENTS) return [];
  const average = new Float64Array(bins);
  for (const power of segments) addTimes(average, 1 / segments.length, power);
  const lines: Line[] = [];
  for (let k = 3; k + 3 < bins; k++) {
    if (average[k] < average[k - 1] || average[k] < average[k + 1]) continue;
    const { peak, floor } = standing(average, k);
    if (!(peak > OUT * 3 * floor) || peak === 0) continue;
    const isSteady = isSteadyAt(segments, k, peak);
    // A held note of the sound itself, a little off, is no line that was added.
    const own = (sound[k - 1] + sound[k] + sound[k + 1]) / segments.length;
    if (!isSteady || (peak < LEAST_OF_SOUND * own && together(k) > GOES_TOGETHER)) continue;
    if (isOvertone(soundSegments, sound, k, peak)) continue;
    // A parabola through the logarithms of a Hann window's three bins.
    const [a, b, c] = [log(average[k - 1]), log(average[k]), log(average[k + 1])];
    const shift = (0.5 * (a - c)) / (a - 2 * b + c);
    // The three middle bins of a Hann window hold all but a thousandth of a sine: amplitude² · size² · 3/32.
    const power = Math.max(0, peak - 3 * floor) / rest.length;
    const amplitude = Math.sqrt((power * 32) / 3) / size;
    if (dbFromAmplitude(amplitude) < LEAST_DBFS) continue;
    lines.push({
      hertz: ((k + shift) * rateHz) / size,
      levelDbfs: dbFromAmplitude(amplitude),
      energy: (amplitude ** 2 / 2) * pair.judgedFrames * rest.length,
      overSound: own > 0 ? peak / own : Number.POSITIVE_INFINITY,
      shareAround: shareAround(whole, sound, k),
    });
  }
  return lines
    .filter((line) => !isSkirt(line, known) && !isSkirt(line, lines))
    .toSorted((a, b) => b.energy - a.energy)
    .slice(0, MOST_LINES)
    .toSorted((a, b) => a.hertz - b.hertz);
}

/** A peak of three bins, and the middle of what lies around it. */
function standing(power: Float64Array, k: number): { peak: number; floor: number } {
  const around: number[] = [];
  for (let d = NEAR; d <= FAR; d++) around.push(power[k - d] ?? 0, power[k + d] ?? 0);
  return { peak: power[k - 1] + power[k] + power[k + 1], floor: around.toSorted((a, b) => a - b)[around.length >> 1] };
}

const isSteadyAt = (segments: readonly Float64Array[], k: number, peak: number): boolean =>
  segments.every((power) => {
    const own = power[k - 1] + power[k] + power[k + 1];
    return own * STEADY > peak && own < STEADY * peak;
  });

/** Harmonics that a curve makes of a note that is held are as steady as the note: up to so many. */
const MOST_OVERTONE = 7;
/** Of notes that beat with each other a curve makes sums, too: so near, by share, to a harmonic of one of them. */
const NOTES_APART = 0.01;

/** Whether a line is a harmonic of a steady note of the sound itself, which is louder: a curve makes those, too. */
function isOvertone(segments: readonly Float64Array[], sound: Float64Array, k: number, peak: number): boolean {
  for (let order = 2; order <= MOST_OVERTONE; order++) {
    const about = Math.max(1, NOTES_APART * (k / order));
    for (let at = Math.floor(k / order - about); at <= Math.ceil(k / order + about); at++) {
      if (at < FAR || sound[at] < sound[at - 1] || sound[at] < sound[at + 1]) continue;
      const note = standing(sound, at);
      const ownPeak = note.peak / segments.length;
      if (note.peak > OUT * 3 * note.floor && ownPeak > peak && isSteadyAt(segments, at, ownPeak)) return true;
    }
  }
  return false;
}

function addPower(power: Float64Array, spectrum: Float64Array): void {
  for (let k = 0; k < power.length; k++) {
    const re = spectrum[2 * k];
    const im = spectrum[2 * k + 1];
    power[k] += re * re + im * im;
  }
}

const SIXTH_OF_AN_OCTAVE = 2 ** (1 / 6);

/** A residual's power over the sound's around a bin, a line there left out. */
function shareAround(residual: Float64Array, sound: Float64Array, bin: number): number {
  // Nearer, a line and a note both have the window's skirts.
  const from = Math.max(1, Math.min(bin - 3 * FAR, Math.floor(bin / SIXTH_OF_AN_OCTAVE)));
  const end = Math.min(sound.length, Math.max(bin + 3 * FAR, Math.ceil(bin * SIXTH_OF_AN_OCTAVE)) + 1);
  let part = 0;
  let all = 0;
  for (let k = from; k < end; k++) {
    if (Math.abs(k - bin) <= FAR) continue;
    part += residual[k];
    all += sound[k];
  }
  return all > 0 ? part / all : 0;
}

/** A line stands this much (20 dB) above the residual's share of all other sound: a held note has that share in it, too. */
const ABOVE_RESIDUAL = 100;
/** Lines that are more than a held note's part of a residual, of all of it and around them; `residualShare` is that of Yonder's energy without them. */
export const aboveResidual = (lines: readonly Line[], residualShare: number): Line[] =>
  lines.filter((line) => line.overSound > ABOVE_RESIDUAL * Math.max(residualShare, line.shareAround));

/** A pair with lines taken out of Yonder, stretch by stretch and channel by channel, as far as a residual holds them. */
export function withoutLines(pair: PairSignals, rest: readonly Float64Array[], lines: readonly Line[]): PairSignals {
  const yonder = pair.yonder.map((y) => y.slice());
  const reach = pair.stretches[0]?.from ?? 0;
  for (const { hertz } of lines) {
    const exact = refinedHertz(pair, rest, hertz);
    const turn = (2 * Math.PI * exact) / pair.sampleRateHz;
    for (const { from, frames } of pair.stretches)
      for (const [c, signal] of rest.entries()) {
        const { re, im } = projected(signal, from, frames, turn);
        for (let n = -reach; n < frames + reach; n++) {
          const at = from + n;
          if (at >= 0 && at < yonder[c].length) yonder[c][at] -= re * cos(turn * n) + im * sin(turn * n);
        }
      }
  }
  return { ...pair, yonder };
}

/** A frequency by how its phase goes on from the first half of each stretch to the second. */
function refinedHertz({ stretches, sampleRateHz }: PairSignals, rest: readonly Float64Array[], start: number): number {
  let hertz = start;
  for (let round = 0; round < REFINING_ROUNDS; round++) {
    const turn = (2 * Math.PI * hertz) / sampleRateHz;
    let [re, im, half] = [0, 0, 0];
    for (const { from, frames } of stretches) {
      half = frames >> 1;
      for (const signal of rest) {
        const a = projected(signal, from, half, turn);
        const b = projected(signal, from + half, half, turn);
        // Each phase counts from its own first frame: the second is turned back to the first one's.
        const [c, s] = [cos(turn * half), sin(turn * half)];
        const [br, bi] = [b.re * c - b.im * s, b.re * s + b.im * c];
        re += a.re * br + a.im * bi;
        im += a.re * bi - a.im * br;
      }
    }
    if (half === 0 || (re === 0 && im === 0)) return hertz;
    hertz -= (atan2(im, re) * sampleRateHz) / (2 * Math.PI * half);
  }
  return hertz;
}
const REFINING_ROUNDS = 3;

/** What of a stretch is re · cos + im · sin of a frequency, counted from its first frame. */
function projected(signal: Float64Array, from: number, frames: number, turn: number) {
  let [xc, xs, cc, ss, cs] = [0, 0, 0, 0, 0];
  for (let n = 0; n < frames; n++) {
    const c = cos(turn * n);
    const s = sin(turn * n);
    const v = signal[from + n];
    xc += v * c;
    xs += v * s;
    cc += c * c;
    ss += s * s;
    cs += c * s;
  }
  const determinant = cc * ss - cs * cs;
  return determinant > 0
    ? { re: (xc * ss - xs * cs) / determinant, im: (xs * cc - xc * cs) / determinant }
    : { re: 0, im: 0 };
}

/** Mains frequencies, and how far they wander (Hz). */
const MAINS_HZ = [50, 60];
const WANDERS_HZ = 0.6;

/** Lines that belong to the mains: the fundamental judged by its own frequency, and multiples of it. */
export function humOf(lines: readonly Line[]): { hum: (Line & { lines: readonly Line[] }) | null; others: Line[] } {
  const found = MAINS_HZ.map((mains) => {
    const own = lines.filter(({ hertz }) => {
      const multiple = Math.round(hertz / mains);
      return multiple >= 1 && multiple <= 12 && Math.abs(hertz / multiple - mains) < WANDERS_HZ;
    });
    // A multiple alone may be any tone: the fundamental or two multiples make it hum.
    const isHum = own.length >= 2 || own.some(({ hertz }) => Math.abs(hertz - mains) < WANDERS_HZ);
    return { mains, own: isHum ? own : [] };
  }).toSorted((a, b) => b.own.reduce((s, l) => s + l.energy, 0) - a.own.reduce((s, l) => s + l.energy, 0))[0];
  if (found.own.length === 0) return { hum: null, others: [...lines] };
  const energy = found.own.reduce((total, l) => total + l.energy, 0);
  const weighed =
    found.own.reduce((total, l) => total + (l.energy * l.hertz) / Math.round(l.hertz / found.mains), 0) / energy;
  const loudest = found.own.reduce((a, b) => (b.energy > a.energy ? b : a));
  return {
    hum: { ...loudest, hertz: weighed, energy, lines: found.own },
    others: lines.filter((l) => !found.own.includes(l)),
  };
}
