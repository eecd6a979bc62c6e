import { levenbergMarquardt } from "ml-levenberg-marquardt";

/** One number of a model: where to begin, between what it may lie, and a small step by which its effect is felt. */
export type Parameter = { start: number; lowest: number; highest: number; step: number };

export type Fitted = { values: number[]; rms: number };

type Values = readonly number[];
type FitOptions = {
  /** How the curve moves with each parameter, where that is had cheaper than by trying. */
  partials?: (values: Values) => readonly ArrayLike<number>[];
  /** Goes of some steps each, at the most. */
  goes?: number;
  /** Effects of parameters are felt one way alone, for curves that take long: half the work, a little less exact. */
  isForward?: boolean;
};

/** Effective value (root of the mean of squares); 0 of nothing. */
export function effective(values: ArrayLike<number>): number {
  let sum = 0;
  for (let i = 0; i < values.length; i++) sum += values[i] * values[i];
  return values.length > 0 ? Math.sqrt(sum / values.length) : 0;
}

/** Steps of one go, and goes at the most; no more once a go takes less than this share off the error. */
const STEPS = 5;
const GOES = 12;
const ENOUGH = 2e-3;
const DAMPING = 0.01;
/** Where a go led astray steps are made shorter by so much, and no more beyond this. */
const SHORTER = 30;
const MOST_DAMPING = 300;

/**
 * The parameters whose curve comes closest to `wanted`, by Levenberg and Marquardt's method within bounds. `curve` gives a model's values at all
 * points.
 */
export function fittedCurve(
  parameters: readonly Parameter[],
  wanted: ArrayLike<number>,
  curve: (values: Values) => ArrayLike<number>,
  { partials, goes = GOES, isForward = false }: FitOptions = {},
): Fitted {
  const x = Array.from(wanted, (_, i) => i);
  const y = Array.from(wanted);
  const errorOf = (values: Values) => {
    const told = curve(values);
    return effective(y.map((v, i) => told[i] - v));
  };
  let values = parameters.map(({ start, lowest, highest }) => Math.min(highest, Math.max(lowest, start)));
  let rms = errorOf(values);
  let damping = DAMPING;
  const jacobianFunction =
    partials &&
    ((given: number[]) => {
      const columns = partials(given);
      return (i: number) => columns.map((column) => column[i]);
    });
  for (let go = 0; go < goes && rms > 0; go++) {
    const { parameterValues } = levenbergMarquardt(
      { x, y },
      (given: number[]) => {
        const told = curve(given);
        return (i: number) => told[i];
      },
      {
        initialValues: values,
        minValues: parameters.map(({ lowest }) => lowest),
        maxValues: parameters.map(({ highest }) => highest),
        gradientDifference: parameters.map(({ step }) => step),
        centralDifference: !isForward,
        damping,
        maxIterations: STEPS,
        errorTolerance: 1e-12,
        ...(jacobianFunction ? { jacobianFunction } : {}),
      },
    );
    const after = errorOf(parameterValues);
    if (!(after < rms)) {
      if (damping >= MOST_DAMPING) break;
      damping *= SHORTER;
      continue;
    }
    const gained = 1 - after / rms;
    values = parameterValues;
    rms = after;
    if (gained < ENOUGH) break;
  }
  return { values, rms };
}
