import { againstTarget } from "@/core/spectrum/against-target";
import type { Averaged } from "@/core/spectrum/averaged";
import { bandCentres } from "@/core/spectrum/bands";
import { bandLevels } from "@/core/spectrum/levels";
import { bandTransfer, COHERENT } from "@/core/spectrum/transfer";
import type { Span } from "@/ui/charts/chart-frame";
import type { LegendLine } from "@/ui/charts/chart-panel";
import { audible } from "@/ui/charts/frequency-axis";
import { nearest } from "@/ui/charts/lines-chart";
import { LINES } from "@/ui/charts/side-lines";

/** Curves are drawn at so many places to the octave, or at their own bands where these are closer. */
const DRAWN_PER_OCTAVE = 24;
/** Of spectra, this far under the loudest is in sight. */
const DEPTH_DB = 90;

/** What a line of the chart is: levels at frequencies, and how far each can be trusted (1 where that is not asked). */
export type SpectrumCurve = LegendLine & {
  key: string;
  hertz: readonly number[];
  levels: Float64Array;
  trust: Float64Array | null;
};

/** Here and Yonder against all of a target, at one loudness. */
export function targetCurves(data: Averaged, target: Averaged, bands: number, hasDry: boolean): SpectrumCurve[] {
  const { hertz, perOctave } = centresOf(Math.min(data.sampleRateHz, target.sampleRateHz), bands, data.points);
  return (["here", "yonder"] as const).map((key, n): SpectrumCurve => {
    const levels = againstTarget(data, hasDry ? n + 1 : n, target, hertz, perOctave);
    return { ...LINES[key], key, title: `${LINES[key].title} re target`, hertz, levels, trust: null };
  });
}

export const centresOf = (rateHz: number, bands: number, points: number): { hertz: number[]; perOctave: number } => {
  const [from, to] = audible(rateHz);
  if (bands > 0) {
    const step = bands <= 3 ? bands : Math.max(bands, DRAWN_PER_OCTAVE);
    return { hertz: bandCentres(step, from, to), perOctave: bands };
  }
  const binHz = rateHz / points;
  const first = Math.max(1, Math.ceil(from / binHz));
  const count = Math.floor(to / binHz) - first + 1;
  // A band much narrower than a bin reads the bin itself.
  return { hertz: Array.from({ length: Math.max(0, count) }, (_, i) => (first + i) * binHz), perOctave: 4000 };
};

export function spectraCurves(
  data: Averaged,
  gains: number[],
  bands: number,
  slope: number,
  kind: "average" | "maximum",
  hasDry: boolean,
): SpectrumCurve[] {
  const { hertz, perOctave } = centresOf(data.sampleRateHz, bands, data.points);
  const binHz = data.sampleRateHz / data.points;
  const keys = hasDry ? (["dry", "here", "yonder"] as const) : (["here", "yonder"] as const);
  // Yonder comes over Here, so that its dashes show both where they are one.
  return keys.map((key, s): SpectrumCurve => {
    const powers = (kind === "average" ? data.powers : data.maxima)[s];
    const levels = bandLevels(powers, binHz, hertz, perOctave).map(
      (level, i) => level + gains[s] + slope * Math.log2(hertz[i] / 1000),
    );
    return { ...LINES[key], key, hertz, levels, trust: null };
  });
}

export function transferCurves(data: Averaged, gains: number[], bands: number, mode: "apart" | "dry"): SpectrumCurve[] {
  const { hertz, perOctave } = centresOf(data.sampleRateHz, bands, data.points);
  const against = (to: number): { levels: Float64Array; trust: Float64Array } => {
    const { differenceDb, coherence } = bandTransfer(data, to, hertz, perOctave);
    return { levels: differenceDb.map((db) => db + gains[to] - gains[0]), trust: coherence };
  };
  if (mode === "apart") return [{ ...LINES.apart, key: "apart", hertz, ...against(1) }];
  const [here, yonder] = [against(1), against(2)];
  return [
    { ...LINES.here, key: "here", title: "Here re dry", hertz, ...here },
    { ...LINES.yonder, key: "yonder", title: "Yonder re dry", hertz, ...yonder },
    {
      ...LINES.apart,
      key: "apart",
      title: "Yonder − Here",
      hertz,
      levels: yonder.levels.map((db, i) => db - here.levels[i]),
      trust: yonder.trust.map((t, i) => Math.min(t, here.trust[i])),
    },
  ];
}

/** What is in sight: round steps about all that can be trusted; of a spectrum what lies not too far under its loudest. */
export function levelsOf(curves: readonly SpectrumCurve[], isRelative: boolean): Span {
  const all = curves.flatMap(({ levels, trust }) =>
    [...levels].filter((db, i) => Number.isFinite(db) && (!trust || trust[i] >= COHERENT)),
  );
  if (all.length === 0) return isRelative ? [-6, 6] : [-90, 0];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  if (!isRelative) {
    const top = Math.ceil((high + 3) / 6) * 6;
    return [Math.max(Math.floor((low - 3) / 6) * 6, top - DEPTH_DB), top];
  }
  const room = 0.12 * Math.max(2, high - low);
  const step = high - low > 20 ? 6 : high - low > 8 ? 3 : 1;
  return [Math.floor((Math.min(0, low) - room) / step) * step, Math.ceil((Math.max(0, high) + room) / step) * step];
}

export function tableOf(curves: readonly SpectrumCurve[], isRelative: boolean) {
  const unit = isRelative ? "dB" : "dBFS";
  return {
    columns: [
      "Frequency, Hz",
      ...curves.flatMap(({ title, trust }) => [`${title}, ${unit}`, ...(trust ? [`${title}, coherence`] : [])]),
    ],
    // Kept curves may stand at other frequencies than those that are shown.
    rows: (curves.at(-1)?.hertz ?? []).map((hertz) => [
      Number(hertz.toPrecision(6)),
      ...curves.flatMap((curve) => {
        const i = nearest(curve.hertz, hertz);
        const { levels, trust } = curve;
        return [
          Number.isFinite(levels[i]) ? Number(levels[i].toFixed(3)) : null,
          ...(trust ? [Number(trust[i].toFixed(4))] : []),
        ];
      }),
    ]),
  };
}
