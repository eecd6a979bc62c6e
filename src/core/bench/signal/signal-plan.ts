import { z } from "zod";
import { log, pow } from "../../audio/exact-math";
import { powerOfTwoAtLeast } from "../../audio/fft";
import { markerFrames, markFrames } from "./marker";

/** Rates a test signal can be made at: its marker tells which. Their order is part of the signal: add at the end. */
export const SIGNAL_RATES_HZ = [
  8000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000, 176_400, 192_000, 352_800, 384_000,
] as const;

export const LOWEST_LEVEL_DBFS = -40;
export const HIGHEST_LEVEL_DBFS = -1;

/** What a test signal is made by. */
export const signalFormSchema = z.object({
  sampleRateHz: z.number().refine((rate) => (SIGNAL_RATES_HZ as readonly number[]).includes(rate)),
  /** Its highest peak, whole dB: that of sweeps, of single tones and of the top of each ladder. */
  levelDbfs: z.number().int().min(LOWEST_LEVEL_DBFS).max(HIGHEST_LEVEL_DBFS),
  channelCount: z.union([z.literal(1), z.literal(2)]),
});
export type SignalForm = z.infer<typeof signalFormSchema>;

export const DEFAULT_FORM: SignalForm = { sampleRateHz: 48_000, levelDbfs: -12, channelCount: 2 };

/** What processors of our own are measured with: nothing is clipped on their way. */
export const OWN_FORM: SignalForm = { ...DEFAULT_FORM, levelDbfs: HIGHEST_LEVEL_DBFS };

/** Which channels sound; of `opposed` the right one is the left one inverted. */
export type Side = "both" | "left" | "right" | "opposed";

type Stretch = { startFrame: number; frames: number };
/** x(t) = sin(2π · lowestHz · growSeconds · exp(t / growSeconds)), the product a whole number: harmonics are aligned (Novak et al. 2015). */
export type Sweep = Stretch & {
  levelDbfs: number;
  side: Side;
  lowestHz: number;
  growSeconds: number;
  tailFrames: number;
};
/** A sine on an odd bin of the last half of its block: harmonics and what aliases fall on bins of their own. */
export type Tone = Stretch & { levelDbfs: number; bin: number; points: number; hertz: number };
/** Two sines on bins of the last half of their block. */
export type Twin = Stretch & {
  points: number;
  bins: [number, number];
  levelsDbfs: [number, number];
  hertz: [number, number];
};
/** A square wave of an even whole period: its magnitude is the same in every frame, so peak and RMS detectors read alike. */
export type Steady = Stretch & { levelDbfs: number };
export type Burst = Stretch & { leftDbfs: number; rightDbfs: number };
/** A step up and down of the steady wave, from rest to rest. */
export type Bursts = { rest: Burst; long: Burst; afterLong: Burst; short: Burst; afterShort: Burst };
/** Quiet lines, with or without a loud tone beside them, read over the last half of the block. */
export type Beside = Stretch & { points: number; loudBin: number | null; loudDbfs: number };

/** Where everything lies in a test signal, in frames from its first. */
export type SignalPlan = {
  form: SignalForm;
  frames: number;
  marker: { startFrame: number; endFrame: number; frames: number };
  /** First frames of the marks between parts: equal chirps that tell whether anything was lost on the way. */
  marks: number[];
  markDbfs: number;
  /** Nothing is sent: before all tests, long enough for gain to come to rest, and after them. */
  silence: Stretch;
  lastSilence: Stretch;
  /** A step up and down, long and short; with two channels then each one alone. */
  bursts: Bursts & { oneSide: Burst | null; between: Burst | null; otherSide: Burst | null; last: Burst };
  steadyPeriod: number;
  /** The same quiet sweep twice: where they differ, something has not come to rest, or never does. */
  quietSweeps: [Sweep, Sweep];
  middleSweep: Sweep;
  /** One for each channel, that channel alone. */
  sweeps: Sweep[];
  /** A tone near 1 kHz at rising levels. */
  ladder: Tone[];
  /** Low and high tones at rising levels: whether level is read alike over the band. */
  lowLadder: Tone[];
  highLadder: Tone[];
  /** A quiet tone right after the loudest of each ladder, which had the same one after rest: whether what was loud is remembered. */
  afterLoud: { low: Tone; middle: Tone; high: Tone };
  /** The same at the signal's level, long. */
  deep: Tone;
  /** Tones at the signal's level over frequency. */
  series: Tone[];
  /** A high tone at rising levels, whose third harmonic is reflected at Nyquist. */
  high: Tone[];
  modulation: Twin;
  differenceTone: Twin;
  steady: Steady[];
  beside: { lineBins: number[]; lineDbfs: number; blocks: Beside[] };
  noiseDbfs: number;
  /** The same noise three times, silence before each: the second and the third come after the same. */
  repeats: [Stretch, Stretch, Stretch];
  /** With two channels, right inverted: what becomes of the difference of both. */
  opposed: { bursts: Bursts; ladder: Tone[]; steady: Steady[] } | null;
};

const LADDER_STEPS = 20;
const LADDER_STEP_DB = 3;
/** Ladders beside the first have fewer steps. */
const COARSE_STEPS = 10;
const COARSE_STEP_DB = 6;
const QUIET_UNDER_DB = 24;
const MIDDLE_UNDER_DB = 12;
const MARK_UNDER_DB = 12;
const BURST_DB = 30;
const NOISE_UNDER_DB = 12;
/** A step of all ladders. */
const AFTER_UNDER_DB = 24;
/** Sweeps begin here; whole numbers of turns keep harmonics aligned. */
const SWEEP_FROM_HZ = 20;
const SWEEP_TURNS = 6;
const SHORT_SWEEP_TURNS = 3;
const TAIL_SECONDS = 0.35;
/** A release of 500 ms comes to 1 % of its way back over the first silence. */
const SILENCE_SECONDS = 2.5;
const LAST_SILENCE_SECONDS = 1;
/** Silence before and after a mark. */
const BEFORE_MARK_SECONDS = 0.15;
const AFTER_MARK_SECONDS = 0.15;
const SERIES_HZ = [50, 100, 250, 500, 2000, 5000, 8000, 10_000];
/** The high ladder's tone, as a part of the rate: its third harmonic is already reflected. */
const HIGH_PART = 0.21;
const HIGH_STEPS_DB = [-18, -12, -6, 0];
/** Ladders of a low and a high tone; the high one as a part of the rate at low rates. */
const LOW_LADDER_HZ = 100;
const HIGH_LADDER_HZ = 7000;
const HIGH_LADDER_PART = 0.3;
/** Tones beyond this part of the rate are left out. */
const HIGHEST_PART = 0.45;
const TWIN_HZ: [number, number] = [60, 7000];
const DIFFERENCE_HZ: [number, number] = [19_000, 20_000];
const BESIDE_LOUD_HZ = [100, 1000, 6000];
const BESIDE_PER_OCTAVE = 6;
const BESIDE_LINE_UNDER_DB = 36;

/** What aliases has to stand so many bins off the harmonics, for harmonics up to this one. */
const LEAST_APART = 5;
const JUDGED_ORDERS = 24;

/** The odd bin nearest to a frequency on which nothing aliases onto a harmonic, in `points` of a rate. */
function toneBin(hertz: number, rate: number, points: number): number {
  const nearest = 2 * Math.floor((hertz * points) / rate / 2) + 1;
  for (let n = 0; n < points / 8; n += 2)
    for (const bin of [nearest + n, nearest - n]) if (bin > 0 && isClear(bin, points)) return bin;
  return nearest;
}

function isClear(bin: number, points: number): boolean {
  const harmonics = Math.floor((points / 2 - LEAST_APART) / bin);
  for (let order = harmonics + 1; order <= JUDGED_ORDERS; order++) {
    const inside = (order * bin) % points;
    const at = Math.min(inside, points - inside);
    // The nearest harmonic, or nought.
    const off = at % bin;
    if (Math.min(off, bin - off) < LEAST_APART) return false;
  }
  return true;
}

/** Lays out a test signal. */
export function signalPlan(form: SignalForm): SignalPlan {
  const { sampleRateHz: rate, levelDbfs: level, channelCount } = form;
  const block = powerOfTwoAtLeast(rate / 6);
  let cursor = 0;
  const laid = (frames: number): Stretch => {
    const startFrame = cursor;
    cursor += frames;
    return { startFrame, frames };
  };
  const seconds = (s: number) => Math.round(s * rate);
  const gap = (s: number) => laid(seconds(s));
  const marker = markerFrames(rate);
  const tone = (hertz: number, levelDbfs: number, frames: number, points: number, base = points): Tone => {
    const bin = toneBin(hertz, rate, base) * (points / base);
    return { ...laid(frames), levelDbfs, bin, points, hertz: (bin * rate) / points };
  };
  const sweep = (levelDbfs: number, side: Side, turns: number): Sweep => {
    const growSeconds = turns / SWEEP_FROM_HZ;
    const length = seconds(growSeconds * log(rate / 2 / SWEEP_FROM_HZ));
    const place = laid(length);
    const tailFrames = gap(TAIL_SECONDS).frames;
    return { ...place, levelDbfs, side, lowestHz: SWEEP_FROM_HZ, growSeconds, tailFrames };
  };
  const inBand = (hertz: number) => hertz <= HIGHEST_PART * rate;
  const marks: number[] = [];
  const mark = () => {
    gap(BEFORE_MARK_SECONDS);
    marks.push(laid(markFrames(rate)).startFrame);
    gap(AFTER_MARK_SECONDS);
  };
  const [low, high] = [level - BURST_DB, level];
  const burst = (s: number, leftDbfs: number, rightDbfs = leftDbfs): Burst => ({ ...gap(s), leftDbfs, rightDbfs });
  const burstsOf = (long: number, after: number): Bursts => ({
    rest: burst(0.5, low),
    long: burst(long, high),
    afterLong: burst(after, low),
    short: burst(0.03, high),
    afterShort: burst(0.8, low),
  });
  const rising = (steps: number, stepDb: number) =>
    Array.from({ length: steps }, (_, i) => level - stepDb * (steps - 1 - i));
  const steadyAt = (levels: readonly number[]): Steady[] => levels.map((levelDbfs) => ({ ...laid(block), levelDbfs }));
  const tonesAt = (hertz: number, levels: readonly number[]): Tone[] =>
    levels.map((db) => tone(hertz, db, block, block / 2));

  gap(0.2);
  const startMarker = laid(marker);
  const silence = gap(SILENCE_SECONDS);
  const quiet = () => sweep(level - QUIET_UNDER_DB, "both", SHORT_SWEEP_TURNS);
  const quietSweeps: [Sweep, Sweep] = [quiet(), quiet()];
  mark();
  const bursts = {
    ...burstsOf(0.7, 2.2),
    oneSide: channelCount === 2 ? burst(0.25, high, low) : null,
    between: channelCount === 2 ? burst(0.8, low) : null,
    otherSide: channelCount === 2 ? burst(0.25, low, high) : null,
    last: burst(0.3, low),
  };
  mark();
  const ladder = tonesAt(1000, rising(LADDER_STEPS, LADDER_STEP_DB));
  const after = (hertz: number) => tone(hertz, level - AFTER_UNDER_DB, 2 * block, block, block / 2);
  const afterMiddle = after(1000);
  mark();
  const deep = tone(1000, level, 9 * block, 8 * block, block / 2);
  mark();
  const series = SERIES_HZ.filter(inBand).map((hertz) => tone(hertz, level, 2 * block, block));
  mark();
  const highTones = HIGH_STEPS_DB.map((db) => tone(HIGH_PART * rate, level + db, block, block / 2));
  const twin = (hertz: [number, number], parts: [number, number]): Twin => {
    const points = block;
    const bins = hertz.map((hz) => Math.round((hz * points) / rate)) as [number, number];
    const place = laid(1.5 * block);
    return {
      ...place,
      points,
      bins,
      levelsDbfs: parts,
      hertz: bins.map((bin) => (bin * rate) / points) as [number, number],
    };
  };
  // Amplitudes of four to one (SMPTE RP 120) and one to one (IEC 60268-3); together they reach the level.
  const modulation = twin([TWIN_HZ[0], Math.min(TWIN_HZ[1], 0.3 * rate)], [level - 1.938, level - 13.979]);
  const scale = Math.min(1, (HIGHEST_PART * rate) / DIFFERENCE_HZ[1]);
  const differenceTone = twin([DIFFERENCE_HZ[0] * scale, DIFFERENCE_HZ[1] * scale], [level - 6.021, level - 6.021]);
  const sweeps = (channelCount === 2 ? (["left", "right"] as const) : (["both"] as const)).map((side) => {
    mark();
    return sweep(level, side, SWEEP_TURNS);
  });
  mark();
  const steady = steadyAt(rising(LADDER_STEPS, LADDER_STEP_DB));
  mark();
  const coarse = rising(COARSE_STEPS, COARSE_STEP_DB);
  const lowLadder = tonesAt(LOW_LADDER_HZ, coarse);
  const afterLow = after(LOW_LADDER_HZ);
  mark();
  const highLadderHz = Math.min(HIGH_LADDER_HZ, HIGH_LADDER_PART * rate);
  const highLadder = tonesAt(highLadderHz, coarse);
  const afterLoud = { low: afterLow, middle: afterMiddle, high: after(highLadderHz) };
  mark();
  const loudBins = BESIDE_LOUD_HZ.filter(inBand).map((hz) => toneBin(hz, rate, block));
  const lineBins = besideLines(rate / block, loudBins, HIGHEST_PART * rate);
  const beside = {
    lineBins,
    lineDbfs: level - BESIDE_LINE_UNDER_DB,
    blocks: [null, ...loudBins].map((loudBin) => ({
      ...laid(2 * block),
      points: block,
      loudBin,
      loudDbfs: level - 3,
    })),
  };
  mark();
  const middleSweep = sweep(level - MIDDLE_UNDER_DB, "both", SHORT_SWEEP_TURNS);
  const repeats = [0, 1, 2].map(() => {
    mark();
    return laid(block);
  }) as SignalPlan["repeats"];
  mark();
  const opposed =
    channelCount === 2 ? { bursts: burstsOf(0.4, 1.2), ladder: tonesAt(1000, coarse), steady: steadyAt(coarse) } : null;
  if (opposed) mark();
  const lastSilence = gap(LAST_SILENCE_SECONDS);
  const endMarker = laid(marker);
  gap(0.3);
  return {
    form,
    frames: cursor,
    marker: { startFrame: startMarker.startFrame, endFrame: endMarker.startFrame, frames: marker },
    marks,
    markDbfs: level - MARK_UNDER_DB,
    silence,
    lastSilence,
    bursts,
    steadyPeriod: 2 * Math.round(rate / 2000),
    quietSweeps,
    middleSweep,
    sweeps,
    ladder,
    lowLadder,
    highLadder,
    afterLoud,
    deep,
    series,
    high: highTones,
    modulation,
    differenceTone,
    steady,
    beside,
    noiseDbfs: level - NOISE_UNDER_DB,
    repeats,
    opposed,
  };
}

/** Bins of quiet lines, six to the octave, that are no harmonic of a loud tone. */
function besideLines(binHz: number, loudBins: readonly number[], highestHz: number): number[] {
  const bins: number[] = [];
  for (let hertz = 40; hertz <= highestHz; hertz *= pow(2, 1 / BESIDE_PER_OCTAVE)) {
    let bin = 2 * Math.round(hertz / binHz / 2);
    while (loudBins.some((loud) => bin % loud === 0)) bin += 2;
    if (bin > (bins.at(-1) ?? 0) + 1) bins.push(bin);
  }
  return bins;
}
