import { log2 } from "../../audio/exact-math";
import type { SettingLine } from "../../candidates/candidate";
import { quantityOf } from "../../candidates/parity";
import { frequencyWithin, number, signed, timeWithin, within, withUnit } from "../../words/units";
import type { BenchReport, FittedBand } from "../report";

/** A setting as it was measured, in words, and how far it is from what the controls say: percent of a frequency, time, ratio or Q, dB of a level. */
export type PanelReading = { words: string; error: string };

/** A control and a band within this of each other belong together (octaves). */
const SAME_BAND_OCTAVES = 1;

type Told = { line: SettingLine; name: string; number: number; unit: string };

/** The panel's lines that are numbers, by their place. */
function toldBy(lines: readonly SettingLine[]): (Told | null)[] {
  return lines.map((line) => {
    const quantity = quantityOf(line);
    return "words" in quantity
      ? null
      : { line, name: line.parameter.trim().toLowerCase(), number: quantity.number, unit: quantity.unit };
  });
}

/** How far off a figure is that is known to `error`, one standard deviation. */
type Off = (is: number, was: number, error: number | null | undefined) => string;
const inPercent: Off = (is, was, error) =>
  `${signed(100 * (is / was - 1), 1)}${within(Math.abs((100 * (error ?? 0)) / was), 1)} %`;
const inDb: Off = (is, was, error) => withUnit(`${signed(is - was, 1)}${within(error, 1)}`, "dB");

/** Lines that alone are called so; where several are, which of them was measured is not known. */
const alone = (told: readonly (Told | null)[], word: string): number => {
  const places = told.flatMap((t, i) => (t?.name.includes(word) ? [i] : []));
  return places.length === 1 ? places[0] : -1;
};

/** What was measured beside each line of a panel, made here or written down by hand; null where no test tells it. */
export function panelCheck(lines: readonly SettingLine[], report: BenchReport): (PanelReading | null)[] {
  const told = toldBy(lines);
  const readings: (PanelReading | null)[] = lines.map(() => null);
  type Figure = { value: number | null | undefined; error: number | null | undefined };
  const put = (word: string, { value, error }: Figure, words: (v: number) => string, off: Off) => {
    const at = alone(told, word);
    const line = told[at];
    if (line && value !== null && value !== undefined && line.number !== 0)
      readings[at] = { words: words(value), error: off(value, line.number, error) };
  };
  const { static: staticCurve, times } = report;
  const { thresholdDb, ratio: ratioError } = staticCurve?.errors ?? {};
  const { attack, release } = times?.errorsMs ?? {};
  const threshold = (v: number) => withUnit(`${number(v, 1)}${within(thresholdDb)}`, "dBFS");
  put("threshold", { value: staticCurve?.thresholdDbfs, error: thresholdDb }, threshold, inDb);
  const ratio = staticCurve?.thresholdDbfs === null ? null : staticCurve?.ratio;
  put("ratio", { value: ratio, error: ratioError }, (v) => `${number(v, 1)}:1${within(ratioError)}`, inPercent);
  put("attack", { value: times?.attackMs, error: attack }, (v) => timeWithin(v, attack), inPercent);
  put("release", { value: times?.releaseMs, error: release }, (v) => timeWithin(v, release), inPercent);
  for (const { band, controls } of bandControls(told, report.fitted))
    for (const { at, is } of controls) {
      const line = told[at];
      if (!line) continue;
      const words = {
        frequency: frequencyWithin(band.hertz, band.errors?.hertz),
        gain: withUnit(`${number(band.gainDb ?? 0, 2)}${within(band.errors?.gainDb, 2)}`, "dB"),
        q: `${number(band.q ?? 0, 2)}${within(band.errors?.q, 2)}`,
      };
      readings[at] = { words: words[is], error: errorOf(band, is, line.number) };
    }
  return readings;
}

type Control = { at: number; is: "frequency" | "gain" | "q" };

/** Each band with the controls that set it: the frequencies nearest to it, and what stands beside them on the panel. */
function bandControls(
  told: readonly (Told | null)[],
  bands: readonly FittedBand[],
): { band: FittedBand; controls: Control[] }[] {
  return told.flatMap((line, i) => {
    const band = line?.unit === "hz" ? nearestBand(bands, line.number) : null;
    if (!line || !band) return [];
    // "Mid frequency" and "Mid gain" belong together: all but their last words are one.
    const stem = stemOf(line.name);
    const beside = told.flatMap((other, at): Control[] => {
      if (!other || at === i || stemOf(other.name) !== stem) return [];
      const last = other.name.split(/\s+/).at(-1);
      if (last === "gain" && band.gainDb !== null) return [{ at, is: "gain" }];
      return last === "q" && band.q !== null ? [{ at, is: "q" }] : [];
    });
    return [{ band, controls: [{ at: i, is: "frequency" }, ...beside] }];
  });
}

function errorOf(band: FittedBand, is: Control["is"], said: number): string {
  if (is === "gain") return inDb(band.gainDb ?? 0, said, band.errors?.gainDb);
  return is === "q" ? inPercent(band.q ?? 0, said, band.errors?.q) : inPercent(band.hertz, said, band.errors?.hertz);
}

/** What a controls say of a measured band, and how far off it is: "Mid frequency 1.2 kHz: −12.5 %, Mid gain 4.5 dB: −0.5 dB"; null where no control is near. */
export function controlWords(lines: readonly SettingLine[], report: BenchReport, band: FittedBand): string | null {
  const told = toldBy(lines);
  const own = bandControls(told, report.fitted).filter((b) => b.band === band);
  const words = own.flatMap(({ controls }) =>
    controls.flatMap(({ at, is }) => {
      const line = told[at];
      if (!line) return [];
      const { parameter, value, unit } = line.line;
      return [`${parameter} ${value}${unit ? ` ${unit}` : ""}: ${errorOf(band, is, line.number)}`];
    }),
  );
  return words.length > 0 ? words.join(", ") : null;
}

const stemOf = (name: string): string => name.split(/\s+/).slice(0, -1).join(" ");

function nearestBand(bands: readonly FittedBand[], hertz: number): FittedBand | null {
  const octaves = (band: FittedBand) => Math.abs(log2(band.hertz / hertz));
  const [nearest] = bands.toSorted((a, b) => octaves(a) - octaves(b));
  return nearest && octaves(nearest) < SAME_BAND_OCTAVES ? nearest : null;
}
