import { localDelay, SEGMENT_FRAMES } from "./local-delay";

const GROUP_COUNT = 12;
const SEGMENTS_A_GROUP = 6;
const FEWEST_GROUPS = 4;
const SHORTEST_SECONDS = 4;
/** A slope under three standard errors is not told from none. */
const STANDARD_ERRORS = 3;

/**
 * Clock drift in ppm from delays found along the passage: positive when the render falls ever later, as one recorded on
 * a clock that runs fast does. 0 when it cannot be told from none, null when the passage is too short or too uneven.
 */
export function measureDriftPpm(
  reference: Float32Array,
  render: Float32Array,
  delaySamples: number,
  sampleRateHz: number,
): number | null {
  const from = Math.max(0, -delaySamples);
  const to = Math.min(reference.length, render.length - delaySamples);
  if (to - from < SHORTEST_SECONDS * sampleRateHz) return null;
  const groupFrames = (to - from) / GROUP_COUNT;
  const hop = Math.min(SEGMENT_FRAMES / 2, groupFrames / SEGMENTS_A_GROUP);
  const points: { x: number; y: number; weight: number }[] = [];
  for (let g = 0; g < GROUP_COUNT; g++) {
    const middle = from + (g + 0.5) * groupFrames;
    const starts = Array.from({ length: SEGMENTS_A_GROUP }, (_, i) =>
      Math.round(middle + (i - (SEGMENTS_A_GROUP - 1) / 2) * hop - SEGMENT_FRAMES / 2),
    );
    const found = localDelay(reference, render, starts, delaySamples);
    if (found) points.push({ x: middle, y: found.delaySamples, weight: found.agreement ** 2 });
  }
  const strongest = Math.max(0, ...points.map((p) => p.weight));
  const kept = points.filter((p) => p.weight > 0.1 * strongest);
  return kept.length < FEWEST_GROUPS ? null : slopePpm(kept);
}

/** Weighted straight line through the points; 0 when the slope is within three standard errors of nothing. */
function slopePpm(points: { x: number; y: number; weight: number }[]): number {
  const total = points.reduce((s, p) => s + p.weight, 0);
  const meanX = points.reduce((s, p) => s + p.weight * p.x, 0) / total;
  const meanY = points.reduce((s, p) => s + p.weight * p.y, 0) / total;
  const spread = points.reduce((s, p) => s + p.weight * (p.x - meanX) ** 2, 0);
  const slope = points.reduce((s, p) => s + p.weight * (p.x - meanX) * (p.y - meanY), 0) / spread;
  const misfit = points.reduce((s, p) => s + p.weight * (p.y - meanY - slope * (p.x - meanX)) ** 2, 0);
  const error = Math.sqrt(misfit / (points.length - 2) / spread);
  return Math.abs(slope) < STANDARD_ERRORS * error || slope === 0 ? 0 : slope * 1e6;
}
