import { dbFromPower } from "../audio/decibels";
import { asRead, type FrameRange } from "../audio/sound";
import { energyUnder, minus, scaled, weightedProduct } from "../numeric/vectors";
import {
  addedOffsets,
  type Exception,
  energyIn,
  identityOf,
  plainExceptions,
  STEP_SECONDS,
  type Survey,
  stepEnergies,
  surveyOf,
} from "../survey/survey";
import type { CauseFound } from "./causes";
import { polarityAtEnds, polarityOfRows } from "./chain-causes";
import { CHANGE_FROM, changeIn } from "./change";
import { type Explained, explained } from "./explained";
import type { Ladder, LadderStep, LadderTask } from "./ladder-schema";
import { described, same } from "./ladder-steps";
import { type ExcerptPlan, energyOf, IN_FULL, type PairSignals, pairSignals, type Worth } from "./pair-signals";
import { besideAllPass, editCauses, leastDelayBesideEq, offsetCauses, placedCauses } from "./plain-causes";
import type { Pause } from "./search-basics";
import { type Chain, causeOf, leastSquaresGain, ofChannel, throughChain } from "./stages";

/** Raise when any step of a ladder would come out differently. */
export const LADDER_VERSION = 12;

/** A swap is reported where left − right of both, aligned, correlate by this: a delay of the mid alone looks like a swap to an alignment. */
const LEAST_SIDE_HELD = 0.5;

function sideHolds({ here, yonder, judged }: Pick<PairSignals, "here" | "yonder" | "judged">): boolean {
  if (here.length < 2 || yonder.length < 2) return false;
  const [ours, theirs] = [minus(here[0], here[1]), minus(yonder[0], yonder[1])];
  const energies = energyUnder(judged, ours) * energyUnder(judged, theirs);
  return energies > 0 && weightedProduct(judged, ours, theirs) > LEAST_SIDE_HELD * Math.sqrt(energies);
}

/** The same of Here as it was explained, where that took each side by itself: a filter takes off what they share or do not. */
function explainedSideHolds({ domain, chain, pair, applied }: Explained): boolean {
  const isHeardTogether = chain.some((s) => s.kind === "filter" && s.eq.hasCrosstalk);
  return domain === "left-right" && !isHeardTogether && sideHolds({ ...pair, here: [...applied.bend.signals] });
}

/** Under so many frames nothing is fitted. */
const LEAST_FRAMES = 256;

const db = (share: number): number | null => (share > 0 ? dbFromPower(share) : null);

/** Analyses a pair; what is known early is told to `onPartial`. */
export function ladderOf(
  task: LadderTask,
  pause: Pause,
  onPartial: (ladder: Ladder) => void = () => {},
  isMoved = false,
): Ladder {
  const { delivered, aligned, region, missing = [] } = task;
  pause("Comparing every sample");
  const survey = surveyOf(aligned.here, aligned.yonder, region, () => pause());
  const identity = identityOf(survey, task.judgedShare ?? 1);
  const known = task.placed ? plainExceptions(survey) : [];
  const whole = energyIn(survey, "yonder");
  const asTheyCame = pairSignals(delivered.here, delivered.yonder, region, { ...IN_FULL, reach: 1024 });
  const deliveredWhole = energyOf(asTheyCame.judged, asTheyCame.yonder);
  const share = (left: number, of: number) => (of > 0 ? db(left / of) : null);
  const deliveredDb = share(energyOf(asTheyCame.judged, asTheyCame.yonder, asTheyCame.here), deliveredWhole);
  const offsets = addedOffsets(survey);
  const raw = pairSignals(aligned.here, aligned.yonder, region, IN_FULL, worthOf(survey, known));
  const placed = task.placed && { ...task.placed, swapped: task.placed.swapped === true && sideHolds(raw) };
  const excerptWith =
    (also: readonly FrameRange[]) =>
    (plan: ExcerptPlan, exceptions: readonly Exception[]): PairSignals => {
      const isRaw = plan === IN_FULL && exceptions === known && also.length === 0;
      const pair = isRaw
        ? raw
        : pairSignals(aligned.here, aligned.yonder, region, plan, worthOf(survey, exceptions), also);
      return withoutOffsets(pair, offsets);
    };
  const excerpt = excerptWith([]);
  const judged = { seconds: raw.judgedFrames / raw.sampleRateHz, stretches: raw.stretches.length };
  const asIs = energyOf(raw.judged, raw.yonder, raw.here);
  const first: LadderStep[] = [
    { step: "delivered", residualDb: deliveredDb },
    {
      step: "time",
      residualDb: share(asIs, energyOf(raw.judged, raw.yonder)),
      delaySamples: placed?.delaySamples ?? null,
      polarity: placed?.polarity ?? null,
      driftPpm: placed?.driftPpm ?? null,
    },
  ];
  const early = placed ? [...placedCauses(placed), ...editCauses([...known, ...missing])] : [];
  const ends = (problem: string | null): Ladder => ({
    steps: first,
    judged,
    found: null,
    curve: [],
    problem,
    identity,
    exceptions: [...known, ...missing],
    causes: early,
    alternatives: [],
    isPartial: false,
  });
  if (!placed) return ends("The two could not be aligned, so nothing further can be explained.");
  if (whole === 0) return ends("Yonder is silent here: there is nothing to explain.");
  if (energyIn(survey, "here") === 0) return ends("Here is silent here: there is nothing to explain.");
  if (raw.judgedFrames < LEAST_FRAMES) return ends("This is too short to explain.");
  onPartial({ ...ends(null), isPartial: true });
  if (identity.is === "same") return { ...ends(null), steps: [...first, ...same(null)] };
  const secondsAt = (frame: number) => frame / survey.sampleRateHz;
  let exceptions: readonly Exception[] = known;
  let result = explained(task, excerpt, exceptions, offsets, survey, pause);
  const samples = isMoved ? 0 : delayOf(result.chain, excerpt(IN_FULL, known));
  if (samples !== 0) {
    const copied = known.filter(({ what }) => what === "bypassed");
    // Laid by the larger part, the other is what is different.
    if (secondsOf(copied) < LAID_BY * (secondsAt(region.endFrame) - secondsAt(region.startFrame)))
      return ladderOf(movedBy(task, samples), pause, onPartial, true);
    exceptions = between(copied, secondsAt(region.startFrame), secondsAt(region.endFrame));
    result = explained(task, excerpt, exceptions, offsets, survey, pause);
  }
  const change =
    result.left > CHANGE_FROM * result.whole ? changeIn(excerpt(IN_FULL, known), aligned, region, survey, pause) : null;
  if (change) {
    const again = explained(task, excerpt, [...known, change], offsets, survey, pause);
    if (again.left / again.whole < CHANGED * (result.left / result.whole)) {
      exceptions = [...known, change];
      result = again;
    }
  }
  // Where a stretch that was fitted on turns out to be an exception, once more without it.
  if (result.exceptions.some((e) => e.what !== "click" && overlaps(e, result.pair, survey))) {
    exceptions = [...known, ...result.exceptions];
    const again = explained(task, excerpt, exceptions, offsets, survey, pause);
    // What leaves out all that it does not explain leaves little: it has to hold as far as the other does.
    const holds = secondsOf(again.exceptions) <= WIDER * secondsOf(result.exceptions);
    if (holds && again.left / again.whole < result.left / result.whole) result = again;
  }
  // A filter may have met something there that it heard nowhere else, and a curve something louder: fitted on that as well, they hold, or they do not.
  const unheard = result.exceptions.filter((e) => e.what === "different" && !overlaps(e, result.pair, survey));
  if (unheard.length > 0 && unheard.length <= MOST_UNHEARD && result.chain.every((s) => causeOf(s) !== "gain")) {
    const also = unheard.map((e) => framesOf(e, survey));
    const again = explained(task, excerptWith(also), exceptions, offsets, survey, pause);
    const holds = again.exceptions.length < result.exceptions.length;
    if (holds && again.left / again.whole < AS_GOOD * (result.left / result.whole)) result = again;
  }
  pause("Sorting the residual");
  const held = result.known.filter((k) => known.includes(k));
  const told = [...held, ...result.exceptions.filter((e) => !held.some((k) => overlap(k, e))), ...missing].toSorted(
    (a, b) => a.startSeconds - b.startSeconds,
  );
  const described_ = described(result, first, pause);
  const dc = offsetCauses(offsetsBeyond(result, offsets), aligned.yonder.channelCount);
  const isBesideEq = described_.causes.some((c) => c.cause === "eq" || c.cause === "gainInBands");
  const least = isBesideEq ? leastDelayBesideEq(survey.sampleRateHz, placed.delaySamples) : undefined;
  const isAllPass = described_.causes.some((c) => c.cause === "eq" && c.phase === "all-pass");
  const ofRows = polarityOfRows(result.chain);
  const polarities = ofRows
    ? ([ofRows, ofRows] as const)
    : isAllPass
      ? polarityAtEnds(result.chain, survey.sampleRateHz)
      : null;
  const as = { ...placed, swapped: placed.swapped || (task.placed?.swapped === true && explainedSideHolds(result)) };
  const placedAs = placedCauses(besideAllPass(as, polarities), result.movedSide, least);
  const causes = [...placedAs, ...dc, ...editCauses(told), ...described_.causes];
  return {
    ...ends(null),
    ...described_,
    judged: { seconds: result.pair.judgedFrames / result.pair.sampleRateHz, stretches: result.pair.stretches.length },
    exceptions: told,
    causes: causes.toSorted((a, b) => (b.worthDb ?? ordinary(b)) - (a.worthDb ?? ordinary(a))),
  };
}

/** So many samples at the least are a delay that alignment took for another one: it was laid by a part that lies elsewhere. */
const LEAST_MOVED = 8;
/** A filter is a delay where Here that much later leaves less than this share (−50 dB) at one gain. */
const IS_DELAY = 1e-5;

/** The delay that a chain of one filter is, in whole samples; 0 where it is more than that. */
function delayOf([stage, ...others]: Chain, { here, yonder, judged }: PairSignals): number {
  if (others.length > 0 || stage?.kind !== "filter" || stage.eq.hasCrosstalk) return 0;
  const { responses, lead } = stage.eq.filters[0];
  const [h] = responses;
  const samples = h.reduce((best, v, n) => (Math.abs(v) > Math.abs(h[best]) ? n : best), 0) - lead;
  if (Math.abs(samples) < LEAST_MOVED) return 0;
  const later = here.map((x) => Float64Array.from(x, (_, n) => x[n - samples] ?? 0));
  const gain = leastSquaresGain(judged, later, yonder);
  const left = energyOf(
    judged,
    yonder,
    later.map((x) => scaled(x, gain)),
  );
  return left < IS_DELAY * energyOf(judged, yonder) ? samples : 0;
}

/** A pair stays as it was laid where at least so much of it lies there. */
const LAID_BY = 0.45;

/** What lies before, between and after stretches. */
function between(stretches: readonly Exception[], startSeconds: number, endSeconds: number): Exception[] {
  const starts = [startSeconds, ...stretches.map((e) => e.endSeconds)];
  const ends = [...stretches.map((e) => e.startSeconds), endSeconds];
  return starts
    .map((from, i) => ({ startSeconds: from, endSeconds: ends[i], what: "different" as const, residualDb: null }))
    .filter((e) => e.endSeconds - e.startSeconds > STEP_SECONDS);
}

/** The same two, Yonder earlier by so many samples: it was that much later than it was laid. */
function movedBy(task: LadderTask, samples: number): LadderTask {
  const { aligned, placed, region } = task;
  const yonder = asRead(aligned.yonder, (from, count) => aligned.yonder.read(from + samples, count));
  return {
    ...task,
    aligned: { ...aligned, yonder },
    placed: placed && { ...placed, delaySamples: placed.delaySamples + samples },
    region: {
      startFrame: region.startFrame + Math.max(0, -samples),
      endFrame: region.endFrame - Math.max(0, samples),
    },
  };
}

/** Without what comes before or after a change, a chain leaves less by this (15 dB). */
const CHANGED = 0.03;

/** Exceptions may take so much longer, for their ends lie on a survey's steps. */
const WIDER = 1.2;
const secondsOf = (exceptions: readonly Exception[]): number =>
  exceptions.reduce((sum, { startSeconds, endSeconds }) => sum + endSeconds - startSeconds, 0);

/** So many stretches at the most, the first second of each, are fitted on as well; which may leave so much more (3 dB). */
const MOST_UNHEARD = 3;
const AS_GOOD = 2;

function framesOf({ startSeconds, endSeconds }: Exception, { region, sampleRateHz }: Survey): FrameRange {
  const startFrame = Math.max(region.startFrame, Math.round(startSeconds * sampleRateHz));
  const seconds = Math.min(1, endSeconds - startSeconds);
  return { startFrame, endFrame: Math.min(region.endFrame, startFrame + Math.round(seconds * sampleRateHz)) };
}

/** A cause of unknown worth stands behind those that are worth more than this (dB). */
const ordinary = ({ cause }: CauseFound): number =>
  cause === "edit" || cause === "polarity" || cause === "swap" ? 60 : cause === "unexplained" ? -1 : 3;

const overlap = (a: Exception, b: Exception) => a.startSeconds < b.endSeconds && b.startSeconds < a.endSeconds;

function overlaps(e: Exception, pair: PairSignals, survey: Survey): boolean {
  const rate = survey.sampleRateHz;
  return pair.stretches.some(
    ({ passageFrame, frames }) => passageFrame / rate < e.endSeconds && e.startSeconds < (passageFrame + frames) / rate,
  );
}

/** What a step of the survey is worth for fitting: louder ones more, exceptions and silence nothing. */
function worthOf(survey: Survey, exceptions: readonly Exception[]): Worth {
  const [here, yonder] = [stepEnergies(survey, "here"), stepEnergies(survey, "yonder")];
  const values = here.map((e, t) => Math.sqrt(Math.sqrt(e * yonder[t])));
  const rate = survey.sampleRateHz;
  for (const { startSeconds, endSeconds } of exceptions)
    for (let t = 0; t < values.length; t++) {
      const from = (survey.region.startFrame + t * survey.stepFrames) / rate;
      if (from < endSeconds + STEP_SECONDS && startSeconds - STEP_SECONDS < from + STEP_SECONDS) values[t] = 0;
    }
  // Silence without an exception may be fitted on; it only tells nothing.
  const least = 1e-9 * values.reduce((most, v) => Math.max(most, v), 1e-30);
  return {
    firstFrame: survey.region.startFrame,
    stepFrames: survey.stepFrames,
    values: exceptions.length > 0 ? values : values.map((v) => Math.max(v, least)),
  };
}

/** Offsets less what the chain itself makes of Here: a filter passes Here's own, and a curve makes one of a wave that leans to one side. */
function offsetsBeyond({ pair, chain, domain, applied }: Explained, offsets: readonly number[]): number[] {
  if (offsets.every((v) => v === 0)) return [...offsets];
  const mean = (signal: Float64Array) => weightedProduct(pair.judged, signal, pair.judged) / pair.judgedFrames;
  // What comes out of silence was put into the chain for an offset that was taken off before.
  const atRest = throughChain(
    pair.here.map((x) => new Float64Array(x.length)),
    chain,
    pair.sampleRateHz,
  );
  const beyond = pair.yonder.map((y, c) => mean(y) - mean(applied.bend.signals[c]) + mean(atRest[c]));
  const [first, second = first] = beyond;
  const sides =
    domain === "mid-side" ? [Math.SQRT1_2 * (first + second), Math.SQRT1_2 * (first - second)] : [first, second];
  return offsets.map((v, c) => v + sides[c]);
}

const withoutOffsets = (pair: PairSignals, offsets: readonly number[]): PairSignals =>
  offsets.every((v) => v === 0)
    ? pair
    : { ...pair, yonder: pair.yonder.map((s, c) => s.map((v) => v - ofChannel(offsets, c))) };
