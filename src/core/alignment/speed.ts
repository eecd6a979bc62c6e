import type { Coarse } from "./coarse-signals";
import { coarseCorrelations } from "./correlate";
import type { DelayLine } from "./delay-line";
import { type Material, partDelay } from "./place";

/** Where in the passage the search for another speed begins, in turn. */
const SEEDS = [0.5, 0.3, 0.7];
/** Places a seed proposes. */
const SEED_PLACES = 3;
/** Speeds this far apart are followed: half a semitone. */
const STEEPEST_SLOPE = 0.03;
/** From a line through the last places a part lies this far at the most, in samples. */
const OFF_LINE_SAMPLES = 6;
/** So many places have to lie on one line. */
const FEWEST_ON_LINE = 6;
/** Steps away from the seed, in segments; the last is taken again and again to the ends. */
const STEPS = [0.5, 0.5, 1, 2, 4, 8, 16, 32];
/** A walk that has lost its way so often in a row is over. */
const MOST_LOST = 3;

type Spot = { frame: number; delaySamples: number };

/**
 * The line of delay of a render that runs at another speed, in samples of the full rate: a short stretch is found by itself, then its
 * neighbours further and further out along the line they make. null where they do not make one, or one that is level.
 */
export function speedLine(material: Material, coarse: Coarse, frames: number): DelayLine | null {
  const { reference } = material;
  const length = Math.max(256, Math.round((2 * frames) / coarse.decimation));
  let best: Spot[] = [];
  for (const share of SEEDS) {
    const start = Math.round(share * (coarse.a.length - length));
    if (start < 0) return null;
    const { whitened, halfWhitened } = coarseCorrelations(
      coarse.a.subarray(start, start + length),
      coarse.b,
      SEED_PLACES,
      3,
    );
    const frame = (start + length / 2) * coarse.decimation;
    for (const { lag } of [...halfWhitened(), ...whitened]) {
      const spots = walk(
        material,
        { frame, delaySamples: (lag - start) * coarse.decimation },
        frames,
        reference.frames,
      );
      if (spots.length > best.length) best = spots;
    }
    if (best.length >= 2 * FEWEST_ON_LINE) break;
  }
  if (best.length < FEWEST_ON_LINE) return null;
  const line = lineThrough(best);
  // What slides by less than a segment's search over the passage is found without help.
  return Math.abs(line.slope) * reference.frames < frames / 64 ? null : line;
}

/** The places on one line with a seed, outward to both ends. */
function walk(material: Material, seed: Spot, frames: number, length: number): Spot[] {
  const first = partDelay(material, seed.frame, seed.delaySamples, frames);
  if (first === null) return [];
  const spots: Spot[] = [{ frame: seed.frame, delaySamples: first }];
  for (const direction of [1, -1]) {
    let frame = seed.frame;
    let lost = 0;
    for (let i = 0; lost < MOST_LOST; i++) {
      const step = STEPS[Math.min(i, STEPS.length - 1)] * frames;
      frame += direction * step;
      if (frame < 0 || frame > length) break;
      const line = spots.length < 2 ? { delaySamples: first, slope: 0 } : lineThrough(spots);
      const expected = line.delaySamples + line.slope * frame;
      const found = partDelay(material, frame, expected, frames);
      const reach = spots.length < 3 ? STEEPEST_SLOPE * Math.abs(frame - seed.frame) : OFF_LINE_SAMPLES;
      if (found === null || Math.abs(found - expected) > reach) lost++;
      else {
        lost = 0;
        spots.push({ frame, delaySamples: found });
      }
    }
  }
  return spots;
}

/** Least squares. */
function lineThrough(spots: readonly Spot[]): DelayLine {
  const mean = (of: (spot: Spot) => number) => spots.reduce((sum, s) => sum + of(s), 0) / spots.length;
  const [frame, delay] = [mean((s) => s.frame), mean((s) => s.delaySamples)];
  const spread = mean((s) => (s.frame - frame) ** 2);
  const slope = spread > 0 ? mean((s) => (s.frame - frame) * (s.delaySamples - delay)) / spread : 0;
  return { delaySamples: delay - slope * frame, slope };
}
