import type { Clip } from "../audio/clip";
import { log } from "../audio/exact-math";
import type { Sound } from "../audio/sound";
import { type Alignment, AS_IT_IS } from "./alignment";
import { ambiguityPeriod, tonePlace } from "./ambiguity";
import { channelOrder } from "./channel-order";
import { atSpeed, type Coarse, coarsen } from "./coarse-signals";
import { type CoarsePeak, coarseCorrelations } from "./correlate";
import { type DelayLine, delayOn } from "./delay-line";
import { doubtsOf, type NotAligned, otherPlaceDoubt, steadyToneDoubt } from "./doubts";
import type { Outline } from "./outline";
import { leftAt, type Material, materialOf, type Place, promiseOf, settle } from "./place";
import { refined } from "./refine";
import { groupsOf, segmentFrames } from "./segments";
import { speedLine } from "./speed";
import { energyOf, fullerView, type View, type Views, viewsOf } from "./view";

/** RMS below which a signal counts as silent: under the last bit of 24. */
const SILENCE_RMS = 2 ** -24;
/** Places that each coarse search proposes. */
const CANDIDATE_COUNT = 4;
/** Set by trial (docs/figures.md): under these the two are not the same material. */
const LEAST_SHARE = 0.3;
const LEAST_AGREEMENT = 0.5;
/** A place under these is held against another speed. */
const THIN_AGREEING = 0.5;
const THIN_OVERLAP = 0.3;
/** A place as good as this needs no other view of the two. */
const PLAIN_SHARE = 0.7;
const PLAIN_AGREEMENT = 0.8;
/** Another place nulls nearly as deep when what it leaves is not twice as much (3 dB). */
const NEARLY_AS_DEEP = 2;
/** Places nearer than this are one: ringing belongs to the peak. */
const ONE_PLACE_SECONDS = 0.002;
/** A delay with a fraction is refined on so many segments. */
const REFINED_ON = 12;
/** A fraction smaller than this is none. */
const LEAST_FRACTION_SAMPLES = 0.005;
/** A whole sample stands for a fraction when what does not agree grows by no more than this. */
const SNAP_MISFIT = 1.5;
/** Where a filter's own phase was taken off: this part of the error is nothing. */
const OWN_PHASE_NOTHING = 0.1;
/** Frequencies that agree less than this, and a delay shorter than this: an all-pass of second order at 2 kHz is as late. */
const TURNED_AGREEMENT = 0.85;
const TURNED_SECONDS = 0.0002;
/** What of the misfit is rounding. */
const MISFIT_FLOOR = 1e-7;
/** Confidence of what has a doubt, at the most. */
const DOUBTFUL = 0.5;

type LostAlignment = Extract<Alignment, { found: false }>;

const notFound = (reason: NotAligned, confidence = 0): LostAlignment => ({ found: false, reason, confidence });

const UNLIKE: NotAligned = { kind: "unlike" };

/**
 * Finds where `render` lies against `reference`: delay with its fraction and its bound, polarity of each channel, channel order, clock
 * drift, with a confidence and, where something speaks against it, the doubt. Both at one rate. Coarse correlations over the
 * whole length propose places; the cross-spectra of the loudest segments of sixteen parts of the passage, channel by channel at
 * the full rate, decide. `outlines` that are known already need not be made. Unrelated or silent material answers `found: false` with the reason.
 */
export function align(
  reference: Sound | Clip,
  render: Sound | Clip,
  outlines: { reference?: Outline | null; render?: Outline | null } = {},
): Alignment {
  if (reference.sampleRateHz !== render.sampleRateHz) throw new Error("align wants both sounds at one rate");
  const rate = reference.sampleRateHz;
  const frames = segmentFrames(rate);
  const [dry, wet] = [viewsOf(reference, outlines.reference), viewsOf(render, outlines.render)];
  const silent = (views: Views) =>
    Math.sqrt(energyOf(views) / Math.max(1, views.frames * views.channels.length)) < SILENCE_RMS;
  if (silent(dry)) return notFound({ kind: "dry silent" });
  if (silent(wet)) return notFound({ kind: "render silent" });

  const material = materialOf(dry, wet);
  const { best, delays } = search(material, rate, frames);
  if (best && isFound(best)) {
    // A render at another speed meets its dry one at places, as a passage that repeats itself does.
    const faster = isThin(best, material) ? atAnotherSpeed(material, rate, frames) : null;
    return faster?.found ? faster : alignmentAt(best, material, delays, rate, frames);
  }
  const tone = toneAlignment(fullerView(dry), wet, rate, frames);
  if (tone) return tone;
  const other = atAnotherSpeed(material, rate, frames);
  if (other) return other;
  if (!best) return notFound(UNLIKE);
  const shared = Math.min(best.coherence.renderShare, best.fit.agreement, best.agreeing);
  return notFound(best.coherence.renderShare < LEAST_SHARE ? UNLIKE : { kind: "no single delay" }, shared);
}

const isFound = ({ coherence, fit, agreeing }: Place): boolean =>
  coherence.renderShare >= LEAST_SHARE && fit.agreement >= LEAST_AGREEMENT && agreeing >= LEAST_SHARE;

const isPlain = ({ coherence, fit, agreeing }: Place): boolean =>
  coherence.renderShare > PLAIN_SHARE && fit.agreement > PLAIN_AGREEMENT && agreeing > PLAIN_SHARE;

/** Hardly half of the parts agree on it, or hardly any of the shorter one lies there. */
const isThin = ({ agreeing, line }: Place, material: Material): boolean =>
  agreeing < THIN_AGREEING || overlapShare(material, line.delaySamples) < THIN_OVERLAP;

/** A null this deep is as good as any when places are weighed (power): −60 dB. */
const DEEP_ENOUGH = 1e-6;

/** How well a place stands: what it explains and how deep that nulls, on which line, over how much of the shorter one. */
const worth = ({ coherence, fit, agreeing, line }: Place, material: Material): number =>
  coherence.renderShare *
  (1 + log(Math.max(DEEP_ENOUGH, 1 - coherence.renderShare)) / log(DEEP_ENOUGH)) *
  fit.agreement *
  agreeing *
  (1 + overlapShare(material, line.delaySamples));

/** How much of the shorter one lies on the other: of two places in a passage that repeats itself, the fuller is likelier. */
function overlapShare({ reference, render }: Material, delay: number): number {
  const [from, to] = [Math.max(0, -delay), Math.min(reference.frames, render.frames - delay)];
  return Math.max(0, to - from) / Math.min(reference.frames, render.frames);
}

/** Chance puts about this share of the parts on one line. */
const LEAST_PROMISE = 0.3;
/** Of the places a view proposes, so many of the most promising are settled. */
const SETTLED_COUNT = 2;

/** The best place, and all delays that were proposed. */
function search(material: Material, rate: number, frames: number): { best: Place | null; delays: number[] } {
  const tried: [straight: number[], swapped: number[]] = [[], []];
  const delays: number[] = [];
  let best: Place | null = null;
  for (const { views, swapped } of viewsToTry(material)) {
    for (const proposed of coarseDelays(coarsen(...views), rate)) {
      delays.push(...proposed);
      for (const { line } of mostPromising(proposed, tried[swapped ? 1 : 0], material, frames, swapped)) {
        const place = settle(material, line, rate, frames);
        if (place && (!best || worth(place, material) > worth(best, material))) best = place;
      }
      if (best && isPlain(best)) return { best, delays };
    }
  }
  return { best, delays };
}

/** The most promising of some proposed places, those `tried` before left out. */
function mostPromising(
  proposed: readonly number[],
  tried: number[],
  material: Material,
  frames: number,
  swapped: boolean,
): { line: DelayLine; share: number }[] {
  const promising: { line: DelayLine; share: number }[] = [];
  for (const delay of proposed) {
    if (tried.some((t) => Math.abs(t - delay) < frames / 8)) continue;
    tried.push(delay);
    const promise = promiseOf(material, delay, frames, swapped);
    if (promise && promise.share >= LEAST_PROMISE) promising.push(promise);
    // The first that most parts agree on needs no rivals here: those are looked at once it stands.
    if (promise && promise.share > PLAIN_SHARE) break;
  }
  return promising.sort((a, b) => b.share - a.share).slice(0, SETTLED_COUNT);
}

type Look = { views: [View, View]; swapped: boolean };

/** The fuller view against its like, then against the other one (where it is when one channel is inverted), then side by side. */
function* viewsToTry({ reference, render, referenceViews, renderViews }: Material): Generator<Look> {
  if (renderViews.length === 1 && render.channels.length > 1) {
    yield { views: [referenceViews[0], renderViews[0]], swapped: false };
    return;
  }
  const a = fullerView(reference);
  const sounds = (view: View | null): view is View =>
    view !== null && Math.sqrt(view.energy / Math.max(1, view.frames)) >= SILENCE_RMS;
  for (const b of a.kind === "side" ? [render.side, render.mid] : [render.mid, render.side]) {
    if (sounds(b)) yield { views: [a, b], swapped: false };
  }
  if (reference.channels.length < 2 || render.channels.length < 2) return;
  for (const swapped of [false, true]) {
    const views = [reference.channels[0], render.channels[swapped ? 1 : 0]] as [View, View];
    if (views.every(sounds)) yield { views, swapped };
  }
}

/** Places in samples of the full rate, of one search and then, where that was not enough, of the other. */
function* coarseDelays({ a, b, decimation }: Coarse, rate: number): Generator<number[]> {
  const apart = Math.max(3, Math.round((rate / decimation) * ONE_PLACE_SECONDS));
  const { whitened, halfWhitened } = coarseCorrelations(a, b, CANDIDATE_COUNT, apart);
  const inFullRate = (peaks: CoarsePeak[]) => peaks.map((p) => Math.round(p.lag * decimation));
  yield inFullRate(whitened);
  yield inFullRate(halfWhitened());
}

/** Two steady tones of one pitch: aligned after any whole number of periods, so the nearest is taken, with the doubt reported. */
function toneAlignment(reference: View, render: Views, rate: number, frames: number): Alignment | null {
  const view = reference.kind === "side" ? render.side : render.mid;
  const start = Math.max(0, Math.round((Math.min(reference.frames, render.frames) - frames) / 2));
  const place = view ? tonePlace(reference, view, start) : null;
  if (!place) return null;
  return {
    ...AS_IT_IS,
    found: true,
    delaySamples: place.delaySamples,
    delayErrorSamples: place.periodSamples / 2,
    driftPpm: null,
    driftErrorPpm: null,
    confidence: 0,
    doubts: [steadyToneDoubt(place.periodSamples, rate)],
  };
}

/** Places at the speed found that are settled: the likeliest, since each is read between its samples. */
const SETTLED_AT_SPEED = 3;

/** A render that runs faster or slower: the line of its delay where one is found and holds, else the reason in words. */
function atAnotherSpeed(material: Material, rate: number, frames: number): Alignment | null {
  const coarse = coarsen(fullerView(material.reference), fullerView(material.render));
  const line = speedLine(material, coarse, frames);
  if (!line) return null;
  const { slope } = line;
  // The speed may have been met at any repeat of the passage: the whole is laid against the whole at that speed.
  const starts = [...coarseDelays(atSpeed(coarse, slope), rate)].flat().map((d) => d * (1 + slope));
  const apart = [...starts, line.delaySamples].filter(
    (d, i, all) => all.findIndex((other) => Math.abs(other - d) < frames / 8) === i,
  );
  const places = apart
    .slice(0, SETTLED_AT_SPEED)
    .map((delaySamples) => settle(material, { delaySamples, slope }, rate, frames))
    .filter((place) => place !== null);
  if (places.length === 0) return null;
  const place = places.reduce((best, p) => (worth(p, material) > worth(best, material) ? p : best));
  const atMiddle = apart.map((d) => d + slope * place.middleFrame);
  if (isPlain(place)) return alignmentAt(place, material, atMiddle, rate, frames);
  return notFound({ kind: "other speed", percent: 100 * slope }, place.fit.agreement);
}

function alignmentAt(
  place: Place,
  material: Material,
  delays: readonly number[],
  rate: number,
  frames: number,
): Alignment {
  const order = channelOrder(place.whole, place.parts, place.fit, place.combination);
  const starts = groupsOf(material.reference, material.render, Math.round(place.line.delaySamples)).flatMap(
    (g) => g.starts,
  );
  const [a, b] = [material.referenceViews[0], material.renderViews[order.swapped ? 1 : 0] ?? material.renderViews[0]];
  const period = ambiguityPeriod(
    a,
    b,
    starts.filter((s) => s >= 0),
    (f) => delayOn(place.line, f),
  );
  // What a steady tone says of a fraction, a drift or a invert is chance: it is laid where it fits next to where the files lie.
  const tone = period === null ? null : toneAlignment(fullerView(material.reference), material.render, rate, frames);
  if (tone) return tone;
  const rough = withoutFeignedDrift(place);
  const { delaySamples: settledDelay, errorSamples } = settled(rough, place, rate);
  const line =
    rough.slope === 0 && Number.isInteger(settledDelay)
      ? { delaySamples: settledDelay, slope: 0 }
      : refined({
          reference: material.referenceViews,
          render: order.swapped ? material.renderViews.toReversed() : material.renderViews,
          starts: starts.slice(0, REFINED_ON),
          frames,
          line: { delaySamples: settledDelay, slope: rough.slope },
          middleFrame: place.middleFrame,
          mostSamples: errorSamples,
          mostSlope: place.slopeError,
        });
  const { delaySamples } = line;
  // A steady tone inverted is the same tone half a period on: it is taken upright.
  const upsideDown = period !== null && order.polarity.left === -1 && order.polarity.right === -1;
  const toneDelay = nearestPlace(delayOn(line, place.middleFrame) + (upsideDown ? (period ?? 0) / 2 : 0), period ?? 1);
  const other = period === null ? otherPlace(place, material, delays, rate, frames, order.swapped) : null;
  const doubts = [
    ...(period === null ? [] : [steadyToneDoubt(period, rate)]),
    ...(other === null ? [] : [otherPlaceDoubt(other.laterSamples, rate)]),
    ...doubtsOf(place, order, overlapShare(material, delayOn(line, place.middleFrame)), rate),
  ];
  const agreement = Math.max(0, Math.min(place.fit.agreement, place.agreeing, Math.sqrt(place.coherence.renderShare)));
  const slopeError = place.slopeError + Math.abs(place.line.slope - line.slope);
  const knowsDrift = Number.isFinite(slopeError) && period === null;
  return {
    found: true,
    delaySamples: period === null ? delaySamples : toneDelay,
    delayErrorSamples: period === null ? errorSamples : period / 2,
    driftPpm: knowsDrift ? line.slope * 1e6 : null,
    driftErrorPpm: knowsDrift ? slopeError * 1e6 : null,
    polarity: upsideDown ? AS_IT_IS.polarity : order.polarity,
    swapped: order.swapped,
    confidence:
      doubts.length === 0 ? agreement : Math.min(agreement, period === null ? DOUBTFUL * (other?.lead ?? 1) : 0.2),
    doubts,
  };
}

/** Of the places of a steady tone, a period apart, the one nearest to where the files lie. */
const nearestPlace = (delay: number, period: number): number =>
  Math.round(delay - period * Math.round(delay / period)) + 0;

/** A slope that an equalizer's phase or chance may feign is none. */
function withoutFeignedDrift({ line, slopeError, errorSamples, middleFrame, fit }: Place): DelayLine {
  const span = 2 * Math.abs(line.slope) * middleFrame;
  if (line.slope === 0 || (Math.abs(line.slope) > slopeError && span > Math.max(errorSamples, fit.errorSamples)))
    return line;
  return { delaySamples: delayOn(line, middleFrame), slope: 0 };
}

/** The delay at the first frame: whole, unless clearly not; with a drift there is no whole one. The bound is kept when it snaps. */
function settled(line: DelayLine, { errorSamples, slopeError, middleFrame, fit }: Place, rate: number) {
  const { delaySamples, slope } = line;
  if (slope !== 0) return { delaySamples, errorSamples: errorSamples + slopeError * middleFrame };
  // Where frequencies hardly agree, crossovers turn phase by as much as so short a delay would: the files may well lie where they are.
  if (fit.agreement < TURNED_AGREEMENT && Math.abs(delaySamples) < TURNED_SECONDS * rate)
    return { delaySamples: 0, errorSamples: errorSamples + Math.abs(delaySamples) };
  const whole = Math.round(delaySamples) + 0;
  const apart = Math.abs(delaySamples - whole);
  if (apart > Math.max(LEAST_FRACTION_SAMPLES, errorSamples)) return { delaySamples, errorSamples };
  // Beside what a filter's own phase leaves open, a fit that is a little better says nothing.
  if (fit.ownPhase && apart < OWN_PHASE_NOTHING * errorSamples)
    return { delaySamples: whole, errorSamples: errorSamples + apart };
  if (fit.misfitAt(whole - delaySamples) > SNAP_MISFIT * fit.misfit + MISFIT_FLOOR)
    return { delaySamples, errorSamples };
  return { delaySamples: whole, errorSamples: errorSamples + apart };
}

/** Another place must cover this much of what the one found covers. */
const LEAST_OTHER_OVERLAP = 0.7;

/** Another proposed place that leaves hardly more than the one found, and how far the one found leads (0 to 1). */
function otherPlace(
  place: Place,
  material: Material,
  delays: readonly number[],
  rate: number,
  frames: number,
  swapped: boolean,
): { laterSamples: number; lead: number } | null {
  const found = delayOn(place.line, place.middleFrame);
  const { slope } = place.line;
  const leftBy = (delay: number, most: number, order: boolean) => {
    const line = { delaySamples: delay - slope * place.middleFrame, slope };
    return Math.max(1e-12, leftAt(material, line, frames, most, order));
  };
  const left = leftBy(slope === 0 ? Math.round(found) : found, 1, swapped);
  const orders = material.renderViews.length > 1 ? [swapped, !swapped] : [swapped];
  const overlap = overlapShare(material, found);
  const looked: number[] = [];
  let best: { laterSamples: number; lead: number } | null = null;
  for (const delay of delays) {
    const later = delay - found;
    if (Math.abs(later) < Math.max(frames / 4, ONE_PLACE_SECONDS * rate)) continue;
    if (overlapShare(material, delay) < LEAST_OTHER_OVERLAP * overlap) continue;
    if (looked.some((l) => Math.abs(l - delay) < frames / 8)) continue;
    looked.push(delay);
    const otherLeft = Math.min(...orders.map((order) => leftBy(delay, NEARLY_AS_DEEP * left, order)));
    if (otherLeft > NEARLY_AS_DEEP * left) continue;
    const lead = Math.min(1, Math.max(0, 1 - left / otherLeft));
    if (!best || lead < best.lead) best = { laterSamples: later, lead };
  }
  return best;
}
