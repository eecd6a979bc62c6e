import { atan2, cos, hypot, sin } from "../../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../../audio/fft";
import { soundBetween } from "../../audio/read-between";
import { asRead, type Sound, stretch } from "../../audio/sound";
import { delayBetween } from "../signal/chirp-delay";
import { chirp, chirpSeconds, markFrames, markShape } from "../signal/marker";
import type { Returned } from "../signal/returned";
import { markerCode } from "../signal/signal";
import type { SignalPlan } from "../signal/signal-plan";
import { type Jump, jumpBetween, type Place } from "./jump-place";

/** How the recorder's time ran along the signal's. */
export type Timing = {
  /** Parts per million, positive: the recording runs long; 0 where that is not known from none. */
  driftPpm: number;
  driftErrorPpm: number;
  jumps: Jump[];
  /** What marks still lie off once drift and jumps are taken off, samples (effective value), where that is more than their error. */
  unsteadySamples: number | null;
  /** What a mark's place is known to, samples. */
  markErrorSamples: number;
  /** Marks that were found, of those sent. */
  marksFound: number;
  marksSent: number;
};

/** A clock is taken for right within this (ppm): over a signal it moves nothing by a hundredth of a sample. */
const STILL_PPM = 0.003;
/** A mark is looked for so far around where the one before it lay (seconds), and counts that is as alike as this to the ideal one. */
const REACH_SECONDS = 0.12;
const LEAST_LIKENESS = 0.35;
/** Marks jump that lie further off their neighbours than this, and than so many of their errors (samples). */
const LEAST_JUMP = 0.4;
const SIGMAS = 6;
/** Where more than this share of all intervals jump, time does not jump but moves. */
const MOST_JUMPING = 0.34;
/** A loss is of whole samples: within this. Marks that lie off their neighbours by more than that (effective value) move; a loss then has to stand so many times out of it. */
const UNEVEN = 0.3;
const MOVING_SAMPLES = 0.15;
const FAR_OUT = 10;
/** Two ends of what sways lie apart by no more than so many of its effective values (2√2, of a sine). */
const MOST_SWAY = 3;
/** Marks that lie off by no more than this lie where they should (samples). */
const STEADY_SAMPLES = 0.03;

/** A channel by itself tells how time ran that has so many of the marks that both have together. */
const ENOUGH_MARKS = 0.8;

/**
 * How time ran on the way. What happens there happens to both channels: where one of them, seen closely enough, ran steadier than both together, what moved
 * is a processor's doing on the other.
 */
export function timingOnWay(returned: Returned, sent: readonly Float32Array[]): Timing {
  const whole = timingOf(returned, sent);
  const { sound } = returned;
  if (sound.channelCount < 2 || (whole.jumps.length === 0 && whole.unsteadySamples === null)) return whole;
  const alone = Array.from({ length: sound.channelCount }, (_, c) => {
    const channel = asRead({ ...sound, channelCount: 1 }, (from, count) => [sound.read(from, count)[c]]);
    return timingOf({ ...returned, sound: channel }, [sent[c] ?? sent[0]]);
  });
  const clear = alone.filter(
    ({ marksFound, markErrorSamples }) =>
      marksFound >= ENOUGH_MARKS * whole.marksFound && SIGMAS * markErrorSamples < LEAST_JUMP,
  );
  return [whole, ...clear].reduce((a, b) => (disturbance(b) < disturbance(a) ? b : a));
}

/** Jumps count first. */
const disturbance = ({ jumps, unsteadySamples }: Timing): number =>
  jumps.length + (unsteadySamples === null ? 0 : unsteadySamples / (1 + unsteadySamples));

/** Reads how time ran: markers at both ends, one against the other, and marks between them, each against the first. */
function timingOf(returned: Returned, sent: readonly Float32Array[]): Timing {
  const { plan } = returned;
  const { start, end, marks } = placesOf(returned);
  const steps = marks.slice(1).map((place, i) => stepBetween(marks[i], place));
  const whole = stepBetween(start, end);
  const slope = weightedMiddle(
    [...steps, ...(steps.length === 0 ? [whole] : [])].map(({ frames, moved }) => ({
      value: moved / frames,
      weight: frames,
    })),
  );
  const off = steps.map(({ frames, moved, error }) => {
    const rest = moved - slope * frames;
    return Math.abs(rest) > Math.max(LEAST_JUMP, SIGMAS * error) ? Math.round(rest) : 0;
  });
  const jumping = off.filter((samples) => samples !== 0).length;
  // Time that moves to and fro lays many marks off, and none by whole samples: only what stands far out of that is lost.
  const spread = Math.sqrt(
    steps.reduce((sum, { frames, moved }, i) => sum + (off[i] === 0 ? 1 : 0) * (moved - slope * frames) ** 2, 0) /
      Math.max(1, steps.length - jumping),
  );
  const isUneven = steps.some(
    ({ frames, moved }, i) => off[i] !== 0 && Math.abs(moved - slope * frames - off[i]) > UNEVEN,
  );
  const isMoving = jumping > MOST_JUMPING * steps.length || isUneven || spread > MOVING_SAMPLES;
  // What moves half of all marks is no loss of any of them.
  const usualRest = weightedMiddle(
    steps.map(({ frames, moved }) => ({ value: Math.abs(moved - slope * frames), weight: 1 })),
  );
  const least = FAR_OUT * Math.max(1, spread, usualRest);
  const inner = off.map((samples) => (isMoving && Math.abs(samples) < least ? 0 : samples));
  // Marks are chirps of another form than markers: a filter may lay them earlier or later, so what happened before the first and after the last one
  // shows in what markers moved by as a whole.
  const rest = whole.moved - slope * whole.frames - inner.reduce((sum, samples) => sum + samples, 0);
  const outer = isMoving || Math.abs(rest) < Math.max(LEAST_JUMP, SIGMAS * whole.error) ? 0 : Math.round(rest);
  const late =
    marks.length > 0 ? marks[0].delay - start.delay - slope * (marks[0].plannedFrame - start.plannedFrame) : 0;
  const isFirst = Math.abs(late - outer) < Math.abs(late);
  const all = [
    ...(marks.length > 0 ? [{ from: start, to: marks[0], samples: isFirst ? outer : 0 }] : []),
    ...inner.map((samples, i) => ({ from: marks[i], to: marks[i + 1], samples })),
    { from: marks.at(-1) ?? start, to: end, samples: isFirst && marks.length > 0 ? 0 : outer },
  ];
  // One straight line through each family, jumps taken off.
  let before = isFirst ? outer : 0;
  const straight = marks.map((place, i) => {
    before += i > 0 ? inner[i - 1] : 0;
    return { ...place, delay: place.delay - before };
  });
  const line = lineThrough(straight.length > 2 ? straight : [start, end]);
  const usual = Math.sqrt(straight.reduce((sum, p) => sum + p.error ** 2, 0) / Math.max(1, straight.length));
  // Over the whole signal the markers tell a clock most closely, where nothing jumped.
  const ends = {
    slope: (whole.moved - outer - inner.reduce((sum, samples) => sum + samples, 0)) / whole.frames,
    error: whole.error / whole.frames,
  };
  const ppm = (isMoving ? line.slope : ends.slope) * 1e6;
  // What moves to and fro may stand on one side at the beginning and on the other at the end, whatever the number of marks.
  const swayed = (MOST_SWAY * line.rms) / Math.max(1, end.plannedFrame - start.plannedFrame);
  const errorPpm = Math.max(STILL_PPM, isMoving ? 1e6 * Math.max(3 * line.slopeError, swayed) : 3e6 * ends.error);
  const driftPpm = Math.abs(ppm) <= errorPpm ? 0 : ppm;
  return {
    driftPpm,
    driftErrorPpm: errorPpm,
    jumps: all
      .filter(({ samples }) => samples !== 0)
      .map(({ from, to, samples }) => jumpBetween(returned, sent, { from, to, driftPpm, samples })),
    unsteadySamples:
      straight.length > 2 && (isMoving || line.rms > Math.max(STEADY_SAMPLES, 3 * usual)) ? line.rms : null,
    markErrorSamples: usual,
    marksFound: marks.length,
    marksSent: plan.marks.length,
  };
}

const stepBetween = (from: Place, to: Place) => ({
  frames: to.plannedFrame - from.plannedFrame,
  moved: to.delay - from.delay,
  error: hypot(to.error, from.error),
});

/** Where markers and marks lie, samples later than they should; marks that were not found are left out. */
function placesOf({ sound, plan, atFrame, endsLateFrames }: Returned): { start: Place; end: Place; marks: Place[] } {
  const rate = plan.form.sampleRateHz;
  const startCode = chirpSeconds(markerCode(plan.form, "start"));
  const endCode = chirpSeconds(markerCode(plan.form, "end"));
  const between = startCode.map((seconds, n) => ({
    first: atFrame + plan.marker.startFrame + Math.round(seconds * rate),
    second: atFrame + plan.marker.endFrame + Math.round(endCode[n] * rate) + endsLateFrames,
  }));
  const moved = delayBetween(sound, between, chirp(rate).length);
  // The end's chirps stand further from each other than the start's: what is reported is of their mean distance.
  const meanApart = endCode.reduce((sum, s, n) => sum + s - startCode[n], 0) / endCode.length;
  const error = moved.errorSamples / Math.SQRT2;
  const start: Place = { plannedFrame: plan.marker.startFrame, delay: 0, error };
  const end: Place = {
    plannedFrame: plan.marker.endFrame + rate * meanApart,
    delay: endsLateFrames + moved.samples,
    error,
  };
  const frames = markFrames(rate);
  const marks: Place[] = [];
  let reference: { at: number; channel: number } | null = null;
  let expected = 0;
  for (const planned of plan.marks) {
    // Channels may lie apart: all marks are looked for in that of the first.
    const near = nearestMark(sound, atFrame + planned + expected, rate, reference?.channel ?? null);
    if (near === null) continue;
    reference ??= near;
    const { samples, errorSamples, agreement } = delayBetween(
      sound,
      [{ first: reference.at, second: near.at }],
      frames,
    );
    if (agreement < LEAST_LIKENESS) continue;
    const delay = near.at + samples - atFrame - planned;
    marks.push({ plannedFrame: planned, delay, error: Math.max(LEAST_ERROR, errorSamples) });
    expected = Math.round(delay);
  }
  return { start, end, marks };
}
/** What a chirp's place is known to at best, samples. */
const LEAST_ERROR = 1e-3;

/** The frame near a place where a channel is most like a mark; null where none is like one. */
function nearestMark(
  sound: Sound,
  at: number,
  rate: number,
  only: number | null,
): { at: number; channel: number } | null {
  const shape = markShape(rate);
  const reach = Math.round(REACH_SECONDS * rate);
  const length = shape.length + 2 * reach;
  const size = powerOfTwoAtLeast(length + shape.length);
  const ideal = forwardReal(shape, size);
  const norm = Math.sqrt(shape.reduce((sum, v) => sum + v * v, 0));
  let best = { likeness: LEAST_LIKENESS, frame: Number.NaN, channel: 0 };
  for (const [c, channel] of sound.read(at - reach, length).entries()) {
    if (only !== null && c !== only) continue;
    const spectrum = forwardReal(channel, size);
    for (let i = 0; i < spectrum.length; i += 2) {
      const re = spectrum[i] * ideal[i] + spectrum[i + 1] * ideal[i + 1];
      spectrum[i + 1] = spectrum[i + 1] * ideal[i] - spectrum[i] * ideal[i + 1];
      spectrum[i] = re;
    }
    const correlation = inverseReal(spectrum);
    let energy = 0;
    for (let i = 0; i < shape.length; i++) energy += channel[i] * channel[i];
    for (let lag = 0; lag <= 2 * reach; lag++) {
      const likeness = energy > 1e-14 ? Math.abs(correlation[lag]) / (norm * Math.sqrt(energy)) : 0;
      if (likeness > best.likeness) best = { likeness, frame: at - reach + lag, channel: c };
      energy += channel[lag + shape.length] ** 2 - channel[lag] ** 2;
    }
  }
  return Number.isNaN(best.frame) ? null : { at: best.frame, channel: best.channel };
}

/** The middle of values by their weights. */
function weightedMiddle(values: readonly { value: number; weight: number }[]): number {
  const sorted = values.toSorted((a, b) => a.value - b.value);
  let left = sorted.reduce((sum, v) => sum + v.weight, 0) / 2;
  for (const { value, weight } of sorted) {
    left -= weight;
    if (left <= 0) return value;
  }
  return 0;
}

/** A straight line through delays, each by its error. */
function lineThrough(places: readonly Place[]) {
  const weights = places.map(({ error }) => 1 / Math.max(1e-6, error * error));
  const all = weights.reduce((sum, w) => sum + w, 0);
  const mean = (of: (p: Place) => number) => places.reduce((sum, p, i) => sum + weights[i] * of(p), 0) / all;
  const [x, y] = [mean((p) => p.plannedFrame), mean((p) => p.delay)];
  const spread = mean((p) => (p.plannedFrame - x) ** 2);
  const slope = spread > 0 ? mean((p) => (p.plannedFrame - x) * (p.delay - y)) / spread : 0;
  const rms = Math.sqrt(mean((p) => (p.delay - y - slope * (p.plannedFrame - x)) ** 2));
  return {
    slope,
    rms,
    slopeError: spread > 0 ? Math.max(rms / Math.sqrt(places.length), Math.sqrt(1 / all)) / Math.sqrt(spread) : 0,
  };
}

/** The recording laid on the signal: drift taken off, and each piece after a jump put back in time. */
export function relaid({ sound, atFrame, plan }: Returned, { driftPpm, jumps }: Timing): Sound {
  const stride = 1 + driftPpm * 1e-6;
  const pieces: { from: number; sound: Sound }[] = [];
  let delay = 0;
  for (const { from, samples } of [
    { from: Number.NEGATIVE_INFINITY, samples: 0 },
    ...jumps.map((j) => ({ from: j.atFrame, samples: j.samples })),
  ]) {
    delay += samples;
    const first = atFrame + delay;
    pieces.push({
      from,
      sound:
        driftPpm === 0
          ? stretch(sound, { startFrame: first, endFrame: first + plan.frames })
          : soundBetween(sound, first, stride, plan.frames),
    });
  }
  if (pieces.length === 1) return pieces[0].sound;
  return asRead({ ...sound, frames: plan.frames }, (start, count) => {
    const output = Array.from({ length: sound.channelCount }, () => new Float32Array(count));
    for (const [i, piece] of pieces.entries()) {
      const from = Math.max(start, piece.from);
      const to = Math.min(start + count, pieces[i + 1]?.from ?? Number.POSITIVE_INFINITY);
      if (to <= from) continue;
      for (const [c, channel] of piece.sound.read(from, to - from).entries()) output[c].set(channel, from - start);
    }
    return output;
  });
}

/** How far a steady tone's pitch moves. */
export type Wow = {
  /** Where it moves more slowly than the tone shows, the least that it moves by. */
  peakPercent: number;
  hertz: number | null;
};

/** The tone is read in parts of so many seconds. */
const PART_SECONDS = 0.01;

/** How far the pitch of the long tone moves while it sounds, in percent at its peak, and how often a second, within 0.4 Hz; null of a channel where it hardly sounds. */
export function wowOf(channel: Float32Array, plan: SignalPlan): Wow | null {
  const rate = plan.form.sampleRateHz;
  const { startFrame, frames, hertz } = plan.deep;
  const part = Math.round(PART_SECONDS * rate);
  const from = startFrame + Math.round(0.1 * frames);
  const count = Math.floor((0.88 * frames) / part);
  const phases: number[] = [];
  let turns = 0;
  const turn = (2 * Math.PI * hertz) / rate;
  for (let n = 0; n < count; n++) {
    let [re, im] = [0, 0];
    for (let i = 0; i < part; i++) {
      const at = from + n * part + i;
      const weight = 1 - cos((2 * Math.PI * (i + 0.5)) / part);
      const angle = turn * (at - startFrame);
      re += weight * channel[at] * cos(angle);
      im -= weight * channel[at] * sin(angle);
    }
    if (re * re + im * im < 1e-14) return null;
    const phase = atan2(im, re);
    if (n > 0) turns -= 2 * Math.PI * Math.round((phase + turns - phases[n - 1]) / (2 * Math.PI));
    phases.push(phase + turns);
  }
  // Phase is what pitch adds up to: its slope over neighbours, the mean taken off.
  const slopes = phases.slice(SLOPE_PARTS).map((p, i) => (p - phases[i]) / (SLOPE_PARTS * part));
  const mean = slopes.reduce((sum, v) => sum + v, 0) / slopes.length;
  const moved = slopes.map((v) => v - mean);
  const peak = Math.max(...moved.map(Math.abs));
  // Wow goes to and fro. One step of phase is an echo that comes in, and no pitch.
  if (peak > MOST_CREST * Math.sqrt(moved.reduce((sum, v) => sum + v * v, 0) / moved.length)) return null;
  let crossings = 0;
  for (let i = 1; i < moved.length; i++) if (moved[i] * moved[i - 1] < 0) crossings++;
  const seconds = (moved.length * part) / rate;
  return { peakPercent: (100 * peak) / turn, hertz: crossings >= LEAST_CROSSINGS ? crossings / 2 / seconds : null };
}
/** Fewer turns back than these are no rate: what is slower than the tone is long shows a part of its way. */
const LEAST_CROSSINGS = 4;
const SLOPE_PARTS = 5;
/** Peak over effective value: 1.4 of a sine, some 3 of noise, over 5 of one step. */
const MOST_CREST = 4;
