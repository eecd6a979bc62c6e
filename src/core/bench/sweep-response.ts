import { cos, log } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import type { Sweep } from "./signal-plan";

/** An impulse response: tap `lead` is time zero. */
export type Impulse = { taps: Float64Array; lead: number; sampleRateHz: number };

/** How much of a response is kept before time zero and after it; edges of it are faded. */
const BEFORE_SECONDS = 0.15;
const AFTER_SECONDS = 0.34;
/** Bins where the sweep is this far under its strongest (power) are not divided by: nothing was sent there. */
const NOTHING_SENT = 1e-8;

/** Signals of one sweep and its surroundings, as they were sent and came back. */
export type SweptPair = { sent: Float32Array; back: Float32Array };

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

/** A stretch of a circular response around a place, faded at both ends. */
function around(circular: Float64Array, at: number, before: number, after: number, sampleRateHz: number): Impulse {
  const taps = new Float64Array(powerOfTwoAtLeast(before + after));
  const edge = Math.floor(before / 4);
  for (let i = 0; i < before + after; i++) {
    const place = (((at - before + i) % circular.length) + circular.length) % circular.length;
    const inside = Math.min(1, (i + 1) / edge, (before + after - i) / edge);
    taps[i] = circular[place] * (inside < 1 ? 0.5 - 0.5 * cos(Math.PI * inside) : 1);
  }
  return { taps, lead: before, sampleRateHz };
}

/** Responses to a sweep: the linear one first, then those of the second to the `most`-th harmonic, each at its own time zero. */
export function impulsesOf(pair: SweptPair, sweep: Sweep, rateHz: number, most = 1): Impulse[] {
  const circular = divided(pair);
  const growth = sweep.growSeconds * rateHz;
  return Array.from({ length: most }, (_, i) => {
    const order = i + 1;
    const at = -growth * log(order);
    // A harmonic ends where the one below it begins.
    const room = order === 1 ? AFTER_SECONDS * rateHz : growth * log(order / (order - 1)) * 0.8;
    const before = order === 1 ? BEFORE_SECONDS * rateHz : growth * log((order + 1) / order) * 0.15;
    return around(circular, Math.round(at), Math.round(before), Math.round(room), rateHz);
  });
}

/** Rings that are still there this late after time zero are longer than the signal has room for. */
const LATE_SECONDS = [0.18, 0.28] as const;
/** So much of all energy has to lie there, and so many times what lies as far before (noise lies everywhere). */
const LATE_SHARE = 1e-4;
const OVER_EARLIER = 10;

/** Whether a response rings on beyond what is kept of it: a reverb, an echo. */
export function ringsOn({ taps, lead, sampleRateHz }: Impulse): boolean {
  const energy = (from: number, to: number) => {
    let sum = 0;
    for (let i = Math.max(0, Math.round(from)); i < Math.min(taps.length, to); i++) sum += taps[i] * taps[i];
    return sum;
  };
  const [from, to] = LATE_SECONDS.map((s) => lead + s * sampleRateHz);
  const late = energy(from, to);
  const earlier = energy(0, 0.7 * lead);
  return late > LATE_SHARE * energy(0, taps.length) && late > OVER_EARLIER * earlier;
}

/** The spectrum of a response with its time zero at the first sample. */
export function spectrumOf({ taps, lead }: Impulse, more = 1): Float64Array {
  const size = taps.length * more;
  const turned = new Float64Array(size);
  for (let i = 0; i < taps.length; i++) turned[(i - lead + size) % size] = taps[i];
  return forwardReal(turned, size);
}
