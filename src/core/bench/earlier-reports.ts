/** A report of the first version as one of this: it read the left channel, took a recording's lead-in for latency, and reported no kind. */
export function reportOfFirstVersion(report: Record<string, unknown>): Record<string, unknown> {
  if (report.schema !== "yonder-pair/bench@1") return report;
  return {
    ...report,
    schema: "yonder-pair/bench@2",
    arrivalSamples: null,
    bandCurves: [],
    kind: { name: "unknown", confidence: 0, residualDb: null, gainErrorDb: null },
    channels: [],
    integrity: [],
    withheld: [
      { figure: "channels", channel: null, reason: "earlierVersion" },
      { figure: "kind", channel: null, reason: "earlierVersion" },
    ],
  };
}

/** A measurement as it was kept before other channels were read and one could be the loop-back. */
export const measurementOfVersion2 = (row: Record<string, unknown>): Record<string, unknown> => ({
  ...row,
  report: reportOfFirstVersion(row.report as Record<string, unknown>),
  isReference: false,
});
