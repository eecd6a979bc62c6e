import type { FrameRange, Sound } from "../audio/sound";
import { type Exception, type Survey, secondsOf } from "../survey/survey";
import { timelineOf } from "../survey/timeline";
import { applied } from "./applied";
import { type Eq, fitEq, throughEq } from "./eq-fit";
import { type Found, foundStage } from "./found-chain";
import { energyOf, type PairSignals } from "./pair-signals";
import { type Pause, scoutTaps } from "./search-basics";

/** Filters are fitted on the first and on the last of what is judged: a change that lies nearer to an end is an exception to what holds elsewhere. */
const PART = 0.25;
/** Each is fitted on some blocks and held against those between them. */
const BLOCK_SECONDS = 0.2;
/** A filter holds in its own part where it leaves less than this share (−40 dB), and not in the other where it leaves 30 times as much there (15 dB). */
const HOLDS = 1e-4;
const FARTHER = 30;
const STEPS = 48;
/** So long that it holds a bell of the bass, as far as there are so many frames for each tap. */
const MOST_SECONDS = 0.08;
const FRAMES_A_TAP = 8;
/** Looked for where a chain leaves more than this share (−45 dB). */
export const CHANGE_FROM = 3e-5;

/** The part of a pair, before or after one moment, that is not what the rest is; null where there is no such moment. Both parts are linear: a filter each. */
export function changeIn(
  pair: PairSignals,
  aligned: { here: Sound; yonder: Sound },
  region: FrameRange,
  survey: Survey,
  pause: Pause,
): Exception | null {
  pause("Looking for a change");
  const [early, late] = endsOf(pair);
  const [first, second] = [early, late].map(({ fitted }) => fittedOnBlocks(pair, fitted));
  if (!first || !second) return null;
  const left = (eq: Eq, { held }: End) =>
    energyOf(held, pair.yonder, throughEq(pair.here, eq)) / energyOf(held, pair.yonder);
  const isOwn = (eq: Eq, own: End, other: End) => left(eq, own) < HOLDS && left(eq, other) > FARTHER * left(eq, own);
  if (!isOwn(first, early, late) || !isOwn(second, late, early)) return null;
  const stepsLeft = [first, second].map((eq) => {
    const model = applied(aligned.here, aligned.yonder, region, alone(eq), "bend");
    const { residual, yonder } = timelineOf(model, aligned.yonder, survey, () => pause());
    return residual.map((e, t) => (yonder[t] > 0 ? Math.min(1, e / yonder[t]) : 0));
  });
  return otherPart(stepsLeft[0], stepsLeft[1], survey);
}

type End = { fitted: Float64Array; held: Float64Array };

/** Frames of the first and of the last part, each in blocks to fit on and blocks to hold against. */
function endsOf({ judged, judgedFrames, sampleRateHz }: PairSignals): [first: End, last: End] {
  const block = Math.round(BLOCK_SECONDS * sampleRateHz);
  const frames = PART * judgedFrames;
  const weights = (): End => ({ fitted: new Float64Array(judged.length), held: new Float64Array(judged.length) });
  const ends: [End, End] = [weights(), weights()];
  let at = 0;
  for (let n = 0; n < judged.length; n++) {
    if (judged[n] === 0) continue;
    const end = at < frames ? ends[0] : at >= judgedFrames - frames ? ends[1] : null;
    if (end) (Math.floor(at / block) % 2 === 0 ? end.fitted : end.held)[n] = 1;
    at++;
  }
  return ends;
}

function fittedOnBlocks({ here, yonder, sampleRateHz }: PairSignals, weight: Float64Array): Eq | null {
  if (energyOf(weight, yonder) === 0 || energyOf(weight, here) === 0) return null;
  const frames = weight.reduce((sum, w) => sum + w, 0);
  let taps = scoutTaps(sampleRateHz);
  while (taps < MOST_SECONDS * sampleRateHz && 2 * taps * FRAMES_A_TAP <= frames) taps *= 2;
  return fitEq(
    here,
    yonder,
    yonder.map(() => weight),
    { taps, lead: taps / 8, hasCrosstalk: false },
    undefined,
    STEPS,
  );
}

const alone = (eq: Eq): Found => ({
  domain: "left-right",
  movedSide: { side: "left", samples: 0 },
  stages: [foundStage({ kind: "filter", eq }, null)],
  gains: { level: 1, tone: 1, levelOverTime: 1 },
});

/** The shorter part, where the first filter up to a moment and the second from there leave least. */
function otherPart(first: Float64Array, second: Float64Array, survey: Survey): Exception | null {
  const count = first.length;
  let sum = second.reduce((total, e) => total + e, 0);
  let [least, place] = [sum, 0];
  for (let t = 0; t < count; t++) {
    sum += first[t] - second[t];
    if (sum < least) [least, place] = [sum, t + 1];
  }
  if (place === 0 || place === count) return null;
  const run = place > count / 2 ? { first: place, last: count - 1 } : { first: 0, last: place - 1 };
  return { ...secondsOf(survey, run), what: "different", residualDb: null };
}
