import { amplitudeFromDb } from "../audio/decibels";
import { hypot } from "../audio/exact-math";
import { BENDING_KINDS, type BenchKind } from "./kind/kind";
import { lastRise } from "./read/static-curve";
import { type BenchReport, type BenchTone, KNOWN_DB, knownDbfs, type Withheld } from "./report";

export type Measured = { title: string; report: BenchReport };

/** One difference between two processors; `sizeDb` is what it moves a level by at the most, to say the largest first. Figures are of the first and of the second. */
export type BenchDifference = { sizeDb: number } & (
  | { what: "kind"; kinds: [BenchKind, BenchKind]; crosstalkDb: [number | null, number | null] }
  | { what: "gainOverLevel"; levelDbfs: number; quietDbfs: number; gainsDb: [number, number] }
  | { what: "response"; hertz: number; db: number }
  | { what: "harmonics"; levelDbfs: number; thdPercent: [number | null, number | null] }
  | { what: "latency"; milliseconds: number }
);

/** Less than this is the same: gain over level and curves (dB), and the share of each other's harmonics. */
const SAME_GAIN_DB = 0.3;
const SAME_CURVE_DB = 0.1;
const SAME_HARMONICS = 1.25;
const LEAST_PERCENT = 0.001;
/** A tone less than this over the noise is not compared; where none is known, it is this low. */
const OVER_FLOOR_DB = 10;
const SILENT_DBFS = -200;
/** What noise as strong as a tone moves it by at the most (dB): three standard deviations of the difference of two, each read over 700 frames or more. */
const NOISE_MOVES_DB = 1.4;
const HIGHEST_HZ = 20_000;
const LOWEST_HZ = 20;
const HIGHEST_PART = 0.46;
/** One percent of harmonics moves a level by so much at the most (dB). */
const DB_PER_PERCENT = 0.087;

/** What sets two processors apart by their measurements, the largest first; none where nothing does. */
export function compareReports(a: Measured, b: Measured): BenchDifference[] {
  const [one, other] = [a.report, b.report];
  const list = [gains(one, other), curves(one, other), harmonics(one, other), latencies(one, other)].filter(
    (d) => d !== null,
  );
  const [kind, otherKind] = [one.kind.name, other.kind.name];
  const differ = kind !== otherKind && kind !== "unknown" && otherKind !== "unknown";
  const sorted = list.toSorted((x, y) => y.sizeDb - x.sizeDb);
  return differ
    ? [
        {
          what: "kind",
          kinds: [kind, otherKind],
          crosstalkDb: [one.crosstalkDb, other.crosstalkDb],
          sizeDb: sorted[0]?.sizeDb ?? 0,
        },
        ...sorted,
      ]
    : sorted;
}

/** Tones of the ladder near 1 kHz: the long one's frequency at rising levels. */
const ladderOf = ({ harmonics: [deep, ...others] }: BenchReport): BenchTone[] =>
  others.filter((t) => Math.abs(t.hertz - deep.hertz) < 0.01 * deep.hertz);

/** A ladder's gains, from the level at which it has released earlier sounds: a gain that is still coming back is no gain over level. Of a curve without memory all of them. */
function gainsAtRest(report: BenchReport): { levelDbfs: number; gainDb: number }[] {
  const floorDbfs = report.noiseFloorDbfs ?? SILENT_DBFS;
  const steps = ladderOf(report).flatMap((tone) => {
    const outDbfs = knownDbfs(tone);
    return outDbfs === null || tone.levelDbfs <= floorDbfs + OVER_FLOOR_DB
      ? []
      : [{ levelDbfs: tone.levelDbfs, gainDb: outDbfs - tone.levelDbfs, outDbfs }];
  });
  if (steps.length === 0 || BENDING_KINDS.includes(report.kind.name)) return steps;
  const errorsDb = steps.map(({ outDbfs }) => NOISE_MOVES_DB * amplitudeFromDb(floorDbfs - outDbfs));
  return steps.slice(
    lastRise(
      steps.map(({ gainDb }) => gainDb),
      errorsDb,
    ),
  );
}

/** Where gain over level parts most, each against its own at the quietest level at which both are at rest. */
function gains(a: BenchReport, b: BenchReport): BenchDifference | null {
  const others = gainsAtRest(b);
  const shared = gainsAtRest(a).flatMap(({ levelDbfs, gainDb }) => {
    const other = others.find((step) => step.levelDbfs === levelDbfs);
    return other ? [{ levelDbfs, gainsDb: [gainDb, other.gainDb] as [number, number] }] : [];
  });
  const [quiet] = shared;
  if (!quiet) return null;
  const moved = shared.map(({ levelDbfs, gainsDb }) => ({
    levelDbfs,
    gainsDb: [gainsDb[0] - quiet.gainsDb[0], gainsDb[1] - quiet.gainsDb[1]] as [number, number],
  }));
  const apartOf = (m: (typeof moved)[number]) => Math.abs(m.gainsDb[0] - m.gainsDb[1]);
  const most = moved.reduce((x, y) => (apartOf(y) > apartOf(x) ? y : x));
  return apartOf(most) < SAME_GAIN_DB
    ? null
    : { what: "gainOverLevel", ...most, quietDbfs: quiet.levelDbfs, sizeDb: apartOf(most) };
}

const holdsGain = (figure: Withheld["figure"], reason: Withheld["reason"]): boolean =>
  figure === "bands" && (reason === "gainMoves" || reason === "slow");

/** Where the two curves part most, once each stands at 0 dB in the middle: a gain is no curve. */
function curves(
  { response: one, signal, withheld }: BenchReport,
  { response: other, signal: otherSignal, withheld: otherWithheld }: BenchReport,
): BenchDifference | null {
  // A gain that moved along the sweep stands in the response: where that began is no difference of curves.
  if ([...withheld, ...otherWithheld].some(({ figure, reason }) => figure === "response" || holdsGain(figure, reason)))
    return null;
  const highest = Math.min(HIGHEST_HZ, HIGHEST_PART * Math.min(signal.sampleRateHz, otherSignal.sampleRateHz));
  // Responses are reported at the same places, up to where each goes; what noise hides of either is no difference.
  const isKnown = (i: number) => one.errorDb[i] < KNOWN_DB && other.errorDb[i] < KNOWN_DB;
  const apart = one.hertz.flatMap((hertz, i) =>
    hertz >= LOWEST_HZ && hertz <= highest && i < other.hertz.length && isKnown(i)
      ? [
          {
            hertz,
            db: one.magnitudeDb[i] - other.magnitudeDb[i],
            errorDb: hypot(one.errorDb[i], other.errorDb[i]),
          },
        ]
      : [],
  );
  if (apart.length === 0) return null;
  const middle = apart.map(({ db }) => db).toSorted((x, y) => x - y)[apart.length >> 1];
  const most = apart.reduce((top, here) => (Math.abs(here.db - middle) > Math.abs(top.db - middle) ? here : top));
  const db = most.db - middle;
  return Math.abs(db) < Math.max(SAME_CURVE_DB, 5 * most.errorDb)
    ? null
    : { what: "response", hertz: most.hertz, db, sizeDb: Math.abs(db) };
}

function harmonics(a: BenchReport, b: BenchReport): BenchDifference | null {
  if ([a, b].some(({ withheld }) => withheld.some(({ figure }) => figure === "harmonics"))) return null;
  const [[one], [other]] = [a.harmonics, b.harmonics];
  if (one.levelDbfs !== other.levelDbfs) return null;
  const [less, more] = [one.thdPercent ?? 0, other.thdPercent ?? 0].toSorted((x, y) => x - y);
  if (more < LEAST_PERCENT || more < SAME_HARMONICS * less) return null;
  return {
    what: "harmonics",
    levelDbfs: one.levelDbfs,
    thdPercent: [one.thdPercent, other.thdPercent],
    sizeDb: DB_PER_PERCENT * (more - less),
  };
}

function latencies(a: BenchReport, b: BenchReport): BenchDifference | null {
  if (a.latencySamples === null || b.latencySamples === null) return null;
  const [one, other] = [a, b].map((r) => (1000 * (r.latencySamples ?? 0)) / r.signal.sampleRateHz);
  const apart = Math.abs(a.latencySamples - b.latencySamples);
  if (apart < Math.max(0.5, 2 * (a.latencyErrorSamples + b.latencyErrorSamples))) return null;
  return { what: "latency", milliseconds: one - other, sizeDb: 0 };
}
