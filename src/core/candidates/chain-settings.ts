import type { Chain } from "../processors/chain";
import { processorOf } from "../processors/registry";
import type { SettingLine } from "./candidate";

type Shape = Record<string, { meta(): { label?: unknown; unit?: unknown } | undefined }>;

const textOf = (value: unknown): string => {
  if (typeof value === "boolean") return value ? "on" : "off";
  if (typeof value === "number") return String(Number(value.toFixed(4))).replace("-", "−");
  return String(value);
};

/** "Q" stays; "Frequency" after "Band 2" becomes "frequency". */
const inside = (label: string) => (label.length > 1 ? label[0].toLowerCase() + label.slice(1) : label);

type Bands = { bands: Record<string, unknown>[] };
const hasBands = (settings: object): settings is Bands => "bands" in settings && Array.isArray(settings.bands);

/** What of a band counts: a cut has a slope, everything else a gain and a Q. */
function bandFields(band: Record<string, unknown>): string[] {
  return String(band.kind).endsWith("cut")
    ? ["kind", "frequencyHz", "slopeDbPerOctave"]
    : ["kind", "frequencyHz", "gainDb", "q"];
}

const BAND_LABELS: Record<string, [label: string, unit: string]> = {
  kind: ["kind", ""],
  frequencyHz: ["frequency", "Hz"],
  gainDb: ["gain", "dB"],
  q: ["Q", ""],
  slopeDbPerOctave: ["slope", "dB/oct"],
};

function stageLines(processorKey: string, given: Record<string, unknown>, prefix: string): SettingLine[] {
  const processor = processorOf(processorKey);
  if (!processor) return [];
  const settings: Record<string, unknown> = processor.parameters.parse(given);
  const named = (label: string) => (prefix ? `${prefix}: ${inside(label)}` : label);
  const bandLines = hasBands(settings)
    ? settings.bands.flatMap((band, b) =>
        bandFields(band).map((field) => ({
          parameter: named(`Band ${b + 1} ${BAND_LABELS[field][0]}`),
          value: textOf(band[field]),
          unit: BAND_LABELS[field][1],
          note: "",
        })),
      )
    : [];
  const plain = Object.entries(processor.parameters.shape as Shape)
    .filter(([field]) => field !== "bands")
    .map(([field, schema]) => {
      const meta = schema.meta();
      return {
        parameter: named(String(meta?.label ?? field)),
        value: textOf(settings[field]),
        unit: String(meta?.unit ?? ""),
        note: "",
      };
    });
  return [...bandLines, ...plain];
}

/** Every setting of a chain as lines of a settings table; with several stages each is named by its number. */
export function settingsOfChain(chain: Chain): SettingLine[] {
  return chain.flatMap(({ processorKey, settings }, i) =>
    stageLines(processorKey, settings, chain.length > 1 ? `Stage ${i + 1}` : ""),
  );
}

/** A setting in a few characters: 12000 Hz as "12 kHz", a gain with its sign. */
function shortValue(value: unknown, unit: string): string {
  if (typeof value !== "number") return textOf(value);
  if (unit === "Hz" && Math.abs(value) >= 1000) return `${textOf(value / 1000)} kHz`;
  const sign = unit === "dB" && value > 0 ? "+" : "";
  return `${sign}${textOf(value)}${unit && unit !== "dB" ? (unit === ":1" ? ":1" : ` ${unit}`) : ""}`;
}

/** What was set other than it stands by default, in one line: "high shelf 12 kHz +5, bell 300 Hz −2". */
export function summaryOfChain(chain: Chain): string {
  const parts = chain.map(({ processorKey, settings: given }) => {
    const processor = processorOf(processorKey);
    if (!processor) return processorKey;
    const settings: Record<string, unknown> = processor.parameters.parse(given);
    const defaults: Record<string, unknown> = processor.parameters.parse({});
    const bands = hasBands(settings)
      ? settings.bands.map((band) => {
          const last = String(band.kind).endsWith("cut")
            ? shortValue(band.slopeDbPerOctave, "dB/oct")
            : shortValue(band.gainDb, "dB");
          return `${band.kind} ${shortValue(band.frequencyHz, "Hz")} ${last}`;
        })
      : [];
    const changed = Object.entries(processor.parameters.shape as Shape)
      .filter(([field]) => field !== "bands" && settings[field] !== defaults[field])
      .map(([field, schema]) => {
        const meta = schema.meta();
        return `${inside(String(meta?.label))} ${shortValue(settings[field], String(meta?.unit ?? ""))}`;
      });
    return [...bands, ...changed].join(", ") || processor.name;
  });
  return parts.join("; ");
}
