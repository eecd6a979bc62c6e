import { type BenchReport, knownDbfs } from "./report";

type Named = { title: string; report: BenchReport };
type Row = (string | number | null)[];

/** Every figure of some measurements, one a row: what it belongs to, what it is, where it stands, its value and unit, and one standard deviation of it where that is known. */
export function csvRows(measured: readonly Named[]): { columns: string[]; rows: Row[] } {
  const rows = measured.flatMap(({ title, report }) =>
    figuresOf(report).map(
      ([figure, at, value, unit, error]): Row => [
        title,
        figure,
        at,
        value,
        unit,
        value === null ? null : (error ?? null),
      ],
    ),
  );
  return { columns: ["processor", "figure", "at", "value", "unit", "standard deviation"], rows };
}

type Figure = [
  figure: string,
  at: string | number | null,
  value: string | number | null,
  unit: string,
  error?: number | null,
];

function figuresOf(report: BenchReport): Figure[] {
  const { response, static: staticCurve, times } = report;
  return [
    ["signal level", null, report.signal.levelDbfs, "dBFS"],
    ["sample rate", null, report.signal.sampleRateHz, "Hz"],
    ["latency", null, report.latencySamples, "samples", report.latencyErrorSamples],
    ["polarity", null, report.polarity, ""],
    ["gain", "1 kHz", report.gainDbAt1k, "dB"],
    ["clock", null, report.clockPpm, "ppm"],
    ["noise floor", null, report.noiseFloorDbfs, "dBFS"],
    ["crosstalk", null, report.crosstalkDb, "dB"],
    ["transparent", null, report.transparent, ""],
    ["null depth on the sweep", null, report.addsDb, "dB"],
    ["phase", null, report.phaseKind, ""],
    ...report.crossoversHz.map((hertz): Figure => ["crossover or all-pass", null, hertz, "Hz"]),
    ...report.fitted.flatMap((band, i): Figure[] => [
      [`band ${i + 1}, ${band.kind}: frequency`, null, band.hertz, "Hz", band.errors?.hertz],
      [`band ${i + 1}, ${band.kind}: gain`, null, band.gainDb, "dB", band.errors?.gainDb],
      [`band ${i + 1}, ${band.kind}: Q`, null, band.q, "", band.errors?.q],
      [`band ${i + 1}, ${band.kind}: slope`, null, band.slopeDbPerOctave, "dB/oct"],
    ]),
    ...keyFigures(report),
    ...response.hertz.flatMap((hertz, i): Figure[] => [
      ["magnitude", hertz, response.magnitudeDb[i], "dB", response.errorDb[i]],
      ["phase", hertz, response.phaseDegrees[i], "°"],
      ["group delay", hertz, response.groupDelayMs[i], "ms"],
    ]),
    ...[...report.harmonics, ...report.highTones].flatMap((tone): Figure[] => {
      const at = `${Math.round(tone.hertz)} Hz, ${tone.levelDbfs} dBFS`;
      return [
        ["fundamental", at, knownDbfs(tone), "dBFS"],
        ...tone.partialsDb.map((db, n): Figure => [`H${n + 2}`, at, db, "dB", tone.partialErrorsDb[n]]),
        ["THD", at, tone.thdPercent, "%"],
        ["THD+N", at, tone.thdNoisePercent, "%"],
        ["aliased", at, tone.aliasDb, "dB", tone.aliasErrorDb],
      ];
    }),
    ["threshold", null, staticCurve?.thresholdDbfs ?? null, "dBFS", staticCurve?.errors?.thresholdDb],
    ["ratio", null, staticCurve?.ratio ?? null, ":1", staticCurve?.errors?.ratio],
    ["knee", null, staticCurve?.kneeDb ?? null, "dB", staticCurve?.errors?.kneeDb],
    ...(staticCurve?.points ?? []).map(({ inDbfs, outDbfs }): Figure => ["level out", inDbfs, outDbfs, "dBFS"]),
    ["attack to 63 %", null, times?.attackMs ?? null, "ms", times?.errorsMs?.attack],
    ["release to 63 %", null, times?.releaseMs ?? null, "ms", times?.errorsMs?.release],
    ["overshoot", null, times?.overshootDb ?? null, "dB"],
    ["look-ahead", null, times?.lookAheadMs ?? null, "ms", times?.errorsMs?.lookAhead],
    ["hold", null, times?.holdMs ?? null, "ms", times?.errorsMs?.hold],
  ];
}

/** What an external key does, where something takes one. */
const keyFigures = ({ key }: BenchReport): Figure[] =>
  key
    ? [
        ["sidechain step, gain reduction", null, key.reductionDb, "dB"],
        ["sidechain threshold", null, key.thresholdDbfs, "dBFS"],
        ["sidechain ratio", null, key.ratio, ""],
        ["sidechain attack", null, key.attackMs, "ms"],
        ["sidechain release", null, key.releaseMs, "ms"],
        ...key.levels.map(({ keyDbfs, gainDb }): Figure => ["gain vs sidechain level", keyDbfs, gainDb, "dB"]),
        ...key.frequencies.map(({ hertz, gainDb }): Figure => ["gain vs sidechain frequency", hertz, gainDb, "dB"]),
      ]
    : [];
