import { cos } from "../../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../../audio/fft";
import type { Sweep } from "../signal/signal-plan";

/** An impulse response: tap `lead` is time zero. */
export type Impulse = { taps: Float64Array; lead: number; sampleRateHz: number };

/** How much of a response is kept before time zero and after it; edges of it are faded. */
const BEFORE_SECONDS = 0.15;
const AFTER_SECONDS = 0.34;
/** Bins where the sweep is this far under its strongest (power) are not divided by: nothing was sent there. */
const NOTHING_SENT = 1e-8;

/** Signals of one sweep and its surroundings, as they were sent and came back. */
type SweptPair = { sent: Float32Array; back: Float32Array };

/** From where to where a sweep is read: what comes before it and what rings on belongs to it. */
export const sweptStretch = (sweep: Sweep, rateHz: number) => {
  const before = Math.round(BEFORE_SECONDS * rateHz);
  return { startFrame: sweep.startFrame - before, endFrame: sweep.startFrame + sweep.frames + sweep.tailFrames };
};

/** All of what came back over what was sent, as one long circular response: harmonics lie before time zero (Farina 2000). */
function divided({ sent, back }: SweptPair): Float64Array {
  const size = powerOfTwoAtLeast(1.2 * sent.length);
  const x = forwardReal(sent, size);
  const y = forwardReal(back, size);
  let strongest = 0;
  for (let i = 0; i < x.length; i += 2) strongest = Math.max(strongest, x[i] * x[i] + x[i + 1] * x[i + 1]);
  const floor = NOTHING_SENT * strongest;
  for (let i = 0; i < x.length; i += 2) {
    const power = x[i] * x[i] + x[i + 1] * x[i + 1] + floor;
    const re = (y[i] * x[i] + y[i + 1] * x[i + 1]) / power;
    y[i + 1] = (y[i + 1] * x[i] - y[i] * x[i + 1]) / power;
    y[i] = re;
  }
  return inverseReal(y);
}

/** The linear response to a sweep, faded at both ends. */
export function impulseOf(pair: SweptPair, rateHz: number): Impulse {
  const circular = divided(pair);
  const before = Math.round(BEFORE_SECONDS * rateHz);
  const frames = before + Math.round(AFTER_SECONDS * rateHz);
  const taps = new Float64Array(powerOfTwoAtLeast(frames));
  const edge = Math.floor(before / 4);
  for (let i = 0; i < frames; i++) {
    const inside = Math.min(1, (i + 1) / edge, (frames - i) / edge);
    const fade = inside < 1 ? 0.5 - 0.5 * cos(Math.PI * inside) : 1;
    taps[i] = circular[(i - before + circular.length) % circular.length] * fade;
  }
  return { taps, lead: before, sampleRateHz: rateHz };
}

/** Rings that are still there this late after time zero are longer than the signal has room for. */
const LATE_SECONDS = [0.18, 0.28] as const;
/** So much of all energy has to lie there, and so many times what lies as far before (noise lies everywhere). */
const LATE_SHARE = 1e-4;
const OVER_EARLIER = 10;

/** Whether a response rings on beyond what is kept of it: a reverb, an echo. */
export function ringsOn(impulse: Impulse): boolean {
  const { late, all, earlier } = lateEnergies(impulse);
  return late > LATE_SHARE * all && late > OVER_EARLIER * earlier;
}

/** How much of a response's energy lies that late, over all of it. */
export function lateShare(impulse: Impulse): number {
  const { late, all } = lateEnergies(impulse);
  return all > 0 ? late / all : 0;
}

/** Whether it would be seen in one response, over its noise, if it rang as another does. */
export function wouldRing(impulse: Impulse, as: Impulse): boolean {
  const [own, other] = [lateEnergies(impulse), lateEnergies(as)];
  return (other.late / other.all) * own.all > OVER_EARLIER * own.earlier;
}

function lateEnergies({ taps, lead, sampleRateHz }: Impulse): { late: number; all: number; earlier: number } {
  const energy = (from: number, to: number) => {
    let sum = 0;
    for (let i = Math.max(0, Math.round(from)); i < Math.min(taps.length, to); i++) sum += taps[i] * taps[i];
    return sum;
  };
  const [from, to] = LATE_SECONDS.map((s) => lead + s * sampleRateHz);
  return { late: energy(from, to), all: energy(0, taps.length), earlier: energy(0, 0.7 * lead) };
}

/** The spectrum of a response with its time zero at the first sample. */
export function spectrumOf({ taps, lead }: Impulse, more = 1): Float64Array {
  const size = taps.length * more;
  const turned = new Float64Array(size);
  for (let i = 0; i < taps.length; i++) turned[(i - lead + size) % size] = taps[i];
  return forwardReal(turned, size);
}

/** Noise of a response is read well before its time zero, in these parts of that; a response ends where so many seconds of it stand no further over noise (power). */
const NOISE_FROM = 0.15;
const NOISE_TO = 0.6;
const PIECE_SECONDS = 0.004;
const OVER_NOISE = 3;

/** A response without what is noise before and after it: what is convolved by it is not blurred by that. */
export function trimmed(impulse: Impulse): Impulse {
  const { taps, lead, sampleRateHz } = impulse;
  const piece = Math.round(PIECE_SECONDS * sampleRateHz);
  const powerOf = (from: number, to: number) => {
    let sum = 0;
    for (let i = Math.max(0, from); i < Math.min(taps.length, to); i++) sum += taps[i] * taps[i];
    return sum / Math.max(1, to - from);
  };
  const noise = powerOf(Math.round(NOISE_FROM * lead), Math.round(NOISE_TO * lead));
  let [first, last] = [lead, lead];
  while (first > 0 && powerOf(first - piece, first) > OVER_NOISE * noise) first -= piece;
  while (last < taps.length && powerOf(last, last + piece) > OVER_NOISE * noise) last += piece;
  return { ...impulse, taps: taps.map((v, i) => (i >= first - piece && i < last + piece ? v : 0)) };
}

/** So little of a response's energy rings into nothing that is read (−140 dB). */
const NO_SHARE = 1e-14;

/** Whether nothing of a response lies more than so many frames ahead of its time zero, or so many after it. */
export function liesWithin({ taps, lead }: Impulse, ahead: number, after: number): boolean {
  let [all, outside] = [0, 0];
  for (let i = 0; i < taps.length; i++) {
    all += taps[i] * taps[i];
    if (i < lead - ahead || i > lead + after) outside += taps[i] * taps[i];
  }
  return outside <= NO_SHARE * all;
}
