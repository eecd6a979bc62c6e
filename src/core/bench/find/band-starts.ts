import { log } from "../../audio/exact-math";
import type { FittedBand } from "../report";
import type { Band, State } from "./band-model";

const ORDERS = [1, 2, 3, 4, 6, 8];
/** Where a bass and a treble control may stand (Hz); common practice. */
const BASS_HZ = [100, 300];
const TREBLE_HZ = [2000, 6000];

/** Bands as a fit begins with them. */
export const startAt = (known: readonly FittedBand[]): State => ({
  bands: known.map((band): Band => ({ kind: band.kind, order: (band.slopeDbPerOctave ?? 12) / 6 })),
  values: [
    0,
    ...known.flatMap((band) =>
      band.gainDb === null ? [log(band.hertz)] : [log(band.hertz), band.gainDb, log(band.q ?? 1)],
    ),
  ],
  rms: 0,
});

/** A low and a high shelf as they may begin together: at several frequencies, by what the ends lie off the middle. */
export function bassAndTreble(hertz: readonly number[], magnitudeDb: readonly number[]): FittedBand[][] {
  const levelAt = (wanted: number) =>
    magnitudeDb[
      Math.max(
        0,
        hertz.findIndex((hz) => hz >= wanted),
      )
    ];
  const shelf = (kind: "low shelf" | "high shelf", at: number, gainDb: number): FittedBand => ({
    kind,
    hertz: at,
    gainDb,
    q: 0.5,
    slopeDbPerOctave: null,
  });
  return BASS_HZ.flatMap((low) =>
    TREBLE_HZ.map((high) => {
      const middle = levelAt(Math.sqrt(low * high));
      return [
        shelf("low shelf", low, magnitudeDb[0] - middle),
        shelf("high shelf", high, magnitudeDb[magnitudeDb.length - 1] - middle),
      ];
    }),
  );
}

/** Where a further band may begin: a bell at the largest residual, shelves and cuts by the residual at either end. */
export function startsOn(hertz: readonly number[], residual: readonly number[], rateHz: number) {
  const starts: { band: Band; values: number[] }[] = [];
  const n = hertz.length;
  const middle = residual.toSorted((a, b) => a - b)[n >> 1];
  const farthest = (from: number, to: number) => {
    let top = from;
    for (let i = from; i < to; i++) if (Math.abs(residual[i] - middle) > Math.abs(residual[top] - middle)) top = i;
    return top;
  };
  const tops = new Set([farthest(0, n), farthest(0, n >> 1), farthest(n >> 1, n)]);
  for (const top of tops)
    for (const q of [0.7, 4])
      starts.push({ band: { kind: "bell", order: 2 }, values: [log(hertz[top]), residual[top], log(q)] });
  for (const [kind, end, order] of [
    ["low shelf", residual[0], 2],
    ["high shelf", residual[n - 1], 2],
  ] as const) {
    if (Math.abs(end - middle) < 0.02) continue;
    for (const part of kind === "low shelf" ? [0.12, 0.25, 0.4, 0.6] : [0.45, 0.65, 0.8, 0.92])
      starts.push({ band: { kind, order }, values: [log(hertz[Math.floor(part * n)]), end - middle, log(0.71)] });
  }
  for (const kind of ["low cut", "high cut"] as const) {
    const end = kind === "low cut" ? residual[0] : residual[n - 1];
    if (end > middle - 0.1) continue;
    // Where it passes 3 dB.
    const at =
      kind === "low cut" ? residual.findIndex((v) => v > middle - 3) : residual.findLastIndex((v) => v > middle - 3);
    if (at < 0) continue;
    if (end > middle - 3) {
      // Its corner lies beyond what was measured.
      const beyond = kind === "low cut" ? 0.4 * hertz[0] : Math.min(1.8 * hertz[n - 1], 0.499 * rateHz);
      for (const order of [1, 2]) starts.push({ band: { kind, order }, values: [log(beyond)] });
      continue;
    }
    for (const order of ORDERS)
      starts.push({ band: { kind, order }, values: [log(Math.min(hertz[at], 0.49 * rateHz))] });
  }
  return starts;
}
