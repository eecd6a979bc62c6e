import { z } from "zod";
import { log10 } from "../audio/exact-math";
import { forwardReal } from "../audio/fft";
import type { Processor } from "../processors/processor";
import { processorOf } from "../processors/registry";
import { FITTED_DEPTH_DB, fittedBands, type Realised } from "./fit-bands";
import { AS_GOOD_DB, FINDABLE, type FoundSettings, OF_BANDS, OF_NUMBERS, type Wanted } from "./found-settings";
import { fittedCurve, type Parameter } from "./least-squares";
import type { FittedBand } from "./report";
import { frequency } from "./words";

const HIGHEST_HZ = 20_000;
const HIGHEST_PART = 0.46;

/** Settings of a processor, of at most so many bands, whose curve comes closest. Throws RangeError for a processor that has none. */
export function findSettings(wanted: Wanted, processorKey: string, mostBands: number): FoundSettings {
  const processor = processorOf(processorKey);
  if (!processor || !FINDABLE.includes(processorKey)) throw new RangeError(`no settings are found for ${processorKey}`);
  const rate = wanted.signal.sampleRateHz;
  const { hertz, magnitudeDb } = wanted.response;
  const settings =
    processorKey in OF_BANDS
      ? bandSettings(processor, OF_BANDS[processorKey], hertz, magnitudeDb, rate, mostBands)
      : numberSettings(processor, hertz, magnitudeDb, rate);
  const curveDb = responseDb(processor, settings, hertz, rate);
  const highest = Math.min(HIGHEST_HZ, HIGHEST_PART * rate);
  const floor = Math.max(...magnitudeDb) - FITTED_DEPTH_DB;
  const judged = hertz.map((_, i) => i).filter((i) => hertz[i] <= highest && magnitudeDb[i] > floor);
  const left = judged.map((i) => magnitudeDb[i] - curveDb[i]);
  const most = left.reduce((top, v, i) => (Math.abs(v) > Math.abs(left[top]) ? i : top), 0);
  return {
    chain: [{ processorKey, settings }],
    hertz: [...hertz],
    curveDb,
    leftDb: Math.sqrt(left.reduce((sum, v) => sum + v * v, 0) / left.length),
    mostLeftDb: Math.abs(left[most]),
    mostLeftHertz: hertz[judged[most]],
    unreached: reasonsOf(wanted, processorKey, judged, left),
  };
}

const clamped = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

/** What a panel can be set to, to the fineness that is worth it. */
const stepped = (value: number, digits: number) => Number(value.toFixed(digits));

function bandSettings(
  processor: Processor,
  realised: Realised,
  hertz: readonly number[],
  magnitudeDb: readonly number[],
  rateHz: number,
  mostBands: number,
) {
  const fit = fittedBands(hertz, magnitudeDb, rateHz, { realised, mostBands });
  const bands = fit.bands.map((band: FittedBand) => ({
    kind: band.kind,
    frequencyHz: stepped(clamped(band.hertz, 10, 24_000), 1),
    ...(band.gainDb === null ? {} : { gainDb: stepped(clamped(band.gainDb, -24, 24), 2) }),
    ...(band.q === null ? {} : { q: stepped(clamped(band.q, 0.1, 30), 3) }),
    ...(band.slopeDbPerOctave === null ? {} : { slopeDbPerOctave: band.slopeDbPerOctave }),
  }));
  return processor.parameters.parse({ bands, outputDb: stepped(clamped(fit.gainDb, -24, 24), 2) });
}

const numberSchema = z.object({ type: z.string(), minimum: z.number(), maximum: z.number(), default: z.number() });
const stepSchema = z.object({ enum: z.array(z.number()), default: z.number() });

/** Numbers by least squares from several beginnings, for each of the steps there are; bounds are those of the schema. */
function numberSettings(
  processor: Processor,
  hertz: readonly number[],
  magnitudeDb: readonly number[],
  rateHz: number,
) {
  const { properties = {} } = z.toJSONSchema(processor.parameters, { io: "input" });
  const numbers: { name: string; parameter: Parameter }[] = [];
  let steps: { name: string; options: number[] } | null = null;
  for (const [name, raw] of Object.entries(properties)) {
    const number = numberSchema.safeParse(raw);
    const step = stepSchema.safeParse(raw);
    if (step.success) steps = { name, options: step.data.enum };
    else if (number.success) {
      const { minimum: lowest, maximum: highest, default: start } = number.data;
      numbers.push({ name, parameter: { start, lowest, highest, step: (highest - lowest) * 1e-4 } });
    }
  }
  const places = hertz.map((_, i) => i).filter((i) => i % 4 === 0 && hertz[i] <= 0.42 * rateHz);
  const settingsOf = (values: readonly number[], option: number | null) =>
    processor.parameters.parse({
      ...Object.fromEntries(
        numbers.map(({ name, parameter }, n) => [
          name,
          clamped(stepped(values[n], 3), parameter.lowest, parameter.highest),
        ]),
      ),
      ...(steps && option !== null ? { [steps.name]: option } : {}),
    });
  let best: { settings: ReturnType<typeof settingsOf>; rms: number } | null = null;
  for (const option of steps?.options ?? [null])
    for (const part of STARTS) {
      const fitted = fittedCurve(
        numbers.map(({ parameter }) => ({
          ...parameter,
          start:
            parameter.start +
            part * (part < 0 ? parameter.start - parameter.lowest : parameter.highest - parameter.start),
        })),
        places.map((i) => magnitudeDb[i]),
        (values) => {
          const curve = responseDb(
            processor,
            settingsOf(values, option),
            places.map((i) => hertz[i]),
            rateHz,
          );
          return curve;
        },
        { goes: 3 },
      );
      if (!best || fitted.rms < best.rms) best = { settings: settingsOf(fitted.values, option), rms: fitted.rms };
    }
  if (!best) throw new RangeError("a processor without numbers");
  return best.settings;
}
/** Where each number begins: as it stands by default, and part of the way to its ends. */
const STARTS = [0, 0.4];

const CLICK_FRAMES = 2 ** 15;

/** Magnitude of a processor that only filters, by its response to a click. */
function responseDb(
  processor: Processor,
  settings: z.infer<z.ZodObject>,
  hertz: readonly number[],
  rateHz: number,
): number[] {
  const click = new Float32Array(CLICK_FRAMES);
  click[CLICK_FRAMES / 2] = 1;
  const { channels } = processor.processClip({ sampleRateHz: rateHz, channels: [click] }, settings);
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
  const off = judged.filter((_, n) => Math.abs(left[n]) > AS_GOOD_DB).map((i) => response.hertz[i]);
  if (off.length > 0) {
    const [from, to] = [off[0], off[off.length - 1]];
    const high = from > 0.15 * signal.sampleRateHz;
    const own = OF_BANDS[processorKey];
    const squeezed = high && own && realised !== null && own !== realised;
    reasons.push(
      `From ${frequency(from)} to ${frequency(to)} the curves part by more than ${AS_GOOD_DB} dB${squeezed ? ": one is squeezed towards half the rate and the other is not" : OF_NUMBERS.includes(processorKey) ? ": its shape is its own, whatever it is set to" : ""}.`,
    );
  }
  const linear = processorKey === "linear-phase-equalizer";
  if ((phaseKind === "linear") !== linear && phaseKind !== "none" && phaseKind !== "unknown")
    reasons.push(
      linear
        ? "It turns no phase where the other does: onsets ring before as much as after."
        : phaseKind === "linear"
          ? "It turns phase where the other turns none."
          : phaseKind === "minimum"
            ? ""
            : "The other turns phase beyond its curve; no equalizer of ours follows that.",
    );
  if (movesWithLevel) reasons.push("The other moves with level; an equalizer does not.");
  if (thdPercent !== null && thdPercent > 0.01)
    reasons.push(`The other adds harmonics (THD ${thdPercent.toPrecision(2)} %); an equalizer adds none.`);
  return reasons.filter((reason) => reason !== "");
}
