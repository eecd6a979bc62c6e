import { z } from "zod";
import {
  type AnalogueSection,
  analoguePower,
  bellSection,
  cutSections,
  highShelfSection,
  lowShelfSection,
} from "../audio/analogue";
import { amplitudeFromDb } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { listening, onceHeard } from "../audio/in-order";
import { asRead, atGain, type Sound } from "../audio/sound";
import { measureLevels } from "../loudness/measure";
import { matchToReference } from "../matching/match";
import { choice, defineProcessor, parameter, step, toggle } from "./processor";

const BAND_KINDS = ["bell", "low shelf", "high shelf", "low cut", "high cut"] as const;
const SLOPES = [6, 12, 18, 24, 36, 48] as const;

export const bandSchema = z.object({
  kind: choice("Kind", BAND_KINDS, "bell"),
  frequencyHz: parameter("Frequency", "Hz", 10, 24_000, 1000),
  gainDb: parameter("Gain", "dB", -24, 24, 0),
  q: parameter("Q", "", 0.1, 30, 0.71),
  slopeDbPerOctave: step("Slope", "dB/oct", SLOPES, 12),
});
export type Band = z.infer<typeof bandSchema>;

export const equalizerParameters = z.object({
  bands: z
    .array(bandSchema)
    .max(12)
    .default(() => [])
    .meta({ label: "Bands", unit: "" }),
  amountPercent: parameter("Amount over all bands", "%", 0, 200, 100),
  route: choice("Works on", ["both sides", "mid", "side", "left", "right"], "both sides"),
  autoMakeup: toggle("Automatic make-up gain", false),
  outputDb: parameter("Output", "dB", -24, 24, 0),
});
export type EqualizerSettings = z.infer<typeof equalizerParameters>;

function bandSections(band: Band, gainDb: number): AnalogueSection[] {
  const order = band.slopeDbPerOctave / 6;
  if (band.kind === "low cut") return cutSections("low cut", band.frequencyHz, order);
  if (band.kind === "high cut") return cutSections("high cut", band.frequencyHz, order);
  if (gainDb === 0) return [];
  const shape = { bell: bellSection, "low shelf": lowShelfSection, "high shelf": highShelfSection }[band.kind];
  return [shape(band.frequencyHz, gainDb, band.q)];
}

/** The analogue sections of all bands; the amount scales gains and leaves cuts alone. */
export const sectionsOf = ({ bands, amountPercent }: Pick<EqualizerSettings, "bands" | "amountPercent">) =>
  bands.flatMap((band) => bandSections(band, (band.gainDb * amountPercent) / 100));

/** Gain of the analogue curve in dB. */
export const analogueGainDb = (sections: readonly AnalogueSection[], frequencyHz: number): number =>
  sections.reduce((sum, section) => sum + 10 * log10(analoguePower(section, frequencyHz)), 0);

type Filter = (sound: Sound) => Sound;

/** A sound of one channel made of both. */
const oneOf = (sound: Sound, work: (left: Float32Array, right: Float32Array) => Float32Array): Sound =>
  asRead({ ...sound, channelCount: 1 }, (from, count) => {
    const [left, right] = sound.read(from, count);
    return [work(left, right)];
  });

/** `filter` on what the route names, the rest untouched. A mono sound is its own mid, left and right, and has no side. */
function routed(sound: Sound, route: EqualizerSettings["route"], filter: Filter): Sound {
  if (sound.channelCount === 1) return route === "side" ? sound : filter(sound);
  if (route === "both sides") return filter(sound);
  if (route === "left" || route === "right") {
    const changed = filter(oneOf(sound, (left, right) => (route === "left" ? left : right)));
    return asRead(sound, (from, count) => {
      const [left, right] = sound.read(from, count);
      const [own] = changed.read(from, count);
      return route === "left" ? [own, right] : [left, own];
    });
  }
  const sign = route === "mid" ? 1 : -1;
  const part = oneOf(sound, (left, right) => left.map((v, i) => 0.5 * (v + sign * right[i])));
  const changed = filter(part);
  // Only what the filter changed is added back: where it does nothing, both sides stay bit for bit.
  return asRead(sound, (from, count) => {
    const [left, right] = sound.read(from, count);
    const [was] = part.read(from, count);
    const [is] = changed.read(from, count);
    return [left.map((v, i) => v + (is[i] - was[i])), right.map((v, i) => v + sign * (is[i] - was[i]))];
  });
}

/** The sound with the loudness that `original` has; both are heard first. */
function madeUp(original: Sound, processed: Sound, outputDb: number, onHeard?: (share: number) => void): Sound {
  return onceHeard(processed, () => {
    const was = measureLevels(listening(original, (share) => onHeard?.(share / 2)));
    const is = measureLevels(listening(processed, (share) => onHeard?.((1 + share) / 2)));
    const gainDb = matchToReference(was, is)?.gainDb ?? 0;
    return atGain(processed, amplitudeFromDb(outputDb + gainDb));
  });
}

/** An equalizer out of its way to realise the analogue sections as a filter. */
export function defineEqualizer(given: {
  key: string;
  name: string;
  about: string;
  latencySamples?: (settings: EqualizerSettings, sampleRateHz: number) => number;
  realise: (sections: AnalogueSection[], sampleRateHz: number) => Filter;
}) {
  const { realise, ...head } = given;
  return defineProcessor({
    ...head,
    family: "equalizer",
    parameters: equalizerParameters,
    process(sound, settings, { onHeard }) {
      const sections = sectionsOf(settings);
      const filtered = sections.length ? routed(sound, settings.route, realise(sections, sound.sampleRateHz)) : sound;
      if (settings.autoMakeup) return madeUp(sound, filtered, settings.outputDb, onHeard);
      return atGain(filtered, amplitudeFromDb(settings.outputDb));
    },
  });
}
