import { hypot, log } from "../audio/exact-math";
import { LINEAR_KINDS } from "./kind/kind";
import type { BenchChannel, ChannelFigures } from "./report";

type Difference = BenchChannel["differs"][number];

/** Channels agree that differ by no more than this, or than so many errors: samples, dB, shares. */
const SAME_SAMPLES = 0.02;
const SAME_GAIN_DB = 0.05;
/** Where phase is not known errors of delays are themselves a guess: so many times them. */
const UNKNOWN_PHASE = 3;
const SAME_CURVE_DB = 0.1;
/** Where a curve is steep, a sweep's end moves it by a share of what it falls by from one frequency to the next but one. */
const STEEP_SHARE = 0.1;
const SIGMAS = 5;
/** Bands are the same whose frequencies lie within a third of an octave, and whose gains within a dB. */
const SAME_BAND_LOG = Math.LN2 / 3;
const SAME_BAND_DB = 1;
const SAME_NOISE_DB = 3;
const SAME_HARMONICS = 1.25;
const LEAST_THD_PERCENT = 0.002;
const SAME_LAW_DB = 0.3;
const SAME_TIME = 0.15;
const SAME_LINK = 0.1;

/** Where phase is not that of a delay and a filter of known kind, its sign says nothing. */
export const isPolarityKnown = ({ phaseKind }: Pick<ChannelFigures, "phaseKind">): boolean =>
  phaseKind !== "mixed" && phaseKind !== "unknown";

/** In what a channel's figures differ from another's, beyond what their errors leave open. */
export function differencesOf(a: ChannelFigures, b: ChannelFigures, delaySamples: number): Difference[] {
  const list: Difference[] = [];
  // What moves by itself has no one delay, and no one gain.
  const isSteady = [a, b].every(({ kind }) => kind.name !== "timeVarying");
  const open = a.latencyErrorSamples + b.latencyErrorSamples;
  const openSamples = SAME_SAMPLES + (isPolarityKnown(a) && isPolarityKnown(b) ? 1 : UNKNOWN_PHASE) * open;
  if (isSteady && Math.abs(delaySamples) > openSamples) list.push("delay");
  if (isPolarityKnown(a) && isPolarityKnown(b) && a.polarity !== b.polarity) list.push("polarity");
  const error = Math.max(middle(a.response.errorDb), middle(b.response.errorDb));
  // Read at two levels, curves hold two gains where gain follows level.
  const isOneLevel = a.responseLevelDbfs === b.responseLevelDbfs;
  if (isSteady && isOneLevel && Math.abs(a.gainDbAt1k - b.gainDbAt1k) > Math.max(SAME_GAIN_DB, SIGMAS * error))
    list.push("gain");
  // One that is linear has its curve at any level, and bands are reported of curves at rest.
  const isComparable = isOneLevel || ([a, b].some(isLinear) && [a, b].some(({ fitted }) => fitted.length > 0));
  if (isComparable && (responsesDiffer(a, b) || bandsDiffer(a, b))) list.push("response");
  const phases = [a.phaseKind, b.phaseKind];
  if (phases[0] !== phases[1] && !phases.includes("unknown")) list.push("phase");
  if (Math.abs((a.noiseFloorDbfs ?? -200) - (b.noiseFloorDbfs ?? -200)) > SAME_NOISE_DB) list.push("noise");
  if (harmonicsDiffer(a, b)) list.push("harmonics");
  if (curvesDiffer(a, b)) list.push("staticCurve");
  if (timesDiffer(a, b)) list.push("times");
  const [one, other] = [a.times?.linkShare ?? null, b.times?.linkShare ?? null];
  if (one !== null && other !== null && Math.abs(one - other) > SAME_LINK) list.push("linking");
  if (a.kind.name !== b.kind.name && a.kind.name !== "unknown" && b.kind.name !== "unknown") list.push("kind");
  return list;
}

const middle = (values: readonly number[]): number => values.toSorted((x, y) => x - y)[values.length >> 1] ?? 0;

const isLinear = ({ kind }: ChannelFigures): boolean => LINEAR_KINDS.includes(kind.name);

/** Whether the forms of two curves differ: a gain is none. */
function responsesDiffer({ response: one }: ChannelFigures, { response: other }: ChannelFigures): boolean {
  const apart = one.magnitudeDb.map((db, i) => db - other.magnitudeDb[i]);
  const usual = middle(apart);
  const most = Math.max(...one.magnitudeDb);
  return apart.some((db, i) => {
    const isHeard =
      one.hertz[i] >= 40 && one.hertz[i] <= 0.9 * one.hertz[one.hertz.length - 1] && one.magnitudeDb[i] > most - 60;
    const steepDb = Math.abs((one.magnitudeDb[i + 1] ?? one.magnitudeDb[i]) - one.magnitudeDb[i - 1]);
    const open = Math.max(SAME_CURVE_DB, STEEP_SHARE * steepDb, SIGMAS * hypot(one.errorDb[i], other.errorDb[i]));
    return isHeard && Math.abs(db - usual) > open;
  });
}

/** Whether bands are reported of one that noise hides of the other, or others: what is reported of both has to be read of each. */
const bandsDiffer = ({ fitted: one }: ChannelFigures, { fitted: other }: ChannelFigures): boolean =>
  one.length !== other.length ||
  one.some(
    (band) =>
      !other.some(
        ({ kind, hertz, gainDb }) =>
          kind === band.kind &&
          Math.abs(log(hertz / band.hertz)) < SAME_BAND_LOG &&
          Math.abs((gainDb ?? 0) - (band.gainDb ?? 0)) < SAME_BAND_DB,
      ),
  );

function harmonicsDiffer({ harmonics: [one] }: ChannelFigures, { harmonics: [other] }: ChannelFigures): boolean {
  const [less, more] = [one.thdPercent ?? 0, other.thdPercent ?? 0].toSorted((x, y) => x - y);
  return more > LEAST_THD_PERCENT && more > SAME_HARMONICS * less;
}

function curvesDiffer({ static: one }: ChannelFigures, { static: other }: ChannelFigures): boolean {
  if (!one && !other) return false;
  const gains = (staticCurve: ChannelFigures["static"]) =>
    new Map((staticCurve?.points ?? []).map((p) => [Math.round(p.inDbfs * 10), p.outDbfs - p.inDbfs]));
  const [a, b] = [gains(one), gains(other)];
  const shared = [...a.keys()].filter((key) => b.has(key));
  if (shared.length === 0) return (one?.points.length ?? 0) + (other?.points.length ?? 0) > 0;
  // The quietest steps may still be let go of: what is loud tells the curve, each re its own highest gain there.
  const loud = shared.filter((key) => key > Math.max(...shared) - LOUD_TENTHS);
  const mostOf = (m: Map<number, number>) => Math.max(...loud.map((key) => m.get(key) ?? 0));
  return loud.some((key) => Math.abs((a.get(key) ?? 0) - mostOf(a) - (b.get(key) ?? 0) + mostOf(b)) > SAME_LAW_DB);
}
/** Tenths of a dB. */
const LOUD_TENTHS = 300;

function timesDiffer({ times: one }: ChannelFigures, { times: other }: ChannelFigures): boolean {
  if (!one || !other) return (one === null) !== (other === null);
  const apart = (a: number | null, b: number | null) =>
    a !== null && b !== null && Math.abs(a - b) > Math.max(0.2, SAME_TIME * Math.max(a, b));
  return apart(one.attackMs, other.attackMs) || apart(one.releaseMs, other.releaseMs);
}
