import { type Filter, throughFilter } from "../audio/through-filters";
import { type FilterTask, fitFilter } from "./filter-fit";
import { MIN_IMPROVEMENT_3_DB, MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import { energyOf } from "./pair-signals";

/** Lengths that are tried, shortest first; a longer one has to earn its place. */
const TAPS = [1, 32, 256, 1024, 4096, 16_384, 32_768];
/** Of a filter, this part lies before time zero; or half of it, as a linear phase asks for. */
const LEAD = 1 / 8;
const LINEAR_LEAD = 1 / 2;
/** A filter that leaves this much of another channel (−60 dB) is where that one's begins. */
const NEAR = 1e-6;
/** There have to be so many judged frames for each tap. */
const FRAMES_A_TAP = 8;
/** Lengths in a row, from 1024 taps on, that may fail to be worth it before no longer one is tried. */
const LEAST_PATIENT = 1024;
const PATIENCE = 2;
/** What remains under this share (−90 dB) is not worth a further try. */
const RESIDUAL_FLOOR_FORMS = 1e-9;
/** And one under this share (−70 dB) is left at the first try that does not gain 3 dB. */
const FINE = 1e-7;
/** A form is tried with so many steps of the fit. */
const TRIAL_STEPS = 24;
const LONG_TAPS = 16_384;
/** Left and right together are looked at closely where a few steps from one channel alone gain a tenth of a dB. */
const GLANCE_STEPS = 8;
const GLANCED = 0.977;
/** Room before time zero for a linear phase is tried from so many taps on; longer filters keep to what lengths up to so many have reported. */
const LEAST_LINEAR = 1024;
const MOST_TELLING = 4096;
/** The longest filters are tried where what is sought is near (−25 dB), or the length before has gained 3 dB. */
const NEAR_ENOUGH = 3e-3;
const GAINS_MUCH = 0.5;
/** Where a filter leaves less than this share (−60 dB), a linear phase is not what it lacks. */
const FITTING = 1e-6;
/** Crosstalk is looked for with so many taps. */
const CROSS_TAPS = 1024;

/** A filter for each output channel. One response each is channel by channel; two are left and right heard together. */
export type Eq = { filters: Filter[]; taps: number; lead: number; hasCrosstalk: boolean };

export type EqForm = Pick<Eq, "taps" | "lead" | "hasCrosstalk">;

const inputsFor = (inputs: readonly Float64Array[], channel: number, hasCrosstalk: boolean) =>
  hasCrosstalk ? inputs : [inputs[channel]];

/** Signals through it. */
export const throughEq = (inputs: readonly Float64Array[], { filters, hasCrosstalk }: Eq): Float64Array[] =>
  filters.map((filter, c) => throughFilter(inputsFor(inputs, c, hasCrosstalk), filter));

/** Whether a filter leaves next to nothing of a target. */
const isNear = ({ inputs, target, weight }: FilterTask, filter: Filter): boolean =>
  energyOf(weight, [target], [throughFilter(inputs, filter)]) < NEAR * energyOf(weight, [target]);

/** A tone of one form, fitted where the weight is not 0; `from`, of the same form, is where it begins. */
export function fitEq(
  inputs: readonly Float64Array[],
  targets: readonly Float64Array[],
  weights: readonly Float64Array[],
  form: EqForm,
  from?: Eq,
  mostSteps?: number,
): Eq {
  if (form.hasCrosstalk) return fitWithCrosstalk(inputs, targets, weights, form, from, mostSteps);
  const filters: Filter[] = [];
  for (const [c, target] of targets.entries()) {
    const task = { inputs: inputsFor(inputs, c, false), target, weight: weights[c] ?? weights[0], ...form };
    // Most processors do the same to both sides: what was found for one is then the other's but for a little.
    const isLike = !from && c > 0 && form.taps > 1 && isNear(task, filters[0]);
    filters.push(fitFilter(task, from?.filters[c] ?? (isLike ? filters[0] : undefined), mostSteps, !from));
  }
  return { ...form, filters };
}

/** Two by two, fitted by what mid and side bring, which have less to do with each other than left and right: that much quicker. */
function fitWithCrosstalk(
  [left, right]: readonly Float64Array[],
  targets: readonly Float64Array[],
  weights: readonly Float64Array[],
  form: EqForm,
  from?: Eq,
  mostSteps?: number,
): Eq {
  const sumAndDifference = (a: Float64Array, b: Float64Array, share: number) => [
    a.map((v, k) => share * (v + b[k])),
    a.map((v, k) => share * (v - b[k])),
  ];
  const inputs = sumAndDifference(left, right, 0.5);
  const filters = targets.map((target, c): Filter => {
    const weight = weights[c] ?? weights[0];
    const start = from && { ...from.filters[c], responses: sumAndDifference(...bothOf(from.filters[c]), 1) };
    const { responses, lead } = fitFilter({ inputs, target, weight, ...form }, start, mostSteps);
    return { responses: sumAndDifference(...bothOf({ responses, lead }), 0.5), lead };
  });
  return { ...form, filters };
}

const bothOf = ({ responses: [a, b] }: Filter): [Float64Array, Float64Array] => [a, b];

const shaped = (taps: number, share: number, hasCrosstalk = false): EqForm => ({
  taps,
  lead: Math.floor(taps * share),
  hasCrosstalk,
});

/** What a form is chosen on: fitted on the first weights, judged on the second, channel by channel. */
export type FormTask = {
  inputs: readonly Float64Array[];
  targets: readonly Float64Array[];
  weights: [fitted: readonly Float64Array[], judged: readonly Float64Array[]];
  judgedFrames: number;
  mostTaps?: number;
  /** Whether left and right may be heard together. */
  mayCross?: boolean;
};

const leftOf = (weights: readonly Float64Array[], a: readonly Float64Array[], b?: readonly Float64Array[]) =>
  a.reduce((sum, channel, c) => sum + energyOf(weights[c] ?? weights[0], [channel], b && [b[c]]), 0);

/** A filter in the room of another form: what does not fit is cut off. One channel's is `channel`'s where both are heard together. */
function reshaped({ filters, lead: before, hasCrosstalk }: Eq, form: EqForm, channel: number): Eq {
  const shift = form.lead - before;
  const first = Math.max(0, -shift);
  const moved = (from: Float64Array) => {
    const response = new Float64Array(form.taps);
    response.set(from.subarray(first, Math.min(from.length, form.taps - shift)), first + shift);
    return response;
  };
  const nothing = () => new Float64Array(form.taps);
  const widened = (own: Float64Array[]) => (channel === 0 ? [...own, nothing()] : [nothing(), ...own]);
  return {
    ...form,
    filters: filters.map(({ responses }) => {
      const own = responses.map(moved);
      return { lead: form.lead, responses: form.hasCrosstalk && !hasCrosstalk ? widened(own) : own };
    }),
  };
}

/**
 * A form that was chosen, and up to how many taps others were tried; what it leaves of what was held out (a share of it) in the channel that tells most; whether
 * longer ones were left untried for now.
 */
export type ChosenForm = { form: EqForm; reachedTaps: number; isCut: boolean; leftShare: number; telling: number };

/**
 * The form of filter that leaves least of what was held out. `isHasty` leaves the longest alone where nothing speaks for them yet; `start` was chosen
 * that way before.
 */
export function bestEqForm(
  task: FormTask,
  pause: () => void,
  { isHasty = false, start }: { isHasty?: boolean; start?: Pick<ChosenForm, "form" | "reachedTaps"> } = {},
): ChosenForm {
  const { judgedFrames, mostTaps = TAPS[TAPS.length - 1], mayCross = true } = task;
  // One channel tells how long a filter has to be: the one in which a factor leaves most.
  const telling = task.targets
    .map((t, c) => {
      const form = shaped(1, 0);
      const tone = fitEq([task.inputs[c]], [t], [task.weights[0][c] ?? task.weights[0][0]], form);
      return energyOf(task.weights[1][c] ?? task.weights[1][0], [t], throughEq([task.inputs[c]], tone));
    })
    .reduce((most, e, c, all) => (e > all[most] ? c : most), 0);
  const weights = task.weights.map((w) => [w[telling] ?? w[0]]);
  const targets = [task.targets[telling]];
  const target = leftOf(weights[1], targets);
  /** A form begins from nothing: where a shorter one has come to is anything at frequencies that this half does not hold, and the other half might. */
  const tried = (form: EqForm, from?: Eq, steps = TRIAL_STEPS) => {
    pause();
    const inputs = form.hasCrosstalk ? task.inputs : [task.inputs[telling]];
    const tone = fitEq(inputs, targets, weights[0], form, from && reshaped(from, form, telling), steps);
    return { form, tone, left: leftOf(weights[1], targets, throughEq(inputs, tone)) };
  };
  const begun = start && !start.form.hasCrosstalk ? start : { form: shaped(1, 0), reachedTaps: 1 };
  let [failed, isCut, gained, reachedTaps] = [0, false, 1, begun.reachedTaps];
  if (reachedTaps > begun.form.taps) failed = PATIENCE;
  const chosen = (one: { form: EqForm; left: number }): ChosenForm => ({
    form: one.form,
    reachedTaps,
    isCut,
    telling,
    leftShare: target > 0 ? one.left / target : 0,
  });
  let best = tried(begun.form);
  for (const taps of TAPS.slice(1)) {
    if (taps > mostTaps || taps * FRAMES_A_TAP > judgedFrames) break;
    if (taps <= begun.reachedTaps) continue;
    if (best.left < RESIDUAL_FLOOR_FORMS * target || (failed >= PATIENCE && taps > LONG_TAPS)) break;
    if (isHasty && taps >= LONG_TAPS && best.left > NEAR_ENOUGH * target && gained > GAINS_MUCH) {
      isCut = true;
      break;
    }
    const from = best.tone.taps > 1 ? best.tone : undefined;
    // A lone echo shows in no shorter filter, and in a few steps of a long one.
    if (failed >= PATIENCE && tried(shaped(taps, LEAD), from, GLANCE_STEPS).left >= MIN_IMPROVEMENT_HALF_DB * best.left)
      break;
    reachedTaps = taps;
    const share = taps > MOST_TELLING && best.form.taps > 1 ? best.form.lead / best.form.taps : LEAD;
    const options = [tried(shaped(taps, share))];
    // Ringing before time zero shows where a linear phase is, and only there.
    if (taps >= LEAST_LINEAR && taps <= MOST_TELLING && options[0].left > FITTING * target)
      options.push(tried(shaped(taps, LINEAR_LEAD)));
    const last = options.reduce((a, b) => (b.left < MIN_IMPROVEMENT_HALF_DB * a.left ? b : a));
    gained = last.left / best.left;
    if (last.left < (best.left < FINE * target ? GAINS_MUCH : MIN_IMPROVEMENT_HALF_DB) * best.left) {
      best = last;
      failed = 0;
    } else if (best.left < FINE * target) return chosen(best);
    else if (taps >= LEAST_PATIENT) failed++;
  }
  if (!mayCross || task.inputs.length < 2 || best.left < FITTING * target) return chosen(best);
  const taps = Math.min(CROSS_TAPS, mostTaps, Math.max(32, best.form.taps));
  const share = best.form.taps > 1 ? best.form.lead / best.form.taps : LEAD;
  if (taps * 2 * FRAMES_A_TAP > judgedFrames) return chosen(best);
  const alone = tried(shaped(taps, share));
  if (tried(shaped(taps, share, true), alone.tone, GLANCE_STEPS).left >= GLANCED * alone.left) return chosen(best);
  let withCrosstalk = tried(shaped(taps, share, true));
  if (withCrosstalk.left >= MIN_IMPROVEMENT_3_DB * alone.left) return chosen(best);
  for (const longer of TAPS.filter((t) => t > taps && t <= mostTaps && t * 2 * FRAMES_A_TAP <= judgedFrames)) {
    if (withCrosstalk.left < RESIDUAL_FLOOR_FORMS * target) break;
    const wider = tried(shaped(longer, share, true));
    if (wider.left >= MIN_IMPROVEMENT_HALF_DB * withCrosstalk.left) break;
    withCrosstalk = wider;
  }
  return chosen(withCrosstalk.left < MIN_IMPROVEMENT_3_DB * best.left ? withCrosstalk : best);
}
