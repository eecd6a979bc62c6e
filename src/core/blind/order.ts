import { z } from "zod";
import { type Plan, pairCount, trialCount } from "./plan";

/** Which stimulus is heard on each seat, trial by trial: the hidden part of a run. */
export const orderSchema = z.array(z.array(z.number().int().min(0)));
export type Order = z.infer<typeof orderSchema>;

/** A source of random bytes, 0 to 255, each as likely. */
export type Bytes = (count: number) => Uint8Array;

/** A whole number from 0 to `below` − 1, each as likely: bytes that would favour some are drawn again. */
function drawBelow(below: number, bytes: Bytes): number {
  const most = 256 - (256 % below);
  for (;;) {
    const [byte] = bytes(1);
    if (byte < most) return byte % below;
  }
}

/** All of them in an order drawn from `bytes`, each as likely (Fisher and Yates; Durstenfeld 1964). */
export function shuffled<T>(items: readonly T[], bytes: Bytes): T[] {
  const result = [...items];
  for (let last = result.length - 1; last > 0; last--) {
    const other = drawBelow(last + 1, bytes);
    [result[last], result[other]] = [result[other], result[last]];
  }
  return result;
}

const range = (count: number): number[] => Array.from({ length: count }, (_, i) => i);

const allPairs = (stimuli: number): number[][] =>
  range(stimuli).flatMap((a) => range(stimuli - a - 1).map((i) => [a, a + 1 + i]));

/** The seats of one ABX trial: A, X, B. */
const abxSeats = (x: number): number[] => [0, x, 1];

/** Draws the whole hidden order of a run over so many stimuli. */
export function drawOrder(plan: Plan, stimuli: number, bytes: Bytes): Order {
  switch (plan.kind) {
    case "abx":
      return range(plan.trials).map(() => abxSeats(drawBelow(2, bytes)));
    case "same-different":
      return range(plan.trials).map(() => [drawBelow(2, bytes), drawBelow(2, bytes)]);
    case "favourite":
    case "rating":
      return range(plan.rounds).map(() => shuffled(range(stimuli), bytes));
    case "pairs":
      return range(plan.rounds).flatMap(() => shuffled(allPairs(stimuli), bytes).map((pair) => shuffled(pair, bytes)));
  }
}

const isShuffle = (seats: readonly number[], stimuli: number): boolean =>
  seats.length === stimuli && new Set(seats).size === stimuli && seats.every((s) => s < stimuli);

/** Whether an order could have been drawn for a plan: so many trials, the seats each form has. */
export function orderFits(plan: Plan, stimuli: number, order: Order): boolean {
  if (order.length !== trialCount(plan, stimuli)) return false;
  const isSide = (s: number) => s === 0 || s === 1;
  switch (plan.kind) {
    case "abx":
      return order.every((seats) => seats.length === 3 && seats[0] === 0 && seats[2] === 1 && isSide(seats[1]));
    case "same-different":
      return order.every((seats) => seats.length === 2 && seats.every(isSide));
    case "favourite":
    case "rating":
      return order.every((seats) => isShuffle(seats, stimuli));
    case "pairs":
      return range(plan.rounds).every((round) => {
        const count = pairCount(stimuli);
        const meetings = order.slice(round * count, (round + 1) * count);
        const met = new Set(meetings.map((seats) => [...seats].sort((a, b) => a - b).join()));
        return (
          met.size === count && meetings.every((s) => s.length === 2 && s[0] !== s[1] && s.every((x) => x < stimuli))
        );
      });
  }
}
