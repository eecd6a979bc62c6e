import { VERDICTS, type Verdict } from "../archive/rows";
import type { Report, ReportedFigures } from "../findings/report";
import type { MatchMethod } from "../matching/match-passage";
import { STEP_TITLES } from "./explain-steps";
import { IDENTICAL_WORDS } from "./identity";
import { METHOD_NAMES } from "./level";
import { clock, listed, NO_FIGURE, number, plural, signed, withUnit } from "./units";

/** The day of an ISO time, as it stands in it. */
export const day = (isoTime: string): string => isoTime.slice(0, 10);

/** "4 passages, 8 candidates and dry", and whether they go by their names. */
export function candidateLine({ passages, candidates, isBlind }: Report): string {
  const others = candidates.filter(({ isDry }) => !isDry).length;
  const dry = others < candidates.length ? " and dry" : "";
  return `${plural(passages.length, "passage")}, ${plural(others, "candidate")}${dry}${isBlind ? "; names blind" : ""}.`;
}

/** When, who, where and how fair. */
export function runLine(run: Report["runs"][number]): string {
  return [
    day(run.at),
    run.listener && `heard by ${run.listener}`,
    run.names.join(", "),
    `${clock(run.fromSeconds)} to ${clock(run.toSeconds)}`,
    `matched by ${METHOD_NAMES[run.matchMethod]}: level offset ${withUnit(signed(run.edge), run.unit)}, remaining ${withUnit(number(run.left, 2), run.unit)}`,
  ]
    .filter(Boolean)
    .join(" · ");
}

/** A person's own words on a candidate, a line for each. */
export const verdictLine = ({ good, bad, price, effort }: Report["verdicts"][number]): string[] =>
  [good && `Good: ${good}`, bad && `Bad: ${bad}`, price && `Price: ${price}`, effort && `Effort: ${effort}`].filter(
    Boolean,
  );

/** Who is first choice, would do, or is not this: overall where that was said, else on which passages. */
export function verdictGroups({ verdicts, passages }: Report): { verdict: Verdict; says: string[] }[] {
  const overall = new Map(verdicts.flatMap((v) => (v.passage === null && v.verdict ? [[v.candidate, v.verdict]] : [])));
  return VERDICTS.map((verdict) => {
    const own = verdicts.filter((v) => v.verdict === verdict && (v.passage === null || !overall.has(v.candidate)));
    return {
      verdict,
      says: [...new Set(own.map((v) => v.candidate))].map((candidate) => {
        if (overall.has(candidate)) return candidate;
        const on = own.flatMap((v) => (v.candidate === candidate && v.passage !== null ? [v.passage] : []));
        return on.length === passages.length && on.length > 1
          ? `${candidate} (all passages)`
          : `${candidate} (${listed(on)})`;
      }),
    };
  }).filter(({ says }) => says.length > 0);
}

type Reported = Report["renders"][number];

const FIGURES: [head: string, cell: (render: Reported) => string][] = [
  ["Passage", ({ passage }) => passage],
  ["Candidate", ({ candidate, isDry }) => (isDry ? `${candidate} (dry)` : candidate)],
  ["Integrated, LUFS", ({ levels }) => number(levels.integratedLufs)],
  ["Loudness range, LU", ({ levels }) => number(levels.rangeLu)],
  ["True peak, dBTP", ({ levels }) => number(levels.truePeakDbtp)],
  ["Crest, dB", ({ levels }) => number(levels.crestDb)],
  ["Level offset, LU", ({ match }) => signed(match.edge)],
  ["Gain, dB", ({ match }) => signed(match.gainDb, 2)],
  ["Matched, LUFS", ({ match }) => number(match.matchedLufs)],
  [
    "Delay, samples",
    ({ alignment }) =>
      alignment ? signed(alignment.delaySamples, Number.isInteger(alignment.delaySamples) ? 0 : 2) : NO_FIGURE,
  ],
  [
    "Null depth re dry, dB",
    ({ nullDb, identical, isDry }) =>
      isDry ? NO_FIGURE : identical === "no" ? number(nullDb) : IDENTICAL_WORDS[identical],
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
    ["drift", alignment?.driftPpm ?? null, "ppm"],
    ["confidence of alignment", alignment?.confidence ?? null, ""],
    ["set by hand", alignment ? String(alignment.isByHand) : null, ""],
    ["match method", match.method, ""],
    ["match gain", match.gainDb, "dB"],
    ["loudness after matching", match.matchedLufs, "LUFS"],
    ["level offset before matching", match.edge, match.unit],
    ["null depth re dry", render.nullDb, "dB"],
    ["identical to the dry render", render.identical === "no" ? "no" : IDENTICAL_WORDS[render.identical], ""],
    ...render.ladder.map(({ step, residualDb }): [string, number | null, string] => [
      `residual after ${STEP_TITLES[step as keyof typeof STEP_TITLES]?.toLowerCase() ?? step}`,
      residualDb,
      "dB",
    ]),
    ["main cause of the difference from dry", render.apart, ""],
  ];
}

/** How figures and odds were found, a sentence each. */
export const methodSentences = (methods: readonly MatchMethod[], isBlind: boolean): string[] => [
  "Dates are UTC.",
  "Every render was aligned to the dry render of its passage: delay, polarity, drift and channel order were found in the sound and corrected.",
  `Levels were matched${methods.length > 0 ? ` by ${listed(methods.map((method) => METHOD_NAMES[method]))}` : ""}.`,
  "Loudness follows ITU-R BS.1770-5 and EBU Tech 3342, true peak BS.1770-5. Mono is measured as played, on both channels.",
  "Level offset is a render's level re dry before matching.",
  "Null depth is the residual RMS re dry at the best gain, over the whole passage.",
  "Blind orders were drawn, and sealed by SHA-256, before the first trial. The digests stand with the runs.",
  "p of correct answers: exact binomial test. p of picks: exact multinomial test. p of grades: Friedman's test.",
  "A difference or preference counts as shown where guessing gets as far in 5 % of cases or fewer. All runs of a question are combined (Fisher) and corrected for all questions asked (Holm 1979).",
  "What was not shown is not proven to be absent. A run with an overruled check shows nothing.",
  ...(isBlind
    ? [
        "Names of candidates are kept blind. Settings, your own words and file formats are left out, for they might reveal names.",
      ]
    : []),
];
