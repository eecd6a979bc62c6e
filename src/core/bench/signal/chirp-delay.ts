import { atan2, cos, sin } from "../../audio/exact-math";
import { forwardReal, powerOfTwoAtLeast } from "../../audio/fft";
import type { Sound } from "../../audio/sound";

/** Silence that is looked at around a chirp, and over which it is faded. */
const AROUND_SECONDS = 0.04;
/** The chirps' mean frequency (Hz) and bandwidth times length of one: what bounds a delay between two. */
const MEAN_HZ = 1900;
const TIME_BANDWIDTH = 160;

/** A delay between two places that hold the same chirp, samples; its error (one standard deviation); how alike they are, 0 to 1. */
export type ChirpDelay = { samples: number; errorSamples: number; agreement: number };

/** How much later than `shift` frames a chirp comes at its second places than at its first ones, all channels together: a filter turns both alike. */
export function delayBetween(
  sound: Sound,
  places: readonly { first: number; second: number }[],
  chirpFrames: number,
): ChirpDelay {
  const { sampleRateHz: rate } = sound;
  const around = Math.round(AROUND_SECONDS * rate);
  const length = chirpFrames + 2 * around;
  const size = powerOfTwoAtLeast(2 * length);
  const cross = new Float64Array(size + 2);
  let [energyA, energyB] = [0, 0];
  for (const { first, second } of places) {
    const [a, b] = [first, second].map((at) => sound.read(at - around, length));
    for (const [c, channel] of a.entries()) {
      const [x, y] = [channel, b[c]].map((signal) => forwardReal(softly(signal, around / 2), size));
      for (let i = 0; i < cross.length; i += 2) {
        cross[i] += x[i] * y[i] + x[i + 1] * y[i + 1];
        cross[i + 1] += x[i] * y[i + 1] - x[i + 1] * y[i];
        energyA += x[i] * x[i] + x[i + 1] * x[i + 1];
        energyB += y[i] * y[i] + y[i + 1] * y[i + 1];
      }
    }
  }
  // The phase of the cross-spectrum is a straight line of the delay; a whole part that is left shows as its steepest agreement.
  let delay = 0;
  for (const [step, reach] of LOOKED_AT) {
    let best = { lag: delay, sum: Number.NEGATIVE_INFINITY };
    for (let n = -reach; n <= reach; n++) {
      const lag = delay + n * step;
      const sum = alongLag(cross, size, lag);
      if (sum > best.sum) best = { lag, sum };
    }
    delay = best.lag;
  }
  delay += slopeLeft(cross, size, delay);
  const agreement = Math.max(0, alongLag(cross, size, delay) / Math.sqrt(energyA * energyB || 1));
  // What the chirps do not share bounds how well their distance is known: a part of their period, less by the bandwidth times length of all.
  const unlike = Math.sqrt(Math.max(0, 1 - agreement * agreement));
  const errorSamples = ((unlike / (2 * Math.PI * MEAN_HZ)) * rate) / Math.sqrt(TIME_BANDWIDTH * places.length);
  return { samples: delay, errorSamples, agreement };
}

/** Lags that are looked at around the likeliest: so far apart, so many to each side. */
const LOOKED_AT = [
  [1, 24],
  [0.25, 4],
  [0.05, 6],
] as const;

/** Faded in and out over `edge` samples. */
const softly = (signal: Float32Array, edge: number): Float32Array =>
  signal.map((v, i) => v * Math.min(1, (i + 1) / edge, (signal.length - i) / edge));

/** The real part of a cross-spectrum with a lag taken off. */
function alongLag(cross: Float64Array, size: number, lag: number): number {
  let sum = 0;
  const turn = (2 * Math.PI * lag) / size;
  // A turning pointer: the lag is the same angle from bin to bin.
  let [c, s] = [1, 0];
  const [stepC, stepS] = [cos(turn), sin(turn)];
  for (let i = 0; i < cross.length; i += 2) {
    sum += cross[i] * c - cross[i + 1] * s;
    const next = c * stepC - s * stepS;
    s = c * stepS + s * stepC;
    c = next;
  }
  return sum;
}

/** What a cross-spectrum turns by from bin to bin once a lag is taken off, as samples more: least squares over its strength. */
function slopeLeft(cross: Float64Array, size: number, lag: number): number {
  let [product, weight] = [0, 0];
  for (let k = 1; k < size / 2; k++) {
    const turn = (2 * Math.PI * k * lag) / size;
    const strength = Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2);
    if (strength === 0) continue;
    let angle = atan2(cross[2 * k + 1], cross[2 * k]) + turn;
    angle -= 2 * Math.PI * Math.round(angle / (2 * Math.PI));
    const w = (2 * Math.PI * k) / size;
    product += strength * w * -angle;
    weight += strength * w * w;
  }
  return weight > 0 ? product / weight : 0;
}
