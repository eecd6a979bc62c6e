import type { Clip } from "../../audio/clip";
import { amplitudeFromDb } from "../../audio/decibels";
import { exp, sin } from "../../audio/exact-math";
import { seededRandom } from "../../audio/random";
import { type MarkerCode, markShape, writeMarker } from "./marker";
import { LOWEST_LEVEL_DBFS, SIGNAL_RATES_HZ, type SignalForm, type SignalPlan, type Sweep } from "./signal-plan";

const END_CODE = SIGNAL_RATES_HZ.length * 2;

/** What the marker at either end says of a signal. */
export function markerCode({ sampleRateHz, levelDbfs, channelCount }: SignalForm, end: "start" | "end"): MarkerCode {
  const rate = (SIGNAL_RATES_HZ as readonly number[]).indexOf(sampleRateHz);
  return [2 * rate + (channelCount - 1) + (end === "end" ? END_CODE : 0), -levelDbfs - 1];
}

/** The way back: what a marker's code stands for; null where it stands for nothing. */
export function formOfCode([first, second]: MarkerCode): { form: SignalForm; end: "start" | "end" } | null {
  const end = first >= END_CODE ? "end" : "start";
  const index = first % END_CODE;
  const sampleRateHz = SIGNAL_RATES_HZ[index >> 1];
  const levelDbfs = -second - 1;
  if (first >= 2 * END_CODE || sampleRateHz === undefined || levelDbfs < LOWEST_LEVEL_DBFS) return null;
  return { form: { sampleRateHz, levelDbfs, channelCount: index % 2 === 0 ? 1 : 2 }, end };
}

/** Seconds over which a sweep is faded out at half the rate. */
const SWEEP_FADE_SECONDS = 0.0005;
const NOISE_SEED = 711;
const LINES_SEED = 1207;

/** One sweep as it is played, at an amplitude of one. */
export function sweepShape({ frames, lowestHz, growSeconds }: Sweep, rateHz: number): Float64Array {
  const turns = 2 * Math.PI * lowestHz * growSeconds;
  const fade = Math.max(2, Math.round(SWEEP_FADE_SECONDS * rateHz));
  return Float64Array.from({ length: frames }, (_, i) => {
    const left = frames - 1 - i;
    const gain = left < fade ? left / fade : 1;
    return gain * sin(turns * exp(i / rateHz / growSeconds));
  });
}

/** Steps of 24 bits: what is written to a file is what is played and measured, bit for bit. */
const STEPS = 2 ** 23;

/** The samples of a test signal: the same for the same plan, anywhere. */
export function testSignal(plan: SignalPlan): Clip {
  const { form, frames } = plan;
  const { sampleRateHz: rate, channelCount, levelDbfs } = form;
  const channels = Array.from({ length: channelCount }, () => new Float32Array(frames));
  const [left, right = left] = channels;
  /** Both channels alike. */
  const write = (at: number, count: number, value: (i: number) => number) => {
    for (let i = 0; i < count; i++) left[at + i] = value(i);
    if (right !== left) right.set(left.subarray(at, at + count), at);
  };
  const markAmplitude = amplitudeFromDb(plan.markDbfs);
  const mark = markShape(rate);
  for (const at of plan.marks) write(at, mark.length, (i) => markAmplitude * mark[i]);
  for (const end of ["start", "end"] as const) {
    const at = end === "start" ? plan.marker.startFrame : plan.marker.endFrame;
    for (const channel of channels) writeMarker(channel, at, rate, levelDbfs, markerCode(form, end));
  }
  const turn = (2 * Math.PI) / rate;
  for (const tone of [
    ...plan.ladder,
    ...plan.lowLadder,
    ...plan.highLadder,
    ...Object.values(plan.afterLoud),
    plan.deep,
    ...plan.series,
    ...plan.high,
    ...(plan.opposed?.ladder ?? []),
  ]) {
    const amplitude = amplitudeFromDb(tone.levelDbfs);
    write(tone.startFrame, tone.frames, (i) => amplitude * sin(turn * tone.hertz * i));
  }
  for (const twin of [plan.modulation, plan.differenceTone]) {
    const [a, b] = twin.levelsDbfs.map(amplitudeFromDb);
    const [low, high] = twin.hertz;
    write(twin.startFrame, twin.frames, (i) => a * sin(turn * low * i) + b * sin(turn * high * i));
  }
  for (const sweep of [...plan.quietSweeps, plan.middleSweep, ...plan.sweeps]) {
    const shape = sweepShape(sweep, rate);
    const amplitude = amplitudeFromDb(sweep.levelDbfs);
    for (const [c, channel] of channels.entries()) {
      if (sweep.side === (c === 0 ? "right" : "left")) continue;
      for (let i = 0; i < shape.length; i++) channel[sweep.startFrame + i] = amplitude * shape[i];
    }
  }
  const sign = (i: number) => (i % plan.steadyPeriod < plan.steadyPeriod / 2 ? 1 : -1);
  for (const { startFrame, frames: count, levelDbfs: level } of [...plan.steady, ...(plan.opposed?.steady ?? [])]) {
    const amplitude = amplitudeFromDb(level);
    write(startFrame, count, (i) => amplitude * sign(i));
  }
  for (const bursts of [plan.bursts, ...(plan.opposed ? [plan.opposed.bursts] : [])])
    for (const burst of Object.values(bursts)) {
      if (!burst) continue;
      const first = bursts.rest.startFrame;
      const [a, b] = [burst.leftDbfs, burst.rightDbfs].map(amplitudeFromDb);
      for (let i = burst.startFrame; i < burst.startFrame + burst.frames; i++) {
        left[i] = a * sign(i - first);
        if (right !== left) right[i] = b * sign(i - first);
      }
    }
  const { lineBins, lineDbfs, blocks } = plan.beside;
  const random = seededRandom(LINES_SEED);
  const phases = lineBins.map(() => 2 * Math.PI * random());
  const lineAmplitude = amplitudeFromDb(lineDbfs);
  const lines = Float64Array.from({ length: blocks[0].points }, (_, i) =>
    lineBins.reduce(
      (sum, bin, n) =>
        sum + lineAmplitude * sin((2 * Math.PI * ((bin * i) % blocks[0].points)) / blocks[0].points + phases[n]),
      0,
    ),
  );
  for (const { startFrame, frames: count, points, loudBin, loudDbfs } of blocks) {
    const amplitude = loudBin === null ? 0 : amplitudeFromDb(loudDbfs);
    write(startFrame, count, (i) => lines[i % points] + amplitude * sin((2 * Math.PI * (loudBin ?? 0) * i) / points));
  }
  for (const { startFrame, frames: count } of plan.repeats) {
    const noise = seededRandom(NOISE_SEED);
    const amplitude = amplitudeFromDb(plan.noiseDbfs);
    write(startFrame, count, () => amplitude * (2 * noise() - 1));
  }
  const { opposed } = plan;
  if (opposed) {
    const last = opposed.steady[opposed.steady.length - 1];
    for (let i = opposed.bursts.rest.startFrame; i < last.startFrame + last.frames; i++) right[i] = -left[i];
  }
  for (const channel of channels) for (let i = 0; i < frames; i++) channel[i] = Math.round(channel[i] * STEPS) / STEPS;
  return { sampleRateHz: rate, channels };
}
