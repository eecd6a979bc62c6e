import { log10, pow } from "../../audio/exact-math";
import type { GainCell } from "./gain-cells";
import { curveOf, type GainModel, simulated } from "./gain-model";

/** A step's course is looked at from and to so many ms, at so many places to the decade. */
const LOOK_FROM_MS = 0.02;
const PER_DECADE = 120;
const SHARE = 0.632;

/** Gain reduction of a step, and the times to 63 % of it in dB and to within 1 dB, up and down; null under 0.05 dB. */
type DefinedTimes = {
  afterUpMs: number | null;
  afterDownMs: number | null;
  within1DbAfterUpMs: number | null;
  within1DbAfterDownMs: number | null;
  /** What the gain falls by, dB. */
  reductionDb: number;
};

/** How a model's gain follows a step up, and the step down again. */
export function definedTimes(
  model: GainModel,
  {
    lowDbfs,
    highDbfs,
    upSeconds,
    downSeconds,
  }: { lowDbfs: number; highDbfs: number; upSeconds: number; downSeconds: number },
): DefinedTimes {
  const restSeconds = 5;
  const places = (from: number, seconds: number): GainCell[] => {
    const count = Math.ceil(PER_DECADE * log10((1000 * seconds) / LOOK_FROM_MS));
    return Array.from({ length: count + 1 }, (_, n) => {
      const at = from + (LOOK_FROM_MS / 1000) * pow(10, (n / count) * log10((1000 * seconds) / LOOK_FROM_MS));
      return { fromSeconds: at, toSeconds: at, levelDbfs: 0, gainDb: 0, errorDb: 0, isHeldOut: false };
    });
  };
  const [up, down] = [places(restSeconds, upSeconds), places(restSeconds + upSeconds, downSeconds)];
  const pieces = [
    { seconds: restSeconds, levelDbfs: lowDbfs },
    { seconds: upSeconds, levelDbfs: highDbfs },
    { seconds: downSeconds, levelDbfs: lowDbfs },
  ];
  const gains = simulated(
    { pieces, cells: [...up, ...down], first: null },
    model.detector,
    curveOf(model),
    { ...model, lookAheadMs: 0 },
    0,
    model.curve,
  );
  /** When a course that begins at a gain comes within some dB of where it ends, by its own clock. */
  const timeOf = (
    course: Float64Array,
    cells: readonly GainCell[],
    { from, startDb }: { from: number; startDb: number },
    open: (way: number) => number,
  ) => {
    const end = course[course.length - 1];
    const way = Math.abs(end - startDb);
    if (way < 0.05) return null;
    const wanted = open(way);
    const i = course.findIndex((db) => Math.abs(end - db) <= wanted);
    if (i <= 0) return 1000 * (cells[0].fromSeconds - from);
    // Between two places, straight.
    const [before, after] = [Math.abs(end - course[i - 1]), Math.abs(end - course[i])];
    const share = (before - wanted) / (before - after);
    const at = cells[i - 1].fromSeconds + share * (cells[i].fromSeconds - cells[i - 1].fromSeconds);
    return 1000 * (at - from);
  };
  const [upCourse, downCourse] = [gains.subarray(0, up.length), gains.subarray(up.length)];
  const alone = curveOf(model)(lowDbfs);
  const restDb = model.mix === 1 ? alone : 20 * log10(1 - model.mix + model.mix * pow(10, alone / 20));
  const startUp = { from: restSeconds, startDb: restDb };
  const startDown = { from: restSeconds + upSeconds, startDb: upCourse[upCourse.length - 1] };
  const to63 = (way: number) => (1 - SHARE) * way;
  const afterDown = timeOf(downCourse, down, startDown, to63);
  return {
    afterUpMs: timeOf(upCourse, up, startUp, to63),
    // A hold is judged by itself.
    afterDownMs: afterDown === null ? null : afterDown - model.holdMs,
    within1DbAfterUpMs: timeOf(upCourse, up, startUp, () => 1),
    within1DbAfterDownMs: timeOf(downCourse, down, startDown, () => 1),
    reductionDb: restDb - startDown.startDb,
  };
}
