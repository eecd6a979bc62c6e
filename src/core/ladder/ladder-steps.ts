import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import type { CauseFound } from "./causes";
import { causesOfChain, flatCauses } from "./chain-causes";
import { type Residuals, STEPS } from "./cross-validation";
import type { Explained } from "./explained";
import type { Ladder, LadderStep } from "./ladder-schema";
import { energyOf } from "./pair-signals";
import { residualCauses } from "./plain-causes";
import { residualParts } from "./residual-parts";
import { type SaturationCurve, saturatedAt } from "./saturation-curve";
import type { Pause } from "./search-basics";
import { causeOf } from "./stages";

/** A step that improves by less than this factor (half a dB) brings no improvement. */
const IMPROVES = 0.89;
/** Points of a curve that are reported. */
const CURVE_POINTS = 65;
/** A level difference under this is none (dB). */
const LEAST_LEVEL_DB = 0.01;

const db = (share: number): number | null => (share > 0 ? dbFromPower(share) : null);

/** All further steps where nothing is left. */
export const same = (residualDb: number | null): LadderStep[] => [
  { step: "level", residualDb, gainDb: 0, nullGainDb: 0 },
  { step: "tone", residualDb, fittedDb: residualDb, taps: 1, isCrossed: false },
  {
    step: "levelOverTime",
    residualDb,
    fittedDb: residualDb,
    bands: 1,
    edgesHz: [],
    isLinked: true,
    rangeDb: 0,
    knotSeconds: null,
  },
  { step: "bend", residualDb, fittedDb: residualDb, evenDb: null, oddDb: null, folds: null, foldsByDb: null },
  { step: "left", residualDb, kinds: [] },
];

/** The steps with what each leaves, and the causes. Only what is better than the step before is applied. */
export function described(
  result: Explained,
  first: LadderStep[],
  pause: Pause,
): Pick<Ladder, "steps" | "found" | "curve" | "causes" | "alternatives"> {
  const { pair, chain, found, residuals, level, domain, worthDb } = result;
  const better = (now: Residuals, before: Residuals) =>
    now.crossValidated < IMPROVES * before.crossValidated ? now : before;
  const afterEq = better(residuals.tone, residuals.level);
  const overTime = chain.some(({ kind }) => kind === "gain") ? better(residuals.levelOverTime, afterEq) : afterEq;
  const last = better(residuals.bend, overTime);
  const { causes, flatDb } = causesOfChain(pair, chain, worthDb, domain, last.crossValidated, pause);
  const gains = causes.find((c) => c.cause === "gainOverTime" || c.cause === "gainInBands");
  const saturation = causes.find((c) => c.cause === "saturation");
  const gainStage = chain.find((s) => s.kind === "gain");
  const curve = chain.find((s) => s.kind === "saturation")?.curves[0];
  const filters = chain.filter((s) => s.kind === "filter");
  const hasCrosstalk = filters.some(({ eq }) => eq.hasCrosstalk);
  const taps = filters.reduce(
    (most, { eq }) => Math.max(most, eq.taps),
    chain.some((s) => s.kind === "cascade") ? 2 : 0,
  );
  const explainsAtAll = STEPS.findLast((step) => residuals[step] === last) ?? "level";
  const residualDb = db(last.crossValidated);
  const kinds = residualParts(pair, result.applied[explainsAtAll].signals, result.lines);
  const left = (state: Residuals) => ({ residualDb: db(state.crossValidated), fittedDb: db(state.fitted) });
  const isGained = overTime !== afterEq && gainStage?.kind === "gain";
  const steps: LadderStep[] = [
    ...first,
    {
      step: "level",
      residualDb: db(residuals.level.crossValidated),
      gainDb: level.levelDb,
      nullGainDb: level.gain > 0 ? dbFromAmplitude(level.gain) : null,
    },
    {
      step: "tone",
      ...left(afterEq),
      taps: afterEq === residuals.level ? 0 : taps,
      isCrossed: afterEq !== residuals.level && hasCrosstalk,
    },
    {
      step: "levelOverTime",
      ...left(overTime),
      bands: isGained ? gainStage.gain.edgesHz.length + 1 : 1,
      edgesHz: isGained ? gainStage.gain.edgesHz : [],
      ...(isGained && gainStage.gain.bell ? { bell: gainStage.gain.bell } : {}),
      isLinked: gainStage?.kind === "gain" ? gainStage.gain.isLinked : true,
      rangeDb: isGained ? (gains && "rangeDb" in gains ? gains.rangeDb : null) : 0,
      knotSeconds: isGained ? gainStage.gain.fits[0][0].curve.knotFrames / pair.sampleRateHz : null,
    },
    {
      step: "bend",
      ...left(last),
      evenDb: saturation?.evenDb ?? null,
      oddDb: saturation?.oddDb ?? null,
      folds: result.alternatives.length > 0 ? null : (saturation?.aliasing ?? null),
      foldsByDb: saturation?.aliasingLeadDb ?? null,
    },
    { step: "left", residualDb, kinds },
  ];
  const levelled = level.left > 0 ? dbFromPower(level.asIs / level.left) : null;
  const isMono =
    domain === "mid-side" && energyOf(pair.judged, [pair.yonder[1]]) < GONE * energyOf(pair.judged, [pair.here[1]]);
  const flat: CauseFound[] = isMono
    ? [{ cause: "width", channels: "both", worthDb: null, widthDb: null }]
    : flatCauses(flatDb, domain, last.crossValidated);
  const levelCause: CauseFound[] =
    Math.abs(level.levelDb) < LEAST_LEVEL_DB
      ? []
      : [
          {
            cause: "level",
            channels: "both",
            worthDb: levelled,
            levelDb: level.levelDb,
            nullGainDb: level.gain > 0 ? dbFromAmplitude(level.gain) : null,
          },
        ];
  // Where next to nothing was explained, nothing that was fitted is a cause.
  const isExplained = last.crossValidated < EXPLAINS || last.crossValidated < IMPROVES * residuals.level.crossValidated;
  const isStranger = residuals.level.crossValidated > STRANGE && last.crossValidated > STRANGER;
  const isOpen = result.alternatives.length > 0;
  // Where the order is not known, neither is what a curve's harmonics meet.
  const placed = causes.map((c) => {
    if (!isOpen) return c;
    return c.cause === "eq" ? { ...c, place: null } : c.cause === "saturation" ? { ...c, aliasing: null } : c;
  });
  const chained = isExplained && !isStranger ? [...placed, ...flat] : [];
  return {
    found,
    curve: curve ? curvePoints(curve) : [],
    steps,
    causes: [...(isStranger ? [] : levelCause), ...chained, ...residualCauses(kinds, residualDb)],
    alternatives: (chained.length === 0 ? [] : result.alternatives).map((other) => other.map(causeOf)),
  };
}
/** A side is gone where it lies this far under Here's (−80 dB). */
const GONE = 1e-8;
/** A chain that leaves less than this share (−3 dB) explains something. */
const EXPLAINS = 0.5;
/** Where one gain leaves more than this share (−1 dB) and the chain more than that (−6 dB), the two are different material. */
const STRANGE = 0.8;
const STRANGER = 0.25;

const curvePoints = (curve: SaturationCurve): Ladder["curve"] =>
  Array.from({ length: CURVE_POINTS }, (_, i) => {
    const inFs = curve.reach * ((2 * i) / (CURVE_POINTS - 1) - 1);
    return { inFs, outFs: saturatedAt(curve, inFs) };
  });
