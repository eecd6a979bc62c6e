import { atan2, cos, sin } from "../../audio/exact-math";
import { forwardReal, powerOfTwoAtLeast } from "../../audio/fft";
import { soundBetween } from "../../audio/read-between";
import { atRate } from "../../audio/resample";
import { type Sound, stretch } from "../../audio/sound";
import { fail, type Outcome } from "../../outcome";
import { type FoundMarker, findMarkers } from "./find-markers";
import { chirp, chirpSeconds } from "./marker";
import { formOfCode, markerCode } from "./signal";
import { type SignalForm, type SignalPlan, signalPlan } from "./signal-plan";

/** A recording of a test signal, laid on it. */
export type Returned = {
  plan: SignalPlan;
  /** At the signal's rate, as long as the signal: its frames fall on those of the signal but for what is left of the delay. */
  back: Sound;
  /** Frame of the recording, at the signal's rate, that frame 0 of the signal was laid on: a whole number. */
  atFrame: number;
  /** How much faster the recorder's clock ran, parts per million (positive: the recording is longer); 0 where nothing can be told from none. */
  clockPpm: number;
  clockErrorPpm: number;
  /** Likeness of the markers, 0 to 1. */
  likeness: number;
  remarks: string[];
};

const EXPORT_AGAIN =
  "Export the test signal, play all of it through the processor with nothing else in the chain, record from before it begins to after it ends, and add that file.";

/** What the two ends may be apart from what they should be, in parts: beyond a clock's error it is another speed. */
const MOST_SPEED = 0.002;
/** A clock is taken for right within this (ppm): over a signal it moves nothing by a hundredth of a sample. */
const STILL_PPM = 0.003;

/** Finds a test signal in a recording, at any rate, with anything before and after it, and lays it on the signal. */
export function returnedFrom(file: string, recording: Sound): Outcome<Returned> {
  const markers = findMarkers(recording);
  const told = markers.flatMap((marker) => {
    const meaning = formOfCode(marker.code);
    return meaning ? [{ ...marker, ...meaning }] : [];
  });
  const pair = bestPair(told);
  if (!pair) return notWhole(file, recording, told, markers.length > 0);
  const { start, end, form, plan } = pair;
  const remarks: string[] = [];
  if (recording.sampleRateHz !== form.sampleRateHz)
    remarks.push(
      `It was recorded at ${recording.sampleRateHz} Hz and converted to the signal's ${form.sampleRateHz} Hz: nothing above half of the lower rate can be told.`,
    );
  if (recording.channelCount < form.channelCount)
    remarks.push("It has one channel of the signal's two: nothing can be told of the two sides.");
  const sound = atRate(recording, form.sampleRateHz);
  const rate = form.sampleRateHz;
  const atFrame = Math.round(start.atSeconds * rate) - plan.marker.startFrame;
  const coarse = (end.atSeconds - start.atSeconds) * rate;
  const clock = clockOf(sound, plan, atFrame, coarse);
  const clockPpm = Math.abs(clock.ppm) <= Math.max(STILL_PPM, clock.errorPpm) ? 0 : clock.ppm;
  const back =
    clockPpm === 0
      ? stretch(sound, { startFrame: atFrame, endFrame: atFrame + plan.frames })
      : soundBetween(sound, atFrame, 1 + clockPpm * 1e-6, plan.frames);
  const likeness = Math.min(start.likeness, end.likeness);
  return {
    ok: true,
    value: { plan, back, atFrame, clockPpm, clockErrorPpm: Math.max(STILL_PPM, clock.errorPpm), likeness, remarks },
  };
}

type ToldMarker = FoundMarker & { form: SignalForm; end: "start" | "end" };

const sameForm = (a: SignalForm, b: SignalForm) =>
  a.sampleRateHz === b.sampleRateHz && a.levelDbfs === b.levelDbfs && a.channelCount === b.channelCount;

/** A start and an end of one signal that stand as far apart as they should. */
function bestPair(told: readonly ToldMarker[]) {
  let best: { start: ToldMarker; end: ToldMarker; form: SignalForm; plan: SignalPlan; likeness: number } | null = null;
  const plans = new Map<string, SignalPlan>();
  for (const start of told) {
    if (start.end !== "start") continue;
    for (const end of told) {
      if (end.end !== "end" || !sameForm(start.form, end.form)) continue;
      const key = JSON.stringify(start.form);
      const plan = plans.get(key) ?? signalPlan(start.form);
      plans.set(key, plan);
      const wanted = (plan.marker.endFrame - plan.marker.startFrame) / start.form.sampleRateHz;
      const speed = (end.atSeconds - start.atSeconds) / wanted - 1;
      const likeness = Math.min(start.likeness, end.likeness);
      if (Math.abs(speed) > MOST_SPEED || (best && best.likeness >= likeness)) continue;
      best = { start, end, form: start.form, plan, likeness };
    }
  }
  return best;
}

/** Why a recording cannot be measured. */
function notWhole(file: string, recording: Sound, told: readonly ToldMarker[], anyMarker: boolean): Outcome<never> {
  const start = told.find(({ end }) => end === "start");
  const end = told.find((marker) => marker.end === "end");
  const length = recording.frames / recording.sampleRateHz;
  const secondsOf = (form: SignalForm) => signalPlan(form).frames / form.sampleRateHz;
  if (start && end)
    return fail(
      `${file} holds the beginning and the end of a test signal, but not as far apart as they were sent: it was cut, edited or played at another speed.`,
      EXPORT_AGAIN,
    );
  if (start) {
    const { marker } = signalPlan(start.form);
    const endsAt = start.atSeconds + (marker.endFrame - marker.startFrame) / start.form.sampleRateHz + 0.4;
    const missing = endsAt - length;
    if (missing > 0)
      return fail(
        `${file} is cut: the test signal begins at ${start.atSeconds.toFixed(1)} s and the recording ends ${missing.toFixed(1)} s before the signal does.`,
        EXPORT_AGAIN,
      );
    return fail(
      `The marker at the end of the test signal cannot be found in ${file}: what was recorded changes too much on its way.`,
      EXPORT_AGAIN,
    );
  }
  if (end)
    return fail(
      end.atSeconds + 1 < secondsOf(end.form)
        ? `${file} is cut: it begins after the test signal did, and holds only its last ${(end.atSeconds + 1).toFixed(1)} s.`
        : `The marker at the beginning of the test signal cannot be found in ${file}: what was recorded changes too much on its way.`,
      EXPORT_AGAIN,
    );
  return fail(
    anyMarker
      ? `${file} holds something like the markers of a test signal, but they cannot be read: what was recorded changes them too much on its way.`
      : `${file} holds no test signal: neither of its markers was found, or they were changed beyond recognition.`,
    EXPORT_AGAIN,
  );
}

/** Silence that is looked at around a chirp, and over which it is faded. */
const AROUND_SECONDS = 0.04;

/** How much longer the recording is than the signal, from the chirps at both ends against each other: a filter turns both alike. */
function clockOf(sound: Sound, plan: SignalPlan, atFrame: number, coarse: number): { ppm: number; errorPpm: number } {
  const { sampleRateHz: rate } = plan.form;
  const around = Math.round(AROUND_SECONDS * rate);
  const length = chirp(rate).length + 2 * around;
  const size = powerOfTwoAtLeast(2 * length);
  const apart = plan.marker.endFrame - plan.marker.startFrame;
  const startCode = chirpSeconds(markerCode(plan.form, "start"));
  const endCode = chirpSeconds(markerCode(plan.form, "end"));
  const shift = Math.round(coarse - apart);
  const cross = new Float64Array(size + 2);
  let [energyA, energyB] = [0, 0];
  for (const [n, seconds] of startCode.entries()) {
    const first = atFrame + plan.marker.startFrame + Math.round(seconds * rate) - around;
    const last = atFrame + plan.marker.endFrame + Math.round(endCode[n] * rate) - around + shift;
    const [a, b] = [first, last].map((at) => sound.read(at, length));
    for (const [c, channel] of a.entries()) {
      const [x, y] = [channel, b[c]].map((signal) => forwardReal(softly(signal, around / 2), size));
      for (let i = 0; i < cross.length; i += 2) {
        cross[i] += x[i] * y[i] + x[i + 1] * y[i + 1];
        cross[i + 1] += x[i] * y[i + 1] - x[i + 1] * y[i];
        energyA += x[i] * x[i] + x[i + 1] * x[i + 1];
        energyB += y[i] * y[i] + y[i + 1] * y[i + 1];
      }
    }
  }
  // The phase of the cross-spectrum is a straight line of the delay; a whole part that is left shows as its steepest agreement.
  let delay = 0;
  for (const [step, reach] of LOOKED_AT) {
    let best = { lag: delay, sum: Number.NEGATIVE_INFINITY };
    for (let n = -reach; n <= reach; n++) {
      const lag = delay + n * step;
      const sum = alongLag(cross, size, lag);
      if (sum > best.sum) best = { lag, sum };
    }
    delay = best.lag;
  }
  delay += slopeLeft(cross, size, delay);
  const agreement = alongLag(cross, size, delay) / Math.sqrt(energyA * energyB || 1);
  // The end's chirps stand further from each other than the start's: what is told is of their mean distance.
  const meanApart = apart + (rate * endCode.reduce((sum, s, n) => sum + s - startCode[n], 0)) / endCode.length;
  const ppm = ((shift + delay) / meanApart) * 1e6;
  // What the chirps do not share bounds how well their distance is known: a part of their period, less by the bandwidth times length of all.
  const unlike = Math.sqrt(Math.max(0, 1 - agreement * agreement));
  const errorSamples = ((unlike / (2 * Math.PI * 1900)) * rate) / Math.sqrt(320);
  return { ppm, errorPpm: (3 * errorSamples * 1e6) / apart };
}

/** Lags that are looked at around the likeliest: so far apart, so many to each side. */
const LOOKED_AT = [
  [1, 24],
  [0.25, 4],
  [0.05, 6],
] as const;

/** Faded in and out over `edge` samples. */
const softly = (signal: Float32Array, edge: number): Float32Array =>
  signal.map((v, i) => v * Math.min(1, (i + 1) / edge, (signal.length - i) / edge));

/** The real part of a cross-spectrum with a lag taken off. */
function alongLag(cross: Float64Array, size: number, lag: number): number {
  let sum = 0;
  const turn = (2 * Math.PI * lag) / size;
  // A turning pointer: the lag is the same angle from bin to bin.
  let [c, s] = [1, 0];
  const [stepC, stepS] = [cos(turn), sin(turn)];
  for (let i = 0; i < cross.length; i += 2) {
    sum += cross[i] * c - cross[i + 1] * s;
    const next = c * stepC - s * stepS;
    s = c * stepS + s * stepC;
    c = next;
  }
  return sum;
}

/** What a cross-spectrum turns by from bin to bin once a lag is taken off, as samples more: least squares over its strength. */
function slopeLeft(cross: Float64Array, size: number, lag: number): number {
  let [product, weight] = [0, 0];
  for (let k = 1; k < size / 2; k++) {
    const turn = (2 * Math.PI * k * lag) / size;
    const strength = Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2);
    if (strength === 0) continue;
    let angle = atan2(cross[2 * k + 1], cross[2 * k]) + turn;
    angle -= 2 * Math.PI * Math.round(angle / (2 * Math.PI));
    const w = (2 * Math.PI * k) / size;
    product += strength * w * -angle;
    weight += strength * w * w;
  }
  return weight > 0 ? product / weight : 0;
}
