import { LABELS } from "@/ui/labels";
/** The seven stops, in the order people work, and what each is for. */
export const STOPS = [
  { key: "gather", title: LABELS.gather, purpose: "Bring in renders and settings." },
  { key: "line-up", title: "Line up", purpose: "Align and level-match." },
  { key: "listen", title: "Listen", purpose: "Switch, focus, note." },
  { key: "blind", title: LABELS.blind, purpose: "Test what you hear or prefer." },
  { key: "explain", title: "Explain", purpose: "See what differs and where to listen." },
  { key: "bench", title: LABELS.bench, purpose: "Measure the processors." },
  { key: "findings", title: "Findings", purpose: "Decide, and hand it on." },
] as const;

export type Stop = (typeof STOPS)[number];
export type StopKey = Stop["key"];

export const stopOf = (key: string): Stop | undefined => STOPS.find((stop) => stop.key === key);

export const stopPath = (comparisonId: string, stop: StopKey): string => `/comparison/${comparisonId}/${stop}`;
