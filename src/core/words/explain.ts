import { LIKELY, POSSIBLE } from "../audibility/detection";
import type { Criterion, Heard } from "../audibility/heard";
import type { CauseFound, EqBand, EqCause } from "../ladder/causes";
import { type Ladder, stepOf } from "../ladder/ladder-schema";
import { type Exception, SHORT_SECONDS } from "../survey/survey";
import { hertzWords, number, signed, signedDecibels, timeWords, withUnit } from "./units";

/** A residual under this (dB re Yonder) is not reported of: it is softer than 24-bit rounding of quiet music. */
const SILENT_DB = -120;
/** Bands of an equalizer that are named in a sentence. */
const MOST_BANDS_NAMED = 3;
const MOST_EXCEPTIONS_NAMED = 3;

const CHANNEL_WORDS = { both: "", left: "left", right: "right", mid: "mid", side: "side" } as const;

const of = ({ channels }: CauseFound) => (channels === "both" ? "" : ` (${CHANNEL_WORDS[channels]} only)`);

/** "bell 140 Hz +3.0 dB Q 0.80" */
export function bandWords({ kind, hertz, gainDb, q, slopeDbPerOctave }: EqBand): string {
  const name = {
    bell: "bell",
    "low shelf": "low shelf",
    "high shelf": "high shelf",
    "low cut": "high-pass",
    "high cut": "low-pass",
  }[kind];
  const gain = gainDb === null ? "" : ` ${signedDecibels(gainDb)}`;
  const width =
    slopeDbPerOctave !== null
      ? ` ${withUnit(`${slopeDbPerOctave}`, "dB/oct")}`
      : q !== null && kind === "bell"
        ? ` Q${"\u2009"}${number(q, q < 10 ? 2 : 1)}`
        : "";
  return `${name} ${hertzWords(hertz, 3)}${gain}${width}`;
}

function eqWords({ bands, mostDb, mostHertz, phase }: EqCause): string {
  if (phase === "all-pass") return "EQ: all-pass, phase only";
  const each = bands.map(bandWords);
  const named = [...new Set(each)].map((words) => {
    const { length } = each.filter((own) => own === words);
    return length > 1 ? `${words}, ${length} in a row` : words;
  });
  if (named.length > 0 && named.length <= MOST_BANDS_NAMED) return `EQ: ${named.join(", ")}`;
  return `EQ: up to ${signedDecibels(mostDb)} at ${hertzWords(mostHertz)}`;
}

/** A cause in one phrase, figures signed as Yonder − Here. */
export function causeWords(cause: CauseFound): string {
  switch (cause.cause) {
    case "delay": {
      const samples = withUnit(signed(cause.samples, Number.isInteger(cause.samples) ? 0 : 2), "samples");
      return cause.channels === "both" ? `delay ${samples}` : `${cause.channels} channel delayed by ${samples}`;
    }
    case "drift":
      return `drift ${withUnit(signed(cause.ppm, 2), "ppm")} (runs ${cause.ppm > 0 ? "long" : "short"})`;
    case "polarity":
      return cause.channels === "both" ? "polarity inverted" : `${cause.channels} channel inverted`;
    case "swap":
      return "left and right swapped";
    case "balance":
      return `R/L balance ${signedDecibels(cause.balanceDb, 2)}`;
    case "width":
      return cause.widthDb === null ? "summed to mono" : `width ${signedDecibels(cause.widthDb, 2)} side re mid`;
    case "crosstalk":
      return "crosstalk between channels";
    case "level":
      return `level ${signedDecibels(cause.levelDb, 2)}`;
    case "eq":
      return `${eqWords(cause)}${of(cause)}`;
    case "gainOverTime":
      return `gain over time${cause.rangeDb === null ? "" : `, range ${withUnit(number(cause.rangeDb), "dB")}`}${of(cause)}`;
    case "gainInBands":
      return `${cause.bell ? `gain of a bell at ${hertzWords(cause.bell.hertz, 3)}, Q ${cause.bell.q.toFixed(1)}` : `gain in ${cause.edgesHertz.length + 1} bands`}${cause.rangeDb === null ? "" : `, range ${withUnit(number(cause.rangeDb), "dB")}`}${of(cause)}`;
    case "saturation":
      return `saturation, ${harmonicsWords(cause.evenDb, cause.oddDb)}${of(cause)}${cause.aliasing ? ", aliasing in the stretches fitted" : ""}`;
    case "reverb":
      return `reverb, ${withUnit(number(cause.seconds), "s")} decay`;
    case "echo":
      return `echo at ${withUnit(number(cause.milliseconds), "ms")}`;
    case "dc":
      return `DC offset ${withUnit(signed(cause.fullScale * 100, 3), "% of full scale")}${of(cause)}`;
    case "line":
      return `tone at ${withUnit(number(cause.hertz), "Hz")}, ${withUnit(number(cause.levelDbfs, 0), "dBFS")}`;
    case "hum":
      return `hum at ${withUnit(number(cause.hertz), "Hz")}, ${withUnit(number(cause.levelDbfs, 0), "dBFS")}`;
    case "noise":
      return `steady noise, ${withUnit(number(cause.residualDb, 0), "dB")} re Yonder`;
    case "wordLength":
      return cause.dither
        ? `dither at ${withUnit(`${cause.bits}`, "bits")}`
        : `rounding to ${withUnit(`${cause.bits}`, "bits")}`;
    case "coding":
      return "lossy coding";
    case "edit":
      return exceptionWords(cause);
    case "unexplained":
      return cause.residualDb === null
        ? "unexplained residual"
        : `unexplained residual, ${withUnit(number(cause.residualDb, 0), "dB")} re Yonder`;
  }
}

function harmonicsWords(evenDb: number | null, oddDb: number | null): string {
  const [even, odd] = [evenDb ?? -300, oddDb ?? -300];
  const level = (db: number) => `${withUnit(number(db, 0), "dB")} re Yonder`;
  if (even > odd + 6) return `even ${level(even)}`;
  if (odd > even + 6) return `odd ${level(odd)}`;
  return `odd ${number(odd, 0)}, even ${level(even)}`;
}

const EDIT_WORDS: Record<Exception["what"], string> = {
  muted: "Yonder silent",
  "only Yonder": "Here silent",
  bypassed: "bypassed",
  click: "click",
  different: "different",
  "missing in Here": "missing in Here",
  "missing in Yonder": "missing in Yonder",
};

/** What is there instead of what holds elsewhere. */
export const editWords = ({ what }: Pick<Exception, "what">): string => EDIT_WORDS[what];

/** Where something does not hold, and what is there instead. */
export const exceptionWords = ({
  what,
  startSeconds,
  endSeconds,
}: Pick<Exception, "what" | "startSeconds" | "endSeconds">): string =>
  what === "click"
    ? `click at ${timeWords(startSeconds)}`
    : endSeconds - startSeconds < SHORT_SECONDS
      ? `${EDIT_WORDS[what]} for about ${withUnit(number(1000 * (endSeconds - startSeconds), 0), "ms")} at ${timeWords(startSeconds)}`
      : `${timeWords(startSeconds)} to ${timeWords(endSeconds)} ${EDIT_WORDS[what]}`;

const LEVEL_AND_ROUTING: readonly CauseFound["cause"][] = [
  "delay",
  "drift",
  "polarity",
  "swap",
  "level",
  "balance",
  "width",
  "crosstalk",
];
const PROCESSING: readonly CauseFound["cause"][] = [
  "eq",
  "gainOverTime",
  "gainInBands",
  "saturation",
  "reverb",
  "echo",
  "coding",
];
const ADDED: readonly CauseFound["cause"][] = ["dc", "line", "hum", "noise", "wordLength"];

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** What sets a pair apart, in sentences made of its causes. */
export function explainSentence(ladder: Ladder): string {
  const { identity, problem, causes, exceptions } = ladder;
  const share =
    identity.judgedShare < 0.9995 ? ` on a ${Math.floor(100 * identity.judgedShare)}${"\u2009"}% overlap` : "";
  const except = exceptionsSentence(exceptions);
  if (problem) return problem;
  // Alignment and level in their own order; what was done to the sound by its worth.
  const group = (names: readonly CauseFound["cause"][]) => {
    const own = causes.filter((c) => names.includes(c.cause));
    return names === LEVEL_AND_ROUTING ? own.toSorted((a, b) => names.indexOf(a.cause) - names.indexOf(b.cause)) : own;
  };
  const [placing, processing, added] = [LEVEL_AND_ROUTING, PROCESSING, ADDED].map(group);
  const placed = placing.length > 0 ? `${capital(placing.map(causeWords).join(", "))}.` : "";
  const join = (...parts: string[]) => parts.filter(Boolean).join(" ");
  if (identity.is === "same")
    return join(placed, `${placed ? "Apart from that every" : "Every"} sample is the same${share}.`, except);
  const processed = processing.length > 0 ? `Processing: ${processing.map(causeWords).join("; ")}.` : "";
  const more = added.length > 0 ? `Added: ${added.map(causeWords).join(", ")}.` : "";
  const order = orderSentence(ladder);
  const residual = residualSentence(ladder);
  if (identity.is !== "different" && processing.length === 0)
    return join(placed, capital(`${identity.is.replace("same", "identical")}${share}.`), more, except);
  if (
    processing.length === 0 &&
    added.length === 0 &&
    causes.every(({ cause }) => cause !== "level") &&
    isStranger(ladder)
  )
    return join("No step explains the difference: different material by every measure taken.", except);
  const isNothing = (stepOf(ladder, "left")?.residualDb ?? SILENT_DB) <= SILENT_DB;
  if (processing.length === 0 && added.length === 0 && isNothing && except)
    return join(
      placed,
      `${placed ? "Apart from that no" : "No"} residual above ${withUnit(signed(SILENT_DB, 0), "dB")} re Yonder.`,
      except,
    );
  if (processing.length === 0 && added.length === 0)
    return join(
      placed,
      isExplained(ladder) ? "No other cause found." : "No processing explains the rest.",
      residual,
      except,
    );
  return join(placed, processed, order, more, residual, except);
}

/** What the survey says of a pair while its causes are looked for. */
export function surveySentence({ causes, steps, exceptions }: Ladder): string {
  const placing = causes.filter(({ cause }) => LEVEL_AND_ROUTING.includes(cause));
  const placed = placing.length > 0 ? `${capital(placing.map(causeWords).join(", "))}.` : "";
  const left = stepOf({ steps }, "time")?.residualDb;
  const aligned =
    left === undefined || left === null ? "" : `Residual as aligned: ${withUnit(number(left, 0), "dB")} re Yonder.`;
  return [placed, aligned, exceptionsSentence(exceptions)].filter(Boolean).join(" ") || "Looking for causes…";
}

const isStranger = (ladder: Ladder): boolean => (stepOf(ladder, "left")?.residualDb ?? SILENT_DB) > -3;
const isExplained = (ladder: Ladder): boolean => (stepOf(ladder, "left")?.residualDb ?? SILENT_DB) < -60;

const STAGE_WORDS = { eq: "EQ", gain: "gain over time", saturation: "saturation" } as const;

/** Orders of the stages that leave as little as the one found. */
function orderSentence({ alternatives }: Ladder): string {
  if (alternatives.length === 0) return "";
  const orders = alternatives.map((stages) => stages.map((s) => STAGE_WORDS[s]).join(", "));
  return `Order not known; equally good: ${orders.join("; or ")}.`;
}

function residualSentence(ladder: Ladder): string {
  const left = stepOf(ladder, "left");
  if (!left) return "";
  if (left.residualDb === null || left.residualDb < SILENT_DB) return "No residual.";
  return `Residual after all steps: ${withUnit(number(left.residualDb, 0), "dB")} re Yonder.`;
}

function exceptionsSentence(exceptions: readonly Exception[]): string {
  if (exceptions.length === 0) return "";
  const named = exceptions.slice(0, MOST_EXCEPTIONS_NAMED).map(exceptionWords);
  const others = exceptions.length - named.length;
  return `Except: ${named.join("; ")}${others > 0 ? ` and ${others} more` : ""}.`;
}

/** The most important cause in a few words, for a cell of a table. */
export function mainCauseWords(ladder: Ladder): string {
  if (ladder.problem) return ladder.problem.replace(/\.$/, "");
  const order = [PROCESSING, ["edit"], ADDED, LEVEL_AND_ROUTING, ["unexplained"]] as const;
  for (const names of order) {
    const found = ladder.causes.find((c) => (names as readonly string[]).includes(c.cause));
    if (found) return causeWords(found);
  }
  const { is } = ladder.identity;
  if (is === "different") return "no cause found";
  return is === "same" ? "bit-identical" : is.replace("same", "identical");
}

/** Where on the scale a range lies, in words; nothing where it is nearly all of it. */
export function rangeWords([lowHz, highHz]: readonly [number, number]): string {
  const [isLow, isHigh] = [lowHz <= 45, highHz >= 14_000];
  if (isLow && isHigh) return "";
  if (isLow) return ` below ${hertzWords(highHz)}`;
  if (isHigh) return ` above ${hertzWords(lowHz)}`;
  return ` from ${hertzWords(lowHz)} to ${hertzWords(highHz)}`;
}

const CRITERION_WORDS: Record<Criterion, string> = {
  change: "change of level by band",
  added: "added sound above the mask",
  "between channels": "difference between left and right",
};

/** What a moment is heard by. */
export const criterionWords = (criterion: Criterion): string => CRITERION_WORDS[criterion];

/** A chance as a share of a hundred; never 0 or 100 %, for it is an estimate. */
export const chanceWords = (probability: number): string =>
  withUnit(probability < 0.01 ? "below 1" : probability > 0.99 ? "above 99" : `${Math.round(100 * probability)}`, "%");

/** One sentence of whether a difference is heard, worded as the estimate it is; "not likely" only where all criteria agree. */
export function heardSentence({ highest, moments }: Heard, exceptions: readonly Exception[] = []): string {
  const chances: [Criterion, number][] = [
    ["change", highest.change],
    ["added", highest.added],
    ["between channels", highest.betweenChannels],
  ];
  const [criterion, most] = chances.reduce((a, b) => (b[1] > a[1] ? b : a));
  // The model's frames last 40 ms and its chances are smoothed over 0.2 s: what is as short it underrates.
  const short = exceptions.filter(isShort);
  const also =
    short.length > 0 ? `Too short to estimate, so listen: ${short.slice(0, 2).map(exceptionWords).join("; ")}.` : "";
  if (most < POSSIBLE) {
    if (also) return also;
    return moments.length === 0
      ? "Nothing to hear by this estimate."
      : "Not likely to be heard, by all three criteria.";
  }
  const where = moments.filter((m) => m.probability >= Math.min(LIKELY, most));
  const range =
    where.length > 0
      ? rangeWords([Math.min(...where.map((m) => m.lowHertz)), Math.max(...where.map((m) => m.highHertz))])
      : "";
  const heard = `${most >= LIKELY ? "Likely heard" : "May be heard"}: ${criterionWords(criterion)}${range}.`;
  return [also, heard].filter(Boolean).join(" ");
}

const isShort = ({ what, startSeconds, endSeconds }: Exception): boolean =>
  what === "click" || endSeconds - startSeconds < SHORT_SECONDS;
