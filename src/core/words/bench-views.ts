import { hypot } from "../audio/exact-math";
import { AS_GOOD_GAIN_DB, type FoundDynamics } from "../bench/find/found-dynamics";
import { AS_GOOD_DB, type FoundSettings } from "../bench/find/found-settings";
import { LINEAR_KINDS } from "../bench/kind/kind";
import { type BenchReport, KNOWN_DB } from "../bench/report";
import { curveWords, measuredTime, PHASE_WORDS, thdWords } from "./bench";
import { REASON_WORDS, withheldWords } from "./bench-withheld";
import { clock, decibels, frequencyWords, number, signed, within, withUnit } from "./units";

/** What stands out of hundreds of figures by less than so many standard deviations may be noise (5: 1 in 3,000 curves of 500 figures, normal distribution). */
const NOISE_SIGMAS = 5;
/** Curves that lie within this are the same, and one that stays within it is flat (dB). */
const SAME_DB = 0.1;
const HIGHEST_HZ = 20_000;
const HIGHEST_PART = 0.42;
const LOWEST_HZ = 20;

type Curve = { hertz: readonly number[]; db: readonly number[]; errorDb: readonly number[] };

/** What stands for a figure that is withheld: "phase not known: hidden by noise"; null where it is known. */
const unknownWords = (
  report: BenchReport,
  figure: Parameters<typeof withheldWords>[1],
  name: string,
): string | null => {
  const why = withheldWords(report, figure);
  return why && `${name} not known: ${why}`;
};

const inBand = (report: BenchReport): { hz: number; i: number }[] => {
  const highest = Math.min(HIGHEST_HZ, HIGHEST_PART * report.signal.sampleRateHz);
  return report.response.hertz.flatMap((hz, i) => (hz >= LOWEST_HZ && hz <= highest ? [{ hz, i }] : []));
};

/** What noise moves nine of ten figures of a curve by no more than. */
const noiseOf = ({ errorDb }: Curve): number =>
  NOISE_SIGMAS * (errorDb.toSorted((a, b) => a - b)[Math.floor(0.9 * errorDb.length)] ?? 0);

/** Where a curve leaves 0 dB most, of what noise cannot have made; null where noise can have made all of it. */
function mostOverNoise({ hertz, db, errorDb }: Curve): { hertz: number; db: number; errorDb: number } | null {
  let top = -1;
  let most = SAME_DB;
  for (let i = 0; i < db.length; i++) {
    if (errorDb[i] > KNOWN_DB) continue;
    const sure = Math.abs(db[i]) - NOISE_SIGMAS * errorDb[i];
    if (sure > most) [top, most] = [i, sure];
  }
  return top < 0 ? null : { hertz: hertz[top], db: db[top], errorDb: errorDb[top] };
}

const apartOf = ({ db }: Curve): number => db.reduce((top, v) => Math.max(top, Math.abs(v)), 0);

/** "+9.00 ±0.12 dB at 299 Hz"; that it stays within so much, or within noise. */
function mostWords(curve: Curve, same: string, hidden: string): string {
  const most = mostOverNoise(curve);
  if (most)
    return `${withUnit(`${signed(most.db, 2)}${within(most.errorDb, 2)}`, "dB")} at ${frequencyWords(most.hertz)}`;
  const apart = apartOf(curve);
  return apart < SAME_DB
    ? `${same} within ${decibels(Math.max(0.01, apart), "dB", 2)}`
    : `${hidden} (±${decibels(noiseOf(curve))})`;
}

/** How far a response goes up and down, above what noise makes of it. */
export function magnitudeWords(report: BenchReport): string {
  const why = unknownWords(report, "response", "response");
  if (why) return why;
  const { magnitudeDb, errorDb } = report.response;
  const places = inBand(report);
  const known = places.filter(({ i }) => errorDb[i] <= KNOWN_DB);
  const span = (sigmas: number, of: typeof places) =>
    Math.max(...of.map(({ i }) => magnitudeDb[i] - sigmas * errorDb[i])) -
    Math.min(...of.map(({ i }) => magnitudeDb[i] + sigmas * errorDb[i]));
  const [seen, sure] = [span(0, places), span(NOISE_SIGMAS, known)];
  if (seen < SAME_DB) return `flat within ${decibels(Math.max(0.01, seen), "dB", 2)}`;
  if (sure < SAME_DB) {
    const noise = noiseOf({ hertz: [], db: [], errorDb: places.map(({ i }) => errorDb[i]) });
    return `no change above noise (±${decibels(noise)})`;
  }
  return seen - sure < 2 * SAME_DB ? `spans ${decibels(seen)}` : `spans ${decibels(sure)} or more above noise`;
}

/** Where one response differs most from the first one's, of what noise cannot have made. */
export function responseDifferenceWords(first: BenchReport, other: BenchReport): string {
  const why = unknownWords(first, "response", "response of the first") ?? unknownWords(other, "response", "response");
  if (why) return why;
  const places = new Map(inBand(first).map(({ hz, i }) => [Math.round(hz * 100), i]));
  const shared = inBand(other).flatMap(({ hz, i }) => {
    const at = places.get(Math.round(hz * 100));
    return at === undefined ? [] : [{ hz, i, at }];
  });
  return mostWords(
    {
      hertz: shared.map(({ hz }) => hz),
      db: shared.map(({ i, at }) => other.response.magnitudeDb[i] - first.response.magnitudeDb[at]),
      errorDb: shared.map(({ i, at }) => hypot(other.response.errorDb[i], first.response.errorDb[at])),
    },
    "same",
    "no difference above noise",
  );
}

export const phaseWords = (report: BenchReport): string =>
  unknownWords(report, "phase", "phase") ?? PHASE_WORDS[report.phaseKind] ?? "phase not known";

/** The latency in samples with its error; why there is none. */
export const latencyWords = (report: BenchReport): string =>
  report.latencySamples === null
    ? (unknownWords(report, "latency", "latency") ?? "latency not known")
    : `latency ${withUnit(`${number(report.latencySamples, 2)}${within(report.latencyErrorSamples, 2)}`, "samples")}`;

/** By how much a response changes from the loudest sweep to a quieter one: most of all, and where. */
export function levelsWords(report: BenchReport): string {
  const name = "change with level";
  const why = unknownWords(report, "response", name);
  if (why) return why;
  if (report.kind.name === "coder") return `${name} not known: ${REASON_WORDS.coded}`;
  const [loudest, ...quieter] = report.levels.toSorted((a, b) => b.levelDbfs - a.levelDbfs);
  if (quieter.length === 0) return "response at one level only";
  const places = inBand(report);
  const curves = quieter.flatMap(({ levelDbfs, magnitudeDb, errorDb }) => {
    const loudErrorDb = loudest.errorDb;
    if (!errorDb || !loudErrorDb) return [];
    return [
      {
        levelDbfs,
        hertz: places.map(({ hz }) => hz),
        db: places.map(({ i }) => loudest.magnitudeDb[i] - magnitudeDb[i]),
        errorDb: places.map(({ i }) => hypot(errorDb[i], loudErrorDb[i])),
      },
    ];
  });
  if (curves.length === 0) return `${name} not known: ${REASON_WORDS.earlierVersion}`;
  const over = (curve: Curve) => Math.abs(mostOverNoise(curve)?.db ?? 0);
  // The quietest, unless another one is further off.
  const most = curves.reduceRight((a, b) => (over(b) > over(a) + SAME_DB ? b : a));
  const [loud, quiet] = [loudest, most].map(({ levelDbfs }) => withUnit(number(levelDbfs, 0), "dBFS"));
  if (mostOverNoise(most)) return `at ${loud} ${mostWords(most, "", "")} re ${quiet}`;
  const furthest = curves.reduce((a, b) => (apartOf(b) > apartOf(a) ? b : a));
  return mostWords(furthest, `same at ${report.levels.length} levels`, "no change with level above noise");
}

/** Where right differs most from left, of what noise cannot have made. */
export function sidesWords(report: BenchReport): string {
  const { rightOverLeftDb, channels, response } = report;
  const silent = channels.find(
    ({ channel, differs }) => channel !== "mid" && channel !== "side" && differs.includes("silent"),
  );
  if (silent) return `${silent.channel} is silent`;
  if (!rightOverLeftDb) return "one channel: no R/L balance";
  const why = unknownWords(report, "response", "response");
  if (why) return why;
  if (report.kind.name === "coder") return `R/L balance not known: ${REASON_WORDS.coded}`;
  // A gain that moves is not the same along two sweeps: sides differ where their figures do.
  const right = channels.find(({ channel }) => channel === "right");
  const isApart = right?.differs.some((what) => what === "response" || what === "gain");
  if (!LINEAR_KINDS.includes(report.kind.name) && right && !isApart) return "R/L balance: no difference";
  const errors = channels.map(({ figures }) => figures?.response.errorDb).find((e) => e) ?? response.errorDb;
  const places = inBand(report);
  return `R/L balance: ${mostWords(
    {
      hertz: places.map(({ hz }) => hz),
      db: places.map(({ i }) => rightOverLeftDb[i]),
      errorDb: places.map(({ i }) => hypot(response.errorDb[i], errors[i] ?? response.errorDb[i])),
    },
    "same",
    "no difference above noise",
  )}`;
}

/** Why threshold and ratio, or times, are not known; or that there are none. */
function noDynamicsWords(report: BenchReport, figure: "staticCurve" | "times"): string {
  const name = figure === "times" ? "attack and release" : "threshold and ratio";
  const why = unknownWords(report, figure, name) ?? unknownWords(report, "kind", name);
  if (why) return why;
  return LINEAR_KINDS.includes(report.kind.name) ? "gain does not change with level" : `no ${name}`;
}

export const staticCurveWords = (report: BenchReport): string =>
  curveWords(report) ?? noDynamicsWords(report, "staticCurve");

export function timesWords(report: BenchReport): string {
  const { times } = report;
  if (!times) return noDynamicsWords(report, "times");
  return `${decibels(Math.abs(times.reductionDb))}, attack ${measuredTime(times.attackMs, times.errorsMs?.attack)}, release ${measuredTime(times.releaseMs, times.errorsMs?.release)}`;
}

const MOVES_WORDS: Record<BenchReport["moves"]["kind"], string> = {
  none: "no change near a tone above noise",
  "whole band": "the whole band changes alike",
  "split bands": "the tone's own band changes",
  bell: "a bell changes",
  unclear: "change near a tone not known",
};

/** Whether any quiet line was seen beside a loud tone: noise may hide all of them. */
export const isBesideSeen = ({ moves }: BenchReport): boolean =>
  moves.tones.some(({ changeDb }) => changeDb.some((db) => db !== null));

/** What a loud tone does to quiet ones beside it. */
export function besideWords(report: BenchReport): string {
  const why = unknownWords(report, "besideTone", "change near a tone");
  if (why) return why;
  if (!isBesideSeen(report)) return "change near a tone not known: no quiet tone above noise";
  return MOVES_WORDS[report.moves.kind];
}

export function sidechainWords({ key }: BenchReport): string {
  if (key) return `sidechain reduces gain by ${decibels(key.reductionDb)}`;
  return key === null ? "no sidechain input" : "sidechain not tested";
}

/** THD of the long tone. */
export function harmonicsWords(report: BenchReport): string {
  const [deep] = report.harmonics;
  const level = withUnit(number(deep.levelDbfs, 0), "dBFS");
  const why = unknownWords(report, "harmonics", "harmonics");
  if (why) return why;
  return deep.thdPercent === null
    ? `no harmonics above noise at ${level}`
    : `THD ${thdWords(deep.thdPercent)} at ${level}`;
}

export function aliasingWords(report: BenchReport): string {
  const why = unknownWords(report, "aliasing", "aliasing");
  if (why) return why;
  return report.aliasDb === null ? "no aliasing above noise" : `aliasing up to ${decibels(report.aliasDb)} re a tone`;
}

/** A residual of up to so many times the noise is noise. */
const WITHIN_NOISE = 1.2;

/** How close settings come to a curve: what they leave of it, and whether noise alone would leave as much. */
export function settingsWords({ leftDb, mostLeftDb, mostLeftHertz, noiseDb }: FoundSettings): string {
  const most = `maximum ${decibels(mostLeftDb, "dB", 2)} at ${frequencyWords(mostLeftHertz)}`;
  if (mostLeftDb < AS_GOOD_DB) return `Yes, by their curves: ${most}.`;
  if (leftDb < WITHIN_NOISE * noiseDb)
    return `As close as noise shows: RMS error ${decibels(leftDb, "dB", 2)}, noise ${decibels(noiseDb, "dB", 2)}.`;
  return `Not quite: RMS error ${decibels(leftDb, "dB", 2)}, ${most}.`;
}

/** A view's sentence: each processor's words, the first so many; how many more there are. */
export function viewSentence(
  measured: readonly { title: string; report: BenchReport }[],
  most: number,
  words: (report: BenchReport) => string,
): string {
  const more = measured.length - most;
  const parts = measured.slice(0, most).map(({ title, report }) => `${title}: ${words(report)}`);
  return `${parts.join("; ")}${more > 0 ? `; ${more} more` : ""}`;
}

/** Settings found by gain over time on a passage. */
export function gainSettingsWords(
  { leftDb, mostLeftDb, mostLeftSeconds, movesDb }: FoundDynamics,
  passage: string,
): string {
  const off = `RMS error ${decibels(leftDb, "dB", 2)}, maximum ${decibels(mostLeftDb, "dB", 2)} at ${clock(mostLeftSeconds)}`;
  return leftDb < AS_GOOD_GAIN_DB
    ? `Yes, by gain over time on ${passage}: ${off}.`
    : `Not quite: ${off}; gain range ${decibels(movesDb, "dB", 2)}.`;
}
