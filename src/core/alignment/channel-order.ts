import type { Polarity } from "./alignment";
import { crossSpectrum } from "./cross-spectrum";
import { fullerView, type View, type ViewKind, type Views } from "./view";

/** How a render's mid and side come from the reference's: the same, or each from the other (one channel upside down). */
export type Crossing = "straight" | "crossed";

/** Polarity and order of channels that the signs of mid and side stand for. */
export type ChannelOrder = { polarity: { left: Polarity; right: Polarity }; swapped: boolean };

/** The weaker of mid and side speaks only when it is shared this well, and not further down than this (power). */
const LEAST_AGREEMENT = 0.5;
const LEAST_POWER_SHARE = 1e-6;

export const otherKind = (kind: ViewKind): ViewKind => (kind === "mid" ? "side" : "mid");

/**
 * Reads polarity and channel order off the signs with which the fuller and the other view of the reference turn up in the
 * render. With m, s for mid and side, each of the eight orders sends (m, s) to its own pair of signs:
 * as it is (m, s), both flipped (−m, −s), swapped (m, −s), swapped and flipped (−m, s); crossed: left flipped (m → −s, s → −m),
 * right flipped (m → s, s → m), swapped with one flipped the two mixed ones.
 */
export function channelOrder(
  reference: Views,
  render: Views,
  crossing: Crossing,
  starts: readonly number[],
  delayAt: (frame: number) => number,
  fullerSign: Polarity,
): ChannelOrder {
  const fuller = fullerView(reference);
  const weakerSign = weakerViewSign(reference, render, crossing, starts, delayAt, fuller);
  if (crossing === "straight") {
    const [mid, side] =
      fuller.kind === "mid" ? [fullerSign, weakerSign ?? fullerSign] : [weakerSign ?? fullerSign, fullerSign];
    // Signs that differ are a swap; the polarity is that of the mid, which a swap leaves alone.
    return { polarity: { left: mid, right: mid }, swapped: mid !== side };
  }
  // Crossed: what the reference's mid became in the render's side, and its side in the render's mid.
  const [midSign, sideSign] =
    fuller.kind === "mid" ? [fullerSign, weakerSign ?? fullerSign] : [weakerSign ?? fullerSign, fullerSign];
  const right: Polarity = sideSign === 1 ? -1 : 1;
  return { polarity: { left: right === 1 ? -1 : 1, right }, swapped: midSign !== sideSign };
}

function weakerViewSign(
  reference: Views,
  render: Views,
  crossing: Crossing,
  starts: readonly number[],
  delayAt: (frame: number) => number,
  fuller: View,
): Polarity | null {
  const from = reference[otherKind(fuller.kind)];
  const to = render[crossing === "straight" ? otherKind(fuller.kind) : fuller.kind];
  if (!from || !to || from.energy < LEAST_POWER_SHARE * fuller.energy) return null;
  const spectrum = crossSpectrum(from, to, starts, delayAt);
  if (!spectrum) return null;
  let sum = 0;
  let weights = 0;
  spectrum.shared.forEach((shared, k) => {
    sum += shared * spectrum.phasors[2 * k];
    weights += shared;
  });
  if (weights === 0 || Math.abs(sum) < LEAST_AGREEMENT * weights) return null;
  return sum < 0 ? -1 : 1;
}
