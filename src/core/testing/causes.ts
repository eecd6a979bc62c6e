import type { CauseFound } from "../ladder/causes";

/** An equalizer on the left channel, for facts of tests. */
export const EQ: CauseFound = {
  cause: "eq",
  channels: "left",
  worthDb: 40,
  hertz: [],
  gainDb: [],
  errorDb: [],
  phase: "minimum",
  bands: [{ kind: "bell", hertz: 140, gainDb: 3, q: 0.8, slopeDbPerOctave: null, errorDb: 0.1 }],
  mostDb: 3,
  mostHertz: 140,
  place: null,
};
const both = { channels: "both", worthDb: null } as const;
/** One of each cause, figures that are easily read. */
export const EACH_CAUSE: CauseFound[] = [
  { ...both, cause: "delay", samples: 64.25 },
  { ...both, cause: "drift", ppm: -3 },
  { ...both, cause: "polarity" },
  { ...both, cause: "swap" },
  { ...both, cause: "balance", balanceDb: 1 },
  { ...both, cause: "width", widthDb: null },
  { ...both, cause: "crosstalk" },
  { ...both, cause: "level", levelDb: -2.7, nullGainDb: -2.7 },
  EQ,
  { ...both, cause: "gainOverTime", rangeDb: 5.21 },
  { ...both, cause: "gainInBands", rangeDb: 3, edgesHertz: [200, 3000] },
  { ...both, cause: "saturation", evenDb: -60, oddDb: -30, aliasing: true, aliasingLeadDb: 6 },
  { ...both, cause: "reverb", seconds: 1.2 },
  { ...both, cause: "echo", milliseconds: 180 },
  { ...both, cause: "dc", fullScale: 0.01 },
  { ...both, cause: "line", hertz: 1234.5, levelDbfs: -60 },
  { ...both, cause: "hum", hertz: 50, levelDbfs: -60 },
  { ...both, cause: "noise", residualDb: -50 },
  { ...both, cause: "wordLength", bits: 16, dither: true },
  { ...both, cause: "coding" },
  { ...both, cause: "edit", what: "muted", startSeconds: 4, endSeconds: 5.5 },
  { ...both, cause: "unexplained", residualDb: -20 },
];
