import type { BenchReport } from "./report";
import { decibels, frequency, percent, withDigits } from "./words";

export type Measured = { title: string; report: BenchReport };

/** Less than this is the same: gain reduction and curves (dB), and the share of each other's harmonics. */
const SAME_REDUCTION_DB = 0.3;
const SAME_CURVE_DB = 0.1;
const SAME_HARMONICS = 1.25;
const LEAST_PERCENT = 0.001;
const HIGHEST_HZ = 20_000;
const LOWEST_HZ = 20;
const HIGHEST_PART = 0.46;

/** What two processors do differently by their measurements, in sentences; none where nothing sets them apart. */
export function measuredApart(a: Measured, b: Measured): string[] {
  return [reductions(a, b), curves(a, b), harmonics(a, b), latencies(a, b)].filter((sentence) => sentence !== null);
}

function reductions(a: Measured, b: Measured): string | null {
  const [one, other] = [a, b].map(({ report }) => report.times?.reductionDb);
  if (one === undefined || other === undefined || a.report.signal.levelDbfs !== b.report.signal.levelDbfs) return null;
  if (Math.abs(one - other) < SAME_REDUCTION_DB) return null;
  return `The same step takes ${decibels(one)} off in ${a.title}, ${decibels(other)} in ${b.title}.`;
}

/** Where the two curves part most, once each stands at 0 dB in the middle: a gain is no curve. */
function curves(a: Measured, b: Measured): string | null {
  const highest = Math.min(HIGHEST_HZ, HIGHEST_PART * Math.min(...[a, b].map((m) => m.report.signal.sampleRateHz)));
  // Responses are told at the same places, up to where each goes.
  const [one, other] = [a, b].map(({ report }) => report.response);
  const apart = one.hertz.flatMap((hz, i) =>
    hz >= LOWEST_HZ && hz <= highest && i < other.hertz.length
      ? [{ hz, db: one.magnitudeDb[i] - other.magnitudeDb[i] }]
      : [],
  );
  if (apart.length === 0) return null;
  const middle = apart.map(({ db }) => db).toSorted((x, y) => x - y)[apart.length >> 1];
  const most = apart.reduce((top, here) => (Math.abs(here.db - middle) > Math.abs(top.db - middle) ? here : top));
  if (Math.abs(most.db - middle) < SAME_CURVE_DB) return null;
  return `Levels aside, their curves part by up to ${decibels(Math.abs(most.db - middle))}, at ${frequency(most.hz)}.`;
}

function harmonics(a: Measured, b: Measured): string | null {
  const [one, other] = [a, b].map(({ report }) => report.harmonics[0].thdPercent ?? 0);
  const [less, more] = [Math.min(one, other), Math.max(one, other)];
  if (more < LEAST_PERCENT || more < SAME_HARMONICS * less) return null;
  const { levelDbfs } = a.report.harmonics[0];
  if (levelDbfs !== b.report.harmonics[0].levelDbfs) return null;
  const told = (value: number) =>
    value < LEAST_PERCENT ? "no harmonics to speak of" : `harmonics of ${percent(value)}`;
  return `A tone at ${withDigits(levelDbfs, 0)} dBFS is given ${told(one)} by ${a.title}, ${told(other)} by ${b.title}.`;
}

function latencies(a: Measured, b: Measured): string | null {
  const [one, other] = [a, b].map(({ report }) => (1000 * report.latencySamples) / report.signal.sampleRateHz);
  const unsure = [a, b].reduce((sum, { report }) => sum + report.latencyErrorSamples, 0);
  const apart = Math.abs(a.report.latencySamples - b.report.latencySamples);
  if (apart < Math.max(0.5, 2 * unsure)) return null;
  const [late, early] = one > other ? [a, b] : [b, a];
  return `${late.title} comes ${withDigits(Math.abs(one - other), 2)} ms later than ${early.title}.`;
}
