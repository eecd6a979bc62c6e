import { type DelayFit, fitDelay, fitPart, sumOf } from "./delay-fit";
import {
  consensusLine,
  type DelayLine,
  type DelayPoint,
  delayOn,
  isNear,
  type Jump,
  jumpAlong,
  slopeAlong,
  UNKNOWN_SLOPE,
} from "./delay-line";
import { addSums, emptySums, groupSums, type PairSums, type ReferenceSpectra } from "./pair-spectra";
import { type Group, groupsOf } from "./segments";
import { type Coherence, type Combination, coherenceOf, combinationsOf, combined } from "./shared-sound";
import type { View, Views } from "./view";

/** What is laid on what: the views of either, and the channels that are held against each other. */
export type Material = {
  reference: Views;
  render: Views;
  referenceViews: View[];
  renderViews: View[];
  spectra: ReferenceSpectra;
};

/** A channel this far under the other one (power) is silent: what dither left there says nothing. */
const SILENT_SHARE = 1e-6;

/** The one channel that sounds, where the other one is silent; null where both sound. */
function loneChannel({ channels }: Views): number | null {
  if (channels.length < 2) return null;
  const [left, right] = channels.map(({ energy }) => energy);
  if (right <= SILENT_SHARE * left) return 0;
  return left <= SILENT_SHARE * right ? 1 : null;
}

/** One channel of a mono render stands against the dry render's mid; a mono dry render against both sides; where a side is silent, the other one alone. */
export function materialOf(reference: Views, render: Views): Material {
  const common = { reference, render, spectra: new Map() };
  const both = reference.channels.length > 1 && render.channels.length > 1;
  const lone = both ? (loneChannel(render) ?? loneChannel(reference)) : null;
  if (lone !== null)
    return { ...common, referenceViews: [reference.channels[lone]], renderViews: [render.channels[lone]] };
  const renderViews = render.channels;
  const referenceViews =
    renderViews.length === 1
      ? [reference.mid]
      : reference.channels.length === 1
        ? [reference.channels[0], reference.channels[0]]
        : reference.channels;
  return { ...common, referenceViews, renderViews };
}

/** Where the render lies, with all that speaks for it and against it. */
export type Place = {
  line: DelayLine;
  /** Bound of the line's slope, infinite where too little says anything of it. */
  slopeError: number;
  fit: DelayFit;
  coherence: Coherence;
  combination: Combination;
  whole: PairSums;
  parts: PairSums[];
  /** Reference frame that the delay is known best at. */
  middleFrame: number;
  /** Bound of the delay there: of the bands, and of the parts among each other. */
  errorSamples: number;
  /** Of the parts that hold sound, how many agree on this line. */
  agreeing: number;
  jump: Jump | null;
};

const MOST_LOOKS = 5;
/** A line that moves by less than this is settled (samples). */
const SETTLED_SAMPLES = 0.02;
/** Fewer parts than this make no line. */
const FEWEST_PARTS = 4;
/** With so many parts a first look that moved nothing is the last. */
const ENOUGH_PARTS = 12;
/** Under this, drift is not asked for. */
const SHORTEST_DRIFT_SECONDS = 4;
/** A part whose shared sound agrees less than this speaks for nothing. */
const LEAST_PART_AGREEMENT = 0.3;
/** Parts this far under the loudest (power) hold no sound worth asking. */
const QUIET_PART = 1e-4;
/** Standard errors of the mean of the parts that make a bound. */
const PARTS_BOUND = 3;
/** A place that so little speaks for is given up. */
const HOPELESS = 0.2;

const referenceEnergyOf = (sums: PairSums): number =>
  sums.referencePowers.reduce((all, power) => all + sumOf(power), 0);

/** The sums of every part, the render laid along `line`. */
const laid = (material: Material, groups: readonly Group[], frames: number, line: DelayLine): PairSums[] =>
  groups.map((group) =>
    groupSums(material.referenceViews, material.renderViews, group, frames, line, material.spectra),
  );

/** Parts taken together. */
function total(parts: readonly PairSums[], { referenceViews, renderViews }: Material, frames: number): PairSums {
  const sums = emptySums(frames, referenceViews.length, renderViews.length);
  for (const part of parts) addSums(sums, part);
  return sums;
}

/** Σ |x|² + |y|² and Σ 2 Re(x · conj(y)) of two cross-spectra, each bin over its power. */
function pairStrength(x: Float64Array, y: Float64Array, powers: Float64Array[]): { own: number; mutual: number } {
  let own = 0;
  let mutual = 0;
  for (let k = 0; k < powers[0].length; k++) {
    const power = powers[0][k] + powers[1][k];
    if (power <= 0) continue;
    const [xr, xi, yr, yi] = [x[2 * k], x[2 * k + 1], y[2 * k], y[2 * k + 1]];
    own += (xr * xr + xi * xi + yr * yr + yi * yi) / power;
    mutual += (2 * (xr * yr + xi * yi)) / power;
  }
  return { own, mutual };
}

/** The straight order holds unless the other one is stronger by more than rounding. */
const STRAIGHT_FIRST = 1.001;

/** The combination of channels whose cross-spectra add up best over the parts, whatever each part's delay. */
function bestCombination(parts: readonly PairSums[]): Combination {
  const [plain, ...others] = combinationsOf(parts[0]);
  if (others.length === 0) return plain;
  const strengths = new Map<boolean, { up: number; down: number }>();
  for (const swapped of [false, true]) {
    const sum = { up: 0, down: 0 };
    for (const { crosses, referencePowers, renderPowers } of parts) {
      const { own, mutual } = pairStrength(crosses[swapped ? 1 : 0], crosses[swapped ? 2 : 3], referencePowers);
      const energy = renderPowers.reduce((all, power) => all + sumOf(power), 0);
      if (energy === 0) continue;
      sum.up += (own + mutual) / energy;
      sum.down += (own - mutual) / energy;
    }
    strengths.set(swapped, sum);
  }
  const strengthOf = ({ swapped, relative }: Combination) =>
    strengths.get(swapped)?.[relative === 1 ? "up" : "down"] ?? 0;
  let best = { combination: plain, strength: STRAIGHT_FIRST * strengthOf(plain) };
  for (const combination of others) {
    if (strengthOf(combination) > best.strength) best = { combination, strength: strengthOf(combination) };
  }
  return best.combination;
}

/** The delay of each part along the line it was laid on; parts without shared sound are left out. */
function pointsOf(
  groups: readonly Group[],
  parts: readonly PairSums[],
  line: DelayLine,
  combination: Combination,
  known: { fit: DelayFit; coherence: Coherence } | null,
): (DelayPoint | null)[] {
  return parts.map((part, i) => {
    if (part.segments === 0) return null;
    const shared = combined(part, combination);
    const found = fitPart(shared, known?.coherence ?? coherenceOf(shared, false), known?.fit ?? null);
    if (!found || found.agreement < LEAST_PART_AGREEMENT) return null;
    const frame = groups[i].middleFrame;
    return {
      frame,
      delaySamples: delayOn(line, frame) + found.offsetSamples,
      weight: found.agreement ** 2,
      errorSamples: found.errorSamples,
    };
  });
}

/**
 * The line of delay near an expected one. Parts of the passage are laid on it and ask for their own delay; most of them make the next
 * line, until it stands. null where nothing is shared.
 */
export function settle(material: Material, expected: DelayLine, rate: number, frames: number): Place | null {
  const { reference, render } = material;
  let line = expected;
  let known: { fit: DelayFit; coherence: Coherence } | null = null;
  let kept: Place | null = null;
  let combination: Combination | null = null;
  const asksForDrift = reference.frames >= SHORTEST_DRIFT_SECONDS * rate;
  for (let look = 0; look < MOST_LOOKS; look++) {
    const groups = groupsOf(reference, render, Math.round(delayOn(line, reference.frames / 2)));
    if (groups.length === 0) return kept;
    const parts = laid(material, groups, frames, line);
    if (parts.every((part) => part.segments === 0)) return kept;
    combination ??= bestCombination(parts);
    // Where the first look fits as a whole already, its parts are read with what the whole knows.
    if (look === 0) known = knownFrom(total(parts, material, frames), combination);
    const points = pointsOf(groups, parts, line, combination, known);
    const told = points.filter((p) => p !== null);
    const along = asksForDrift && told.length >= FEWEST_PARTS ? lineAlong(told, line) : undefined;
    // A first look at parts that lie apart only tells where to look.
    if (look === 0 && along && movedBy(line, along, reference.frames) > 1) {
      line = along;
      continue;
    }
    const middle = along ?? line;
    const inLine = parts.filter((_, i) => {
      const p = points[i];
      return along ? p !== null && isNear(p, middle) : true;
    });
    const same = known !== null && look === 0 && inLine.length === parts.length;
    const whole = total(inLine.length > 0 ? inLine : parts, material, frames);
    if (!same || known === null) {
      const shared = combined(whole, combination);
      const coherence = coherenceOf(shared, look > 0);
      const fit = fitDelay(shared, coherence);
      if (!fit) return kept;
      known = { fit, coherence };
    }
    const { fit, coherence } = known;
    const next = nextLine(
      line,
      fit,
      groups,
      same ? points : pointsOf(groups, parts, line, combination, known),
      asksForDrift,
    );
    kept = {
      ...next,
      fit,
      coherence,
      combination,
      whole,
      parts: inLine.length > 0 ? inLine : parts,
      agreeing: agreeingShare(parts, next.points, next.line),
    };
    if (kept.agreeing < HOPELESS && coherence.renderShare < HOPELESS) return kept;
    const moved = movedBy(line, next.line, reference.frames);
    line = next.line;
    if (moved < SETTLED_SAMPLES && (look > 0 || groups.length >= ENOUGH_PARTS)) break;
  }
  return kept;
}

/** A whole that fits as well as this on the first look is plainly in place. */
const PLAIN_AGREEMENT = 0.9;

function knownFrom(whole: PairSums, combination: Combination): { fit: DelayFit; coherence: Coherence } | null {
  const shared = combined(whole, combination);
  const coherence = coherenceOf(shared, false);
  if (coherence.renderShare < PLAIN_AGREEMENT) return null;
  const fit = fitDelay(shared, coherence);
  return fit && fit.agreement > PLAIN_AGREEMENT ? { fit, coherence } : null;
}

const movedBy = (from: DelayLine, to: DelayLine, frames: number): number =>
  Math.max(Math.abs(to.delaySamples - from.delaySamples), Math.abs(delayOn(to, frames) - delayOn(from, frames)));

/** The line that the whole and the parts make, with its bounds. */
function nextLine(
  line: DelayLine,
  fit: DelayFit,
  groups: readonly Group[],
  points: readonly (DelayPoint | null)[],
  asksForDrift: boolean,
) {
  const told = points.filter((p) => p !== null);
  const middleFrame = groups.reduce((sum, g) => sum + g.middleFrame, 0) / groups.length;
  const flat = {
    delaySamples: delayOn(line, middleFrame) + fit.offsetSamples - line.slope * middleFrame,
    slope: line.slope,
  };
  const near = told.filter((p) => isNear(p, flat));
  const jump = jumpAlong(told);
  const seen = jump ? UNKNOWN_SLOPE : slopeAlong(relativeTo(told, flat), { delaySamples: 0, slope: 0 });
  const slide = asksForDrift ? seen : UNKNOWN_SLOPE;
  // Where no clock is reported, what one may do to the delay is part of its error.
  const clockError =
    asksForDrift || !Number.isFinite(seen.error) ? 0 : (seen.error + Math.abs(seen.slope)) * middleFrame;
  const slope = asksForDrift && !jump ? flat.slope + slide.slope : 0;
  const spread = near.reduce(
    (sum, p) => sum + (p.delaySamples - delayOn(flat, p.frame) - slide.slope * (p.frame - middleFrame)) ** 2,
    0,
  );
  const partsError =
    near.length > 2 ? (PARTS_BOUND * Math.sqrt(spread / (near.length - 1))) / Math.sqrt(near.length) : 0;
  return {
    line: { delaySamples: delayOn(flat, middleFrame) - slope * middleFrame, slope },
    slopeError: slide.error,
    middleFrame,
    errorSamples: Math.max(fit.errorSamples, partsError) + clockError,
    points,
    jump,
  };
}

/** The line most points lie near, looked for around one that they were laid on, however steep that is. */
function lineAlong(points: readonly DelayPoint[], laidOn: DelayLine): DelayLine | undefined {
  const beside = consensusLine(relativeTo(points, laidOn))?.line;
  return beside && { delaySamples: laidOn.delaySamples + beside.delaySamples, slope: laidOn.slope + beside.slope };
}

const relativeTo = (points: readonly DelayPoint[], line: DelayLine): DelayPoint[] =>
  points.map((p) => ({ ...p, delaySamples: p.delaySamples - delayOn(line, p.frame) }));

/** A part this near the line agrees with it: saturation or a coder spreads the parts by as much. */
const AGREEING_SAMPLES = 3;

/** Of the parts that hold sound, how many lie on the line. */
function agreeingShare(parts: readonly PairSums[], points: readonly (DelayPoint | null)[], line: DelayLine): number {
  const energies = parts.map(referenceEnergyOf);
  const loudest = Math.max(...energies);
  const sounding = parts.map((_, i) => energies[i] > QUIET_PART * loudest);
  const all = sounding.filter(Boolean).length;
  const near = points.filter((p, i) => sounding[i] && p !== null && isNear(p, line, AGREEING_SAMPLES)).length;
  return all > 0 ? near / all : 0;
}

/** One segment of each part, and one channel of either, for a first look at a place. */
function quickMaterial({ reference, render, referenceViews, renderViews }: Material, delay: number, swapped: boolean) {
  const channel = referenceViews.length > 1 && referenceViews[1].energy > referenceViews[0].energy ? 1 : 0;
  const other = renderViews.length > 1 ? (swapped ? 1 - channel : channel) : 0;
  return {
    views: [referenceViews[channel]],
    against: [renderViews[other]],
    groups: groupsOf(reference, render, delay).map(({ loudestStart, middleFrame }) => ({
      starts: [loudestStart],
      middleFrame,
      loudestStart,
    })),
  };
}

const ALONE: Combination = { swapped: false, relative: 1 };

/**
 * How promising a place is, 0 to 1, and the line to begin from: each part looks for its own delay by itself, and chance does not put many of
 * them on one line.
 */
export function promiseOf(
  material: Material,
  delay: number,
  frames: number,
  swapped: boolean,
): { line: DelayLine; share: number } | null {
  const { views, against, groups } = quickMaterial(material, delay, swapped);
  const level = { delaySamples: delay, slope: 0 };
  const spectra: ReferenceSpectra = new Map();
  const parts = groups.map((group) => groupSums(views, against, group, frames, level, spectra));
  return consensusLine(pointsOf(groups, parts, level, ALONE, null).filter((p) => p !== null));
}

/** The delay of the part around a frame, near an expected one; null where nothing there is shared. */
export function partDelay(material: Material, frame: number, expected: number, frames: number): number | null {
  const { views, against } = quickMaterial(material, Math.round(expected), false);
  const start = Math.round(frame - frames / 2);
  const group = { starts: [start], middleFrame: frame, loudestStart: start };
  const level = { delaySamples: expected, slope: 0 };
  const part = groupSums(views, against, group, frames, level, new Map());
  if (part.segments === 0) return null;
  const shared = combined(part, ALONE);
  const found = fitPart(shared, coherenceOf(shared, false), null);
  return found && found.agreement >= LEAST_PART_AGREEMENT ? expected + found.offsetSamples : null;
}

/** A place looked at from a little beside explains this much less than it does. */
const BESIDE = 3;

/**
 * The part of the render's energy that the reference does not explain at a place, 0 to 1, by one segment of each part and the fuller
 * channel alone, without settling there; 1 as soon as it is plain that it is more than `most`.
 */
export function leftAt(
  material: Material,
  { delaySamples: delay, slope }: DelayLine,
  frames: number,
  most: number,
  swapped: boolean,
): number {
  const { views, against, groups } = quickMaterial(material, Math.round(delay), swapped);
  const spectra: ReferenceSpectra = new Map();
  const look = (at: number) => {
    const group = { starts: groups.flatMap((g) => g.starts), middleFrame: 0, loudestStart: 0 };
    const sums = groupSums(views, against, group, frames, { delaySamples: at, slope }, spectra);
    const shared = combined(sums, ALONE);
    return { shared, coherence: coherenceOf(shared, false) };
  };
  const first = look(delay);
  const left = 1 - first.coherence.renderShare;
  if (first.shared.segments < 2 || 1 - left < (1 - most) / BESIDE) return 1;
  const fit = fitDelay(first.shared, first.coherence);
  const by = Math.round(fit?.offsetSamples ?? 0);
  return by === 0 ? left : 1 - look(delay + by).coherence.renderShare;
}
