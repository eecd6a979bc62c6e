import { dbFromPower } from "../../audio/decibels";
import { pow } from "../../audio/exact-math";
import type { SignalPlan } from "../signal/signal-plan";
import { linePowers } from "./tone-reading";

/** What a loud tone does to quiet lines all over the band. */
export type BesideTone = {
  hertz: number[];
  /** For each loud tone, how much the lines changed by it, dB. */
  tones: { loudHz: number; changeDb: number[] }[];
  /** Nothing moves; all alike; a band between crossovers; a bell at one place. */
  kind: "none" | "whole band" | "split bands" | "bell" | "unclear";
  /** Where split bands end, or where the bell stands. */
  edgesHz: number[];
};

const MOVES_DB = 0.3;
/** Or than so many errors, whichever is more. White noise of one a sample gives so much over the length in each bin (peak power, Hann). */
const SIGMAS = 5;
const HANN_NOISE = 6;
/** A line that comes back more than this under what was sent is not read (dB). */
const THROUGH_DB = 30;
/** Of fewer lines nothing is reported. */
const LEAST_LINES = 8;
/** A line that moves by so much of the most is inside a band, or on top of it. */
const INSIDE = 0.5;
const ON_TOP = 0.85;
/** A band is flat on top over this share of its width; a bell is not. */
const FLAT_SHARE = 0.55;
/** Lines move alike within this part of the middle one; so many of them make it the whole band. */
const ALIKE = 0.25;
const WHOLE_SHARE = 0.75;

const dbToPower = (db: number): number => pow(10, db / 10);

const middleOf = (values: readonly number[]): number => values.toSorted((a, b) => a - b)[values.length >> 1];

/** Reads quiet lines with and without a loud tone beside them: tells a compressor of the whole band from split bands and from a dynamic equalizer. */
export function besideTone(channel: Float32Array, plan: SignalPlan, noisePower: number): BesideTone {
  const { lineBins, lineDbfs, blocks } = plan.beside;
  const rate = plan.form.sampleRateHz;
  const levels = blocks.map(({ startFrame, frames, points }) => {
    const end = startFrame + frames;
    const powers = linePowers(channel.slice(end - points, end));
    return lineBins.map((bin) => dbFromPower(powers[bin] + 1e-20));
  });
  const hertz = lineBins.map((bin) => (bin * rate) / blocks[0].points);
  const tones = blocks.slice(1).map(({ loudBin, points }, i) => ({
    loudHz: ((loudBin ?? 0) * rate) / points,
    // Beside the tone itself its own window spills over.
    // A line that hardly comes through tells nothing.
    changeDb: levels[i + 1].map((db, n) =>
      Math.abs(lineBins[n] - (loudBin ?? 0)) < 6 || levels[0][n] < lineDbfs - THROUGH_DB
        ? Number.NaN
        : db - levels[0][n],
    ),
  }));
  // A line of one amplitude in white noise under a Hann window: two such levels are held against each other.
  const noise = (HANN_NOISE * noisePower) / blocks[0].points;
  const errorDb = 8.686 * Math.sqrt(noise / dbToPower(lineDbfs));
  return { hertz, tones, ...kindOf(hertz, tones, Math.max(MOVES_DB, SIGMAS * errorDb)) };
}

function kindOf(
  hertz: readonly number[],
  tones: BesideTone["tones"],
  movesDb: number,
): Pick<BesideTone, "kind" | "edgesHz"> {
  const readings = tones.flatMap(({ changeDb }) => {
    const all = changeDb.map((db, i) => ({ db, hertz: hertz[i] })).filter(({ db }) => !Number.isNaN(db));
    if (all.length < LEAST_LINES) return [];
    // Where gain follows the loud tone's own turns, lines near it are hidden by what that makes of it.
    const known = all.map((line, i) => ({
      ...line,
      db: middleOf(all.slice(Math.max(0, i - 2), i + 3).map((l) => l.db)),
    }));
    const deepest = known.reduce((a, b) => (Math.abs(b.db) > Math.abs(a.db) ? b : a));
    const inside = known.filter(({ db }) => db / deepest.db > INSIDE);
    // Flatness is reported of the lines as they are: a middle of five would flatten a bell.
    const highest = all.reduce((a, b) => (b.db / deepest.db > a.db / deepest.db ? b : a));
    const own = all.filter(({ db }) => db / highest.db > INSIDE);
    const flat = all.filter(({ db }) => db / highest.db > ON_TOP).length / own.length;
    const middle = middleOf(all.map(({ db }) => db));
    const alike = all.filter(({ db }) => Math.abs(db - middle) < ALIKE * Math.abs(middle));
    const isWhole = Math.abs(middle) > movesDb && alike.length >= WHOLE_SHARE * all.length;
    return [{ known, deepest, highest, inside, flat, isWhole }];
  });
  const moving = readings.filter(({ deepest }) => Math.abs(deepest.db) > movesDb);
  if (moving.length === 0) return { kind: "none", edgesHz: [] };
  if (moving.filter(({ isWhole }) => isWhole).length > moving.length / 2) return { kind: "whole band", edgesHz: [] };
  const strongest = moving.reduce((a, b) => (Math.abs(b.deepest.db) > Math.abs(a.deepest.db) ? b : a));
  if (moving.every((reading) => reading.flat >= FLAT_SHARE && isOneStretch(reading))) {
    const edges = moving.flatMap(({ known, deepest }) => {
      const isInside = known.map(({ db }) => db / deepest.db > INSIDE);
      const [first, last] = [isInside.indexOf(true), isInside.lastIndexOf(true)];
      return [
        ...(first > 0 ? [crossing(known, first - 1, deepest.db)] : []),
        ...(last < known.length - 1 ? [crossing(known, last, deepest.db)] : []),
      ];
    });
    return { kind: "split bands", edgesHz: merged(edges) };
  }
  // A bell stands where it stands, whatever sets it off.
  const [lowest, highest] = [
    Math.min(...moving.map((m) => m.highest.hertz)),
    Math.max(...moving.map((m) => m.highest.hertz)),
  ];
  if (highest / lowest < 1.3 && isOneStretch(strongest) && endsInSight(strongest))
    return { kind: "bell", edgesHz: [strongest.highest.hertz] };
  return { kind: "unclear", edgesHz: [] };
}

/** Where a change passes half of its depth between two neighbours. */
function crossing(lines: readonly { db: number; hertz: number }[], i: number, depthDb: number): number {
  const [a, b] = [lines[i], lines[i + 1]];
  const share = (INSIDE * depthDb - a.db) / (b.db - a.db);
  return a.hertz * pow(b.hertz / a.hertz, Math.min(1, Math.max(0, share)));
}

/** Whether what moves lies together. */
const isOneStretch = ({ inside, known }: { inside: { hertz: number }[]; known: { hertz: number }[] }): boolean => {
  const within = known.filter((k) => k.hertz >= inside[0].hertz && k.hertz <= inside[inside.length - 1].hertz);
  return within.length - inside.length <= 1;
};

/** Whether what moves ends below the highest line and above the lowest: what goes on beyond them may be no bell. */
const endsInSight = ({ known, deepest }: { known: { db: number }[]; deepest: { db: number } }): boolean =>
  [known[0], known[known.length - 1]].every(({ db }) => db / deepest.db < INSIDE);

/** Edges that are found from both sides are one, in the middle. */
function merged(edges: readonly number[]): number[] {
  const output: number[] = [];
  for (const edge of edges.toSorted((a, b) => a - b)) {
    const last = output.at(-1);
    if (last !== undefined && edge / last < 1.6) output[output.length - 1] = Math.sqrt(last * edge);
    else output.push(edge);
  }
  return output;
}
