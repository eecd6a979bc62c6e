import { asStereo, type Clip, energy, frameCount } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { differenceEnergy, innerProduct } from "../kernels/sums";

/** Both clips on the frames they share, mono given to both sides when the other is stereo. */
function paired(here: Clip, yonder: Clip): { here: Clip; yonder: Clip; frames: number } {
  const sameChannels = here.channels.length === yonder.channels.length;
  return {
    here: sameChannels ? here : asStereo(here),
    yonder: sameChannels ? yonder : asStereo(yonder),
    frames: Math.min(frameCount(here), frameCount(yonder)),
  };
}

/**
 * RMS of (Yonder · yonderGain − Here) over the RMS of Here, in dB, over all channels of the frames both have.
 * null when the residual is digital silence or Here is silent (there is no figure).
 */
export function residualDb(here: Clip, yonder: Clip, yonderGain: number): number | null {
  const pair = paired(here, yonder);
  let residual = 0;
  let reference = 0;
  pair.here.channels.forEach((a, c) => {
    const b = pair.yonder.channels[c];
    const here = a.subarray(0, pair.frames);
    residual += differenceEnergy(here, b, yonderGain);
    reference += innerProduct(here, here);
  });
  return residual > 0 && reference > 0 ? dbFromPower(residual / reference) : null;
}

/** Σ here², Σ yonder² and Σ here · yonder over all channels of the frames both have. */
export function pairEnergies(here: Clip, yonder: Clip): { here: number; yonder: number; product: number } {
  const pair = paired(here, yonder);
  const energies = { here: 0, yonder: 0, product: 0 };
  pair.here.channels.forEach((channel, c) => {
    const a = channel.subarray(0, pair.frames);
    const b = pair.yonder.channels[c].subarray(0, pair.frames);
    energies.here += innerProduct(a, a);
    energies.yonder += innerProduct(b, b);
    energies.product += innerProduct(a, b);
  });
  return energies;
}

/** The one gain (linear) on Yonder that leaves the smallest residual: ⟨here, yonder⟩ / ⟨yonder, yonder⟩; 0 if silent. */
export function leastSquaresGain(here: Clip, yonder: Clip): number {
  const { yonder: power, product } = pairEnergies(here, yonder);
  return power > 0 ? product / power : 0;
}

export type Identity = "bit" | "24-bit" | "16-bit" | "no";

/**
 * Whether two clips in step hold the same samples: bit for bit, or equal to within one least significant bit of 24 or
 * 16 (so a file and its truncation to that size count as one). Compared without any gain, on the frames both have.
 */
export function identityOf(here: Clip, yonder: Clip): Identity {
  const pair = paired(here, yonder);
  if (energy(pair.here) === 0 && energy(pair.yonder) === 0) return "bit";
  let largest = 0;
  pair.here.channels.forEach((a, c) => {
    const b = pair.yonder.channels[c];
    for (let i = 0; i < pair.frames; i++) largest = Math.max(largest, Math.abs(a[i] - b[i]));
  });
  if (largest === 0) return "bit";
  if (largest <= 2 ** -23) return "24-bit";
  return largest <= 2 ** -15 ? "16-bit" : "no";
}
