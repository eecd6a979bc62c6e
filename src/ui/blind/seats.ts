import type { Run } from "@/core/blind/run";

/** A place that can be heard in the booth: what it is called and its key. Which stimulus sits there is the trial's secret. */
export type Seat = { name: string; key: string };

/** Keys of numbered places; past ten the letters beside them. */
export const SEAT_KEYS = ["1", "2", "3", "4", "5", "6", "7", "8", "9", "0", "q", "w"] as const;

const numbered = (count: number): Seat[] =>
  Array.from({ length: count }, (_, i) => ({ name: String(i + 1), key: SEAT_KEYS[i] }));

/** The seats of every trial of a run, from left to right, the hidden ones alone. */
export function seatsOf({ plan, stimuli }: Run): Seat[] {
  switch (plan.kind) {
    case "abx":
      return ["A", "X", "B"].map((name, i) => ({ name, key: SEAT_KEYS[i] }));
    case "same-different":
    case "pairs":
      return numbered(2);
    case "favourite":
    case "rating":
      return numbered(stimuli.length);
  }
}

/** Heard openly in rating rounds. */
export const REFERENCE_SEAT: Seat = { name: "Reference", key: "r" };

/** What a trial is called: trials where answers are right or wrong, rounds otherwise. */
export const trialWord = ({ plan }: Run): string =>
  plan.kind === "favourite" || plan.kind === "rating" ? "Round" : plan.kind === "pairs" ? "Pairing" : "Trial";
