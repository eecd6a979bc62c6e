/** Why a figure is missing, beside its dash. */
export const MISSING = {
  measuring: "being measured",
  noLevel: "no level: silent, too short or too quiet",
  noPeak: "no true peak: silent",
  notAligned: "no null: a render is not aligned",
  hereSilent: "no null: Here is silent",
  noImprovement: "no improvement by this step",
  noDynamics: "not known: one render is silent",
  notMeasured: "not measured",
  noLift: "no lift: peaks reach the limit, or it is loud enough",
  noMoment: "no moment: nothing to hear by this estimate",
  noLinking: "one channel: no linking",
  noBalance: "mono: no R/L balance",
  nothingPlayed: "nothing was played in the last 3 s",
  oneGrade: "one round gives no interval",
  noGrade: "not graded yet",
} as const;
