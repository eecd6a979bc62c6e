import type { Clip } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { PIECE_FRAMES, piecesOf, type Sound, soundOf, spareArrays } from "../audio/sound";
import { whileLaid } from "../kernels/kernels";
import { innerProduct, pairSums } from "../kernels/sums";

type Channels = readonly Float32Array[];
type Either = Sound | Clip;

/** Pieces of both on the frames they share, mono given to both sides when the other is stereo; and as they came. */
function* pairedPieces(
  here: Either,
  yonder: Either,
): Generator<{ a: Channels; b: Channels; own: [here: Channels, yonder: Channels] }> {
  const [first, second] = [soundOf(here), soundOf(yonder)];
  const count = Math.max(first.channelCount, second.channelCount);
  const spread = (channels: Channels) => Array.from({ length: count }, (_, c) => channels[c] ?? channels[0]);
  const endFrame = Math.min(first.frames, second.frames);
  const into = spareArrays(second.channelCount, Math.min(PIECE_FRAMES, endFrame));
  for (const { startFrame, channels } of piecesOf(first, { startFrame: 0, endFrame })) {
    const frames = channels[0].length;
    const beside = second.read(startFrame, frames, frames === PIECE_FRAMES ? into : undefined);
    yield { a: spread(channels), b: spread(beside), own: [channels, beside] };
  }
}

/** Samples of one sound and its copy in 16 bits lie this far apart at the most. */
const LARGEST_OF_COPIES = 2 ** -15;

/** Σ here², Σ yonder² and Σ here · yonder over all channels of the frames both have. */
export type PairEnergies = { here: number; yonder: number; product: number };

export type PairMoments = PairEnergies & {
  /** Σ (yonder − here)² */
  difference: number;
  /** Of any two samples. */
  largestDifference: number;
  /** The gain on Yonder that its first sound asked for, and Σ (yonder · tried − here)². */
  triedGain: number;
  triedResidual: number;
};

/**
 * What two sounds aligned are to each other, read once: their energies, and how near their samples lie. `alsoFor` is given the same pieces.
 */
export function pairMoments(
  here: Either,
  yonder: Either,
  alsoFor?: (here: Channels, yonder: Channels) => void,
): PairMoments {
  const moments = {
    here: 0,
    yonder: 0,
    product: 0,
    difference: 0,
    largestDifference: 0,
    triedGain: 0,
    triedResidual: 0,
  };
  for (const { a, b, own } of pairedPieces(here, yonder)) {
    whileLaid([...a, ...b], () => {
      alsoFor?.(...own);
      if (moments.yonder === 0) moments.triedGain = gainOfPiece(a, b);
      for (const [c, channel] of a.entries()) {
        const sums = pairSums(channel, b[c], moments.triedGain);
        moments.here += sums.a;
        moments.yonder += sums.b;
        moments.product += sums.product;
        moments.difference += sums.difference;
        moments.triedResidual += sums.atGain;
        moments.largestDifference = Math.max(moments.largestDifference, sums.largestDifference);
      }
    });
  }
  return moments;
}

/** The gain that lays one piece on the other, never negative. */
function gainOfPiece(here: Channels, yonder: Channels): number {
  let [product, energy] = [0, 0];
  for (const [c, channel] of yonder.entries()) {
    product += innerProduct(here[c], channel);
    energy += innerProduct(channel, channel);
  }
  return energy > 0 ? Math.max(0, product / energy) : 0;
}

/** Σ (yonder · gain − here)² over all channels of the frames both have. */
function residualEnergy(here: Either, yonder: Either, gain: number): number {
  let energy = 0;
  for (const { a, b } of pairedPieces(here, yonder)) {
    for (const [c, channel] of a.entries()) energy += pairSums(channel, b[c], gain).atGain;
  }
  return energy;
}

/** A residual under this share of the energies it is the difference of (−80 dB) does not follow from them: rounding would show. */
const LEAST_BY_DIFFERENCE = 1e-8;

const SAME_GAIN = 1e-12;

/**
 * The energy that is left at a gain: from what is known where that is exact, else by reading both once more. What the tried gain g left
 * leads to a gain g + d: Σ (g y − x + d y)² = Σ (g y − x)² + 2 d Σ (g y − x) y + d² Σ y².
 */
export function residualAt(here: Either, yonder: Either, moments: PairMoments, gain: number): number {
  if (gain === 1) return moments.difference;
  const whole = moments.here + gain * gain * moments.yonder;
  const left = whole - 2 * gain * moments.product;
  if (left > LEAST_BY_DIFFERENCE * whole) return left;
  const further = gain - moments.triedGain;
  // Sums in another order round in another way: a gain no further off than that is the same gain.
  if (moments.triedResidual === 0 && Math.abs(further) <= SAME_GAIN * gain) return 0;
  const slope = moments.triedGain * moments.yonder - moments.product;
  const moved = moments.triedResidual + 2 * further * slope + further * further * moments.yonder;
  return moved > LEAST_BY_DIFFERENCE * moments.triedResidual ? moved : residualEnergy(here, yonder, gain);
}

/** A residual's energy over a reference's in dB; null when it is digital silence or the reference is silent (there is no figure). */
export const residualOverDb = (residual: number, reference: number): number | null =>
  residual > 0 && reference > 0 ? dbFromPower(residual / reference) : null;

/**
 * RMS of (Yonder · yonderGain − Here) over the RMS of Here, in dB, over all channels of the frames both have.
 * null when the residual is digital silence or Here is silent (there is no figure).
 */
export function residualDb(here: Either, yonder: Either, yonderGain: number): number | null {
  const moments = pairMoments(here, yonder);
  return residualOverDb(residualAt(here, yonder, moments, yonderGain), moments.here);
}

/** The same at the gain, never negative, that leaves least. */
export function bestNullDb(here: Either, yonder: Either): number | null {
  const moments = pairMoments(here, yonder);
  return residualOverDb(residualAt(here, yonder, moments, Math.max(0, bestGain(moments))), moments.here);
}

const bestGain = ({ yonder, product }: PairEnergies): number => (yonder > 0 ? product / yonder : 0);

/** The one gain (linear) on Yonder that leaves the smallest residual: ⟨here, yonder⟩ / ⟨yonder, yonder⟩; 0 if silent. */
export const leastSquaresGain = (here: Either, yonder: Either): number => bestGain(pairMoments(here, yonder));

export type Identity = "bit" | "24-bit" | "16-bit" | "no";

/**
 * Whether two sounds aligned hold the same samples: bit for bit, or equal to within one least significant bit of 24 or
 * 16 (so a file and its truncation to that size count as one). Compared without any gain, on the frames both have.
 */
export const identityOf = (here: Either, yonder: Either): Identity =>
  identityWithin(pairMoments(here, yonder).largestDifference);

/** The same from the largest difference of any two samples. */
export function identityWithin(largest: number): Identity {
  if (largest === 0) return "bit";
  if (largest <= 2 ** -23) return "24-bit";
  return largest <= LARGEST_OF_COPIES ? "16-bit" : "no";
}
