import { exp } from "../../audio/exact-math";
import type { Sound } from "../../audio/sound";
import { piecesOf } from "../../audio/sound";
import type { SignalPlan, Sweep, Tone } from "../signal/signal-plan";

/** A stretch of a channel that came back silent, or held, while a steady wave was sent. */
export type Dropout = { fromFrame: number; toFrame: number };

/** Power is read over so many seconds, and held against the middle of so many such windows. */
const WINDOW_SECONDS = 0.001;
const AROUND_WINDOWS = 61;
/** A window is silent that lies under this share of the middle, or under so many times the noise where that lies far enough below (power). */
const SILENT_SHARE = 1e-4;
const NOISE_TIMES = 8;
const OVER_NOISE = 400;
/** Where what was sent is itself near a crossing, it is no dropout: its highest inside, re its highest around. */
const LEAST_SENT = 0.5;
/** Equal samples in a row for so long are held (seconds), in waves that never stand still. */
const HELD_SECONDS = 0.002;
/** More than so many are no dropouts: the processor does that itself, as a gate or a dead zone would. */
const MOST_DROPOUTS = 12;
const MOST_IN_PART = 2;
/** Ends of a part are left out: filters ring there, and gates open (seconds). */
const EDGE_SECONDS = 0.03;

/** Parts in which a steady wave sounds throughout: sweeps and tones at the signal's levels. */
function steadyParts(
  { quietSweeps, sweeps, middleSweep, deep, series, ladder, lowLadder, highLadder, form }: SignalPlan,
  channel: number,
): (Sweep | Tone)[] {
  const own = form.channelCount === 2 ? [sweeps[channel]] : sweeps;
  return [...quietSweeps, ...own, middleSweep, deep, ...series, ...ladder, ...lowLadder, ...highLadder];
}

/** Dropouts of a channel, in the signal's frames. */
export function dropoutsOf(
  channel: Float32Array,
  sent: Float32Array,
  plan: SignalPlan,
  at: number,
  noisePower: number,
): Dropout[] {
  const rate = plan.form.sampleRateHz;
  const window = Math.max(8, Math.round(WINDOW_SECONDS * rate));
  const edge = Math.round(EDGE_SECONDS * rate);
  const found: Dropout[] = [];
  for (const part of steadyParts(plan, at)) {
    const { startFrame, frames } = part;
    const count = Math.floor((frames - 2 * edge) / window);
    if (count < 8) continue;
    const first = startFrame + edge;
    const powers = Float64Array.from({ length: count }, (_, n) => {
      let sum = 0;
      for (let i = first + n * window; i < first + (n + 1) * window; i++) sum += channel[i] * channel[i];
      return sum / window;
    });
    const heldFor = Math.round(HELD_SECONDS * rate);
    const before = found.length;
    let begun = -1;
    for (let n = 0; n <= count; n++) {
      const isOut = n < count && isSilent(powers, n, noisePower);
      if (isOut && begun < 0) begun = n;
      if (isOut || begun < 0) continue;
      const dropout = { fromFrame: first + begun * window, toFrame: first + n * window };
      const isLongCrossing = (n - begun) * window >= LONG_CROSSING * periodAt(part, dropout.fromFrame, rate);
      if (
        n - begun >= LEAST_WINDOWS &&
        (isLongCrossing
          ? isFull(powers, begun, n, periodAt(part, dropout.fromFrame, rate) / window, noisePower)
          : isAbrupt(powers, begun, n)) &&
        isSent(sent, dropout, window * AROUND_WINDOWS)
      )
        found.push(dropout);
      begun = -1;
    }
    for (let i = first + 1, held = 1; i < first + count * window; i++) {
      held = channel[i] === channel[i - 1] && channel[i] !== 0 ? held + 1 : 1;
      const dropout = { fromFrame: i - held, toFrame: i + 1 };
      if (
        held === heldFor &&
        !isCeiling(channel, i, window * AROUND_WINDOWS) &&
        isSent(sent, dropout, window * AROUND_WINDOWS)
      )
        found.push(dropout);
    }
    // What happens again and again in one wave is the processor's own: a dead zone, a coarse step.
    if (found.length - before > MOST_IN_PART) found.length = before;
  }
  return found.length > MOST_DROPOUTS ? [] : found;
}

/** A slow wave crosses nought in far less than this part of its period; and is slow below this (Hz). */
const LONG_CROSSING = 0.1;
const SLOW_HZ = 250;

/** The period of what is sent at a frame of a part, frames; none of what is not slow. */
function periodAt(part: Sweep | Tone, frame: number, rate: number): number {
  const hertz = "hertz" in part ? part.hertz : part.lowestHz * exp((frame - part.startFrame) / rate / part.growSeconds);
  return hertz < SLOW_HZ ? rate / hertz : Number.POSITIVE_INFINITY;
}

/** Whether a sample stands at the height of all around it: what is clipped holds there by itself. */
function isCeiling(channel: Float32Array, at: number, around: number): boolean {
  let most = 0;
  for (let i = Math.max(0, at - around); i < Math.min(channel.length, at + around); i++)
    most = Math.max(most, Math.abs(channel[i]));
  return Math.abs(channel[at]) > CEILING_SHARE * most;
}
const CEILING_SHARE = 0.9;

/** A window is silent that is loud on both sides of it. */
function isSilent(powers: Float64Array, n: number, noisePower: number): boolean {
  const middle = (from: number, to: number) => {
    const near = powers.slice(Math.max(0, from), Math.min(powers.length, to)).sort();
    return near[near.length >> 1] ?? 0;
  };
  const half = AROUND_WINDOWS >> 1;
  if (n < LEAST_BESIDE || n >= powers.length - LEAST_BESIDE) return false;
  const usual = Math.min(middle(n - half, n), middle(n + 1, n + 1 + half));
  if (usual < OVER_NOISE * noisePower || usual === 0) return false;
  return powers[n] < Math.max(SILENT_SHARE * usual, NOISE_TIMES * noisePower);
}
/** A wave that is cut off is there in full right before and right after; one that fades is not. */
function isAbrupt(powers: Float64Array, from: number, to: number): boolean {
  const near = [...powers.slice(Math.max(0, from - 20), from - 1), ...powers.slice(to + 1, to + 20)].sort(
    (a, b) => a - b,
  );
  const usual = near[near.length >> 1] ?? 0;
  // The windows at its ends are cut through; of the two before and behind one may lie on a crossing.
  const [before, behind] = [powers.slice(Math.max(0, from - 3), from - 1), powers.slice(to + 1, to + 3)];
  return Math.max(...before) > ABRUPT_SHARE * usual && Math.max(...behind) > ABRUPT_SHARE * usual;
}
const ABRUPT_SHARE = 0.5;

/** The same of a slow wave: in the period before and in the one behind it comes to its full height. */
function isFull(powers: Float64Array, from: number, to: number, period: number, noisePower: number): boolean {
  const windows = Math.ceil(period) + 1;
  // What is silent again within a period is the wave's own: a dead zone swallows every crossing.
  const isOwn = (start: number, end: number) => {
    for (let n = Math.max(0, start); n < Math.min(powers.length, end); n++)
      if (isSilent(powers, n, noisePower)) return true;
    return false;
  };
  if (isOwn(from - windows, from - 1) || isOwn(to + 1, to + windows)) return false;
  const most = (start: number, end: number) => Math.max(0, ...powers.slice(Math.max(0, start), end));
  const usual = Math.max(most(from - AROUND_WINDOWS, from), most(to, to + AROUND_WINDOWS));
  return Math.min(most(from - windows, from), most(to, to + windows)) > ABRUPT_SHARE * usual;
}

/** Windows to each side that have to be there. */
const LEAST_BESIDE = 6;
/** A dropout lasts so many windows. */
const LEAST_WINDOWS = 2;

/** Whether what was sent reaches its height inside a stretch. */
function isSent(sent: Float32Array, { fromFrame, toFrame }: Dropout, around: number): boolean {
  const most = (from: number, to: number) => {
    let top = 0;
    for (let i = Math.max(0, from); i < Math.min(sent.length, to); i++) top = Math.max(top, Math.abs(sent[i]));
    return top;
  };
  return most(fromFrame, toFrame) >= LEAST_SENT * most(fromFrame - around, toFrame + around);
}

/** Rows of samples at full scale that are this long were cut off on the way in. */
const CLIPPED_ROW = 3;
const FULL_SCALE = 1 - 2 ** -15;

/** Frames at which rows of samples stand at full scale, as only a converter's ceiling leaves them: the first of each row, its length and channel. */
export function clippedRows(sound: Sound): { channel: number; frame: number; count: number }[] {
  const rows: { channel: number; frame: number; count: number }[] = [];
  const counts = new Uint32Array(sound.channelCount);
  for (const { startFrame, channels } of piecesOf(sound))
    for (const [channel, samples] of channels.entries())
      for (let i = 0; i <= samples.length; i++) {
        const isOver = i < samples.length && Math.abs(samples[i]) >= FULL_SCALE;
        if (isOver) counts[channel]++;
        // A row that goes on in the next piece is ended there.
        else if (i < samples.length || startFrame + i >= sound.frames) {
          if (counts[channel] >= CLIPPED_ROW)
            rows.push({ channel, frame: startFrame + i - counts[channel], count: counts[channel] });
          counts[channel] = 0;
        }
      }
  return rows.toSorted((a, b) => a.frame - b.frame);
}
