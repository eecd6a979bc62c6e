import type { Clip } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { log10, pow } from "../audio/exact-math";
import { clipOf, type Sound, soundOf, stretch } from "../audio/sound";
import { ringingOf } from "../spectrum/ringing";
import { fittedBands } from "./find/fit-bands";
import { besideTone } from "./read/beside-tone";
import { type GainTimes, gainTimes, isQuickEnough, wanders } from "./read/gain-times";
import { passesApartDb, readNoise, transparency, wordLength } from "./read/housekeeping";
import { type LinearReading, magnitudeDbAt, readLinear, smoothed } from "./read/response";
import { firstAtRest, settledGains, staticLaw } from "./read/static-law";
import { sweepPicture } from "./read/sweep-picture";
import { type Impulse, impulseOf, ringsOn, spectrumOf, sweptStretch } from "./read/sweep-response";
import { linePowers, readTone, readTwin, type ToneReading } from "./read/tone-reading";
import type { BenchReport } from "./report";
import { sentencesOf } from "./sentences";
import type { SignalPlan, Steady, Sweep, Tone } from "./signal/signal-plan";

/** What is measured: what came back in step with what was sent, to the sample but for the delay that is to be told. */
export type Measuring = {
  plan: SignalPlan;
  sent: readonly Float32Array[];
  back: Sound;
  /** Samples that were taken off before: part of the delay. */
  takenOffSamples: number;
  clockPpm: number;
  /** Whether samples were cut off between two frames of the signal. */
  isClipped: (from: number, to: number) => boolean;
  /** The sound as it was delivered, for its word length, where that is not `back` itself. */
  delivered: Sound | null;
  remarks: readonly string[];
};

/** A response that moves by more than this between the quiet and the louder sweep is told by the quiet one (dB). */
const STEADY_DB = 0.2;
const AT_1K_HZ = 1000;
/** Levels of the impulse are told around its highest point over so much time. */
const IMPULSE_MS = [-12, 24] as const;
/** A wave that is bent faster than this has no times (ms). */
const AT_ONCE_MS = 0.4;
const LIMITER_RATIO = 20;
/** Filters of linear phase ring ahead: tones are read up to so long before the next begins. */
const GUARD_SECONDS = 0.02;
/** A steady tone whose level comes out different in parts of it by more than this is changed meanwhile (dB). */
const UNSTEADY_DB = 0.3;
/** A curve that stays within this is none (dB). */
const LEAST_FLAT_DB = 0.05;
/** Bands are told that leave less than this (dB, effective). */
const FITS_DB = 0.5;
/** A response this far under its highest hardly comes through (dB). */
const THROUGH_DB = 40;
/** Two passes of one noise differ by more than this where noise is not kept as it was (dB). */
const CODED_DB = -20;
/** Steps and rests have to stand so far over noise (dB). */
const STEP_OVER_NOISE_DB = 6;
const REST_OVER_NOISE_DB = 15;
/** A law is not told of fewer steps. */
const LEAST_STEPS = 6;
/** A step is read over its last quarter: in the middle of that it has come so far. */
const STEP_READ = 0.875;
/** What is at once and adds so many harmonics to a loud tone bends the wave (percent). */
const BENT_PERCENT = 1;
/** Where gain moves, it may still be coming back during the quiet sweep: a curve has to be clearer than that (dB). */
const FLAT_WHERE_GAIN_MOVES_DB = 0.8;
/** Gain that moves by more than this around a level acts there (dB over 6 dB). */
const ACTS_DB = 0.1;

/** Measures all that a test signal tells. `pause` is called between its parts, with what is done next. */
export function measured(given: Measuring, pause: (share: number, doing: string) => void = () => {}): BenchReport {
  const { plan, sent } = given;
  const { form } = plan;
  const rate = form.sampleRateHz;
  pause(0.1, "Reading what came back");
  const early = framesOf(given.back, 0, plan.frames);
  const first = responses(plan, sent, early);
  const direct = first.sides[0];
  // Where phase does not tell the delay closely, the highest point of the impulse does.
  const { delaySamples, delayErrorSamples, mainTapSamples } = direct.reading;
  const shift = delayErrorSamples > 0.5 ? mainTapSamples : Math.round(delaySamples);
  const late = Math.abs(shift) < plan.frames / 4 ? shift : 0;
  let back = late === 0 ? early : framesOf({ channels: early, sampleRateHz: rate }, late, plan.frames);
  if (first.swapped) back = back.toReversed();
  pause(0.3, "Reading responses");
  const { sides, crossed } = late === 0 && !first.swapped ? first : responses(plan, sent, back);
  const quiet = sweptImpulse(plan.quietSweep, rate, sent[0], back[0]);
  const middle = sweptImpulse(plan.middleSweep, rate, sent[0], back[0]);
  const main = sides[0].reading;
  const hertz = main.response.hertz;
  const noise = readNoise(back, plan);
  const quietReading = readLinear(quiet);
  const together = bothSides(sides[0], crossed[0]);
  const atLevels = {
    quiet: quietReading.response.magnitudeDb,
    usual: hertz.map((hz) => magnitudeDbAt(together, main.binHz, hz)),
    middle: magnitudesOf(middle, hertz),
  };
  const told = hertz.map((hz) => hz >= 40 && hz <= 0.4 * rate);
  // Over a third of an octave, so that noise in the quiet sweep does not pass for a gain.
  const apart = smoothed(atLevels.quiet.map((db, i) => db - atLevels.usual[i]));
  // What hardly comes through at all says nothing of level.
  const through = Math.max(...atLevels.usual) - THROUGH_DB;
  const unsure = errorsOf(quietReading, plan.quietSweep, noise.noiseFloorDbfs, rate);
  const moves = apart.some(
    (db, i) => told[i] && atLevels.usual[i] > through && Math.abs(db) > Math.max(STEADY_DB, unsure[i]),
  );
  const rings = ringsOn(sides[0].impulse);
  const apartDb = passesApartDb(back, plan);
  // Coding keeps tones and not noise; so does holding samples.
  const isCoded = apartDb !== null && apartDb > CODED_DB && (noise.noiseFloorDbfs ?? -200) < plan.noiseDbfs - 40;
  const linear = readLinear(moves ? quiet : sides[0].impulse, true);
  const sweep = moves ? plan.quietSweep : plan.sweeps[0];
  const response = { ...linear.response, errorDb: errorsOf(linear, sweep, noise.noiseFloorDbfs, rate) };

  pause(0.7, "Reading tones");
  const toneOf = (tone: Tone): ToneReading => {
    const end = tone.startFrame + tone.frames - Math.round(GUARD_SECONDS * rate);
    return readTone(back[0].slice(end - tone.points, end), sent[0].slice(end - tone.points, end), tone.bin, {
      hertz: tone.hertz,
      levelDbfs: tone.levelDbfs,
    });
  };
  const isWhole = ({ startFrame, frames }: { startFrame: number; frames: number }) =>
    !given.isClipped(startFrame, startFrame + frames);
  const deep = toneOf(plan.deep);
  const ladder = plan.ladder.filter(isWhole).map(toneOf);
  const series = plan.series.map(toneOf);
  const twinOf = (twin: SignalPlan["modulation"], around: boolean) => {
    const end = twin.startFrame + twin.frames - Math.round(GUARD_SECONDS * rate);
    return readTwin(back[0].slice(end - twin.points, end), twin.bins, around, twin.hertz);
  };
  pause(0.85, "Reading gain over time");
  const beside = besideTone(back[0], plan);
  const { rest, afterShort } = plan.bursts;
  const burstsWhole = !given.isClipped(rest.startFrame, afterShort.startFrame + afterShort.frames);
  const isUnsteady = wanders(back[0], plan, noise.noiseFloorDbfs) || toneWanders(back[0], plan.deep);
  const isQuiet = (noise.noiseFloorDbfs ?? -200) < plan.bursts.rest.leftDbfs - REST_OVER_NOISE_DB;
  const times = burstsWhole && isQuiet && !isUnsteady && !rings ? gainTimes(back, plan) : null;
  const law = lawOf(plan, plan.steady.filter(isWhole), back[0], noise.noiseFloorDbfs, times);
  const onSine = staticLaw(ladder.map((tone) => ({ inDbfs: tone.levelDbfs, outDbfs: tone.outDbfs })));
  const loudest = ladder.at(-1)?.thdPercent ?? 0;
  const isAtOnce = times !== null && (times.attackMs ?? 0) < AT_ONCE_MS && times.lookAheadMs === 0;
  const isBent = isAtOnce && ((times.releaseMs ?? 1e9) < 2 * AT_ONCE_MS || loudest > BENT_PERCENT);
  // Where gain moves at the quiet sweep's own level, that sweep's curve is the gain's course and no response.
  const acts = moves && !isBent && actsAt(law?.points ?? [], plan.quietSweep.levelDbfs);
  // Nor is noise a curve: three times what it moves a magnitude by.
  const noiseDb = 3 * (response.errorDb.toSorted((a, b) => a - b)[Math.floor(0.9 * hertz.length)] ?? 0);
  const flatDb = acts ? Number.POSITIVE_INFINITY : Math.max(noiseDb, moves ? FLAT_WHERE_GAIN_MOVES_DB : LEAST_FLAT_DB);
  pause(0.9, "Fitting a curve");
  const fit = fittedBands(hertz, response.magnitudeDb, rate, { flatDb });
  const aliases = (isUnsteady || rings ? [] : [deep, ...series]).flatMap(({ aliasDb }) =>
    aliasDb === null ? [] : [aliasDb],
  );
  const clear = transparency(sent, back, sweptStretch(plan.sweeps[0], rate));
  const facts: Omit<BenchReport, "sentences"> = {
    schema: "yonder-pair/bench@1",
    signal: form,
    latencySamples: rounded(given.takenOffSamples + late + linear.delaySamples, 4),
    latencyErrorSamples: rounded(linear.delayErrorSamples, 4),
    polarity: linear.polarity,
    swapped: first.swapped,
    gainDbAt1k: rounded(magnitudeDbAt(linear.spectrum, linear.binHz, AT_1K_HZ), 4),
    clockPpm: rounded(given.clockPpm, 4),
    ...(rings ? { noiseFloorDbfs: null, hum: null } : noise),
    transparent: clear.isTransparent ? "yes" : "no",
    addsDb: clear.addsDb,
    passesApartDb: apartDb,
    wordLengthBits: wordLength(given.delivered ?? soundOf({ channels: early, sampleRateHz: rate })),
    crosstalkDb: crosstalkOf(sides, crossed, noise.noiseFloorDbfs, plan),
    response,
    responseLevelDbfs: sweep.levelDbfs,
    levels: [
      { levelDbfs: plan.quietSweep.levelDbfs, magnitudeDb: atLevels.quiet },
      { levelDbfs: plan.middleSweep.levelDbfs, magnitudeDb: atLevels.middle },
      { levelDbfs: plan.sweeps[0].levelDbfs, magnitudeDb: atLevels.usual },
    ],
    ...sidesOf(sides, crossed, hertz),
    impulse: aroundTop(moves ? quiet : sides[0].impulse),
    // A course of gain is no curve that could ask for phase.
    phaseKind: moves && linear.turnsNothing ? "none" : isCoded && !linear.turnsNothing ? "unknown" : linear.phaseKind,
    crossoversHz: linear.crossoversHz,
    rotationDegrees: linear.rotationDegrees,
    // Bands that leave this much are no reading of the curve.
    fitted: fit.misfitDb < FITS_DB ? fit.bands : [],
    fittedGainDb: fit.gainDb,
    fitMisfitDb: fit.misfitDb,
    fitMostDb: fit.mostDb,
    realised: fit.misfitDb < FITS_DB ? fit.realised : null,
    harmonics: [deep, ...ladder, ...series],
    highTones: plan.high.filter(isWhole).map(toneOf),
    aliasDb: aliases.length > 0 ? Math.max(...aliases) : null,
    modulation: twinOf(plan.modulation, true),
    differenceTone: twinOf(plan.differenceTone, false),
    ...lawsTold(law, onSine, isBent || isUnsteady || rings || beside.kind === "bell"),
    times: isBent || beside.kind === "bell" ? null : times,
    moves: {
      ...beside,
      tones: beside.tones.map(({ loudHz, changeDb }) => ({
        loudHz,
        changeDb: changeDb.map((db) => (Number.isNaN(db) ? null : db)),
      })),
    },
    picture: sweepPicture(plan.sweeps[0], back[0], rate),
    remarks: [...given.remarks],
  };
  return { ...facts, sentences: sentencesOf(facts, { isBent, acts, moves, isUnsteady, isCoded, rings, plan }) };
}

/** Whether a long tone comes back at different levels in parts of it. */
function toneWanders(channel: Float32Array, { startFrame, frames, points, bin }: Tone): boolean {
  const part = points / 4;
  const levels = [0, 1, 2, 3].map((n) => {
    const from = startFrame + frames - points + n * part;
    return dbFromPower(linePowers(channel.slice(from, from + part))[bin / 4] + 1e-20);
  });
  return Math.max(...levels) - Math.min(...levels) > UNSTEADY_DB;
}

const rounded = (value: number, digits: number): number => Number(value.toFixed(digits)) + 0;

/** Frames of a sound in memory from one on, silence where it has none. */
const framesOf = (sound: Sound | Clip, startFrame: number, frames: number): readonly Float32Array[] =>
  clipOf(stretch(sound, { startFrame, endFrame: startFrame + frames })).channels;

type SideReading = { impulse: Impulse; reading: LinearReading };

function sweptImpulse(sweep: Sweep, rate: number, sent: Float32Array, back: Float32Array): Impulse {
  const { startFrame, endFrame } = sweptStretch(sweep, rate);
  return impulseOf({ sent: sent.slice(startFrame, endFrame), back: back.slice(startFrame, endFrame) }, rate);
}

/** What each channel's sweep makes of its own side, and of the other; whether the sides came back swapped. */
function responses(plan: SignalPlan, sent: readonly Float32Array[], back: readonly Float32Array[]) {
  const rate = plan.form.sampleRateHz;
  const impulses = plan.sweeps.map((sweep, c) => back.map((channel) => sweptImpulse(sweep, rate, sent[c], channel)));
  const energy = ({ taps }: Impulse) => taps.reduce((sum, v) => sum + v * v, 0);
  const [left, right] = impulses;
  const swapped =
    right !== undefined &&
    back.length > 1 &&
    energy(left[1]) > 4 * energy(left[0]) &&
    energy(right[0]) > 4 * energy(right[1]);
  const own = (c: number) => (swapped ? 1 - c : Math.min(c, back.length - 1));
  const sides = impulses.map((outputs, c): SideReading => {
    const impulse = outputs[own(c)];
    return { impulse, reading: readLinear(impulse) };
  });
  const crossed = impulses.map((outputs, c) =>
    back.length > 1 && plan.sweeps.length > 1 ? outputs[1 - own(c)] : null,
  );
  return { sides, crossed, swapped };
}

/** A spectrum turned by the delay and polarity of another response, so that the two can be added. */
function alike(impulse: Impulse, { impulse: main, reading }: SideReading): Float64Array {
  const spectrum = spectrumOf(main, 2);
  const other = spectrumOf(impulse, 2);
  // other · (reading / spectrum): the same turn that made the reading of its spectrum.
  const output = new Float64Array(other.length);
  for (let i = 0; i < other.length; i += 2) {
    const [a, b] = [spectrum[i], spectrum[i + 1]];
    const power = a * a + b * b + 1e-30;
    const re = (reading.spectrum[i] * a + reading.spectrum[i + 1] * b) / power;
    const im = (reading.spectrum[i + 1] * a - reading.spectrum[i] * b) / power;
    output[i] = other[i] * re - other[i + 1] * im;
    output[i + 1] = other[i] * im + other[i + 1] * re;
  }
  return output;
}

/** What the left output makes of both inputs alike: its own response and what crosses over to it. */
function bothSides(side: SideReading, crossed: Impulse | null): Float64Array {
  if (!crossed) return side.reading.spectrum;
  const other = alike(crossed, side);
  return side.reading.spectrum.map((v, i) => v + other[i]);
}

const magnitudesOf = (impulse: Impulse, hertz: readonly number[]): number[] => {
  const spectrum = spectrumOf(impulse, 2);
  const binHz = impulse.sampleRateHz / (spectrum.length - 2);
  // Between two bins a delay turns: the nearest is taken as it is.
  return hertz.map((hz) => {
    const k = Math.round(hz / binHz);
    return 10 * log10(spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2 + 1e-30);
  });
};

function sidesOf(sides: readonly SideReading[], crossed: readonly (Impulse | null)[], hertz: readonly number[]) {
  if (sides.length < 2 || !crossed[0] || !crossed[1]) return { rightOverLeftDb: null, midDb: null, sideDb: null };
  const [left, right] = sides;
  const rightDb = magnitudesOf(right.impulse, hertz);
  const leftDb = magnitudesOf(left.impulse, hertz);
  const [ll, rr, lr, rl] = [left.impulse, right.impulse, crossed[1], crossed[0]].map((impulse) =>
    spectrumOf(impulse, 2),
  );
  const binHz = left.impulse.sampleRateHz / (ll.length - 2);
  const combined = (sign: 1 | -1) =>
    hertz.map((hz) => {
      const k = Math.round(hz / binHz);
      const part = (at: number) => (ll[at] + rr[at] + sign * (lr[at] + rl[at])) / 2;
      return 10 * log10(part(2 * k) ** 2 + part(2 * k + 1) ** 2 + 1e-30);
    });
  return { rightOverLeftDb: rightDb.map((db, i) => db - leftDb[i]), midDb: combined(1), sideDb: combined(-1) };
}

/** What of one channel's sweep comes out of the other, between 500 Hz and 2 kHz, over what comes out of its own; null where that is noise. */
function crosstalkOf(
  sides: readonly SideReading[],
  crossed: readonly (Impulse | null)[],
  noiseDbfs: number | null,
  plan: SignalPlan,
): number | null {
  const [impulse] = crossed;
  if (!impulse) return null;
  const hertz = [500, 700, 1000, 1400, 2000];
  const power = (i: Impulse) => magnitudesOf(i, hertz).reduce((sum, db) => sum + pow(10, db / 10), 0) / hertz.length;
  const own = power(sides[0].impulse);
  const noise =
    noiseDbfs === null ? 0 : pow(10, (noiseDbfs - sweptDensityDb(plan.sweeps[0], plan.form.sampleRateHz, 1000)) / 10);
  const other = power(impulse) - noise;
  return own > 0 && other > 2 * noise && other > 1e-15 * own ? dbFromPower(other / own) : null;
}

/** Energy of a sweep in a bin over that of white noise of 0 dBFS in the window of its response, dB. */
function sweptDensityDb(sweep: Sweep, rate: number, hertz: number): number {
  const amplitude = pow(10, sweep.levelDbfs / 20);
  const energy = (amplitude * amplitude * rate * rate * sweep.growSeconds) / (4 * hertz);
  return dbFromPower(energy / (WINDOW_SECONDS * rate));
}
/** What a response is read from, less what its fades take. */
const WINDOW_SECONDS = 0.45;

function errorsOf(reading: LinearReading, sweep: Sweep, noiseDbfs: number | null, rate: number): number[] {
  const { hertz, magnitudeDb } = reading.response;
  return hertz.map((hz, i) => {
    if (noiseDbfs === null) return 0;
    const overDb = magnitudeDb[i] + sweptDensityDb(sweep, rate, hz) - noiseDbfs;
    return Math.min(99, 8.686 * Math.sqrt(pow(10, -overDb / 10) / 2));
  });
}

/** The impulse around its highest point, in dB. */
function aroundTop({ taps, lead, sampleRateHz }: Impulse): BenchReport["impulse"] {
  const { levelsDb } = ringingOf(taps, lead, sampleRateHz);
  const top = levelsDb.indexOf(0);
  const [from, to] = IMPULSE_MS.map((ms) => Math.max(0, top + Math.round((ms * sampleRateHz) / 1000)));
  const shown = Array.from(levelsDb.subarray(from, to + 1), (db) => rounded(db, 2));
  return { fromMs: (1000 * (from - top)) / sampleRateHz, levelsDb: shown, sampleRateHz };
}

/** Steady levels by their effective values, noise taken off, and freed from an attack that is slower than a step. */
function lawOf(
  plan: SignalPlan,
  steps: readonly Steady[],
  channel: Float32Array,
  noiseDbfs: number | null,
  times: GainTimes | null,
) {
  const heard = steps.filter(({ levelDbfs }) => levelDbfs > (noiseDbfs ?? -200) + STEP_OVER_NOISE_DB);
  if (heard.length < LEAST_STEPS) return null;
  const noise = noiseDbfs === null ? 0 : pow(10, noiseDbfs / 10);
  const levelOf = ({ startFrame, frames }: Steady) => {
    const count = Math.floor(frames / 4 / plan.steadyPeriod) * plan.steadyPeriod;
    const from = startFrame + frames - count;
    let power = 0;
    for (let i = from; i < from + count; i++) power += channel[i] * channel[i];
    return dbFromPower(Math.max(1e-16, power / count - noise));
  };
  const [step] = heard;
  const stepMs = (1000 * step.frames * STEP_READ) / plan.form.sampleRateHz;
  const gains = heard.map((steady) => levelOf(steady) - steady.levelDbfs);
  const settled = settledGains(gains, stepMs, times?.attackMs ?? null);
  const points = heard.map(({ levelDbfs }, i) => ({ inDbfs: levelDbfs, outDbfs: levelDbfs + settled[i] }));
  // Without times there is nothing to let go of.
  const first = times === null ? 0 : firstAtRest(settled);
  return first === null || (times !== null && !isQuickEnough(times, stepMs))
    ? untold(staticLaw(points))
    : staticLaw(points.slice(first));
}

/** A law of which only the points are told. */
function untold(law: ReturnType<typeof staticLaw>): ReturnType<typeof staticLaw> {
  return law && { ...law, thresholdDbfs: null, ratio: null, kneeDb: null };
}

/** Whether gain moves with level around one. */
function actsAt(points: readonly { inDbfs: number; outDbfs: number }[], levelDbfs: number): boolean {
  const near = points.filter(({ inDbfs }) => Math.abs(inDbfs - levelDbfs) <= 4.5).map((p) => p.outDbfs - p.inDbfs);
  return Math.max(...near) - Math.min(...near) > ACTS_DB;
}

/** Which law is told: that of steady waves; of sines where something limits peaks; only points where the wave itself is bent or one bell moves. */
function lawsTold(
  steady: ReturnType<typeof staticLaw>,
  onSine: ReturnType<typeof staticLaw>,
  isUntold: boolean,
): Pick<BenchReport, "static" | "staticOnSine"> {
  if (isUntold) return { static: untold(steady), staticOnSine: untold(onSine) };
  if (steady?.ratio && steady.ratio >= LIMITER_RATIO) {
    const limits = onSine?.ratio && onSine.ratio >= LIMITER_RATIO;
    return { static: limits ? onSine : { ...steady, thresholdDbfs: null, kneeDb: null }, staticOnSine: onSine };
  }
  return { static: steady, staticOnSine: onSine };
}
