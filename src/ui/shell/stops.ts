/** The seven stops, in the order people work. */
export const STOPS = [
  { key: "gather", title: "Gather" },
  { key: "line-up", title: "Line up" },
  { key: "listen", title: "Listen" },
  { key: "blind", title: "Blind" },
  { key: "explain", title: "Explain" },
  { key: "bench", title: "Bench" },
  { key: "findings", title: "Findings" },
] as const;

export type Stop = (typeof STOPS)[number];
export type StopKey = Stop["key"];

export const stopOf = (key: string): Stop | undefined => STOPS.find((stop) => stop.key === key);

export const stopPath = (comparisonId: string, stop: StopKey): string => `/comparison/${comparisonId}/${stop}`;
