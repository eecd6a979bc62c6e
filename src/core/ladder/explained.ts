import { dbFromPower } from "../audio/decibels";
import { asRead, type Sound } from "../audio/sound";
import { minus, scaled } from "../numeric/vectors";
import { type Exception, SHORT_SECONDS, type Survey } from "../survey/survey";
import { confirmed, exceptionsIn, timelineOf } from "../survey/timeline";
import { applied, beforeSaturation } from "./applied";
import { reachOf } from "./cascade-fit";
import { prunedChain } from "./chain-causes";
import { undoing, withHeldOutGains } from "./chain-fit";
import { inBestOrder } from "./chain-order";
import { clicksBesideCurve } from "./clicks";
import { appliedUpToEachStep, crossValidated, type Residuals, STEPS } from "./cross-validation";
import { type AppliedStep, type Found, type FoundFilter, foundStage } from "./found-chain";
import type { LadderTask } from "./ladder-schema";
import { type Line, withoutLines } from "./lines";
import { withoutOverfit } from "./overfit";
import { type ExcerptPlan, energyOf, FOR_CHAINS, IN_FULL, type PairSignals, withReach } from "./pair-signals";
import { coherentEnergies } from "./pair-transfer";
import { addedAtLevel } from "./residual-parts";
import {
  type Domain,
  delayBetweenSides,
  domainOf,
  inMidSide,
  type MovedSide,
  sideThatIsOff,
  withSideMoved,
} from "./routing";
import { searchChain } from "./search";
import { levelAlone, type Pause, type Search } from "./search-basics";
import { type Chain, leastSquaresGain, ofChannel, type Stage, throughChain } from "./stages";

/** What was found between the two, and where it does not hold. */
export type Explained = Search & {
  whole: number;
  domain: Domain;
  movedSide: MovedSide;
  worthDb: number[];
  /** Other orders of the same stages that leave as little. */
  alternatives: Chain[];
  /** Lines that Yonder has over Here, taken off before anything was fitted. */
  lines: Line[];
  /** Before anything was fitted, at the deepest null. */
  level: { gain: number; left: number; asIs: number; levelDb: number };
  found: Found;
  residuals: Record<AppliedStep, Residuals>;
  applied: ReturnType<typeof appliedUpToEachStep>;
  /** What was known before and holds against the model, and where the model does not hold. */
  known: Exception[];
  exceptions: Exception[];
};

export function explained(
  task: LadderTask,
  excerpt: (plan: ExcerptPlan, exceptions: readonly Exception[]) => PairSignals,
  known: readonly Exception[],
  offsets: readonly number[],
  survey: Survey,
  pause: Pause,
): Explained {
  const asIs = excerpt(IN_FULL, known);
  // What needs no filter needs little of what is around the stretches.
  const near = asIs.stretches.length > 1 ? withReach(asIs, Math.ceil(NEAR_SECONDS * asIs.sampleRateHz)) : asIs;
  const added = addedAtLevel(near, levelledOf(near));
  const { lines } = added;
  const without = (pair: PairSignals) => {
    if (lines.length === 0) return pair;
    const levelled = levelledOf(pair);
    const rest = pair.yonder.map((y, c) => minus(y, levelled[c]));
    return withoutLines(pair, rest, lines);
  };
  const domain = domainOf(added.pair);
  const movedSide = sideThatIsOff(added.pair, domain === "mid-side" ? 0 : delayBetweenSides(added.pair));
  const prepared = (pair: PairSignals) => {
    const own = withSideMoved(pair, movedSide);
    return domain === "mid-side" ? inMidSide(own) : own;
  };
  const inFull = prepared(without(asIs));
  const search = added.isAll
    ? levelAlone(inFull)
    : searchChain(inFull, prepared(without(excerpt(FOR_CHAINS, known))), pause);
  pause("Weighing each stage");
  const { pair } = search;
  const ordered = inBestOrder(pair, search, pause);
  const first = prunedChain({ ...search, ...ordered }, pause);
  pause("Judging each half by the other");
  const judged = { ...first, crossValidated: crossValidated(pair, withHeldOutGains(pair, first.chain), pause) };
  const simple = withoutOverfit(pair, judged, pause);
  const pruned = simple === judged ? first : prunedChain({ ...search, ...simple }, pause);
  const isAsOrdered = pruned === first && first.chain.length === ordered.chain.length;
  const { alternatives } = isAsOrdered ? ordered : inBestOrder(pair, pruned, pause);
  const chain = withHeldOutGains(pair, pruned.chain);
  const residualsAcross =
    pruned.chain.length === simple.chain.length ? simple.crossValidated : crossValidated(pair, chain, pause);
  const fitted = appliedUpToEachStep(pair, chain, pair.judged, false);
  const held = appliedUpToEachStep(pair, chain, pair.judged, true);
  const whole = energyOf(pair.judged, pair.yonder);
  const residuals = Object.fromEntries(
    STEPS.map((step) => [
      step,
      {
        fitted: energyOf(pair.judged, pair.yonder, fitted[step].signals) / whole,
        crossValidated: residualsAcross[step] / whole,
      },
    ]),
  ) as Record<AppliedStep, Residuals>;
  const hasGain = chain.some(({ kind }) => kind === "gain");
  const found: Found = {
    domain,
    movedSide,
    stages: chain.map((stage, place) => foundStage(stage, hasGain ? inverseFor(pair, chain, place) : null)),
    gains: { level: fitted.level.gain, tone: fitted.tone.gain, levelOverTime: fitted.levelOverTime.gain },
  };
  pause("Checking all of it");
  const model = applied(task.aligned.here, task.aligned.yonder, task.region, found, "bend");
  const yonder = withoutOffset(task.aligned.yonder, offsets);
  const timeline = timelineOf(model, yonder, survey, () => pause());
  const forms = chain.flatMap((s) => (s.kind === "filter" ? [s.eq] : []));
  // An abrupt beginning holds frequencies that nothing else does, and that no filter is known at.
  const rings = chain.map((s) => (s.kind === "cascade" ? Math.min(survey.stepFrames, reachOf(s)) : 0));
  const all = exceptionsIn(
    timeline,
    survey,
    {
      startFrames: Math.max(0, ...forms.map(({ taps, lead }) => taps - lead), ...rings),
      endFrames: Math.max(0, ...forms.map(({ lead }) => lead)),
    },
    known,
  );
  const before = beforeSaturation(task.aligned.here, task.aligned.yonder, task.region, found);
  const clicks = all.filter(({ what }) => what === "click");
  const beside = before ? clicksBesideCurve(clicks, before, model, yonder, task.region) : clicks;
  const exceptions = all.filter((e) => isOtherProcessing(e, chain, residuals.bend.crossValidated, beside.includes(e)));
  return {
    ...search,
    chain,
    left: pruned.left,
    whole,
    domain,
    movedSide,
    worthDb: pruned.worthDb,
    alternatives,
    level: levelBetween(added.pair),
    lines,
    found,
    residuals,
    applied: held,
    known: confirmed(known, timeline, survey),
    exceptions,
  };
}

/**
 * Whether an exception is one, beside a chain that leaves a share. Where a gain moves fast, where it is quiet between what a curve and the filters around it were
 * fitted on, and at a peak louder than what a curve was fitted on, they are known no better than −30 dB re Yonder: where all else is the same, that is no other
 * processing, and no click. By trial on gates, on a soft clip in a mix that is 15 dB softer for a while (−39 dB), and on peaks of drums through clips (−33 dB).
 * @param isBesideCurve of a click: whether the curve is known to hold where what goes into it is as loud
 */
export function isOtherProcessing(
  { what, residualDb, startSeconds, endSeconds }: Exception,
  chain: Chain,
  leftShare: number,
  isBesideCurve: boolean,
): boolean {
  const has = (wanted: Stage["kind"]) => chain.some(({ kind }) => kind === wanted);
  const isLoud = (residualDb ?? 0) > KNOWN_DB;
  if (what === "different") {
    // And what is that short may be a blow that a gain is too slow for, or that a curve was not fitted at.
    if (endSeconds - startSeconds < SHORT_SECONDS && has("gain")) return false;
    const least = endSeconds - startSeconds < SHORT_SECONDS ? KNOWN_SHORT_DB : KNOWN_DB;
    return (residualDb ?? 0) > least || !(has("gain") || has("saturation"));
  }
  if (what !== "click") return true;
  // Where a gain that moves leaves much everywhere, a peak of it is no click.
  if (has("gain") && leftShare >= LOOSE) return false;
  return isLoud || !has("saturation") || isBesideCurve;
}
const KNOWN_DB = -30;
const LOOSE = 1e-3;
const KNOWN_SHORT_DB = -15;
/** As much as a delay between sides moves one of them. */
const NEAR_SECONDS = 0.032;

const withoutOffset = (sound: Sound, offsets: readonly number[]): Sound =>
  offsets.every((v) => v === 0)
    ? sound
    : asRead(sound, (from, count) =>
        sound.read(from, count).map((channel, c) => channel.map((v) => v - ofChannel(offsets, c))),
      );

/** What undoes a filter that a gain over time comes before. */
function inverseFor(pair: PairSignals, chain: Chain, place: number): FoundFilter | null {
  const stage = chain[place];
  if (stage.kind !== "filter" && stage.kind !== "cascade") return null;
  if (!chain.slice(0, place).some(({ kind }) => kind === "gain")) return null;
  const filters = undoing(throughChain(pair.here, chain.slice(0, place), pair.sampleRateHz), stage, pair);
  return { responses: filters.map((f) => f.responses.map((h) => h.slice())), lead: filters[0].lead };
}

const levelledOf = ({ here, yonder, judged }: PairSignals): Float64Array[] => {
  const gain = leastSquaresGain(judged, here, yonder);
  return here.map((s) => scaled(s, gain));
};

/** Level by energy in what goes together, and by the gain of the deepest null. */
function levelBetween(pair: PairSignals): Explained["level"] {
  const { here, yonder, judged } = pair;
  const gain = leastSquaresGain(judged, here, yonder);
  const left = energyOf(
    judged,
    yonder,
    here.map((s) => scaled(s, gain)),
  );
  const sums = here.map((x, c) => coherentEnergies(pair, x, yonder[c]));
  const [input, output] = [0, 1].map((i) => sums.reduce((total, s) => total + s[i], 0));
  return {
    gain,
    left,
    asIs: energyOf(judged, yonder, here),
    levelDb: input > 0 && output > 0 ? dbFromPower(output / input) : 0,
  };
}
