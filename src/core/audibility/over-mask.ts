import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import { type FrameRange, type Sound, withPages } from "../audio/sound";
import { Ear, PLAYBACK_SPL_DB } from "./ear-model";

/** Raise when a noise-to-mask ratio would come out differently. */
export const OVER_MASK_VERSION = 4;

/** Steps of the strip. */
const STEP_SECONDS = 0.1;
/** Bands are taken together by so many (one Bark). */
const GROUP = 4;
/** Moments told, and how long one may be. */
const MOMENTS = 5;
const LONGEST_SECONDS = 1.5;
const SHORTEST_SECONDS = 0.3;
/** A moment reaches over its neighbours in time and frequency as far as they stand within this many dB of its top. */
const REACH_DB = 6;
/** Two moments of one band lie at least this far apart. */
const APART_SECONDS = 0.5;
const FLOOR_DB = -60;

export const momentSchema = z.object({
  startSeconds: z.number(),
  endSeconds: z.number(),
  lowHertz: z.number(),
  highHertz: z.number(),
  /** How far the difference stands over the mask there; negative is under. */
  overMaskDb: z.number(),
});
export type Moment = z.infer<typeof momentSchema>;

export const overMaskSchema = z.object({
  stepSeconds: z.number(),
  /** From the region's start on, step by step: the highest noise-to-mask ratio of any Bark, dB. */
  highestDb: z.instanceof(Float32Array),
  /** Edges of the groups of bands, Hz, and the ratio step by step in each: steps · groups. */
  edgesHz: z.instanceof(Float64Array),
  mapDb: z.instanceof(Float32Array),
  /** Of the time and the bands in which there is a difference at all, the part where it stands over the mask. */
  shareOver: z.number(),
  /** Averaged over time and bands, dB. */
  meanDb: z.number().nullable(),
  moments: z.array(momentSchema),
  playbackSplDb: z.number(),
});
export type OverMask = z.infer<typeof overMaskSchema>;

/**
 * Noise-to-mask ratio of what sets two sounds apart, over time and frequency, after ITU-R BS.1387 (basic version, constants from memory): what the
 * magnitudes of both differ by, against the masking threshold of the quieter of both, so that neither hides what it has more of. `gain` is put
 * on Here first. Channels are looked at each for itself, and the higher ratio holds.
 */
export function overMask(
  hereSound: Sound,
  yonderSound: Sound,
  { startFrame, endFrame }: FrameRange,
  gain: number,
  playbackSplDb = PLAYBACK_SPL_DB,
  pause: (share: number) => void = () => {},
): OverMask {
  // Frames overlap and are short: neighbours are read at once.
  const [here, yonder] = [withPages(hereSound), withPages(yonderSound)];
  const rateHz = here.sampleRateHz;
  const ear = new Ear(rateHz, playbackSplDb);
  const { frame, bandCount } = ear;
  const hop = frame / 2;
  const frames = Math.max(0, Math.floor((endFrame - startFrame - frame) / hop) + 1);
  const groups = Math.ceil(bandCount / GROUP);
  const steps = Math.max(1, Math.ceil((endFrame - startFrame) / (STEP_SECONDS * rateHz)));
  const channelCount = Math.max(here.channelCount, yonder.channelCount);
  const sums = new Float64Array(steps * groups);
  const counts = new Float64Array(steps);
  let [over, there, mean, meanCount] = [0, 0, 0, 0];
  const smears = Array.from({ length: channelCount }, () => [ear.smearing(), ear.smearing()]);
  for (let f = 0; f < frames; f++) {
    if (f % 64 === 0) pause(f / frames);
    const at = startFrame + f * hop;
    const [a, b] = [here.read(at, frame), yonder.read(at, frame)];
    const step = Math.min(steps - 1, Math.floor((f * hop + hop) / (STEP_SECONDS * rateHz)));
    const best = new Float64Array(bandCount);
    for (let c = 0; c < channelCount; c++) {
      const [one, other, apart] = ear.bandPowers([a[c] ?? a[0], b[c] ?? b[0]], [gain, 1]);
      const first = smears[c][0](ear.spread(one));
      const second = smears[c][1](ear.spread(other));
      for (let i = 0; i < bandCount; i++) {
        const ratio = (apart[i] * ear.offsets[i]) / Math.min(first[i], second[i]);
        if (ratio > best[i]) best[i] = ratio;
      }
    }
    counts[step]++;
    for (let i = 0; i < bandCount; i++) {
      sums[step * groups + Math.floor(i / GROUP)] += best[i] / GROUP;
      if (best[i] > 1e-6) {
        there++;
        if (best[i] > 1) over++;
      }
      mean += best[i];
      meanCount++;
    }
  }
  const mapDb = new Float32Array(steps * groups);
  const highestDb = new Float32Array(steps).fill(FLOOR_DB);
  for (let s = 0; s < steps; s++) {
    for (let g = 0; g < groups; g++) {
      const value = counts[s] > 0 ? sums[s * groups + g] / counts[s] : 0;
      const db = value > 0 ? Math.max(FLOOR_DB, dbFromPower(value)) : FLOOR_DB;
      mapDb[s * groups + g] = db;
      if (db > highestDb[s]) highestDb[s] = db;
    }
  }
  const { lowHz, highHz } = ear.bands;
  const edgesHz = Float64Array.from({ length: groups + 1 }, (_, g) =>
    g < groups ? lowHz[g * GROUP] : highHz[bandCount - 1],
  );
  return {
    stepSeconds: STEP_SECONDS,
    highestDb,
    edgesHz,
    mapDb,
    shareOver: there > 0 ? over / there : 0,
    meanDb: meanCount > 0 && mean > 0 ? dbFromPower(mean / meanCount) : null,
    moments: momentsOf(mapDb, steps, groups, edgesHz, startFrame / rateHz, (endFrame - startFrame) / rateHz),
    playbackSplDb,
  };
}

/** The moments that stand out most, each with the stretch and the bands it reaches over. */
function momentsOf(
  mapDb: Float32Array,
  steps: number,
  groups: number,
  edgesHz: Float64Array,
  startSeconds: number,
  lengthSeconds: number,
): Moment[] {
  const taken = new Uint8Array(mapDb.length);
  const moments: Moment[] = [];
  const apart = Math.round(APART_SECONDS / STEP_SECONDS);
  while (moments.length < MOMENTS) {
    let top = -1;
    for (let i = 0; i < mapDb.length; i++) if (!taken[i] && (top < 0 || mapDb[i] > mapDb[top])) top = i;
    if (top < 0 || mapDb[top] <= FLOOR_DB) break;
    const [step, group] = [Math.floor(top / groups), top % groups];
    const near = (s: number, g: number) => !taken[s * groups + g] && mapDb[s * groups + g] >= mapDb[top] - REACH_DB;
    let [low, high, first, last] = [group, group, step, step];
    while (low > 0 && near(step, low - 1)) low--;
    while (high + 1 < groups && near(step, high + 1)) high++;
    const longest = Math.round(LONGEST_SECONDS / STEP_SECONDS);
    const grows = (s: number) => near(s, group);
    while (last - first + 1 < longest) {
      const [before, after] = [first > 0 && grows(first - 1), last + 1 < steps && grows(last + 1)];
      if (after) last++;
      else if (before) first--;
      else break;
    }
    while ((last - first + 1) * STEP_SECONDS < SHORTEST_SECONDS && (first > 0 || last + 1 < steps)) {
      if (last + 1 < steps) last++;
      if ((last - first + 1) * STEP_SECONDS < SHORTEST_SECONDS && first > 0) first--;
    }
    // What sounds at the same time in other bands is the same moment; its own bands keep away from it.
    taken.fill(1, first * groups, (last + 1) * groups);
    for (let s = Math.max(0, first - apart); s <= Math.min(steps - 1, last + apart); s++)
      for (let g = low; g <= high; g++) taken[s * groups + g] = 1;
    moments.push({
      startSeconds: startSeconds + first * STEP_SECONDS,
      endSeconds: startSeconds + Math.min(lengthSeconds, (last + 1) * STEP_SECONDS),
      lowHertz: edgesHz[low],
      highHertz: edgesHz[high + 1],
      overMaskDb: mapDb[top],
    });
  }
  return moments;
}
