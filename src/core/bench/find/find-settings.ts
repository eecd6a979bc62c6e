import type { z } from "zod";
import { exp, log, log10 } from "../../audio/exact-math";
import { forwardReal } from "../../audio/fft";
import type { Processor } from "../../processors/processor";
import { processorOf } from "../../processors/registry";
import { BAND_FIELDS, numberField, type SettingField, settingFields } from "../../processors/setting-fields";
import { click } from "../../stimuli/response";
import { frequencyWords } from "../../words/units";
import type { FittedBand } from "../report";
import type { Realised } from "./band-model";
import { type BandsFit, FITTED_DEPTH_DB, FITTED_TO_PART, nearFits } from "./fit-bands";
import { AS_GOOD_DB, FINDABLE, type FoundSettings, OF_BANDS, OF_NUMBERS, type Wanted } from "./found-settings";
import { effective, fittedCurve, type Parameter } from "./least-squares";

const HIGHEST_HZ = 20_000;
const HIGHEST_PART = 0.46;

/** Settings of a processor, of at most so many bands, whose curve comes closest. Throws RangeError for a processor that has none. */
export function findSettings(wanted: Wanted, processorKey: string, mostBands: number): FoundSettings {
  const processor = processorOf(processorKey);
  if (!processor || !FINDABLE.includes(processorKey)) throw new RangeError(`no settings are found for ${processorKey}`);
  const rate = wanted.signal.sampleRateHz;
  const { hertz, magnitudeDb } = wanted.response;
  const judged = judgedPlaces(hertz, magnitudeDb, rate);
  const tried = (
    processorKey in OF_BANDS
      ? bandSettings(processor, OF_BANDS[processorKey], hertz, magnitudeDb, rate, mostBands)
      : [numberSettings(processor, hertz, magnitudeDb, rate)]
  ).map((settings) => {
    const curveDb = responseDb(processor, settings, hertz, rate);
    const left = judged.map((i) => magnitudeDb[i] - curveDb[i]);
    return { settings, curveDb, left, leftDb: effective(left) };
  });
  // The processor itself tells which is nearest; bands count where that hardly differs.
  const cost = ({ leftDb, settings }: (typeof tried)[number]) =>
    Math.max(leftDb, LEAST_LEFT_DB) * (1 + BAND_SHARE * bandCount(settings));
  const { settings, curveDb, left, leftDb } = tried.reduce((a, b) => (cost(b) < cost(a) ? b : a));
  const most = left.reduce((top, v, i) => (Math.abs(v) > Math.abs(left[top]) ? i : top), 0);
  return {
    chain: [{ processorKey, settings }],
    hertz: [...hertz],
    curveDb,
    leftDb,
    mostLeftDb: Math.abs(left[most]),
    mostLeftHertz: hertz[judged[most]],
    noiseDb: effective(judged.map((i) => wanted.response.errorDb[i] ?? 0)),
    unreached: reasonsOf(wanted, processorKey, judged, left),
  };
}

/** A residual may be noise up to so many of its standard deviations. */
const NOISE_SIGMAS = 4;

/** A further band has to take this share off, where more than this is left (dB). */
const BAND_SHARE = 0.1;
const LEAST_LEFT_DB = 0.005;

const bandCount = (settings: object): number =>
  "bands" in settings && Array.isArray(settings.bands) ? settings.bands.length : 0;

/** A number as a panel can be set to it: within its bounds, to the fineness that is worth it. */
function setTo(fields: readonly SettingField[], name: string, value: number, digits: number): number {
  const { least, most } = numberField(fields, name);
  return Number(Math.min(most, Math.max(least, value)).toFixed(digits));
}

/** Rows of bands that come near as formulas, and the nearest of them once more as it is set by the processor's own curve. */
function bandSettings(
  processor: Processor,
  realised: Realised,
  hertz: readonly number[],
  magnitudeDb: readonly number[],
  rateHz: number,
  mostBands: number,
) {
  const fits = nearFits(hertz, magnitudeDb, rateHz, realised, mostBands);
  const settings = fits.map((fit) => settingsOfFit(processor, fit));
  const places = judgedPlaces(hertz, magnitudeDb, rateHz).filter((_, n) => n % EVERY === 0);
  const [few, wanted] = [hertz, magnitudeDb].map((values) => places.map((i) => values[i]));
  const left = settings.map((tried) =>
    effective(responseDb(processor, tried, few, rateHz).map((v, i) => v - wanted[i])),
  );
  if (Math.min(...left) < LEAST_LEFT_DB) return settings;
  // Its own curve is not quite the formula's, and its panel has ends.
  const nearest = fits.reduce((a, b) => (b.misfitDb < a.misfitDb ? b : a));
  const curveOf = (fit: BandsFit) => responseDb(processor, settingsOfFit(processor, fit, FINE_DIGITS), few, rateHz);
  return [...settings, settingsOfFit(processor, refined(nearest, wanted, curveOf))];
}

/** A row of bands brought as near as it comes by a curve that is worked out of it, within the panel's bounds. */
function refined(fit: BandsFit, wanted: readonly number[], curveOf: (fit: BandsFit) => number[]): BandsFit {
  const numbers = fit.bands.flatMap((band) => [
    { start: log(band.hertz), ...boundsOf("frequencyHz", true) },
    ...(band.gainDb === null ? [] : [{ start: band.gainDb, ...boundsOf("gainDb", false) }]),
    ...(band.q === null ? [] : [{ start: log(band.q), ...boundsOf("q", true) }]),
  ]);
  const fitOf = ([gainDb, ...values]: readonly number[]): BandsFit => {
    let at = 0;
    const bands = fit.bands.map((band) => ({
      ...band,
      hertz: exp(values[at++]),
      gainDb: band.gainDb === null ? null : values[at++],
      q: band.q === null ? null : exp(values[at++]),
    }));
    return { ...fit, gainDb, bands };
  };
  const gain = { start: fit.gainDb, lowest: -MOST_OUTPUT_DB, highest: MOST_OUTPUT_DB, step: STEP };
  const { values } = fittedCurve([gain, ...numbers], wanted, (tried) => curveOf(fitOf(tried)), {
    goes: 1,
    isForward: true,
  });
  return fitOf(values);
}
/** Beyond this no output is set (dB). */
const MOST_OUTPUT_DB = 24;
const STEP = 1e-3;
/** Settings are tried finer than a panel shows them. */
const FINE_DIGITS = 3;

function boundsOf(name: string, isLog: boolean) {
  const { least, most } = numberField(BAND_FIELDS, name);
  const of = (value: number) => (isLog ? log(value) : value);
  return { lowest: of(least), highest: of(most), step: STEP };
}

/** Frequencies that are judged: up to where the processor and ears go, and not what hardly comes through. */
function judgedPlaces(hertz: readonly number[], magnitudeDb: readonly number[], rateHz: number): number[] {
  const highest = Math.min(HIGHEST_HZ, HIGHEST_PART * rateHz);
  const floor = Math.max(...magnitudeDb) - FITTED_DEPTH_DB;
  return hertz.map((_, i) => i).filter((i) => hertz[i] <= highest && magnitudeDb[i] > floor);
}

function settingsOfFit(processor: Processor, fit: BandsFit, finer = 0) {
  const bands = fit.bands.map((band: FittedBand) => ({
    kind: band.kind,
    frequencyHz: setTo(BAND_FIELDS, "frequencyHz", band.hertz, 1 + finer),
    ...(band.gainDb === null ? {} : { gainDb: setTo(BAND_FIELDS, "gainDb", band.gainDb, 2 + finer) }),
    ...(band.q === null ? {} : { q: setTo(BAND_FIELDS, "q", band.q, 3 + finer) }),
    ...(band.slopeDbPerOctave === null ? {} : { slopeDbPerOctave: band.slopeDbPerOctave }),
  }));
  const outputDb = setTo(settingFields(processor.parameters), "outputDb", fit.gainDb, 2 + finer);
  return processor.parameters.parse({ bands, outputDb });
}

/** Numbers by least squares from several beginnings, for each of the steps there are. */
function numberSettings(
  processor: Processor,
  hertz: readonly number[],
  magnitudeDb: readonly number[],
  rateHz: number,
) {
  const fields = settingFields(processor.parameters);
  const usual: Record<string, unknown> = processor.parameters.parse({});
  const numbers = fields.flatMap((field) =>
    field.form === "number" ? [{ ...field, usual: Number(usual[field.name]) }] : [],
  );
  const choices = fields.flatMap((field) =>
    field.form === "choice" ? field.options.map((option) => ({ [field.name]: option })) : [],
  );
  const places = hertz.map((_, i) => i).filter((i) => i % EVERY === 0 && hertz[i] <= FITTED_TO_PART * rateHz);
  const [few, wanted] = [places.map((i) => hertz[i]), places.map((i) => magnitudeDb[i])];
  const settingsOf = (values: readonly number[], chosen: object) =>
    processor.parameters.parse({
      ...Object.fromEntries(numbers.map(({ name }, n) => [name, setTo(fields, name, values[n], 3)])),
      ...chosen,
    });
  let best: { settings: ReturnType<typeof settingsOf>; rms: number } | null = null;
  for (const chosen of choices.length > 0 ? choices : [{}])
    for (const part of STARTS) {
      const { values, rms } = fittedCurve(
        numbers.map(
          ({ least, most, usual: start }): Parameter => ({
            start: start + part * (most - start),
            lowest: least,
            highest: most,
            step: (most - least) * STEP_SHARE,
          }),
        ),
        wanted,
        (tried) => responseDb(processor, settingsOf(tried, chosen), few, rateHz),
        { goes: GOES },
      );
      if (!best || rms < best.rms) best = { settings: settingsOf(values, chosen), rms };
    }
  if (!best) throw new RangeError("a processor without numbers");
  return best.settings;
}
/** Every so many-th frequency serves for that, so many goes, and a step of so much of a number's range to feel its effect. */
const EVERY = 4;
const GOES = 3;
const STEP_SHARE = 1e-4;
/** Where each number begins: as it stands by default, and part of the way up. */
const STARTS = [0, 0.4];

const CLICK_FRAMES = 2 ** 15;

/** Magnitude of a processor that only filters, by its response to a click. */
function responseDb(
  processor: Processor,
  settings: z.infer<z.ZodObject>,
  hertz: readonly number[],
  rateHz: number,
): number[] {
  const { channels } = processor.processClip(click(1, 1, rateHz, CLICK_FRAMES), settings);
  const spectrum = forwardReal(channels[0], CLICK_FRAMES);
  return hertz.map((hz) => {
    const place = (hz * CLICK_FRAMES) / rateHz;
    const k = Math.min(CLICK_FRAMES / 2 - 1, Math.floor(place));
    const powerAt = (bin: number) => spectrum[2 * bin] ** 2 + spectrum[2 * bin + 1] ** 2 + 1e-30;
    const [a, b] = [log10(powerAt(k)), log10(powerAt(k + 1))];
    return 10 * (a + (place - k) * (b - a));
  });
}

/** What the settings do not reach, and why. */
function reasonsOf(
  { response, phaseKind, movesWithLevel, thdPercent, realised, signal }: Wanted,
  processorKey: string,
  judged: readonly number[],
  left: readonly number[],
): string[] {
  const reasons: string[] = [];
  const off = judged
    .filter((i, n) => Math.abs(left[n]) > Math.max(AS_GOOD_DB, NOISE_SIGMAS * (response.errorDb[i] ?? 0)))
    .map((i) => response.hertz[i]);
  if (off.length > 0) {
    const [from, to] = [off[0], off[off.length - 1]];
    const high = from > 0.15 * signal.sampleRateHz;
    const own = OF_BANDS[processorKey];
    const squeezed = high && own && realised !== null && own !== realised;
    reasons.push(
      `From ${frequencyWords(from)} to ${frequencyWords(to)} the curves differ by more than ${AS_GOOD_DB} dB${squeezed ? ": one is cramped towards Nyquist and the other is not" : OF_NUMBERS.includes(processorKey) ? ": no setting gives that shape" : ""}.`,
    );
  }
  const linear = processorKey === "linear-phase-equalizer";
  if ((phaseKind === "linear") !== linear && phaseKind !== "none" && phaseKind !== "unknown")
    reasons.push(
      linear
        ? "It has no phase shift where the target has: it rings before transients as much as after."
        : phaseKind === "linear"
          ? "It shifts phase where the target does not."
          : phaseKind === "minimum"
            ? ""
            : "The target has more phase shift than minimum phase. No built-in EQ follows that.",
    );
  if (movesWithLevel) reasons.push("The target changes with level; an EQ does not.");
  if (thdPercent !== null && thdPercent > 0.01)
    reasons.push(`The target adds harmonics (THD ${thdPercent.toPrecision(2)} %); an EQ adds none.`);
  return reasons.filter((reason) => reason !== "");
}
