import { hypot, pow } from "../audio/exact-math";
import { bandErrors, isKindOpen, type KnownCurve } from "./find/band-errors";
import { FITTED_TO_PART, fittedBands } from "./find/fit-bands";
import { effective } from "./find/least-squares";
import { definedTimes } from "./kind/defined-times";
import { BENDING_KINDS, type KindFound, LINEAR_KINDS, OPENING_KINDS } from "./kind/kind";
import { isRestHidden, movesAhead } from "./read/before-step";
import { transparency } from "./read/housekeeping";
import { powerErrorDb } from "./read/power-error";
import type { ChannelReading } from "./read/read-channel";
import { magnitudeDbAt } from "./read/response";
import { aroundTop } from "./read/responses";
import { readStaticCurve } from "./read/static-curve";
import { sweptStretch } from "./read/sweep-response";
import { HIGHEST_PARTIAL } from "./read/tone-reading";
import type { Reason } from "./reasons";
import { type BenchTone, type ChannelFigures, type FittedBand, KNOWN_DB, type Withheld } from "./report";

const AT_1K_HZ = 1000;
/** A curve that stays within this is none (dB); and where gain moves, which may still be coming back. */
const LEAST_FLAT_DB = 0.05;
const FLAT_BESIDE_GAIN_DB = 0.3;
/** Bands are told that leave less than this (dB, effective). */
const FITS_DB = 0.5;
/** Two equal sweeps that differ by more than this came before gain was at rest (dB). */
const AT_REST_DB = 0.15;
/** Errors are three of noise's standard deviations, where nine frequencies of ten lie below. */
const MOST_SHARE = 0.9;
const SIGMAS = 3;
/** An error of a magnitude is one of its phase: 1 dB is 6.6°. Beyond this phase is not judged. */
const DB_PER_NEPER = 8.686;
const DEGREES_PER_DB = 180 / Math.PI / DB_PER_NEPER;
const MOST_NOISE_DEGREES = 1;
/** And where either end, from 20 Hz to a part of the rate, is known no closer than this (dB): what lies beyond is noise. */
const END_DB = 0.1;
const PHASE_TO_PART = 0.44;
/** Behind a curve no bell is told that is narrower (Q). */
const MOST_Q_BENT = 10;
/** A bell stands so many errors of its frequency over noise. */
const BELL_SIGMAS = 4;
/** A fit is as good as it gets at so many times the error of the curve. */
const WORN_OUT = 1.2;
/** What bands leave of a curve may be noise up to so many times what the curve is known to. */
const FITS_IN_NOISE = 3;

/** `delaySamples` is that of the response that is reported. */
export type Told = { figures: ChannelFigures; withheld: Withheld[]; delaySamples: number };

const GAIN_KINDS: readonly KindFound["name"][] = [
  "compressor",
  "limiter",
  "expander",
  "gate",
  "deEsser",
  "dynamicEq",
  "multiband",
];
/** So much less comes back of what is quiet where a curve swallows it (dB). */
const SWALLOWED_DB = 1;

/** Whether the quiet sweep comes back under the loud one: its response says little of the processor then. */
function opensWithLevel({ loud, quiet }: ChannelReading): boolean {
  const middleOf = (values: readonly number[]) => values.toSorted((a, b) => a - b)[values.length >> 1] ?? 0;
  return quiet !== null && middleOf(loud.response.magnitudeDb) - middleOf(quiet.response.magnitudeDb) > SWALLOWED_DB;
}

const NONE = Array.from({ length: HIGHEST_PARTIAL - 1 }, () => null);
const NO_HARMONICS = { partialsDb: NONE, partialErrorsDb: NONE };

/** What is reported of a channel, from what was read of it and the kind it is; and what is not reported, with the reason. */
export function figuresOf(
  reading: ChannelReading,
  kind: KindFound,
  { offsetSamples, isPitchSteady }: { offsetSamples: number | null; isPitchSteady: boolean },
): Told {
  const { input, rate, rings } = reading;
  const { plan, sent, back, parts } = input;
  const withheld: Withheld[] = [];
  const withhold = (figure: Withheld["figure"], reason: Reason) =>
    withheld.push({ figure, channel: input.name, reason });
  const isOfGain = GAIN_KINDS.includes(kind.name);
  // A gain that opens with level hides what is quiet; one that falls with it is at rest there. What is linear is seen best where it is loud.
  const usesQuiet =
    reading.quiet !== null &&
    reading.movesWithLevel &&
    !OPENING_KINDS.includes(kind.name) &&
    !LINEAR_KINDS.includes(kind.name);
  const linear = usesQuiet && reading.quiet ? reading.quiet : reading.loud;
  const errorDb = usesQuiet ? reading.quietErrorDb : reading.loudErrorDb;
  const level = usesQuiet && parts.quietSweeps ? parts.quietSweeps[0].levelDbfs : plan.sweeps[0].levelDbfs;
  const response = { ...linear.response, errorDb };
  const { hertz } = response;
  const isCurveInIt = BENDING_KINDS.includes(kind.name) && opensWithLevel(reading);
  const isSteady = isPitchSteady && kind.name !== "timeVarying";
  // That a curve has no memory is why it has no static curve, not why it is unknown.
  const whyUnknown =
    kind.staticCurveWithheld === null || kind.staticCurveWithheld === "memoryless"
      ? "noModel"
      : kind.staticCurveWithheld;
  // Bands are a model as well: what is not known to be linear, or a known gain or curve beside it, is not reported in them.
  const whyNoBands: Reason | null = !isSteady
    ? "unsteady"
    : kind.name === "coder"
      ? "coded"
      : kind.name === "unknown"
        ? whyUnknown
        : isCurveInIt
          ? "memoryless"
          : isOfGain && kind.actsWhenQuiet
            ? "gainMoves"
            : usesQuiet &&
                Math.abs(reading.quietApartDb ?? 0) > Math.max(AT_REST_DB, SIGMAS * reading.quietApartErrorDb)
              ? "slow"
              : null;
  if (whyNoBands) withhold("bands", whyNoBands);
  // What noise hides is no part of a curve.
  const isKnown = hertz.map((_, i) => errorDb[i] < KNOWN_DB);
  const inside = hertz.map((_, i) => i).filter((i) => isKnown[i] && hertz[i] <= FITTED_TO_PART * rate);
  const curve: KnownCurve = {
    hertz: inside.map((i) => hertz[i]),
    magnitudeDb: inside.map((i) => response.magnitudeDb[i]),
    errorDb: inside.map((i) => errorDb[i]),
    rateHz: rate,
  };
  const only = (values: readonly number[]) => values.filter((_, i) => isKnown[i]);
  const knownDb = curve.errorDb.toSorted((a, b) => a - b);
  const leastDb = isOfGain ? FLAT_BESIDE_GAIN_DB : LEAST_FLAT_DB;
  const flatDb =
    whyNoBands || inside.length === 0
      ? Number.POSITIVE_INFINITY
      : Math.max(leastDb, SIGMAS * knownDb[Math.floor(MOST_SHARE * knownDb.length)]);
  // The search ends when no more is left than the curve is known to.
  const fit = fittedBands(
    inside.length > 0 ? only(hertz) : hertz,
    inside.length > 0 ? only(response.magnitudeDb) : response.magnitudeDb,
    rate,
    { flatDb, enoughDb: WORN_OUT * effective(curve.errorDb) },
  );
  const errors = bandErrors(fit.bands, curve, fit.realised ?? "bilinear");
  const bands = fit.bands.map((band, i): FittedBand => ({ ...band, errors: errors[i] }));
  const isShelfHidden = bands.some((band) => levelsOffUnseen(band, only(hertz), [hertz[0], FITTED_TO_PART * rate]));
  const isHidden = isShelfHidden || bands.some((band) => !isBandKnown(band)) || isKindOpen(fit, curve);
  const isOverNoise = ({ kind: shape, hertz: centre, gainDb, q }: FittedBand) => {
    // What a distorted wave aliases to lies in single places of a sweep.
    if (BENDING_KINDS.includes(kind.name) && (q ?? 0) > MOST_Q_BENT) return false;
    const at = hertz.findIndex((hz) => hz >= centre);
    const errorHere = Math.max(...errorDb.slice(Math.max(0, at - 1), at + 2));
    return shape !== "bell" || at < 0 || (errorHere < KNOWN_DB && Math.abs(gainDb ?? 0) > BELL_SIGMAS * errorHere);
  };

  // A band beyond what was seen explains no more than a gain.
  const isBeyond = bands.some(
    ({ hertz: centre }) => centre < curve.hertz[0] || centre > curve.hertz[curve.hertz.length - 1],
  );
  const isFitted = fit.misfitDb < FITS_DB && !isHidden && !isBeyond;
  const fitted = isFitted ? bands.filter(isOverNoise) : [];
  // Where none is reported of a curve that is not flat, noise may be why: it hid bands that were found, or all that there may be.
  const isNoisy = isHidden || flatDb > leastDb;
  const isFitInNoise = fit.misfitDb < Math.max(FITS_DB, FITS_IN_NOISE * effective(curve.errorDb));
  const isInNoise = inside.length === 0 || (isNoisy && isFitInNoise);
  if (!whyNoBands && fitted.length === 0 && kind.name !== "wire" && fit.mostDb > leastDb && isInNoise)
    withhold("bands", "noise");

  if (rings) withhold("noise", "rings");
  const isCoded = kind.name === "coder";
  const canJudgeLines = isSteady && !rings && !isCoded;
  if (!canJudgeLines) withhold("aliasing", rings ? "rings" : isCoded ? "coded" : "unsteady");
  // A pitch that moves spreads tones, and smears a sweep the more the higher it is.
  if (!isSteady) withhold("response", "unsteady");
  // Ringing hides the noise that harmonics have to stand out of.
  const hasHarmonics = isSteady && !rings;
  if (!hasHarmonics) withhold("harmonics", isSteady ? "rings" : "unsteady");
  // What is withheld is not drawn either: of such a tone its level is left.
  const toldOf = (tone: BenchTone): BenchTone => ({
    ...tone,
    ...(canJudgeLines ? {} : { aliasDb: null, aliasErrorDb: null }),
    ...(hasHarmonics ? {} : { ...NO_HARMONICS, thdPercent: null, thdNoisePercent: null }),
  });
  const aliases = (canJudgeLines ? [reading.deep, ...reading.series] : []).flatMap(({ aliasDb }) =>
    aliasDb === null ? [] : [aliasDb],
  );
  const whyNoTimes =
    kind.timesWithheld ?? (OPENING_KINDS.includes(kind.name) && isRestHidden(reading) ? "noise" : null);
  const times = isOfGain && !whyNoTimes ? timesOf(reading, kind) : null;
  if (whyNoTimes && reading.times) withhold("times", whyNoTimes);
  if (kind.staticCurveWithheld && kind.staticCurve) withhold("staticCurve", kind.staticCurveWithheld);
  if (kind.name === "unknown") withhold("kind", whyUnknown);
  const clear = transparency(
    [sent],
    [back],
    sweptStretch(plan.sweeps[input.name === "right" ? plan.sweeps.length - 1 : 0], rate),
  );
  // Noise turns phases, too: what it may turn them by is no phase of a filter.
  const noiseDegrees = (errorDb.toSorted((a, b) => a - b)[errorDb.length >> 1] ?? 0) * DEGREES_PER_DB;
  // A floor of noise at either end is no part of a curve that minimum phase could be worked out of.
  const judgedDb = errorDb.filter((_, i) => hertz[i] <= PHASE_TO_PART * rate);
  const isEndHidden = Math.max(judgedDb[0] ?? 0, judgedDb[judgedDb.length - 1] ?? 0) > END_DB;
  const isPhaseHidden =
    (linear.phaseKind === "mixed" && (isEndHidden || noiseDegrees > MOST_NOISE_DEGREES)) ||
    (linear.phaseKind === "all-pass" && noiseDegrees > MOST_NOISE_DEGREES);
  // What a curve does to a wave that it hardly lets through is no phase of a filter.
  const isPhaseBent = isCurveInIt && linear.phaseKind === "mixed";
  // A gain that moves along a sweep is no part of the magnitude that a phase could belong to.
  const isPhaseMoved = (whyNoBands === "gainMoves" || whyNoBands === "slow") && !linear.turnsNothing;
  const whyNoPhase: Reason | null = isPhaseBent
    ? "memoryless"
    : isPhaseHidden
      ? "noise"
      : rings
        ? "rings"
        : !isSteady
          ? "unsteady"
          : isPhaseMoved && linear.crossoversHz.length === 0
            ? "gainMoves"
            : null;
  const isPhaseTold = whyNoPhase === null;
  if (whyNoPhase) withhold("phase", whyNoPhase);
  const onSine = readStaticCurve(reading.ladder.map((tone) => ({ inDbfs: tone.levelDbfs, outDbfs: tone.outDbfs })));
  const isStaticCurveKnown = kind.staticCurve?.thresholdDbfs != null;
  const moves = reading.beside ?? { kind: "unclear" as const, edgesHz: [], hertz: [], tones: [] };
  const none = { hertz: [0, 0] as [number, number], secondPercent: null, thirdPercent: null };
  if (!isSteady || rings) withhold("intermodulation", isSteady ? "rings" : "unsteady");
  else if (!reading.modulation || !reading.differenceTone)
    withhold("intermodulation", input.name === "side" ? "notSent" : "spoiled");
  if (!reading.beside || !isSteady || isCoded)
    withhold("besideTone", !parts.beside ? "notSent" : !isSteady ? "unsteady" : isCoded ? "coded" : "spoiled");
  if (!isPitchSteady) withhold("null", "unsteady");
  if (!(isPitchSteady && parts.repeats?.every(input.isWhole)))
    withhold("passes", !parts.repeats ? "notSent" : isPitchSteady ? "spoiled" : "unsteady");
  const figures: ChannelFigures = {
    latencySamples: offsetSamples === null ? null : rounded(offsetSamples + linear.delaySamples, 4),
    latencyErrorSamples: rounded(
      hypot(noiseDelaySamples(hertz, errorDb, rate), hypot(linear.delayErrorSamples, linear.delayFormSamples)),
      4,
    ),
    polarity: linear.polarity,
    gainDbAt1k: rounded(magnitudeDbAt(linear.spectrum, linear.binHz, AT_1K_HZ), 4),
    noiseFloorDbfs: rings ? null : input.idle.noiseDbfs,
    transparent: clear.isTransparent ? "yes" : "no",
    addsDb: isPitchSteady ? clear.addsDb : null,
    passesApartDb: isPitchSteady ? reading.passesApartDb : null,
    response,
    responseLevelDbfs: level,
    levels: reading.levels,
    impulse: aroundTop(usesQuiet && reading.quietImpulse ? reading.quietImpulse : input.own),
    phaseKind: isPhaseTold
      ? (reading.movesWithLevel || whyNoBands === "gainMoves") && linear.turnsNothing
        ? "none"
        : kind.name === "coder" && !linear.turnsNothing
          ? "unknown"
          : linear.phaseKind
      : "unknown",
    crossoversHz: isPhaseTold && kind.name !== "unknown" ? linear.crossoversHz : [],
    rotationDegrees: isPhaseTold ? linear.rotationDegrees : 0,
    // Bands that leave this much are no reading of the curve.
    fitted,
    fittedGainDb: fit.gainDb,
    fitMisfitDb: fit.misfitDb,
    fitMostDb: fit.mostDb,
    realised: isFitted ? fit.realised : null,
    harmonics: [reading.deep, ...reading.ladder, ...reading.series].map(toldOf),
    highTones: reading.high.map(toldOf),
    aliasDb: aliases.length > 0 ? Math.max(...aliases) : null,
    modulation: reading.modulation ?? none,
    differenceTone: reading.differenceTone ?? none,
    static: kind.staticCurve,
    staticOnSine:
      onSine && (isStaticCurveKnown ? onSine : { ...onSine, thresholdDbfs: null, ratio: null, kneeDb: null }),
    bandCurves: [reading.lowLadder, reading.ladder, reading.highLadder].flatMap((tones) =>
      tones.length === 0
        ? []
        : [{ hertz: tones[0].hertz, points: tones.map(({ levelDbfs, outDbfs }) => ({ inDbfs: levelDbfs, outDbfs })) }],
    ),
    times,
    moves: {
      ...moves,
      tones: moves.tones.map(({ loudHz, changeDb }) => ({
        loudHz,
        changeDb: changeDb.map((db) => (Number.isNaN(db) ? null : db)),
      })),
    },
    kind: {
      name: kind.name,
      confidence: rounded(kind.confidence, 2),
      residualDb: kind.residualDb,
      gainErrorDb: kind.gainErrorDb,
    },
  };
  return { figures, withheld, delaySamples: linear.delaySamples };
}

/** A band is reported whose gain stands so many standard deviations out of noise, and whose frequency is known to this share. */
const BAND_SIGMAS = 4;
const BAND_HERTZ_SHARE = 0.15;
const isBandKnown = ({ hertz, gainDb, errors }: FittedBand): boolean =>
  errors === undefined ||
  (errors.hertz < BAND_HERTZ_SHARE * hertz && Math.abs(gainDb ?? 0) >= BAND_SIGMAS * (errors.gainDb ?? 0));

/** A shelf is one where it is seen to level off: so many times its frequency away, unless the curve itself ends before. */
const LEVELS_OFF = 2;

/** Whether a shelf's level part, or a bell's other side, lies where noise hides the curve: a filter that cuts would look the same. */
function levelsOffUnseen(
  { kind, hertz: centre, q }: ChannelFigures["fitted"][number],
  known: readonly number[],
  [lowest, highest]: readonly [number, number],
): boolean {
  if (known.length === 0) return false;
  if (kind === "low shelf") return known[0] > Math.max(centre / LEVELS_OFF, lowest);
  if (kind === "high shelf") return known[known.length - 1] < Math.min(centre * LEVELS_OFF, highest);
  if (kind === "bell" && q !== null) {
    // Where its gain has fallen to half of it, in dB.
    const side = Math.sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q);
    return known[0] > Math.max(centre / side, lowest) || known[known.length - 1] < Math.min(centre * side, highest);
  }
  return false;
}

/** Neighbouring frequencies are off alike: as if there were a quarter as many. */
const ALIKE = 2;
const DELAY_FROM_HZ = 30;

/** What noise may move a straight line through phases by, samples: least squares, each phase known as its magnitude is. */
function noiseDelaySamples(hertz: readonly number[], errorDb: readonly number[], rate: number): number {
  let [products, squares] = [0, 0];
  for (const [i, hz] of hertz.entries()) {
    if (hz < DELAY_FROM_HZ || hz > PHASE_TO_PART * rate) continue;
    const radians = errorDb[i] / DB_PER_NEPER;
    products += (hz * radians) ** 2;
    squares += hz * hz;
  }
  return squares > 0 ? (ALIKE * rate * Math.sqrt(products)) / (2 * Math.PI * squares) : 0;
}

/** A time is told that is known to this share of it (one standard deviation), or is next to none (ms). */
const KNOWN_SHARE = 0.05;
const AT_ONCE_MS = 0.3;
/** Detectors differ in form from the model: no time is known closer than so (share of it, and ms; one standard deviation, by trial). */
const FORM_SHARE = 0.01;
const FORM_MS = 0.02;
/** An attack of a detector of effective values is read up to 8 % long behind its averaging (by trial: 12.6 of 11.6 ms). */
const RMS_ATTACK_SHARE = 0.04;
/** Look-ahead is read by half periods of the wave: its beginning is seen late or early by this part of a period (one standard deviation, by trial). */
const LOOK_AHEAD_PARTS = 5;
const CLEAR_OF_AHEAD = 2;
/** Shortest hold that is reported (ms), and how many standard errors it has to exceed. */
const LEAST_HOLD_MS = 0.5;
const HOLD_ERRORS = 3;
/** What lets go after a short burst tells how long it takes where it had gone this far (dB). */
const LEAST_SHORT_DB = 3;

/** Times by their definition, of the model that predicts them: neither noise nor an end that was not reached moves them. */
function timesOf(reading: ChannelReading, { gainModel }: KindFound): ChannelFigures["times"] {
  const { times, input } = reading;
  if (!times || !gainModel) return times;
  const { curve, downMs, holdMs, lookAheadMs, errors } = gainModel;
  const { rest, long, afterLong } = input.parts.bursts;
  const rate = input.plan.form.sampleRateHz;
  const defined = definedTimes(gainModel, {
    lowDbfs: rest.leftDbfs,
    highDbfs: long.leftDbfs,
    upSeconds: long.frames / rate,
    downSeconds: afterLong.frames / rate,
  });
  const [attackShare, releaseShare] =
    curve === "downward" ? [errors.downShare, errors.upShare] : [errors.upShare, errors.downShare];
  const isAheadKnown = lookAheadMs > 0 || !movesAhead(reading, defined.reductionDb);
  const aheadErrorMs = (1000 * input.plan.steadyPeriod) / LOOK_AHEAD_PARTS / rate;
  // An attack begins where look-ahead does: a shorter one than that is known to is not known.
  const isAttackClear = lookAheadMs === 0 || (defined.afterUpMs ?? 0) > CLEAR_OF_AHEAD * aheadErrorMs;
  const isAttackKnown =
    isAheadKnown && isAttackClear && (attackShare < KNOWN_SHARE || (curve === "downward" && downMs < AT_ONCE_MS));
  const isReleaseKnown = releaseShare < KNOWN_SHARE;
  const ofTime = (ms: number | null, share: number) =>
    ms === null ? null : hypot(ms * hypot(share, FORM_SHARE), FORM_MS);
  return {
    ...times,
    holdMs: holdMs > Math.max(LEAST_HOLD_MS, HOLD_ERRORS * errors.holdMs) ? holdMs : 0,
    lookAheadMs: isAheadKnown ? lookAheadMs : null,
    // How far an expander opens is known no better than its floor, which the model guesses where no level lies above it.
    reductionDb: curve === "downward" ? defined.reductionDb : times.reductionDb,
    attackMs: isAttackKnown ? defined.afterUpMs : null,
    releaseMs: isReleaseKnown ? defined.afterDownMs : null,
    attackWithin1DbMs: isAttackKnown ? defined.within1DbAfterUpMs : null,
    releaseWithin1DbMs: isReleaseKnown ? defined.within1DbAfterDownMs : null,
    errorsMs: {
      // What is over at once is known to be that, and no closer.
      attack: isAttackKnown
        ? attackShare < KNOWN_SHARE
          ? ofTime(defined.afterUpMs, hypot(attackShare, gainModel.detector === "rms" ? RMS_ATTACK_SHARE : 0))
          : AT_ONCE_MS / 2
        : null,
      release: isReleaseKnown ? ofTime(defined.afterDownMs, releaseShare) : null,
      hold: errors.holdMs,
      lookAhead: isAheadKnown && lookAheadMs > 0 ? aheadErrorMs : null,
    },
    // Read off the courses both have a hold in them: what they differ by is the programme's.
    releaseAfterShortMs:
      isRestHidden(reading) ||
      isReturnHidden(reading, times.shortReductionDb, defined.afterDownMs) ||
      Math.abs(times.shortReductionDb) < LEAST_SHORT_DB ||
      times.releaseMs === null ||
      times.releaseAfterShortMs === null ||
      defined.afterDownMs === null
        ? null
        : Math.max(0, defined.afterDownMs + times.releaseAfterShortMs - times.releaseMs),
  };
}

/** The last passing of a level comes so many errors of a cell late in noise; a release of a short burst may be late by this share of it. */
const LATE_SIGMAS = 4;
const LATE_SHARE = 0.1;
/** The rest of a step after one time constant. */
const WAY_LEFT = 0.368;

/** Whether noise moves the place where gain has come back from a short burst: a slow return passes no level clearly. */
function isReturnHidden({ noisePower, input }: ChannelReading, reductionDb: number, releaseMs: number | null): boolean {
  if (releaseMs === null || noisePower === 0) return false;
  const { rest } = input.parts.bursts;
  const power = pow(10, (rest.leftDbfs - Math.abs(reductionDb)) / 10);
  const cellDb = powerErrorDb(noisePower / power, input.plan.steadyPeriod / 2);
  const slopeDbPerMs = (WAY_LEFT * Math.abs(reductionDb)) / Math.max(releaseMs, FORM_MS);
  return (LATE_SIGMAS * cellDb) / slopeDbPerMs > LATE_SHARE * releaseMs;
}

const rounded = (value: number, digits: number): number => Number(value.toFixed(digits)) + 0;
