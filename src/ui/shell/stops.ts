/** The seven stops, in the order people work. */
export const STOPS = [
  { key: "gather", title: "Gather", planned: null },
  { key: "line-up", title: "Line up", planned: null },
  { key: "listen", title: "Listen", planned: null },
  { key: "blind", title: "Blind", planned: null },
  { key: "explain", title: "Explain", planned: null },
  {
    key: "bench",
    title: "Bench",
    planned:
      "Here a processor will be measured with test signals: response, phase, harmonics, aliasing, level law, time constants and noise.",
  },
  { key: "findings", title: "Findings", planned: null },
] as const;

export type Stop = (typeof STOPS)[number];
export type StopKey = Stop["key"];

export const stopOf = (key: string): Stop | undefined => STOPS.find((stop) => stop.key === key);

export const stopPath = (comparisonId: string, stop: StopKey): string => `/comparison/${comparisonId}/${stop}`;
