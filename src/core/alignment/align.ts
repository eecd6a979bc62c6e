import type { Clip } from "../audio/clip";
import { type Alignment, AS_IT_IS } from "./alignment";
import { ambiguityPeriod, tonePlace } from "./ambiguity";
import { type Crossing, channelOrder, otherKind } from "./channel-order";
import { type Coarse, coarsen } from "./coarse-signals";
import { type CoarseCorrelation, coarseCorrelation } from "./correlate";
import { crossSpectrum, SEGMENT_FRAMES, type SharedDelay, sharedDelay } from "./cross-spectrum";
import { consensusLine, type DelayLine, type DelayPoint, delayOn, slopeAlong } from "./delay-line";
import { BLOCK_FRAMES, fullerView, rmsOf, type View, type Views, viewsOf } from "./view";

/** RMS below which a signal counts as silent: under the last bit of 24. */
const SILENCE_RMS = 2 ** -24;
/**
 * Set by trial on recordings of many kinds, each against all others and against its own equalized, compressed, clipped,
 * drifting and lossy versions (docs/figures.md): shared material 60 to 1400 and 0.7 to 1.0, unrelated up to 32 and 0.43.
 */
const LEAST_SIGNIFICANCE = 12;
const LEAST_AGREEMENT = 0.5;
/** A first place as clear as this needs no second opinion. */
const PLAIN_AGREEMENT = 0.9;
const PLAIN_LEAD = 0.5;
const CANDIDATE_COUNT = 4;
/** Loudest segments that the delay is read from, and parts of the passage that its drift is read from. */
const SEGMENT_COUNT = 24;
const GROUP_COUNT = 12;
const SEGMENTS_A_GROUP = 6;
/** Under this, drift is not asked for. */
const SHORTEST_DRIFT_SECONDS = 4;
/** Templates of this length are looked for where the whole passage does not stand out, as with a drifting clock. */
const TEMPLATE_SECONDS = 20;
/** A delay this far from where it was looked for is looked at again from where it was found. */
const NEAR_ENOUGH_SAMPLES = 8;
const MOST_LOOKS = 3;
/** Confidence under which a reason is given. */
const DOUBTFUL = 0.5;
/** A fraction is told from a whole sample when it is this many standard errors away, and not less than this. */
const FRACTION_ERRORS = 3;
const LEAST_FRACTION_SAMPLES = 0.005;

type LostAlignment = Extract<Alignment, { found: false }>;

const notFound = (reason: string, confidence = 0): LostAlignment => ({ found: false, reason, confidence });

/** One way to look at the two: a view of each, and what that view stands for. */
type Signals = { a: View; b: View; crossing: Crossing };

/** A place with all that speaks for it. */
type Place = Signals & {
  line: DelayLine;
  delay: SharedDelay;
  starts: number[];
  lead: number;
  /** How much later the next best place lies, in samples; null where there is none. */
  nextBySamples: number | null;
  score: number;
};

/**
 * Finds where `render` lies against `reference`: delay with its fraction, polarity of each channel, channel order, clock
 * drift, with a confidence and, where that is low, the reason. Both clips at one rate. A coarse whitened correlation over the
 * whole length proposes places, the averaged cross-spectrum of the loudest segments at the full rate decides. Unrelated or
 * silent material answers `found: false` with the reason.
 */
export function align(reference: Clip, render: Clip): Alignment {
  if (reference.sampleRateHz !== render.sampleRateHz) throw new Error("align wants both clips at one rate");
  const [referenceViews, renderViews] = [viewsOf(reference), viewsOf(render)];
  const fuller = fullerView(referenceViews);
  if (rmsOf(fuller) < SILENCE_RMS) return notFound("the dry render is silent");
  if (rmsOf(fullerView(renderViews)) < SILENCE_RMS) return notFound("the render is silent");

  const rate = reference.sampleRateHz;
  let best: Place | null = null;
  let refused: Alignment = notFound("the two do not sound like the same material");
  for (const signals of viewsToTry(fuller, renderViews)) {
    const place = placeOf(signals, rate);
    if ("line" in place) {
      if (!best || place.score > best.score) best = place;
      if (isPlain(place)) break;
    } else if (place.confidence >= refused.confidence) refused = place;
  }
  return best
    ? alignmentAt(best, referenceViews, renderViews, rate)
    : (toneAlignment(fuller, renderViews, rate) ?? refused);
}

/** Two steady tones of one pitch: in step after any whole number of periods, so the nearest is taken, with the doubt told. */
function toneAlignment(reference: View, render: Views, rate: number): Alignment | null {
  const view = render[reference.kind];
  const [start] = loudest(segmentsIn(reference, 0, render.mid.left.length), 1);
  const place = view && start !== undefined ? tonePlace(reference, view, start) : null;
  if (!place) return null;
  return {
    ...AS_IT_IS,
    found: true,
    delaySamples: place.delaySamples,
    delayErrorSamples: 0,
    driftPpm: null,
    confidence: 0,
    doubt: steadyToneDoubt(place.periodSamples, rate),
  };
}

const milliseconds = (samples: number, rate: number): string => `${((1000 * samples) / rate).toFixed(2)} ms`;

const steadyToneDoubt = (period: number, rate: number): string =>
  `the passage is a steady tone: the delay is ambiguous every ${milliseconds(period, rate)}`;

/** The fuller view against its like, then against the other one: that is where it is when one channel is upside down. */
function* viewsToTry(a: View, render: Views): Generator<Signals> {
  for (const crossing of ["straight", "crossed"] as const) {
    const b = render[crossing === "straight" ? a.kind : otherKind(a.kind)];
    if (b && rmsOf(b) >= SILENCE_RMS) yield { a, b, crossing };
  }
}

const isPlain = ({ delay, lead }: Place): boolean => delay.agreement > PLAIN_AGREEMENT && lead > PLAIN_LEAD;

function placeOf(signals: Signals, rate: number): Place | LostAlignment {
  const coarse = coarsen(signals.a, signals.b);
  // Ringing of an equalizer belongs to the peak: places closer than 2 ms are one place.
  const apart = Math.max(3, Math.round((rate / coarse.decimation) * 0.002));
  const found = coarsePlaces(coarse, apart, rate);
  if (found.peaks.length === 0) return notFound("there is nothing in common to line up by");
  const lead = Math.max(0, found.peaks.length < 2 ? 1 : 1 - Math.abs(found.peaks[1].value / found.peaks[0].value));
  if (found.significance < LEAST_SIGNIFICANCE) {
    return notFound("the two do not sound like the same material", lead);
  }
  const nextBy = (lag: number) => {
    const next = found.peaks.find((p) => p.lag !== lag);
    return next ? (next.lag - lag) * coarse.decimation : null;
  };
  let best: Place | null = null;
  for (const peak of found.peaks) {
    const place = finePlace(signals, Math.round(peak.lag * coarse.decimation), rate);
    if (!place) continue;
    // Both must hold: the whole length counts for the place, the loudest segments for its exactness.
    const exactness = (place.delay.agreement ** 2) ** 2;
    const score = exactness * Math.abs(peak.value) * (1 + overlapShare(signals, place.line.delaySamples));
    if (!best || score > best.score) best = { ...place, ...signals, lead, nextBySamples: nextBy(peak.lag), score };
    if (isPlain(best)) break;
  }
  if (!best || best.delay.agreement < LEAST_AGREEMENT) {
    const confidence = Math.min(lead, best?.delay.agreement ?? 0);
    return notFound("no single delay brings the two together", confidence);
  }
  return best;
}

/** How much of the shorter one lies on the other: of two places in a passage that repeats itself, the fuller is likelier. */
function overlapShare({ a, b }: Signals, delay: number): number {
  const [from, to] = [Math.max(0, -delay), Math.min(a.left.length, b.left.length - delay)];
  return Math.max(0, to - from) / Math.min(a.left.length, b.left.length);
}

/** Places by the whole length; by stretches of the reference where that does not stand out, as when a clock drifts. */
function coarsePlaces({ a, b, decimation }: Coarse, apart: number, rate: number): CoarseCorrelation {
  const whole = coarseCorrelation(a, b, CANDIDATE_COUNT, apart);
  const length = Math.round((TEMPLATE_SECONDS * rate) / decimation);
  if (whole.significance >= LEAST_SIGNIFICANCE || a.length < 1.5 * length) return whole;
  return [0.5, 0.2, 0.8].reduce((best, share) => {
    if (best.significance >= LEAST_SIGNIFICANCE) return best;
    const start = Math.round(share * (a.length - length));
    const stretch = coarseCorrelation(a.subarray(start, start + length), b, CANDIDATE_COUNT, apart);
    if (stretch.significance <= best.significance) return best;
    return { ...stretch, peaks: stretch.peaks.map((p) => ({ ...p, lag: p.lag - start })) };
  }, whole);
}

/** The line of delay near a coarse place, and how the loudest segments agree once they are laid on it. */
function finePlace({ a, b }: Signals, expected: number, rate: number) {
  const segments = segmentsIn(a, expected, b.left.length);
  const starts = loudest(segments, SEGMENT_COUNT);
  const groups = groupsOf(segments, rate);
  let line: DelayLine = { delaySamples: expected, slope: 0 };
  if (groups.length > 1) {
    let points = groupPoints(a, b, groups, line);
    line = consensusLine(points)?.line ?? line;
    let slope = slopeAlong(points, line);
    // A drift is measured well only along itself: what slides out of a window is lost to it.
    for (let look = 0; look < 2 && points.length > 0 && (slope !== 0 || line.slope !== 0); look++) {
      line = turned(line, slope, (points[0].frame + points[points.length - 1].frame) / 2);
      points = groupPoints(a, b, groups, line);
      slope = slopeAlong(points, line);
    }
    line = turned(line, slope, middleOf(starts));
  }
  // The same for the delay.
  for (let look = 0; ; look++) {
    const spectrum = crossSpectrum(a, b, starts, (frame) => delayOn(line, frame));
    const delay = spectrum && sharedDelay(spectrum);
    if (!delay) return null;
    line = { ...line, delaySamples: line.delaySamples + delay.offsetSamples };
    if (Math.abs(delay.offsetSamples) >= NEAR_ENOUGH_SAMPLES && look < MOST_LOOKS) continue;
    // Sound that changes along the passage moves an equalized render's delay within its error: that is no drift.
    const span = line.slope * (starts[starts.length - 1] - starts[0]);
    if (line.slope === 0 || Math.abs(span) > FRACTION_ERRORS * delay.errorSamples) return { line, delay, starts };
    line = turned(line, 0, middleOf(starts));
  }
}

const middleOf = (starts: readonly number[]): number =>
  starts.reduce((sum, s) => sum + s, 0) / starts.length + SEGMENT_FRAMES / 2;

/** The same line with another slope, turned about a frame. */
const turned = (line: DelayLine, slope: number, frame: number): DelayLine => ({
  delaySamples: delayOn(line, frame) - slope * frame,
  slope,
});

function groupPoints(a: View, b: View, groups: number[][], line: DelayLine): DelayPoint[] {
  return groups.flatMap((starts) => {
    const middle = starts.reduce((sum, s) => sum + s, 0) / starts.length + SEGMENT_FRAMES / 2;
    const spectrum = crossSpectrum(a, b, starts, (frame) => delayOn(line, frame));
    const delay = spectrum && sharedDelay(spectrum);
    if (!delay) return [];
    return { frame: middle, delaySamples: delayOn(line, middle) + delay.offsetSamples, weight: delay.agreement ** 2 };
  });
}

type Segment = { start: number; power: number };

/** Half-overlapping segments of the stretch both signals cover, with their energies. */
function segmentsIn(reference: View, delay: number, renderLength: number): Segment[] {
  const from = Math.ceil(Math.max(0, -delay) / BLOCK_FRAMES);
  const to = Math.min(reference.left.length, renderLength - delay) / BLOCK_FRAMES;
  const segments: Segment[] = [];
  for (let block = from; block < to; block++) {
    const power = reference.blockEnergies[block] + (reference.blockEnergies[block + 1] ?? 0);
    segments.push({ start: block * BLOCK_FRAMES, power });
  }
  // A stretch shorter than a block is looked at from where it begins.
  return segments.length > 0 || to * BLOCK_FRAMES <= -delay ? segments : [{ start: Math.max(0, -delay), power: 1 }];
}

/** Starts of the segments with most energy, in time order. */
const loudest = (segments: readonly Segment[], count: number): number[] =>
  segments
    .toSorted((p, q) => q.power - p.power)
    .slice(0, count)
    .map((s) => s.start)
    .sort((p, q) => p - q);

/** The loudest run of neighbouring segments in each part of the passage; none where it is too short to tell a drift. */
function groupsOf(segments: readonly Segment[], rate: number): number[][] {
  if (segments.length * BLOCK_FRAMES < SHORTEST_DRIFT_SECONDS * rate) return [];
  const size = segments.length / GROUP_COUNT;
  return Array.from({ length: GROUP_COUNT }, (_, g) => {
    const part = segments.slice(Math.floor(g * size), Math.floor((g + 1) * size));
    const powerFrom = (i: number) => part.slice(i, i + SEGMENTS_A_GROUP).reduce((sum, s) => sum + s.power, 0);
    let best = 0;
    for (let i = 1; i + SEGMENTS_A_GROUP <= part.length; i++) if (powerFrom(i) > powerFrom(best)) best = i;
    return part.slice(best, best + SEGMENTS_A_GROUP).map((s) => s.start);
  }).filter((starts) => starts.length > 0);
}

function alignmentAt(place: Place, reference: Views, render: Views, rate: number): Alignment {
  const { line, delay, starts, lead, crossing } = place;
  const groups = groupsOf(segmentsIn(place.a, Math.round(line.delaySamples), place.b.left.length), rate);
  const order = channelOrder(reference, render, crossing, starts, (f) => delayOn(line, f), delay.polarity);
  const confidence = Math.max(0, Math.min(lead, delay.agreement));
  const period = ambiguityPeriod(place.a, place.b, starts, (f) => delayOn(line, f));
  // What a steady tone says of a fraction or a drift is chance.
  const delaySamples =
    period === null ? settled(line, delay.errorSamples) : Math.round(delayOn(line, middleOf(starts))) + 0;
  return {
    found: true,
    delaySamples,
    delayErrorSamples: Number.isInteger(delaySamples) ? 0 : delay.errorSamples,
    driftPpm: groups.length > 1 && period === null ? line.slope * 1e6 : null,
    ...order,
    confidence: period === null ? confidence : Math.min(confidence, 0.2),
    doubt: doubtOf(confidence, period, place, rate),
  };
}

/** The delay at the first frame: whole, unless clearly not; with a drift there is no whole one. */
function settled({ delaySamples, slope }: DelayLine, errorSamples: number): number {
  const whole = Math.round(delaySamples) + 0;
  const unclear = Math.max(LEAST_FRACTION_SAMPLES, FRACTION_ERRORS * errorSamples);
  return slope === 0 && Math.abs(delaySamples - whole) <= unclear ? whole : delaySamples;
}

function doubtOf(confidence: number, period: number | null, { delay, nextBySamples }: Place, rate: number) {
  if (period !== null) return steadyToneDoubt(period, rate);
  if (confidence >= DOUBTFUL) return null;
  if (delay.agreement <= confidence || nextBySamples === null) {
    return `only ${Math.round(100 * delay.agreement)} % of the shared sound agrees on this delay`;
  }
  return `a place ${milliseconds(Math.abs(nextBySamples), rate)} ${nextBySamples > 0 ? "later" : "earlier"} fits nearly as well`;
}
