import { cos, sin } from "../audio/exact-math";
import { forwardWindowed } from "../audio/fft";
import { readBetween } from "../audio/read-between";
import { hannWindow } from "../audio/window";
import { summedProducts } from "../kernels/products";
import { type DelayLine, delayOn } from "./delay-line";
import type { Group } from "./segments";
import { stretchesOf, type View } from "./view";

/** What slides by less than this over a segment is laid whole; more is read along its slope (samples). */
const MOST_SLIP = 0.05;
/** Frames the sinc needs to each side. */
const MARGIN = 128;

/** Powers and cross-spectra of reference channels against render channels, summed over segments. Spectra have `frames` / 2 + 1 bins. */
export type PairSums = {
  frames: number;
  /** Segments in the sums. */
  segments: number;
  referencePowers: Float64Array[];
  renderPowers: Float64Array[];
  /** Reference channel i against render channel j at i · (render channels) + j, interleaved: conj(reference) · render. */
  crosses: Float64Array[];
};

export function emptySums(frames: number, referenceCount: number, renderCount: number): PairSums {
  const bins = frames / 2 + 1;
  const powers = (count: number) => Array.from({ length: count }, () => new Float64Array(bins));
  return {
    frames,
    segments: 0,
    referencePowers: powers(referenceCount),
    renderPowers: powers(renderCount),
    crosses: Array.from({ length: referenceCount * renderCount }, () => new Float64Array(2 * bins)),
  };
}

/** a ← a + b */
export function addSums(a: PairSums, b: PairSums): void {
  const add = (to: Float64Array[], from: Float64Array[]) => {
    for (const [i, values] of from.entries()) addTo(to[i], values);
  };
  a.segments += b.segments;
  add(a.referencePowers, b.referencePowers);
  add(a.renderPowers, b.renderPowers);
  add(a.crosses, b.crosses);
}

function addTo(to: Float64Array, from: Float64Array): void {
  for (let k = 0; k < to.length; k++) to[k] += from[k];
}

const windows = new Map<number, Float64Array>();
function windowOf(frames: number): Float64Array {
  const known = windows.get(frames) ?? hannWindow(frames);
  windows.set(frames, known);
  return known;
}

/** Under a Hann window DC lies in the lowest two bins: they are left out, or it would be taken for sound that both share, or that one lacks. */
const DC_BINS = 2;

/** Spectrum of one Hann-windowed stretch without its DC; null when it is silent. */
function windowed(stretch: Float32Array): Float64Array | null {
  if (stretch.every((v) => v === stretch[0])) return null;
  return forwardWindowed(stretch, windowOf(stretch.length)).fill(0, 0, 2 * DC_BINS);
}

/** The spectrum turned forward by part of a sample, in place. */
function turnForward(spectrum: Float64Array, samples: number, frames: number): void {
  const stepRe = cos((2 * Math.PI * samples) / frames);
  const stepIm = sin((2 * Math.PI * samples) / frames);
  let re = 1;
  let im = 0;
  for (let k = 0; k < spectrum.length; k += 2) {
    const x = spectrum[k];
    const y = spectrum[k + 1];
    spectrum[k] = x * re - y * im;
    spectrum[k + 1] = x * im + y * re;
    const next = re * stepRe - im * stepIm;
    im = re * stepIm + im * stepRe;
    re = next;
  }
}

/** The render's stretches that fall on reference frames from `start` on, as their spectra. */
function laid(views: readonly View[], start: number, frames: number, line: DelayLine): (Float64Array | null)[] {
  if (Math.abs(line.slope) * frames < MOST_SLIP) {
    const delay = delayOn(line, start + frames / 2);
    const whole = Math.round(delay);
    const spectra = stretchesOf(views, start + whole, frames).map(windowed);
    if (delay !== whole) {
      for (const spectrum of spectra) if (spectrum) turnForward(spectrum, delay - whole, frames);
    }
    return spectra;
  }
  const from = start + delayOn(line, start);
  const whole = Math.floor(from);
  const spanned = Math.ceil(frames * (1 + Math.abs(line.slope))) + 2 * MARGIN;
  return stretchesOf(views, whole - MARGIN, spanned).map((around) =>
    windowed(readBetween(around, MARGIN + from - whole, 1 + line.slope, frames)),
  );
}

/** Spectra of the reference's segments by their start: they stay while the render is moved under them. */
export type ReferenceSpectra = Map<number, (Float64Array | null)[]>;

function referenceAt(known: ReferenceSpectra, views: readonly View[], start: number, frames: number) {
  const kept = known.get(start);
  if (kept) return kept;
  const [first, second] = views;
  const made = stretchesOf(first === second ? [first] : views, start, frames).map(windowed);
  if (first === second) made.push(made[0]);
  known.set(start, made);
  return made;
}

/** The sums over one group of segments, the render laid on the reference along `line`. */
export function groupSums(
  reference: readonly View[],
  render: readonly View[],
  { starts }: Group,
  frames: number,
  line: DelayLine,
  known: ReferenceSpectra,
): PairSums {
  const taken: { a: (Float64Array | null)[]; b: (Float64Array | null)[] }[] = [];
  for (const start of starts) {
    const a = referenceAt(known, reference, start, frames);
    const b = laid(render, start, frames, line);
    if (a.some((s) => s) && b.some((s) => s)) taken.push({ a, b });
  }
  if (taken.length === 0) return emptySums(frames, reference.length, render.length);
  const products = summedProducts(
    reference.map((_, i) => taken.map(({ a }) => a[i])),
    render.map((_, j) => taken.map(({ b }) => b[j])),
    frames / 2 + 1,
  );
  return { frames, segments: taken.length, ...products };
}
