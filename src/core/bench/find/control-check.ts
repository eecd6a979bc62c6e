import type { Chain } from "../../processors/chain";
import { type Band, equalizerParameters } from "../../processors/equalizer-bands";
import { processorOf } from "../../processors/registry";
import type { BenchReport, FittedBand } from "../report";
import { refittedBands } from "./fit-bands";

/** One band of a panel beside what was measured. Errors are of what was measured over what the controls say. */
export type ControlRow = {
  control: FittedBand;
  measured: FittedBand;
  hertzErrorPercent: number;
  gainErrorDb: number | null;
  qErrorPercent: number | null;
};

export type ControlCheck = {
  rows: ControlRow[];
  /** What the panel's bands leave of the measured curve once each is brought as near as it comes, dB at the most. */
  mostLeftDb: number;
  realised: "analogue" | "bilinear";
};

/** What the panel of a chain says: bands of its equalizers that do anything; null where it has none, or where they do not work on both sides. */
function controlOf(chain: Chain): FittedBand[] | null {
  const bands: FittedBand[] = [];
  for (const { processorKey, settings } of chain) {
    if (!(processorOf(processorKey)?.family === "equalizer")) continue;
    const parsed = equalizerParameters.safeParse(settings);
    if (!parsed.success || parsed.data.route !== "both sides") return null;
    for (const band of parsed.data.bands) {
      const isCut = band.kind.endsWith("cut");
      const gainDb = (band.gainDb * parsed.data.amountPercent) / 100;
      if (isCut || gainDb !== 0) bands.push(asFitted(band, gainDb, isCut));
    }
  }
  return bands.length > 0 ? bands : null;
}

const asFitted = (band: Band, gainDb: number, isCut: boolean): FittedBand => ({
  kind: band.kind,
  hertz: band.frequencyHz,
  gainDb: isCut ? null : gainDb,
  q: isCut ? null : band.q,
  slopeDbPerOctave: isCut ? band.slopeDbPerOctave : null,
});

/** Holds what a chain's controls say against its measured response; null where the panel has no bands. */
export function controlCheck(chain: Chain, { response, signal }: BenchReport): ControlCheck | null {
  const control = controlOf(chain);
  if (!control) return null;
  const fit = refittedBands(control, response.hertz, response.magnitudeDb, signal.sampleRateHz);
  return {
    rows: control.map((said, i): ControlRow => {
      const measured = fit.bands[i];
      const percent = (is: number, was: number) => 100 * (is / was - 1);
      return {
        control: said,
        measured,
        hertzErrorPercent: percent(measured.hertz, said.hertz),
        gainErrorDb: said.gainDb === null ? null : (measured.gainDb ?? 0) - said.gainDb,
        qErrorPercent: said.q === null ? null : percent(measured.q ?? 0, said.q),
      };
    }),
    mostLeftDb: fit.mostDb,
    realised: fit.realised ?? "analogue",
  };
}
