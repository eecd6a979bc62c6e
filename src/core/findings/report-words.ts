import { IDENTICAL_WORDS } from "../words/identity";
import type { Report, ReportedFigures } from "./report";

const MINUS = "−";
const NONE = "–";

/** A number with a real minus sign; a dash where there is none. */
export const figureText = (value: number | null, decimals = 1): string =>
  value === null
    ? NONE
    : `${value < 0 && Number(value.toFixed(decimals)) !== 0 ? MINUS : ""}${Math.abs(value).toFixed(decimals)}`;

const signedText = (value: number | null, decimals = 1): string => {
  const text = figureText(value, decimals);
  return value !== null && value > 0 && Number(text) !== 0 ? `+${text}` : text;
};

/** The day of an ISO time, as it stands in it. */
export const day = (isoTime: string): string => isoTime.slice(0, 10);

/** "4 passages, 8 candidates beside the dry one", and whether they go by their names. */
export function candidateLine({ passages, candidates, isBlind }: Report): string {
  const count = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;
  const others = candidates.filter(({ isDry }) => !isDry).length;
  const dry = others < candidates.length ? " beside the dry one" : "";
  return `${count(passages.length, "passage")}, ${count(others, "candidate")}${dry}${isBlind ? ", under blind names" : ""}.`;
}

/** When, who, where and how fair. */
export function runLine(run: Report["runs"][number]): string {
  return [
    day(run.at),
    run.listener && `heard by ${run.listener}`,
    run.names.join(", "),
    `${run.fromSeconds.toFixed(1)} to ${run.toSeconds.toFixed(1)} s`,
    `matched by ${run.matchMethod}: ${signedText(run.edge)} ${run.unit} before, ${figureText(run.left, 2)} ${run.unit} left`,
  ]
    .filter(Boolean)
    .join(" · ");
}

/** A person's own words on a candidate, a line for each. */
export const verdictLine = ({ good, bad, price, effort }: Report["verdicts"][number]): string[] =>
  [good && `Good: ${good}`, bad && `Bad: ${bad}`, price && `Price: ${price}`, effort && `Effort: ${effort}`].filter(
    Boolean,
  );

type Reported = Report["renders"][number];

const FIGURES: [head: string, cell: (render: Reported) => string][] = [
  ["Passage", ({ passage }) => passage],
  ["Candidate", ({ candidate, isDry }) => (isDry ? `${candidate} (dry)` : candidate)],
  ["LUFS", ({ levels }) => figureText(levels.integratedLufs)],
  ["LRA, LU", ({ levels }) => figureText(levels.rangeLu)],
  ["dBTP", ({ levels }) => figureText(levels.truePeakDbtp)],
  ["Crest, dB", ({ levels }) => figureText(levels.crestDb)],
  ["Edge", ({ match }) => signedText(match.edge)],
  ["Gain, dB", ({ match }) => signedText(match.gainDb, 2)],
  ["Matched, LUFS", ({ match }) => figureText(match.matchedLufs)],
  [
    "Delay, smp",
    ({ alignment }) =>
      alignment ? signedText(alignment.delaySamples, Number.isInteger(alignment.delaySamples) ? 0 : 2) : NONE,
  ],
  [
    "Null, dB",
    ({ nullDb, identical, isDry }) =>
      isDry ? NONE : identical === "no" ? figureText(nullDb) : IDENTICAL_WORDS[identical],
  ],
];

export const figureHeads = (): string[] => FIGURES.map(([head]) => head);
export const figureCells = (render: Reported): string[] => FIGURES.map(([, cell]) => cell(render));

/** Every figure of a render with its name and unit, for tables that people reckon with. */
export function everyFigure(render: ReportedFigures): [figure: string, value: string | number | null, unit: string][] {
  const { levels, alignment, match } = render;
  return [
    ["sample rate", render.sampleRateHz, "Hz"],
    ["channels", render.channelCount, ""],
    ["length", render.seconds, "s"],
    ["encoding", render.encoding, ""],
    ["integrated loudness", levels.integratedLufs, "LUFS"],
    ["loudness range", levels.rangeLu, "LU"],
    ["highest momentary loudness", levels.maxMomentaryLufs, "LUFS"],
    ["highest short-term loudness", levels.maxShortTermLufs, "LUFS"],
    ["true peak", levels.truePeakDbtp, "dBTP"],
    ["sample peak", levels.samplePeakDbfs, "dBFS"],
    ["RMS", levels.rmsDbfs, "dBFS"],
    ["crest factor", levels.crestDb, "dB"],
    ["delay", alignment?.delaySamples ?? null, "samples"],
    ["delay error", alignment?.delayErrorSamples ?? null, "samples"],
    ["polarity, left", alignment?.polarityLeft ?? null, ""],
    ["polarity, right", alignment?.polarityRight ?? null, ""],
    ["left and right swapped", alignment ? String(alignment.isSwapped) : null, ""],
    ["clock", alignment?.driftPpm ?? null, "ppm"],
    ["confidence of its place", alignment?.confidence ?? null, ""],
    ["set by hand", alignment ? String(alignment.isByHand) : null, ""],
    ["match method", match.method, ""],
    ["match gain", match.gainDb, "dB"],
    ["loudness with that gain", match.matchedLufs, "LUFS"],
    ["edge before matching", match.edge, match.unit],
    ["null over the dry render", render.nullDb, "dB"],
    ["identical to the dry render", render.identical === "no" ? "no" : IDENTICAL_WORDS[render.identical], ""],
    ...render.ladder.map(({ step, residualDb }): [string, number | null, string] => [
      `left after ${step}`,
      residualDb,
      "dB",
    ]),
    ["what sets it apart", render.apart, ""],
  ];
}
