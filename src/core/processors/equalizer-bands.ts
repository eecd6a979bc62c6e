import { z } from "zod";
import {
  type AnalogueSection,
  analoguePower,
  bellSection,
  cutSections,
  highShelfSection,
  lowShelfSection,
} from "../audio/analogue";
import { type Clip, scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { measureLevels } from "../loudness/measure";
import { matchToReference } from "../matching/match";
import { choice, defineProcessor, eachChannel, parameter, step, toggle } from "./processor";

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

type Filter = (channel: Float32Array) => Float32Array;

/** `filter` on what the route names, the rest untouched. A mono clip is its own mid, left and right, and has no side. */
function routed(clip: Clip, route: EqualizerSettings["route"], filter: Filter): Clip {
  const [left, right] = clip.channels;
  if (!right) return route === "side" ? clip : eachChannel(clip, filter);
  if (route === "both sides") return eachChannel(clip, filter);
  if (route === "left") return { ...clip, channels: [filter(left), right] };
  if (route === "right") return { ...clip, channels: [left, filter(right)] };
  const sign = route === "mid" ? 1 : -1;
  const part = left.map((v, i) => 0.5 * (v + sign * right[i]));
  const changed = filter(part);
  // Only what the filter changed is added back: where it does nothing, both sides stay bit for bit.
  return {
    ...clip,
    channels: [left.map((v, i) => v + (changed[i] - part[i])), right.map((v, i) => v + sign * (changed[i] - part[i]))],
  };
}

/** The gain in dB that gives `processed` the loudness of `original` again. */
function makeupDb(original: Clip, processed: Clip): number {
  return matchToReference(measureLevels(original), measureLevels(processed))?.gainDb ?? 0;
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
    process(clip, settings) {
      const sections = sectionsOf(settings);
      const filtered = sections.length ? routed(clip, settings.route, realise(sections, clip.sampleRateHz)) : clip;
      const gainDb = settings.outputDb + (settings.autoMakeup ? makeupDb(clip, filtered) : 0);
      return gainDb === 0 && filtered !== clip ? filtered : scaleClip(filtered, amplitudeFromDb(gainDb));
    },
  });
}
