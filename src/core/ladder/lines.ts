import { dbFromAmplitude } from "../audio/decibels";
import { log } from "../audio/exact-math";
import { forwardReal } from "../audio/fft";
import { hannWindow } from "../audio/window";
import type { PairSignals } from "./pair-signals";

/** A steady tone: its frequency, its peak level, and its energy in the judged frames. */
export type Line = { hertz: number; levelDbfs: number; energy: number };

/** A line stands out of its surroundings by this factor of power, in the average… */
const OUT = 60;
/** … and at each of the moments looked at it lies within this factor (4 dB) of it. */
const STEADY = 2.5;
/** Of the bins on either side these are its surroundings. */
const [NEAR, FAR] = [6, 20];
const LEAST_SEGMENTS = 4;
/** … and holds at least this share (−30 dB) of what the sound itself has there. */
const LEAST_OF_SOUND = 0.001;
/** A softer line is none (dBFS). */
const LEAST_DBFS = -110;
const MOST_LINES = 12;
/** No window is longer. */
const MOST_SECONDS = 1.5;

/** Steady tones in what a chain leaves, lowest first. */
export function linesIn(pair: PairSignals, rest: readonly Float64Array[], explained: readonly Float64Array[]): Line[] {
  const rateHz = pair.sampleRateHz;
  const shortest = Math.min(...pair.stretches.map(({ frames }) => frames));
  let size = 256;
  while (size * 2 <= shortest && size < MOST_SECONDS * rateHz) size *= 2;
  while (size > 4096 && pair.judgedFrames / size < LEAST_SEGMENTS) size /= 2;
  const window = hannWindow(size);
  const bins = size / 2 + 1;
  const powersAt = (signals: readonly Float64Array[], at: number) => {
    const power = new Float64Array(bins);
    for (const signal of signals) {
      const spectrum = forwardReal(
        window.map((w, i) => w * signal[at + i]),
        size,
      );
      for (let k = 0; k < bins; k++) power[k] += spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
    }
    return power;
  };
  const segments: Float64Array[] = [];
  const sound = new Float64Array(bins);
  for (const { from, frames } of pair.stretches)
    for (let at = from; at + size <= from + frames; at += size / 2) {
      segments.push(powersAt(rest, at));
      const own = powersAt(explained, at);
      for (let k = 0; k < bins; k++) sound[k] += own[k];
    }
  if (segments.length < LEAST_SEGMENTS) return [];
  const average = new Float64Array(bins);
  for (const power of segments) for (let k = 0; k < bins; k++) average[k] += power[k] / segments.length;
  const lines: Line[] = [];
  for (let k = 3; k + 3 < bins; k++) {
    if (average[k] < average[k - 1] || average[k] < average[k + 1]) continue;
    const peak = average[k - 1] + average[k] + average[k + 1];
    const around: number[] = [];
    for (let d = NEAR; d <= FAR; d++) around.push(average[k - d] ?? 0, average[k + d] ?? 0);
    const floor = around.toSorted((a, b) => a - b)[around.length >> 1];
    if (!(peak > OUT * 3 * floor) || peak === 0) continue;
    const isSteady = segments.every((power) => {
      const own = power[k - 1] + power[k] + power[k + 1];
      return own * STEADY > peak && own < STEADY * peak;
    });
    // A held note of the sound itself, a little off, is no line that was added.
    const own = (sound[k - 1] + sound[k] + sound[k + 1]) / segments.length;
    if (!isSteady || peak < LEAST_OF_SOUND * own) continue;
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
    });
  }
  return lines
    .toSorted((a, b) => b.energy - a.energy)
    .slice(0, MOST_LINES)
    .toSorted((a, b) => a.hertz - b.hertz);
}

/** Mains frequencies, and how far they wander (Hz). */
const MAINS_HZ = [50, 60];
const WANDERS_HZ = 0.6;

/** Lines that belong to the mains: the fundamental told by its own frequency, and multiples of it. */
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
    hum: { hertz: weighed, levelDbfs: loudest.levelDbfs, energy, lines: found.own },
    others: lines.filter((l) => !found.own.includes(l)),
  };
}
