import { powerOfTwoAtLeast } from "../audio/fft";
import type { Views } from "./view";

/** A segment lasts at least this long: 8192 samples at 44.1 and 48 kHz. */
const SEGMENT_SECONDS = 0.12;
/** Parts of the passage that are looked at by themselves, and segments in each. */
const GROUP_COUNT = 16;
const SEGMENTS_A_GROUP = 4;

/** Frames of one segment, a power of two, the same stretch of time at every rate. */
export const segmentFrames = (sampleRateHz: number): number => powerOfTwoAtLeast(SEGMENT_SECONDS * sampleRateHz);

/** Neighbouring segments of one part of the passage, by the reference frames they start at. */
export type Group = {
  starts: number[];
  middleFrame: number;
  /** The one with most of the sound. */
  loudestStart: number;
};

/** Energy of a clip in the block around a frame. */
function energyAround({ channels, blockFrames }: Views, start: number): number {
  const block = start / blockFrames;
  const below = Math.floor(block);
  const share = block - below;
  return channels.reduce(
    (sum, { blockEnergies: e }) =>
      sum + (1 - share) * (e[below] ?? 0) + (e[below + 1] ?? 0) + share * (e[below + 2] ?? 0),
    0,
  );
}

/** Segments that hang over an end are used where those inside hold less than this of the sound, or the very ends more than that. */
const LEAST_INSIDE = 0.1;
const MOST_AT_ENDS = 0.5;

/**
 * The run of half-overlapping segments with most of the sound that both have, in each of sixteen parts of the stretch that both
 * cover when the render is late by `delay`. Where a file was cut hard, a filter or a fraction of a sample has made something else of
 * the cut in the render: segments lie inside, unless the sound is all at an end. Then the first begins half a segment early, so
 * that the first frame counts in full.
 */
export function groupsOf(reference: Views, render: Views, delay: number): Group[] {
  const hop = reference.blockFrames;
  const from = Math.max(0, -delay);
  const to = Math.min(reference.frames, render.frames - delay);
  const powersIn = (first: number, end: number) =>
    Array.from({ length: Math.max(0, end - first) }, (_, i) => {
      const start = (first + i) * hop;
      return Math.sqrt(energyAround(reference, start) * energyAround(render, start + delay));
    });
  const inside = { first: Math.ceil(from / hop), end: Math.floor(to / hop) - 1 };
  const over = { first: Math.floor(from / hop) - 1, end: Math.ceil(to / hop) };
  const insidePowers = powersIn(inside.first, inside.end);
  const overPowers = powersIn(over.first, over.end);
  const sum = (powers: number[]) => powers.reduce((a, b) => a + b, 0);
  const hangsOver =
    insidePowers.length < 2 ||
    sum(insidePowers) < LEAST_INSIDE * sum(overPowers) ||
    Math.max(reference.endShare, render.endShare) > MOST_AT_ENDS;
  return grouped(hangsOver ? overPowers : insidePowers, hangsOver ? over.first : inside.first, hop);
}

function loudestOf(powers: readonly number[], from: number, to: number): number {
  let loudest = from;
  for (let i = from + 1; i < to; i++) if (powers[i] > powers[loudest]) loudest = i;
  return loudest;
}

/** The loudest run in each part of the segments, which follow each other by `hop` frames from the block `first` on. */
function grouped(powers: readonly number[], first: number, hop: number): Group[] {
  const count = Math.min(GROUP_COUNT, Math.max(1, Math.floor(powers.length / 2)));
  const size = powers.length / count;
  return Array.from({ length: count }, (_, g) => {
    const [from, to] = [Math.floor(g * size), Math.floor((g + 1) * size)];
    const powerFrom = (i: number) => powers.slice(i, Math.min(to, i + SEGMENTS_A_GROUP)).reduce((a, b) => a + b, 0);
    let best = from;
    for (let i = from + 1; i + SEGMENTS_A_GROUP <= to; i++) if (powerFrom(i) > powerFrom(best)) best = i;
    const taken = Math.min(SEGMENTS_A_GROUP, to - best);
    return {
      starts: Array.from({ length: taken }, (_, i) => (first + best + i) * hop),
      middleFrame: (first + best + (taken + 1) / 2) * hop,
      loudestStart: (first + loudestOf(powers, best, best + taken)) * hop,
      power: powerFrom(best),
    };
  }).filter((group) => group.power > 0);
}
