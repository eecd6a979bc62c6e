import type { Exception } from "../survey/survey";
import type { CauseFound } from "./causes";
import type { Placed } from "./ladder-schema";
import type { LeftPart } from "./residual-parts";
import type { MovedSide } from "./routing";

/** A delay under this is none: alignments are hardly surer (samples). */
const LEAST_DELAY_SAMPLES = 0.05;
/** What two delays, of all and of a side, may be off together. */
const SIDE_ERROR_SAMPLES = 0.2;
/** Beside an equalizer, less than this is that one's phase as well as a delay: half a sample at 48 kHz, and no less than that at any rate; */
const LEAST_BESIDE_EQ_SECONDS = 1e-5;
const LEAST_BESIDE_EQ_SAMPLES = 0.5;
/** or so much, where it is no whole number of samples: a shelf in the lows turns phases by as much (by trial), and a delay by design seldom is so short. */
const LEAST_BROKEN_SECONDS = 5e-5;
const WHOLE_SAMPLES = 0.02;
/** The least delay that is reported beside an equalizer, samples. */
export function leastDelayBesideEq(sampleRateHz: number, delaySamples: number): number {
  const isWhole = Math.abs(delaySamples - Math.round(delaySamples)) < WHOLE_SAMPLES;
  return Math.max(LEAST_BESIDE_EQ_SAMPLES, (isWhole ? LEAST_BESIDE_EQ_SECONDS : LEAST_BROKEN_SECONDS) * sampleRateHz);
}
/** Noise under this is not reported as added (dB re Yonder): a fit leaves as much. */
const LEAST_NOISE_DB = -70;

/** An offset under this (−80 dBFS) is taken off and not reported: a recording's own wanders by as much. */
const LEAST_OFFSET_TOLD = 1e-4;

export function offsetCauses(found: readonly number[], channels: number): CauseFound[] {
  const offsets = found.map((v) => (Math.abs(v) < LEAST_OFFSET_TOLD ? 0 : v));
  if (offsets.every((v) => v === 0)) return [];
  const [left, right] = offsets;
  const isBoth = channels < 2 || offsets.every((v) => v !== 0);
  return [
    {
      cause: "dc",
      channels: isBoth ? "both" : left !== 0 ? "left" : "right",
      worthDb: null,
      fullScale: left !== 0 ? left : right,
    },
  ];
}

export function placedCauses(
  { delaySamples, polarity, polarityRight = polarity, swapped = false, driftPpm }: Placed,
  { side, samples }: MovedSide = { side: "right", samples: 0 },
  least = LEAST_DELAY_SAMPLES,
): CauseFound[] {
  const causes: CauseFound[] = [];
  const delay = (channels: "both" | "left" | "right", late: number) => {
    if (Math.abs(late) >= least) causes.push({ cause: "delay", channels, worthDb: null, samples: late });
  };
  if (samples === 0) delay("both", delaySamples);
  else {
    // The render was laid by one side; the other one's delay is reported against Here, too.
    const [moved, other] = [delaySamples + samples, delaySamples];
    const otherSide = side === "left" ? "right" : "left";
    if (Math.abs(moved) < Math.max(least, SIDE_ERROR_SAMPLES)) delay(otherSide, other);
    else if (Math.abs(other) < Math.max(least, SIDE_ERROR_SAMPLES)) delay(side, moved);
    else {
      delay("both", other);
      delay(side, samples);
    }
  }
  if (driftPpm) causes.push({ cause: "drift", channels: "both", worthDb: null, ppm: driftPpm });
  if (polarity === -1 || polarityRight === -1) {
    const channels = polarity === polarityRight ? "both" : polarity === -1 ? "left" : "right";
    causes.push({ cause: "polarity", channels, worthDb: null });
  }
  if (swapped) causes.push({ cause: "swap", channels: "both", worthDb: null });
  return causes;
}

/** A polarity as it is reported beside an all-pass: none where that is another at either end, and the other one where the all-pass itself is inverted. */
export function besideAllPass(placed: Placed, ends: readonly [1 | -1, 1 | -1] | null): Placed {
  const { polarity, polarityRight = polarity } = placed;
  if (!ends || polarity !== polarityRight) return placed;
  const told = ends[0] === ends[1] && ends[0] !== polarity ? -1 : 1;
  return { ...placed, polarity: told, polarityRight: told };
}

export const editCauses = (exceptions: readonly Exception[]): CauseFound[] =>
  exceptions.map(({ what, startSeconds, endSeconds }) => ({
    cause: "edit",
    channels: "both",
    worthDb: null,
    what,
    startSeconds,
    endSeconds,
  }));

/** What the residual says by itself. */
export function residualCauses(kinds: readonly LeftPart[], residualDb: number | null): CauseFound[] {
  const causes: CauseFound[] = [];
  let isTold = false;
  for (const { kind, shareDb, bits, hertz, levelDbfs } of kinds) {
    if (kind === "rounding" || kind === "dither") {
      isTold = true;
      causes.push({
        cause: "wordLength",
        channels: "both",
        worthDb: null,
        bits: bits ?? 16,
        dither: kind === "dither",
      });
    } else if ((kind === "line" || kind === "hum") && hertz !== undefined) {
      causes.push({ cause: kind, channels: "both", worthDb: null, hertz, levelDbfs: levelDbfs ?? -200 });
      if (residualDb !== null && shareDb > residualDb - 1) isTold = true;
    } else if (kind === "noise" && residualDb !== null && shareDb > residualDb - 1.5 && residualDb > LEAST_NOISE_DB) {
      isTold = true;
      causes.push({ cause: "noise", channels: "both", worthDb: null, residualDb: shareDb });
    }
  }
  if (!isTold && residualDb !== null && residualDb > UNEXPLAINED_DB)
    causes.push({ cause: "unexplained", channels: "both", worthDb: null, residualDb });
  return causes;
}
/** A residual above this is reported as unexplained (dB re Yonder). */
const UNEXPLAINED_DB = -30;
