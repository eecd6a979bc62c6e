import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import { atan2 } from "../audio/exact-math";
import { forwardWindowed } from "../audio/fft";
import { type FrameRange, type Sound, withPages } from "../audio/sound";
import { hannWindow } from "../audio/window";
import {
  addedStrength,
  betweenStrength,
  changeStrength,
  coherenceStep,
  LEVEL_STEP_DB,
  probabilityOf,
  TIME_STEP_SECONDS,
} from "./detection";
import { Ear, PLAYBACK_SPL_DB } from "./ear-model";

/** Raise when a probability or a noise-to-mask ratio would come out differently. */
export const HEARD_VERSION = 5;

/** Steps of the strip. */
const STEP_SECONDS = 0.1;
/** Bands are taken together by so many (one Bark). */
const GROUP = 4;
/** Moments reported, and how long one may be. */
const MOMENTS = 5;
const LONGEST_SECONDS = 1.5;
const SHORTEST_SECONDS = 0.3;
/** A moment reaches over its neighbours in time and frequency as far as their strength is this part of its own. */
const REACH = 0.25;
/** Two moments of one band lie at least this far apart. */
const APART_SECONDS = 0.5;
const FLOOR_DB = -60;
/** A chance under this is no moment. */
const LEAST_PROBABILITY = 0.01;
/** Chances are smoothed over frames by this factor, as BS.1387 has it. */
const SMOOTHED = 0.9;

export const criterionSchema = z.enum(["change", "added", "between channels"]);
export type Criterion = z.infer<typeof criterionSchema>;
const CRITERIA = criterionSchema.options;

export const momentSchema = z.object({
  startSeconds: z.number(),
  endSeconds: z.number(),
  lowHertz: z.number(),
  highHertz: z.number(),
  /** The chance that the difference is heard there, by estimate, and what it is heard by. */
  probability: z.number(),
  criterion: criterionSchema,
  /** How far what was added stands over the mask there; negative is under. */
  overMaskDb: z.number(),
});
export type Moment = z.infer<typeof momentSchema>;

export const heardSchema = z.object({
  stepSeconds: z.number(),
  /** From the region's start on, step by step: the chance that a difference is heard, by whichever criterion is the surest. */
  probability: z.instanceof(Float32Array),
  /** The highest chance of each criterion over all of it. */
  highest: z.object({ change: z.number(), added: z.number(), betweenChannels: z.number() }),
  /** Noise-to-mask ratio of what was added, averaged over time and bands, dB; null where nothing was. */
  meanOverMaskDb: z.number().nullable(),
  moments: z.array(momentSchema),
  playbackSplDb: z.number(),
});
export type Heard = z.infer<typeof heardSchema>;

/**
 * What an ear model expects to be heard of the difference between two sounds, over time and frequency: change of what is there (detection probability of
 * ITU-R BS.1387 from excitations), what was added (noise-to-mask ratio of the part that no gain of a band explains, the mask that of the quieter of both), and what
 * changed between channels. `gain` is put on Here first. An estimate; constants from memory.
 */
export function heardDifference(
  hereSound: Sound,
  yonderSound: Sound,
  { startFrame, endFrame }: FrameRange,
  gain: number,
  playbackSplDb = PLAYBACK_SPL_DB,
  pause: (share: number) => void = () => {},
): Heard {
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
  const strengths = Object.fromEntries(CRITERIA.map((c) => [c, new Float32Array(steps * groups)])) as Record<
    Criterion,
    Float32Array
  >;
  const ratios = new Float32Array(steps * groups);
  const smooth = { change: 0, added: 0 };
  const byStep = Object.fromEntries(CRITERIA.map((c) => [c, new Float32Array(steps)])) as Record<
    Criterion,
    Float32Array
  >;
  const smears = Array.from({ length: channelCount }, () => [ear.smearing(), ear.smearing()]);
  const sides = channelCount === 2 ? new BetweenChannels(ear, groups, gain) : null;
  let [before, ratioSum, ratioCount] = [0, 0, 0];
  const closeStep = (step: number) => {
    if (!sides) return;
    const own = sides.strengths();
    let most = 0;
    for (let g = 0; g < groups; g++) {
      strengths["between channels"][step * groups + g] = own[g];
      most = Math.max(most, own[g]);
    }
    byStep["between channels"][step] = probabilityOf(most);
  };
  for (let f = 0; f < frames; f++) {
    if (f % 64 === 0) pause(f / frames);
    const at = startFrame + f * hop;
    const [a, b] = [here.read(at, frame), yonder.read(at, frame)];
    const step = Math.min(steps - 1, Math.floor((f * hop + hop) / (STEP_SECONDS * rateHz)));
    if (step !== before) closeStep(before);
    before = step;
    sides?.add(a, b);
    const changes = new Float64Array(bandCount);
    const added = new Float64Array(bandCount);
    for (let c = 0; c < channelCount; c++) {
      const [one, other, apart] = ear.bandPowers([a[c] ?? a[0], b[c] ?? b[0]], [gain, 1]);
      const first = smears[c][0](ear.spread(one));
      const second = smears[c][1](ear.spread(other));
      for (let i = 0; i < bandCount; i++) {
        // Σ|X||Y| of the band's bins follows from what their magnitudes differ by; what a gain of the band explains is no addition.
        const product = (one[i] + other[i] - apart[i]) / 2;
        const rest = one[i] > 0 ? Math.max(0, other[i] - (product * product) / one[i]) : other[i];
        const ratio = (rest * ear.offsets[i]) / Math.min(first[i], second[i]);
        if (ratio > added[i]) added[i] = ratio;
        const strength = changeStrength(dbFromPower(first[i]), dbFromPower(second[i]));
        if (strength > changes[i]) changes[i] = strength;
      }
    }
    let [change, most] = [0, 0];
    for (let i = 0; i < bandCount; i++) {
      const cell = step * groups + Math.floor(i / GROUP);
      change += changes[i];
      const own = addedStrength(added[i]);
      if (own > most) most = own;
      strengths.change[cell] = Math.max(strengths.change[cell], changes[i]);
      if (own > strengths.added[cell]) strengths.added[cell] = own;
      if (added[i] > ratios[cell]) ratios[cell] = added[i];
      ratioSum += added[i];
      ratioCount++;
    }
    smooth.change = SMOOTHED * smooth.change + (1 - SMOOTHED) * probabilityOf(change);
    smooth.added = SMOOTHED * smooth.added + (1 - SMOOTHED) * probabilityOf(most);
    for (const criterion of ["change", "added"] as const)
      byStep[criterion][step] = Math.max(byStep[criterion][step], smooth[criterion]);
  }
  if (frames > 0) closeStep(before);
  const probability = Float32Array.from({ length: steps }, (_, s) => Math.max(...CRITERIA.map((c) => byStep[c][s])));
  const highestOf = (c: Criterion) => byStep[c].reduce((most, p) => Math.max(most, p), 0);
  return {
    stepSeconds: STEP_SECONDS,
    probability,
    highest: { change: highestOf("change"), added: highestOf("added"), betweenChannels: highestOf("between channels") },
    meanOverMaskDb: ratioSum > 1e-9 * ratioCount ? dbFromPower(ratioSum / ratioCount) : null,
    moments: momentsOf(
      { strengths, byStep, ratios, steps, groups, ear },
      startFrame / rateHz,
      (endFrame - startFrame) / rateHz,
    ),
    playbackSplDb,
  };
}

/** A band is compared between channels where it stands so far over the ear's own noise (dB), and within this of the loudest band. */
const OVER_NOISE_DB = 10;
const UNDER_LOUDEST_DB = 35;
/** Time differences are judged by phase up to here, where both channels go together at least so well. */
const PHASE_TO_HZ = 1500;
const CARRIED = 0.8;

/** Level, time and coherence between left and right, by groups of bands, over a step. */
class BetweenChannels {
  private readonly sums: Float64Array[];
  private readonly window: Float64Array;
  private readonly edges: number[];
  private readonly centres: number[];
  private frames = 0;

  constructor(
    private readonly ear: Ear,
    private readonly groups: number,
    private readonly gain: number,
  ) {
    const binHz = ear.rateHz / ear.frame;
    this.window = hannWindow(ear.frame);
    const { lowHz, highHz } = ear.bands;
    this.edges = Array.from({ length: groups + 1 }, (_, g) =>
      Math.max(1, Math.round((g < groups ? lowHz[g * GROUP] : highHz[ear.bandCount - 1]) / binHz)),
    );
    this.centres = Array.from(
      { length: groups },
      (_, g) => ear.bands.centreHz[Math.min(ear.bandCount - 1, g * GROUP + (GROUP >> 1))],
    );
    // Left, right, and the two parts of their product; for Here and for Yonder.
    this.sums = Array.from({ length: 8 }, () => new Float64Array(groups));
  }

  add(here: readonly Float32Array[], yonder: readonly Float32Array[]): void {
    this.frames++;
    for (const [s, side] of [here, yonder].entries()) {
      const [l, r] = [side[0], side[1] ?? side[0]].map((signal) => forwardWindowed(signal, this.window));
      for (let g = 0; g < this.groups; g++) {
        let [ll, rr, re, im] = [0, 0, 0, 0];
        for (let k = this.edges[g]; k < Math.max(this.edges[g] + 1, this.edges[g + 1]); k++) {
          const [lr, li, rr_, ri] = [l[2 * k], l[2 * k + 1], r[2 * k], r[2 * k + 1]];
          ll += lr * lr + li * li;
          rr += rr_ * rr_ + ri * ri;
          re += lr * rr_ + li * ri;
          im += lr * ri - li * rr_;
        }
        this.sums[4 * s][g] += ll;
        this.sums[4 * s + 1][g] += rr;
        this.sums[4 * s + 2][g] += re;
        this.sums[4 * s + 3][g] += im;
      }
    }
  }

  /** What of a step is heard between channels, by groups; the sums begin anew. */
  strengths(): Float64Array {
    const { sums, groups, ear, gain } = this;
    const output = new Float64Array(groups);
    const frames = Math.max(1, this.frames);
    const powerOf = (g: number) => Math.min(gain * gain * (sums[0][g] + sums[1][g]), sums[4][g] + sums[5][g]) / frames;
    let loudest = 0;
    for (let g = 0; g < groups; g++) loudest = Math.max(loudest, powerOf(g));
    for (let g = 0; g < groups; g++) {
      const power = powerOf(g);
      if (dbFromPower(power + 1e-300) < dbFromPower(loudest + 1e-300) - UNDER_LOUDEST_DB || !(power > 0)) continue;
      if (ear.heardLevelDb(power, this.centres[g]) < OVER_NOISE_DB) continue;
      const [x, y] = [0, 4].map((s) => {
        const [ll, rr, re, im] = [sums[s][g], sums[s + 1][g], sums[s + 2][g], sums[s + 3][g]];
        const both = Math.sqrt(ll * rr);
        return {
          levelDb: dbFromPower((rr + 1e-30) / (ll + 1e-30)),
          coherence: both > 0 ? Math.sqrt(re * re + im * im) / both : 0,
          phase: atan2(im, re),
        };
      });
      // A side 30 dB under the other places nothing.
      const level =
        Math.abs(Math.max(-30, Math.min(30, x.levelDb)) - Math.max(-30, Math.min(30, y.levelDb))) / LEVEL_STEP_DB;
      const coherence = Math.abs(x.coherence - y.coherence) / coherenceStep(Math.max(x.coherence, y.coherence));
      let time = 0;
      if (this.centres[g] < PHASE_TO_HZ && Math.min(x.coherence, y.coherence) > CARRIED) {
        let turn = y.phase - x.phase;
        turn -= 2 * Math.PI * Math.round(turn / (2 * Math.PI));
        time = Math.abs(turn) / (2 * Math.PI * this.centres[g]) / TIME_STEP_SECONDS;
      }
      output[g] = betweenStrength(Math.max(level, coherence, time));
    }
    for (const sum of sums) sum.fill(0);
    this.frames = 0;
    return output;
  }
}

type Maps = {
  strengths: Record<Criterion, Float32Array>;
  byStep: Record<Criterion, Float32Array>;
  ratios: Float32Array;
  steps: number;
  groups: number;
  ear: Ear;
};

/** The moments in which a difference is most likely heard, each with its stretch, its bands and its criterion. */
function momentsOf(
  { strengths, byStep, ratios, steps, groups, ear }: Maps,
  startSeconds: number,
  lengthSeconds: number,
): Moment[] {
  const { lowHz, highHz } = ear.bands;
  const edgeHz = (g: number) => (g < groups ? lowHz[g * GROUP] : highHz[ear.bandCount - 1]);
  const criterionAt = new Uint8Array(steps * groups);
  const map = Float32Array.from({ length: steps * groups }, (_, i) => {
    const step = Math.floor(i / groups);
    let best = 0;
    for (const [k, c] of CRITERIA.entries()) {
      // What is heard for a single frame alone is hardly heard.
      const own = strengths[c][i] * byStep[c][step];
      if (own > best) [best, criterionAt[i]] = [own, k];
    }
    return best;
  });
  const taken = new Uint8Array(map.length);
  const moments: Moment[] = [];
  const apart = Math.round(APART_SECONDS / STEP_SECONDS);
  while (moments.length < MOMENTS) {
    let top = -1;
    for (let i = 0; i < map.length; i++) if (!taken[i] && (top < 0 || map[i] > map[top])) top = i;
    if (top < 0 || !(map[top] > 0)) break;
    const [step, group] = [Math.floor(top / groups), top % groups];
    const near = (s: number, g: number) => !taken[s * groups + g] && map[s * groups + g] >= REACH * map[top];
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
    const criterion = CRITERIA[criterionAt[top]];
    let [probability, ratio] = [0, 0];
    for (let s = first; s <= last; s++) {
      probability = Math.max(probability, byStep[criterion][s]);
      for (let g = low; g <= high; g++) ratio = Math.max(ratio, ratios[s * groups + g]);
    }
    if (probability < LEAST_PROBABILITY) continue;
    moments.push({
      startSeconds: startSeconds + first * STEP_SECONDS,
      endSeconds: startSeconds + Math.min(lengthSeconds, (last + 1) * STEP_SECONDS),
      lowHertz: edgeHz(low),
      highHertz: edgeHz(high + 1),
      probability,
      criterion,
      overMaskDb: ratio > 0 ? Math.max(FLOOR_DB, dbFromPower(ratio)) : FLOOR_DB,
    });
  }
  return moments;
}
