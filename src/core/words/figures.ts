/** What a figure is: its definition, what it is measured against, after which source, and how closely it is known. */
export type FigureWords = { title: string; definition: string; reference: string; source: string; error: string };

const MATCH_ERROR = "Levels agree with libebur128 to 0.01 LU.";
const LADDER = "Fitted to the pair, cross-validated";

/** Every figure that the app can be asked about. */
export const FIGURES = {
  levelDifference: {
    title: "Level difference",
    definition: "Integrated loudness of Yonder − Here before matching, over the loop or the passage.",
    reference: "Here; positive means that Yonder is louder",
    source: "ITU-R BS.1770-5; RMS where a stretch is too short for loudness",
    error: MATCH_ERROR,
  },
  delay: {
    title: "Delay",
    definition: "Offset of a render from dry; between Here and Yonder, Yonder − Here.",
    reference: "dry; positive is late",
    source: "Cross-spectra of the loudest segments (Knapp and Carter 1976)",
    error: "The bound stands beside it as ±.",
  },
  drift: {
    title: "Drift",
    definition: "How fast the delay grows along the passage.",
    reference: "dry; positive runs long",
    source: "Line through the delays of sixteen parts",
    error: "Three standard errors of the line stand beside it as ±.",
  },
  polarity: {
    title: "Polarity",
    definition: "Inverted channels and swapped channels, corrected on playback.",
    reference: "dry",
    source: "The polarity and order with the smaller residual",
    error: "Low confidence says where it is not known.",
  },
  confidence: {
    title: "Confidence",
    definition:
      "How well an alignment is supported: lead over the next best place, or agreement of frequencies and parts.",
    reference: "100 % is certain; 50 % at most with a doubt",
    source: "Common practice, no published source",
    error: "Trials: no wrong alignment without a doubt in the last set of 1,079.",
  },
  matchedTo: {
    title: "Matched to",
    definition: "Level of Here and Yonder after matching. Remaining is the mismatch, measured again.",
    reference: "full scale",
    source: "ITU-R BS.1770-5",
    error: MATCH_ERROR,
  },
  nullDepth: {
    title: "Null depth",
    definition: "RMS of the residual at the best gain. More negative is deeper.",
    reference: "Here in the pair bar; dry in Line up and Findings",
    source: "Least squares over the frames that both cover",
    error: "0.1 dB of level limits it to −39 dB, one sample at 1 kHz to −18 dB.",
  },
  levelOffset: {
    title: "Level offset",
    definition: "Level of a render before matching.",
    reference: "dry",
    source: "The match method, as set above",
    error: MATCH_ERROR,
  },
  levelBefore: {
    title: "Before",
    definition: "Level before matching, by the match method.",
    reference: "full scale",
    source: "ITU-R BS.1770-5, or RMS",
    error: MATCH_ERROR,
  },
  matchGain: {
    title: "Gain",
    definition: "Gain that matches the render, the peak limit included.",
    reference: "as delivered",
    source: "Target − level",
    error: MATCH_ERROR,
  },
  levelAfter: {
    title: "After",
    definition: "Level measured again with the gain applied.",
    reference: "full scale",
    source: "ITU-R BS.1770-5, or RMS",
    error: MATCH_ERROR,
  },
  remaining: {
    title: "Remaining",
    definition: "Level mismatch after matching. Above 0.1 LU it could decide a blind run.",
    reference: "dry, matched",
    source: "Measured again after matching",
    error: MATCH_ERROR,
  },
  truePeak: {
    title: "True peak",
    definition: "Highest level between the samples too.",
    reference: "full scale",
    source: "ITU-R BS.1770-5 annex 2, sixteen points per sample near the peak",
    error: "Within 0.1 dB of a sinc of 8,000 samples.",
  },
  balance: {
    title: "R/L balance",
    definition: "Level of the right channel re the left, compared with dry.",
    reference: "the balance of dry; positive leans right",
    source: "RMS of each channel",
    error: "Follows from the samples; rounding alone.",
  },
  residualMatched: {
    title: "Matched",
    definition: "Residual RMS when aligned and level-matched.",
    reference: "the reference render of the table",
    source: LADDER,
    error: "Follows from the samples; rounding alone.",
  },
  improvement: {
    title: "Improvement by a step",
    definition: "How much deeper the residual gets when this step is added. A dash means no improvement.",
    reference: "the residual before the step",
    source: LADDER,
    error: "Steps share what either explains; the causes do not.",
  },
  residual: {
    title: "Residual",
    definition: "What no step explains.",
    reference: "the reference render of the table",
    source: LADDER,
    error: "Not estimated. Cross-validation keeps a fit from flattering it.",
  },
  eqDifference: {
    title: "EQ difference",
    definition: "RMS of the EQ curve over coherent bands, once levels match.",
    reference: "the reference render of the table",
    source: "Welch (1967), coherence above 90 %",
    error: "Not estimated.",
  },
  gainRange: {
    title: "Gain range",
    definition: "Range of the gain over time: 5th to 95th percentile where there is sound.",
    reference: "the reference render of the table",
    source: LADDER,
    error: "Not estimated. Below 0.2 dB it is not shown.",
  },
  crestDifference: {
    title: "Crest factor difference",
    definition: "Change of sample peak re RMS.",
    reference: "the reference render of the table",
    source: "Sample peak − RMS",
    error: "Follows from the samples; rounding alone.",
  },
  phaseKind: {
    title: "Phase",
    definition: "Kind of phase of the fitted EQ: none, minimum, linear, all-pass or mixed.",
    reference: "minimum phase of the same magnitude (by its cepstrum)",
    source: "Oppenheim and Schafer",
    error: "Agreement to 6°; else “not known”.",
  },
  mostAudible: {
    title: "Most audible",
    definition: "Highest chance that the difference is heard, and where. An estimate, never a verdict.",
    reference: "full scale at the playback level you set",
    source: "Ear model of ITU-R BS.1387",
    error: "Not known for single listeners: test it blind.",
  },
} as const satisfies Record<string, FigureWords>;

export type FigureKey = keyof typeof FIGURES;
