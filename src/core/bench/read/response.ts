import { atan2, cos, log, log10, sin } from "../../audio/exact-math";
import { bandCentres } from "../../spectrum/bands";
import { minimumPhaseOf, type PhaseKind } from "../../spectrum/phase-kind";
import { fittedAllPass } from "./all-pass-fit";
import { type Impulse, spectrumOf } from "./sweep-response";

/** A linear response over frequency, its delay and its polarity taken off. */
export type Response = {
  hertz: number[];
  magnitudeDb: number[];
  phaseDegrees: number[];
  groupDelayMs: number[];
};

export type LinearReading = {
  response: Response;
  /** Samples after time zero, and what it may be off by: what no kind of phase explains. */
  delaySamples: number;
  delayErrorSamples: number;
  /** Where the impulse is highest, samples after time zero. */
  mainTapSamples: number;
  /** What the form of the response leaves open of the delay, samples: how far it moves with what is taken for its minimum phase. */
  delayFormSamples: number;
  polarity: 1 | -1;
  phaseKind: PhaseKind;
  /** Whether phase is that of a delay alone, whatever the magnitude. */
  turnsNothing: boolean;
  /** Where all-passes inside turn: crossovers, rotators. */
  crossoversHz: number[];
  /** One angle that all frequencies are turned by, beyond polarity. */
  rotationDegrees: number;
  /** Complex bins with the delay and the polarity taken off, and their distance. */
  spectrum: Float64Array;
  binHz: number;
};

/** Figures are reported at so many frequencies to the octave, from here up to a part of the rate. */
const PER_OCTAVE = 24;
const LOWEST_HZ = 20;
const HIGHEST_PART = 0.49;
/** Phase is judged at these. */
const JUDGED_PER_OCTAVE = 12;
const JUDGED_FROM_HZ = 30;
const JUDGED_TO_PART = 0.44;
/** Steep filters at the end of the band turn what lies under them only if they are of minimum phase: both are tried. */
const HELD_FROM_PARTS = [0.495, 0.46, 0.42];
/** Phases are judged only where the response is within this of its strongest (dB): under it there is noise. */
const JUDGED_DB = 60;
/** A phase of less than this is none, and one kind has to fit so many times better than another (common practice, no published source). */
const NONE_DEGREES = 1.5;
const FITS_DEGREES = 4;
const CLEARLY = 2.5;
const FLAT_DB = 0.1;

type Hypothesis = { kind: "linear" | "minimum"; phase: Float64Array };

/**
 * Reads a response: its delay and polarity under the kind of phase that explains it best, and what it is without them. What turns phase inside is
 * looked for where that is asked: it takes a while.
 */
export function readLinear(impulse: Impulse, lookInside = false): LinearReading {
  const { sampleRateHz: rate } = impulse;
  const whole = mainTap(impulse);
  const centred = { ...impulse, lead: impulse.lead + whole };
  const spectrum = spectrumOf(centred, 2);
  const size = spectrum.length - 2;
  const binHz = rate / size;
  const logs = logMagnitudes(spectrum);
  const judged = judgedBins(logs, binHz, rate);
  const minimums = HELD_FROM_PARTS.map(
    (part): Hypothesis => ({
      kind: "minimum",
      phase: minimumPhaseOf(heldAbove(logs, Math.floor((part * rate) / binHz))),
    }),
  );
  const hypotheses: Hypothesis[] = [{ kind: "linear", phase: new Float64Array(logs.length) }, ...minimums];
  const fits = hypotheses.map((hypothesis) => ({ ...hypothesis, ...lineThrough(spectrum, hypothesis.phase, judged) }));
  const linear = fits[0];
  const minimum = fits.slice(1).reduce((a, b) => (b.misfit < 0.8 * a.misfit ? b : a));
  const moves = judged.map((k) => logs[k] * DB_PER_NEPER);
  const middle = moves.toSorted((a, b) => a - b)[moves.length >> 1] ?? 0;
  const isFlat = moves.filter((db) => Math.abs(db - middle) > FLAT_DB).length <= 0.1 * moves.length;
  const phaseKind = kindOf(isFlat, linear.misfit, minimum.misfit, judged.length);
  const isLinear = linear.misfit <= minimum.misfit || linear.misfit < NONE_DEGREES;
  const best = isLinear && phaseKind !== "minimum" ? linear : minimum;
  const hertz = judged.map((k) => k * binHz);
  // Where something turns phase and nothing else, or beside a filter, its delay is distinguished from that of its all-passes.
  const inside = phaseKind === "all-pass" ? linear : phaseKind === "mixed" ? minimum : null;
  const turning = lookInside && inside && turningOf(hertz, inside.phases, rate);
  /** Degrees in the middle of the band as a delay. */
  const samplesOf = (degrees: number) => (degrees / 360) * (rate / 2000);
  const delayOfSlope = (slopeOf: number) => (slopeOf * size) / (2 * Math.PI);
  const slope = turning ? (2 * Math.PI * turning.delaySamples) / size : best.slope;
  const polarity = turning ? turning.polarity : best.polarity;
  const misfit = turning ? turning.misfitDegrees : best.misfit;
  const turned = turnedBack(spectrum, slope, polarity);
  return {
    response: told(turned, binHz, rate),
    delaySamples: whole + delayOfSlope(slope),
    mainTapSamples: whole,
    // Phase that nothing explains leaves the delay unsure by as much of a period in the middle of the band.
    delayErrorSamples: misfit < FITS_DEGREES ? 0.005 : samplesOf(misfit),
    delayFormSamples: turning
      ? // Beside a curve of its own what turns phase may as well be delay.
        phaseKind === "mixed"
        ? Math.abs(turning.delaySamples - delayOfSlope(best.slope))
        : 0
      : best === linear
        ? // The phase of a small filter looks like a delay.
          phaseKind === "unknown" && minimum.misfit < FITS_DEGREES
          ? Math.abs(delayOfSlope(linear.slope - minimum.slope))
          : 0
        : Math.max(
            samplesOf(misfit),
            FORM_SPREADS *
              spreadOf(
                fits
                  .slice(1)
                  .filter((fit) => fit.misfit < FITS_DEGREES)
                  .map((fit) => delayOfSlope(fit.slope)),
              ),
          ),
    polarity,
    phaseKind,
    turnsNothing: linear.misfit < NONE_DEGREES,
    crossoversHz: (turning ? turning.sections : []).map((section) => section.hertz),
    rotationDegrees: turning ? turning.rotationDegrees : 0,
    spectrum: turned,
    binHz,
  };
}

/** The spectrum ends at Nyquist: a delay may be off by so many times the spread of the fits (by trial). */
const FORM_SPREADS = 2;

const spreadOf = (values: readonly number[]): number =>
  values.length > 1 ? Math.max(...values) - Math.min(...values) : 0;

/** What turns phase without a filter's curve: one angle for all frequencies, or all-passes. Null where neither explains it. */
function turningOf(hertz: readonly number[], phases: readonly number[], rate: number) {
  const { slope, offset, misfit } = freeLine(hertz, phases);
  if (misfit < NONE_DEGREES) {
    const halves = Math.round(offset / Math.PI);
    const rotationDegrees = ((offset - halves * Math.PI) * 180) / Math.PI;
    const polarity = halves % 2 === 0 ? 1 : -1;
    const delaySamples = (-slope * rate) / (2 * Math.PI);
    return { delaySamples, polarity: polarity as 1 | -1, misfitDegrees: misfit, sections: [], rotationDegrees };
  }
  const model = fittedAllPass(hertz, phases, rate);
  return model && { ...model, rotationDegrees: 0 };
}

/** A straight line through phases, wherever it begins. */
function freeLine(hertz: readonly number[], phases: readonly number[]) {
  const n = Math.max(1, hertz.length);
  const mean = (values: readonly number[]) => values.reduce((sum, v) => sum + v, 0) / n;
  const [x, y] = [mean(hertz), mean(phases)];
  let [product, energy] = [0, 0];
  for (const [i, hz] of hertz.entries()) {
    product += (hz - x) * (phases[i] - y);
    energy += (hz - x) ** 2;
  }
  const slope = energy > 0 ? product / energy : 0;
  const offset = y - slope * x;
  const misfit = Math.sqrt(mean(phases.map((p, i) => (p - offset - slope * hertz[i]) ** 2)));
  return { slope, offset, misfit: (misfit * 180) / Math.PI };
}

const DB_PER_NEPER = 20 / log(10);

function kindOf(isFlat: boolean, linear: number, minimum: number, judged: number): PhaseKind {
  if (judged < 10) return "unknown";
  if (isFlat && linear < NONE_DEGREES) return "none";
  if (isFlat && !(minimum < FITS_DEGREES && minimum * CLEARLY < linear)) return "all-pass";
  if (Math.min(linear, minimum) > FITS_DEGREES) return "mixed";
  if (linear * CLEARLY < minimum) return "linear";
  if (minimum * CLEARLY < linear) return "minimum";
  return "unknown";
}

/** Where a response is largest, samples after its time zero. */
function mainTap({ taps, lead }: Impulse): number {
  let top = lead;
  for (let i = 0; i < taps.length; i++) if (Math.abs(taps[i]) > Math.abs(taps[top])) top = i;
  return top - lead;
}

function logMagnitudes(spectrum: Float64Array): Float64Array {
  return Float64Array.from(
    { length: spectrum.length / 2 },
    (_, k) => 0.5 * log(spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2 + 1e-30),
  );
}

/** Log magnitudes with those above a bin, and those of frequencies that were not sent, held. */
function heldAbove(logs: Float64Array, last: number): Float64Array {
  const held = logs.slice();
  held.fill(logs[last], last + 1);
  return held;
}

function judgedBins(logs: Float64Array, binHz: number, rate: number): number[] {
  let strongest = Number.NEGATIVE_INFINITY;
  const bins = bandCentres(JUDGED_PER_OCTAVE, JUDGED_FROM_HZ, JUDGED_TO_PART * rate).map((hz) =>
    Math.round(hz / binHz),
  );
  for (const k of bins) strongest = Math.max(strongest, logs[k]);
  return bins.filter((k) => (strongest - logs[k]) * DB_PER_NEPER < JUDGED_DB);
}

/** The delay (as radians a bin) and polarity that leave least of a phase once a hypothesis is taken off; the misfit in degrees, RMS. */
function lineThrough(spectrum: Float64Array, hypothesis: Float64Array, judged: readonly number[]) {
  const phases: number[] = [];
  let [before, turns, next] = [0, 0, 0];
  for (let k = 1; k < hypothesis.length && next < judged.length; k++) {
    const over = atan2(spectrum[2 * k + 1], spectrum[2 * k]) - hypothesis[k];
    if (k > 1) turns -= 2 * Math.PI * Math.round((over + turns - before) / (2 * Math.PI));
    before = over + turns;
    while (judged[next] === k) {
      phases.push(before);
      next++;
    }
  }
  let best = { slope: 0, half: 0, misfit: Number.POSITIVE_INFINITY };
  const halves = new Set(phases.map((p) => Math.round(p / Math.PI)));
  for (const half of halves) {
    let [product, energy] = [0, 0];
    for (const [i, k] of judged.entries()) {
      product += (phases[i] - half * Math.PI) * k;
      energy += k * k;
    }
    const slope = energy > 0 ? product / energy : 0;
    let misfit = 0;
    for (const [i, k] of judged.entries()) misfit += (phases[i] - half * Math.PI - slope * k) ** 2;
    if (misfit < best.misfit) best = { slope, half, misfit };
  }
  const rms = Math.sqrt(best.misfit / Math.max(1, judged.length));
  return {
    slope: -best.slope,
    polarity: (best.half % 2 === 0 ? 1 : -1) as 1 | -1,
    misfit: (rms * 180) / Math.PI,
    phases,
  };
}

/** A spectrum with a delay and a polarity taken off. */
function turnedBack(spectrum: Float64Array, slope: number, polarity: 1 | -1): Float64Array {
  const output = new Float64Array(spectrum.length);
  for (let k = 0; k < spectrum.length / 2; k++) {
    const [c, s] = [polarity * cos(slope * k), polarity * sin(slope * k)];
    const [re, im] = [spectrum[2 * k], spectrum[2 * k + 1]];
    output[2 * k] = re * c - im * s;
    output[2 * k + 1] = re * s + im * c;
  }
  return output;
}

/** Complex value between two bins. */
export function valueAt(spectrum: Float64Array, place: number): [re: number, im: number] {
  const k = Math.min(spectrum.length / 2 - 2, Math.floor(place));
  const part = place - k;
  return [
    spectrum[2 * k] * (1 - part) + spectrum[2 * k + 2] * part,
    spectrum[2 * k + 1] * (1 - part) + spectrum[2 * k + 3] * part,
  ];
}

export const magnitudeDbAt = (spectrum: Float64Array, binHz: number, hertz: number): number => {
  const [re, im] = valueAt(spectrum, hertz / binHz);
  return 10 * log10(re * re + im * im + 1e-30);
};

/** Frequencies that responses are reported at. */
export const toldHertz = (rateHz: number): number[] => bandCentres(PER_OCTAVE, LOWEST_HZ, HIGHEST_PART * rateHz);

function told(spectrum: Float64Array, binHz: number, rate: number): Response {
  const hertz = toldHertz(rate);
  const phases: number[] = [];
  let [before, turns, next] = [0, 0, 0];
  for (let k = 1; k < spectrum.length / 2 && next < hertz.length; k++) {
    const angle = atan2(spectrum[2 * k + 1], spectrum[2 * k]);
    turns -= 2 * Math.PI * Math.round((angle + turns - before) / (2 * Math.PI));
    const here = angle + turns;
    while (next < hertz.length && hertz[next] <= k * binHz) {
      const part = k - hertz[next++] / binHz;
      phases.push(here + (before - here) * part);
    }
    before = here;
  }
  return {
    hertz,
    magnitudeDb: hertz.map((hz) => magnitudeDbAt(spectrum, binHz, hz)),
    phaseDegrees: phases.map((p) => (p * 180) / Math.PI),
    groupDelayMs: hertz.map((hz) => {
      const k = Math.max(1, Math.round(hz / binHz));
      const [a, b, c, d] = [spectrum[2 * k - 2], spectrum[2 * k - 1], spectrum[2 * k + 2], spectrum[2 * k + 3]];
      return (-atan2(d * a - c * b, c * a + d * b) / (2 * 2 * Math.PI * binHz)) * 1000;
    }),
  };
}

/** Means over a third of an octave. */
export const smoothed = (values: readonly number[]): number[] =>
  values.map((_, i) => {
    const near = values.slice(Math.max(0, i - 4), i + 5);
    return near.reduce((sum, v) => sum + v, 0) / near.length;
  });
