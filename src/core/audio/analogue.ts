import type { Biquad } from "./biquad";
import { cos, cosh, exp, pow, sin, tan } from "./exact-math";

/**
 * An analogue section of first or second order at a corner: H(s) = (n0 + n1·s + n2·s²) / (d0 + d1·s + d2·s²), s in units of
 * the corner. Prototypes of bell and shelves after Bristow-Johnson, Cookbook formulae for audio EQ biquad filter coefficients
 * (W3C note).
 */
export type AnalogueSection = {
  cornerHz: number;
  numerator: readonly [number, number, number];
  denominator: readonly [number, number, number];
};

export function bellSection(cornerHz: number, gainDb: number, q: number): AnalogueSection {
  const a = pow(10, gainDb / 40);
  return { cornerHz, numerator: [1, a / q, 1], denominator: [1, 1 / (a * q), 1] };
}

/** Half of the gain (in dB) lies at the corner; Q of 0.707 is the steepest shelf without a bump. */
export function lowShelfSection(cornerHz: number, gainDb: number, q: number): AnalogueSection {
  const a = pow(10, gainDb / 40);
  const slope = Math.sqrt(a) / q;
  return { cornerHz, numerator: [a * a, a * slope, a], denominator: [1, slope, a] };
}

export function highShelfSection(cornerHz: number, gainDb: number, q: number): AnalogueSection {
  const a = pow(10, gainDb / 40);
  const slope = Math.sqrt(a) / q;
  return { cornerHz, numerator: [a, a * slope, a * a], denominator: [a, slope, 1] };
}

/** Butterworth cut of `order` (6 dB an octave each) as sections: −3.01 dB at the corner. A low cut is a high-pass, a high cut a low-pass. */
export function cutSections(kind: "low cut" | "high cut", cornerHz: number, order: number): AnalogueSection[] {
  const sections: AnalogueSection[] = [];
  for (let k = 0; k < Math.floor(order / 2); k++) {
    const inverseQ = 2 * cos((Math.PI * (2 * k + 1 + (order % 2))) / (2 * order));
    sections.push({
      cornerHz,
      numerator: kind === "low cut" ? [0, 0, 1] : [1, 0, 0],
      denominator: [1, inverseQ, 1],
    });
  }
  if (order % 2)
    sections.push({ cornerHz, numerator: kind === "low cut" ? [0, 1, 0] : [1, 0, 0], denominator: [1, 1, 0] });
  return sections;
}

const isFirstOrder = ({ numerator, denominator }: AnalogueSection) => numerator[2] === 0 && denominator[2] === 0;

/** |H|² of the analogue section at a frequency. */
export function analoguePower({ cornerHz, numerator, denominator }: AnalogueSection, frequencyHz: number): number {
  const w = frequencyHz / cornerHz;
  const power = ([c0, c1, c2]: readonly [number, number, number]) => (c0 - c2 * w * w) ** 2 + (c1 * w) ** 2;
  return power(numerator) / power(denominator);
}

/** The bilinear transform with the corner kept in place: the response is squeezed towards half the rate. */
export function bilinear(section: AnalogueSection, sampleRateHz: number): Biquad {
  const { numerator: n, denominator: d, cornerHz } = section;
  const k = tan((Math.PI * Math.min(cornerHz, 0.499 * sampleRateHz)) / sampleRateHz);
  if (isFirstOrder(section)) {
    const a0 = d[0] * k + d[1];
    return { b0: (n[0] * k + n[1]) / a0, b1: (n[0] * k - n[1]) / a0, b2: 0, a1: (d[0] * k - d[1]) / a0, a2: 0 };
  }
  const kk = k * k;
  const a0 = d[0] * kk + d[1] * k + d[2];
  return {
    b0: (n[0] * kk + n[1] * k + n[2]) / a0,
    b1: (2 * (n[0] * kk - n[2])) / a0,
    b2: (n[0] * kk - n[1] * k + n[2]) / a0,
    a1: (2 * (d[0] * kk - d[2])) / a0,
    a2: (d[0] * kk - d[1] * k + d[2]) / a0,
  };
}

/** Poles of the section by impulse invariance, as the digital denominator's a1 and a2. */
function matchedPoles(section: AnalogueSection, sampleRateHz: number): { a1: number; a2: number } {
  const [d0, d1, d2] = section.denominator;
  const corner = (2 * Math.PI * section.cornerHz) / sampleRateHz;
  if (isFirstOrder(section)) return { a1: -exp((-corner * d0) / d1), a2: 0 };
  const w = corner * Math.sqrt(d0 / d2);
  const damping = d1 / (2 * Math.sqrt(d0 * d2));
  const decay = exp(-damping * w);
  const turn = damping <= 1 ? cos(Math.sqrt(1 - damping * damping) * w) : cosh(Math.sqrt(damping * damping - 1) * w);
  return { a1: -2 * decay * turn, a2: decay * decay };
}

/**
 * Impulse invariance is good for poles well below half the rate. A section whose zeros lie lower than its poles, or a bell that
 * cuts, is made as the inverse of its inverse.
 */
function poleLiesHigh({ cornerHz, numerator: n, denominator: d }: AnalogueSection): boolean {
  if (n[0] === 0 || n[2] === 0) return false;
  const poles = d[0] / d[2];
  const zeros = n[0] / n[2];
  if (Math.abs(poles - zeros) > 1e-9) return poles > zeros;
  return analoguePower({ cornerHz, numerator: n, denominator: d }, cornerHz) < 1;
}

/** Where the zeros are tied to the curve above the corner, in parts of the rate: set by trial for the least error to 20 kHz. */
const TIED_ABOVE = 0.4;
/** For corners as high as that. */
const HIGH_CORNER = 0.37;
const TIED_ABOVE_HIGH_CORNER = 0.47;

/** Poles this near the unit circle ring for minutes, and rounding can push them out. */
const FURTHEST_POLE = 1 - 1e-9;
/** A matched section may pass the analogue one by no more than this (power): 6 dB. */
const MOST_OVER = 4;
/** Frequencies at which a matched section is held against the analogue one, as parts of the rate. */
const HELD_AT = Array.from({ length: 48 }, (_, i) => (0.49 * (i + 1)) / 48);

/** Whether a section is stable, and nowhere far above what it is to follow. */
function isSound({ b0, b1, b2, a1, a2 }: Biquad, section: AnalogueSection, sampleRateHz: number): boolean {
  if (![b0, b1, b2, a1, a2].every(Number.isFinite)) return false;
  if (Math.abs(a2) >= FURTHEST_POLE || Math.abs(a1) >= 1 + a2) return false;
  const powerOf = (c0: number, c1: number, c2: number, w: number) =>
    c0 * c0 + c1 * c1 + c2 * c2 + 2 * (c0 * c1 + c1 * c2) * cos(w) + 2 * c0 * c2 * cos(2 * w);
  const peak = [0, ...HELD_AT, section.cornerHz / sampleRateHz].reduce(
    (most, part) => (part < 0.5 ? Math.max(most, analoguePower(section, part * sampleRateHz)) : most),
    0,
  );
  return HELD_AT.every((part) => {
    const w = 2 * Math.PI * part;
    return powerOf(b0, b1, b2, w) <= MOST_OVER * peak * powerOf(1, a1, a2, w);
  });
}

/**
 * A digital section whose magnitude follows the analogue one towards half the rate, as `matchedFreely` does it. Where that would not be
 * stable or would overshoot, as with resonant shelves and with corners near half the rate, the bilinear transform serves.
 */
export function matched(section: AnalogueSection, sampleRateHz: number): Biquad {
  const free = matchedFreely(section, sampleRateHz);
  return isSound(free, section, sampleRateHz) ? free : bilinear(section, sampleRateHz);
}

/**
 * A digital section whose magnitude follows the analogue one towards half the rate: poles by impulse invariance, zeros so that
 * the magnitude is exact at 0 Hz, at the corner and at a point above it. After Vicanek, Matched Second Order Digital Filters
 * (2016; formulas from memory), his slope condition replaced by the third point. A cut is the inverse of the boost.
 */
function matchedFreely(section: AnalogueSection, sampleRateHz: number): Biquad {
  const { numerator, denominator, cornerHz } = section;
  if (poleLiesHigh(section)) {
    const boost = matchedFreely({ cornerHz, numerator: denominator, denominator: numerator }, sampleRateHz);
    const { b0 } = boost;
    return { b0: 1 / b0, b1: boost.a1 / b0, b2: boost.a2 / b0, a1: boost.b1 / b0, a2: boost.b2 / b0 };
  }
  const { a1, a2 } = matchedPoles(section, sampleRateHz);
  const a = [(1 + a1 + a2) ** 2, (1 - a1 + a2) ** 2, -4 * a2];
  const weightsAt = (hertz: number) => {
    const p = sin((Math.PI * hertz) / sampleRateHz) ** 2;
    return [1 - p, p, 4 * p * (1 - p)];
  };
  const wantedAt = (hertz: number, [p0, p1, p2]: number[]) =>
    analoguePower(section, hertz) * (a[0] * p0 + a[1] * p1 + a[2] * p2);
  const highCorner = cornerHz > HIGH_CORNER * sampleRateHz;
  const middleHz = Math.min(cornerHz, 0.45 * sampleRateHz);
  const middle = weightsAt(middleHz);
  if (numerator[0] === 0 && numerator[1] === 0) {
    // A second-order low cut keeps its two zeros at 0 Hz, so that it falls as steeply as it should.
    const b0 = Math.sqrt(wantedAt(middleHz, middle)) / (4 * middle[1]);
    return { b0, b1: -2 * b0, b2: b0, a1, a2 };
  }
  const topHz = (highCorner ? TIED_ABOVE_HIGH_CORNER : TIED_ABOVE) * sampleRateHz;
  const top = weightsAt(topHz);
  const lowest = a[0] * analoguePower(section, 0);
  const topLeft = wantedAt(topHz, top) - lowest * top[0];
  if (isFirstOrder(section)) {
    const rootSum = (Math.sqrt(lowest) + Math.sqrt(Math.max(0, topLeft / top[1]))) / 2;
    return { b0: rootSum, b1: Math.sqrt(lowest) - rootSum, b2: 0, a1, a2 };
  }
  const middleLeft = wantedAt(middleHz, middle) - lowest * middle[0];
  const determinant = middle[1] * top[2] - top[1] * middle[2];
  const highest = Math.max(0, (middleLeft * top[2] - topLeft * middle[2]) / determinant);
  const bend = (middle[1] * topLeft - top[1] * middleLeft) / determinant;
  const rootSum = (Math.sqrt(lowest) + Math.sqrt(highest)) / 2;
  const b0 = (rootSum + Math.sqrt(Math.max(0, rootSum * rootSum + bend))) / 2;
  return { b0, b1: (Math.sqrt(lowest) - Math.sqrt(highest)) / 2, b2: -bend / (4 * b0), a1, a2 };
}
