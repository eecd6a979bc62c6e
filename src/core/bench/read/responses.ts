import { dbFromPower } from "../../audio/decibels";
import { log10, pow } from "../../audio/exact-math";
import { ringingOf } from "../../spectrum/ringing";
import type { SignalPlan, Sweep } from "../signal/signal-plan";
import type { ChannelName } from "./parts";
import type { LinearReading } from "./response";
import { type Impulse, impulseOf, spectrumOf, sweptStretch } from "./sweep-response";

/** What each input's sweep makes of each output: `own` to its own side, `crossed` to the other; null with one channel. */
export type SweptSides = {
  own: Impulse[];
  crosstalk: (Impulse | null)[];
  swapped: boolean;
};

export function sweptImpulse(sweep: Sweep, rate: number, sent: Float32Array, back: Float32Array): Impulse {
  const { startFrame, endFrame } = sweptStretch(sweep, rate);
  return impulseOf({ sent: sent.slice(startFrame, endFrame), back: back.slice(startFrame, endFrame) }, rate);
}

const energyOf = ({ taps }: Impulse): number => taps.reduce((sum, v) => sum + v * v, 0);

/** Reads every input's sweep at every output, and whether the sides came back swapped. */
export function sweptSides(plan: SignalPlan, sent: readonly Float32Array[], back: readonly Float32Array[]): SweptSides {
  const rate = plan.form.sampleRateHz;
  const impulses = plan.sweeps.map((sweep, c) => back.map((channel) => sweptImpulse(sweep, rate, sent[c], channel)));
  const [left, right] = impulses;
  const swapped =
    right !== undefined &&
    back.length > 1 &&
    energyOf(left[1]) > 4 * energyOf(left[0]) &&
    energyOf(right[0]) > 4 * energyOf(right[1]);
  const ownOf = (c: number) => (swapped ? 1 - c : Math.min(c, back.length - 1));
  return {
    own: impulses.map((outputs, c) => outputs[ownOf(c)]),
    crosstalk: impulses.map((outputs, c) => (back.length > 1 && impulses.length > 1 ? outputs[1 - ownOf(c)] : null)),
    swapped,
  };
}

const summed = (impulses: readonly { impulse: Impulse; weight: number }[]): Impulse => ({
  ...impulses[0].impulse,
  taps: impulses[0].impulse.taps.map((_, i) =>
    impulses.reduce((sum, { impulse, weight }) => sum + weight * impulse.taps[i], 0),
  ),
});

/** The response of a channel to its own sweep; of mid and side from all four. */
export function impulseFor(name: ChannelName, { own, crosstalk }: SweptSides): Impulse {
  const [left, right] = own;
  if (name === "left" || !right) return left;
  if (name === "right") return right;
  const sign = name === "mid" ? 1 : -1;
  const [toRight, toLeft] = crosstalk;
  return summed([
    { impulse: left, weight: 0.5 },
    { impulse: right, weight: 0.5 },
    ...(toRight && toLeft
      ? [
          { impulse: toRight, weight: 0.5 * sign },
          { impulse: toLeft, weight: 0.5 * sign },
        ]
      : []),
  ]);
}

/** The response of an output to both inputs alike: its own and what crosses over to it. */
export function togetherFor(name: ChannelName, sides: SweptSides): Impulse {
  const other = name === "left" ? sides.crosstalk[1] : name === "right" ? sides.crosstalk[0] : null;
  const own = impulseFor(name, sides);
  return other
    ? summed([
        { impulse: own, weight: 1 },
        { impulse: other, weight: 1 },
      ])
    : own;
}

/** Magnitudes at some frequencies, dB. Between two bins a delay turns: the nearest is taken as it is. */
export function magnitudesOf(impulse: Impulse, hertz: readonly number[]): number[] {
  const spectrum = spectrumOf(impulse, 2);
  const binHz = impulse.sampleRateHz / (spectrum.length - 2);
  return hertz.map((hz) => {
    const k = Math.round(hz / binHz);
    return 10 * log10(spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2 + 1e-30);
  });
}

/** What of one channel's sweep comes out of the other, between 500 Hz and 2 kHz, over what comes out of its own; null where that is noise. */
export function crosstalkOf(
  { own, crosstalk: [crosstalk] }: SweptSides,
  noiseDbfs: number | null,
  plan: SignalPlan,
): number | null {
  if (!crosstalk) return null;
  const hertz = [500, 700, 1000, 1400, 2000];
  const power = (i: Impulse) => magnitudesOf(i, hertz).reduce((sum, db) => sum + pow(10, db / 10), 0) / hertz.length;
  const direct = power(own[0]);
  const noise =
    noiseDbfs === null ? 0 : pow(10, (noiseDbfs - sweptDensityDb(plan.sweeps[0], plan.form.sampleRateHz, 1000)) / 10);
  const other = power(crosstalk) - noise;
  // Of a channel that comes back silent nothing can be said to cross over.
  return direct > SILENT_POWER && other > 2 * noise && other > 1e-15 * direct ? dbFromPower(other / direct) : null;
}

/** What comes back of everything is less than this (dB): nothing. */
export const SILENT_DB = -90;
const SILENT_POWER = pow(10, SILENT_DB / 10);

/** What a response is read from, less what its fades take. */
const WINDOW_SECONDS = 0.45;

/** Energy of a sweep in a bin over that of white noise of 0 dBFS in the window of its response, dB. */
function sweptDensityDb(sweep: Sweep, rate: number, hertz: number): number {
  const amplitude = pow(10, sweep.levelDbfs / 20);
  const energy = (amplitude * amplitude * rate * rate * sweep.growSeconds) / (4 * hertz);
  return dbFromPower(energy / (WINDOW_SECONDS * rate));
}

/** What noise may move each magnitude by, one standard deviation, dB: by how loud it is at each frequency (dBFS, as if white). */
export function errorsOf(
  { hertz, magnitudeDb }: Pick<LinearReading["response"], "hertz" | "magnitudeDb">,
  sweep: Sweep,
  noiseDbfsAt: (hertz: number) => number | null,
  rate: number,
): number[] {
  return hertz.map((hz, i) => {
    const noiseDbfs = noiseDbfsAt(hz);
    if (noiseDbfs === null) return 0;
    const overDb = magnitudeDb[i] + sweptDensityDb(sweep, rate, hz) - noiseDbfs;
    return Math.min(99, 8.686 * Math.sqrt(pow(10, -overDb / 10) / 2));
  });
}

/** Levels of the impulse are reported around its highest point over so much time. */
const IMPULSE_MS = [-12, 24] as const;

/** The impulse around its highest point, in dB. */
export function aroundTop({ taps, lead, sampleRateHz }: Impulse) {
  const { levelsDb } = ringingOf(taps, lead, sampleRateHz);
  const top = levelsDb.indexOf(0);
  const [from, to] = IMPULSE_MS.map((ms) => Math.max(0, top + Math.round((ms * sampleRateHz) / 1000)));
  const shown = Array.from(levelsDb.subarray(from, to + 1), (db) => Number(db.toFixed(2)) + 0);
  return { fromMs: (1000 * (from - top)) / sampleRateHz, levelsDb: shown, sampleRateHz };
}
