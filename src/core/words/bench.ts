import { log2 } from "../audio/exact-math";
import type { BenchDifference } from "../bench/compare-reports";
import { isPolarityKnown } from "../bench/differences";
import type { IntegrityFinding } from "../bench/integrity/integrity";
import { type BenchKind, OPENING_KINDS } from "../bench/kind/kind";
import { type BenchChannel, type BenchReport, type ChannelFigures, KNOWN_DB } from "../bench/report";
import { sidechainSentence } from "./bench-sidechain";
import { firstChannelWords, whyWithheld, withheldSentence } from "./bench-withheld";
import {
  decibels,
  frequencyWithin,
  frequencyWords,
  listed,
  millisecondWords,
  number,
  signed,
  signedDecibels,
  timeWithin,
  timeWords,
  within,
  withUnit,
} from "./units";

type Facts = Omit<BenchReport, "sentences">;

/** A curve that stays within this is called flat (dB). */
const FLAT_DB = 0.1;
/** Harmonics are named from here up (dB re fundamental). */
const NAMED_DB = -140;
/** Less than this is none (percent). */
const LEAST_PERCENT = 0.0005;
/** Of hundreds of frequencies noise leaves none further off than so many of its standard deviations. */
const NOISE_SIGMAS = 4;
/** A latency that is known no closer is not reported (samples). */
const UNSURE_SAMPLES = 0.5;
const MOST_BANDS_NAMED = 4;
/** Crosstalk and noise under these are nothing anyone would look for (dB, dBFS). */
const LEAST_CROSSTALK_DB = -110;
const LEAST_NOISE_DBFS = -150;

const KIND_WORDS: Record<BenchKind, string | null> = {
  wire: "Wire: no change but gain, delay or polarity, noise aside",
  equalizer: "Equalizer",
  allPass: "All-pass: phase only",
  compressor: "Compressor",
  limiter: "Limiter",
  expander: "Expander",
  gate: "Gate",
  deEsser: "De-esser",
  dynamicEq: "Dynamic equalizer",
  multiband: "Multiband dynamics",
  saturator: "Saturation: memoryless curve",
  clipper: "Clipper: memoryless, straight below a ceiling",
  timeVarying: "Changes over time by itself (modulation)",
  coder: "Keeps tones, not noise: lossy coding, or held samples",
  unknown: null,
};

/** What a kind is called in a table. */
export const kindName = (name: BenchKind): string =>
  ({
    wire: "wire",
    equalizer: "equalizer",
    allPass: "all-pass",
    compressor: "compressor",
    limiter: "limiter",
    expander: "expander",
    gate: "gate",
    deEsser: "de-esser",
    dynamicEq: "dynamic EQ",
    multiband: "multiband",
    saturator: "saturator",
    clipper: "clipper",
    timeVarying: "time-varying",
    coder: "lossy coder",
    unknown: "not known",
  })[name];

/** Each channel is as it was sent, and hears the other: a widener, a crossfeed. */
const isSwappedWire = (name: BenchKind, crosstalkDb: number | null): boolean =>
  name === "wire" && crosstalkDb !== null && crosstalkDb > LEAST_CROSSTALK_DB;

/** What a kind is called beside what else is known of its channels. */
export const kindBeside = (name: BenchKind, crosstalkDb: number | null): string =>
  isSwappedWire(name, crosstalkDb) ? "wire but for crosstalk" : kindName(name);

export const thdWords = (value: number): string => withUnit(number(value, value < 0.01 ? 4 : value < 1 ? 3 : 1), "%");

const dbfs = (value: number, digits = 1): string => withUnit(number(value, digits), "dBFS");
const CHANNEL_WORDS = { left: "Left", right: "Right", mid: "Mid", side: "Side" } as const;

/** What the tests found, in sentences: what happened on the way, what it is, what it does to response, phase, level and time, what it adds, what is not known. */
export function benchSentences(facts: Facts): string[] {
  const others = facts.channels.filter(({ differs }) => differs.length > 0);
  const first = firstChannelWords(facts.channels);
  const name = others.length > 0 ? `${first[0].toUpperCase()}${first.slice(1)}: ` : "";
  const own = channelSentences(facts, facts).map((sentence) => `${name}${name ? lowered(sentence) : sentence}`);
  return [
    ...facts.integrity.map(integrityWords),
    ...own,
    ...others.flatMap((channel) => otherSentences(channel, facts)),
    wiringSentence(facts),
    ...facts.remarks,
    sidechainSentence(facts.key),
    withheldSentence(facts),
  ].filter((sentence) => sentence !== null);
}

const lowered = (sentence: string): string =>
  /^[A-Z][a-z]/.test(sentence) ? sentence[0].toLowerCase() + sentence.slice(1) : sentence;

/** Of a channel that differs: that it does, and what is its own. */
function otherSentences({ channel, differs, delaySamples, figures }: BenchChannel, facts: Facts): string[] {
  const name = CHANNEL_WORDS[channel];
  if (differs.includes("silent") || !figures) return [`${name}: silent.`];
  const first = CHANNEL_WORDS[facts.channels[0].channel].toLowerCase();
  const has = (...list: BenchChannel["differs"]) => list.some((d) => differs.includes(d));
  const wiring = [
    has("delay") && delaySamples !== null
      ? `delay ${delayWords(delaySamples, figures.latencyErrorSamples + facts.latencyErrorSamples)} re ${first}`
      : null,
    has("polarity") ? (figures.polarity === facts.polarity ? null : `inverted re ${first}`) : null,
    has("gain") ? `gain ${gainWords(figures, facts)} re ${first} at 1 kHz` : null,
  ].filter((part) => part !== null);
  return [
    ...(wiring.length > 0 ? [`${listed(wiring)}.`] : []),
    has("kind", "staticCurve", "times") ? kindSentence(figures, facts.crosstalkDb) : null,
    has("response", "gain") ? toneSentence(figures, facts, channel) : null,
    has("phase", "response") ? phaseSentence(figures) : null,
    has("times", "staticCurve", "linking") ? timesSentence(figures) : null,
    has("kind", "response") ? movesSentence(figures) : null,
    has("harmonics") ? harmonicsSentence(figures, facts, channel) : null,
    has("noise") && figures.noiseFloorDbfs !== null ? `noise at ${dbfs(figures.noiseFloorDbfs)}.` : null,
  ]
    .filter((sentence) => sentence !== null)
    .map((sentence) => `${name}: ${lowered(sentence)}`);
}

/** What noise may move the gain at 1 kHz by, dB. */
const gainErrorDb = ({ response: { hertz, errorDb } }: Pick<ChannelFigures, "response">): number =>
  errorDb[hertz.findIndex((hz) => hz >= 1000)] ?? 0;

/** The gain at 1 kHz, or what it is re another channel's, with how closely it is known. */
export function gainWords(
  figures: Pick<ChannelFigures, "gainDbAt1k" | "response">,
  re: Pick<ChannelFigures, "gainDbAt1k" | "response"> | null = null,
): string {
  const [own, other] = [gainErrorDb(figures), re ? gainErrorDb(re) : 0];
  const error = Math.sqrt(own * own + other * other);
  return withUnit(`${signed(figures.gainDbAt1k - (re?.gainDbAt1k ?? 0), 2)}${within(error, 2)}`, "dB");
}

/** A delay with what it may be off by. */
function delayWords(samples: number, error: number): string {
  const digits = error > HALF_SAMPLE ? 0 : samplesDigits(samples);
  return withUnit(`${signed(samples, digits)}${within(error, digits)}`, "samples");
}
const HALF_SAMPLE = 0.25;

const samplesDigits = (samples: number): number => (Math.abs(samples - Math.round(samples)) < 0.01 ? 0 : 2);

function channelSentences(figures: ChannelFigures, facts: Facts): string[] {
  return [
    kindSentence(figures, facts.crosstalkDb),
    figures.transparent === "yes" ? "Output equals input, bit for bit." : residualSentence(figures, facts),
    toneSentence(figures, facts, facts.channels[0]?.channel ?? null),
    phaseSentence(figures),
    latencySentence(figures, facts),
    timesSentence(figures),
    movesSentence(figures),
    harmonicsSentence(figures, facts, facts.channels[0]?.channel ?? null),
    aliasSentence(figures, facts),
  ].filter((sentence) => sentence !== null);
}

/** What it is, with its static curve where that predicts what was recorded. */
function kindSentence(
  { kind, static: staticCurve, staticOnSine }: ChannelFigures,
  crosstalkDb: Facts["crosstalkDb"],
): string | null {
  const name = isSwappedWire(kind.name, crosstalkDb)
    ? "Wire but for crosstalk: no other change but gain, delay or polarity, noise aside"
    : KIND_WORDS[kind.name];
  if (name === null) return null;
  const how = kind.gainErrorDb === null ? "" : `, predicts held-out gain to ${decibels(kind.gainErrorDb, "dB", 2)}`;
  if (!staticCurve || staticCurve.thresholdDbfs === null || staticCurve.ratio === null) return `${name}${how}.`;
  const sine =
    staticOnSine?.thresholdDbfs != null && Math.abs(staticOnSine.thresholdDbfs - staticCurve.thresholdDbfs) > 0.4
      ? ` On a sine the threshold reads ${dbfs(staticOnSine.thresholdDbfs)} (peak).`
      : "";
  if (kind.name === "limiter") return `Limiter: input ${curveWords({ kind, static: staticCurve })}${how}.`;
  return `${name}: ${curveWords({ kind, static: staticCurve })}${how}.${sine}`;
}

/** Threshold, ratio and knee with how closely each is known; null where they are not known. */
export function curveWords({ kind, static: staticCurve }: Pick<ChannelFigures, "kind" | "static">): string | null {
  if (!staticCurve || staticCurve.thresholdDbfs === null || staticCurve.ratio === null) return null;
  const { thresholdDb, ratio: ratioError, kneeDb } = staticCurve.errors ?? {};
  const threshold = `threshold ${withUnit(`${number(staticCurve.thresholdDbfs)}${within(thresholdDb)}`, "dBFS")}`;
  if (kind.name === "limiter") return `${threshold}, ratio ${withUnit("20:1", "or more")}`;
  const knee =
    staticCurve.kneeDb !== null && staticCurve.kneeDb > 0.5
      ? `, knee ${withUnit(`${number(staticCurve.kneeDb)}${within(kneeDb)}`, "dB")}`
      : "";
  const ratio = staticCurve.ratio >= 100 ? "100:1 or more" : `${number(staticCurve.ratio)}:1${within(ratioError)}`;
  return `${threshold}, ratio ${ratio}${knee}`;
}

/** The residual of the sweep that a channel has alone: at another level, or beside the other channel, there may be another. */
function residualSentence({ addsDb }: ChannelFigures, { signal }: Facts): string | null {
  return addsDb !== null && addsDb < -60
    ? `Null depth ${decibels(addsDb)} re input at the best gain and delay (sweep at ${dbfs(signal.levelDbfs, 0)}).`
    : null;
}

/** "bell 1 kHz +6.0 dB Q 1.00" */
export function fittedBandWords({
  kind,
  hertz,
  gainDb,
  q,
  slopeDbPerOctave,
  errors,
}: ChannelFigures["fitted"][number]): string {
  const name = kind === "low cut" ? "high-pass" : kind === "high cut" ? "low-pass" : kind;
  const width =
    slopeDbPerOctave !== null
      ? ` ${withUnit(`${slopeDbPerOctave}`, "dB/oct")}`
      : q !== null
        ? ` Q\u2009${number(q, 2)}${within(errors?.q, 2)}`
        : "";
  const gain = gainDb === null ? "" : ` ${withUnit(`${signed(gainDb)}${within(errors?.gainDb)}`, "dB")}`;
  return `${name} ${frequencyWithin(hertz, errors?.hertz)}${gain}${width}`;
}

function toneSentence(figures: ChannelFigures, facts: Facts, channel: BenchChannel["channel"] | null): string | null {
  const { response, fitted, fitMisfitDb, fitMostDb, realised, responseLevelDbfs, kind } = figures;
  if (figures.transparent === "yes" || whyWithheld(facts, "response", channel)) return null;
  const highest = Math.min(20_000, 0.42 * facts.signal.sampleRateHz);
  const inside = response.hertz.map((_, i) => i).filter((i) => response.hertz[i] <= highest && response.hertz[i] >= 20);
  // What noise hides is no part of a span.
  const known = inside.filter((i) => response.errorDb[i] < KNOWN_DB);
  const used = known.length > 0 ? known : inside;
  const inBand = used.map((i) => response.magnitudeDb[i]);
  const errorsIn = used.map((i) => response.errorDb[i]);
  const errors = errorsIn.toSorted((a, b) => a - b);
  const [least, most] = [Math.min(...inBand), Math.max(...inBand)];
  const error = 3 * (errors[Math.floor(0.9 * errors.length)] ?? 0);
  const last = used[used.length - 1];
  const from = used[0] === inside[0] ? 20 : response.hertz[used[0]];
  const to = last === inside[inside.length - 1] ? highest : response.hertz[last];
  const isPart = from > 20 || to < highest;
  const where = `${frequencyWords(from)} to ${frequencyWords(to)}`;
  const why = whyWithheld(facts, "bands", channel);
  // What opens with level is at rest when loud: it is lower levels that move.
  if (fitted.length === 0 && why === "gainMoves")
    return OPENING_KINDS.includes(kind.name)
      ? `Response: that at ${dbfs(responseLevelDbfs, 0)}; gain falls at lower levels, no bands fitted.`
      : `Gain changes already at ${dbfs(responseLevelDbfs, 0)}: response includes it, no bands fitted.`;
  if (fitted.length === 0 && why === "slow") return "Gain not yet at rest in the quiet sweep: no bands fitted.";
  const noiseDb = (NOISE_SIGMAS / 3) * error;
  const usual = inBand.toSorted((a, b) => a - b)[inBand.length >> 1] ?? 0;
  const isInNoise = inBand.every((db, i) => Math.abs(db - usual) <= Math.max(FLAT_DB, NOISE_SIGMAS * errorsIn[i]));
  if (fitted.length === 0 && isInNoise && most - least > 2 * FLAT_DB && noiseDb > FLAT_DB)
    return `Response: ${kind.name === "equalizer" ? "change is within" : "no change above"} noise (±${decibels(noiseDb)} for 90 % of ${where}), ${gainWords(figures)} at 1 kHz.`;
  if (fitted.length === 0 && most - least < Math.max(FLAT_DB, error))
    return `Flat within ${decibels(Math.max(0.01, most - least), "dB", 2)} (${where}), ${gainWords(figures)} at 1 kHz.`;
  if (fitted.length === 0)
    return most - least < 1
      ? `Flat within ${decibels(most - least, "dB", 2)} (${where}), ${gainWords(figures)} at 1 kHz.`
      : `Response spans ${decibels(most - least)}${isPart ? ` (${where})` : ""}; ${why ? "no bands fitted" : "no EQ band fits"}.`;
  const named = fitted.slice(0, MOST_BANDS_NAMED).map(fittedBandWords);
  const more = fitted.length - named.length;
  const rest = fitMisfitDb > 0.1 ? `; maximum error ${decibels(fitMostDb)}` : "";
  const cramped =
    realised === "bilinear"
      ? " Cramped towards Nyquist (bilinear transform)."
      : realised === "analogue"
        ? " Analogue curve up to Nyquist."
        : "";
  return `EQ${knownWords(response, highest)}: ${named.join(", ")}${more > 0 ? `, ${more} more` : ""}${rest}.${cramped}`;
}

/** More of the frequencies than this are hidden before it is said. */
const HIDDEN_SHARE = 0.1;

/** " (known from 80 Hz to 1.3 kHz; noise hides the rest)" where the bands are known of a part of the response only. */
function knownWords({ hertz, errorDb }: ChannelFigures["response"], highestHz: number): string {
  const seen = hertz.filter((hz) => hz <= highestHz);
  const known = seen.filter((_, i) => (errorDb[i] ?? 0) < KNOWN_DB);
  if (known.length >= (1 - HIDDEN_SHARE) * seen.length) return "";
  if (known.length === 0) return " (hidden by noise)";
  const [from, to] = [known[0], known[known.length - 1]];
  return ` (known from ${frequencyWords(from)} to ${frequencyWords(to)}; noise hides the rest)`;
}

/** What is said of a phase; nothing of one that is not known. */
export const PHASE_WORDS: Record<ChannelFigures["phaseKind"], string | null> = {
  minimum: "minimum phase",
  linear: "linear phase",
  none: "no phase shift",
  "all-pass": "phase shift without level change",
  mixed: "more phase shift than minimum phase",
  unknown: null,
};

function phaseSentence({ phaseKind, crossoversHz, rotationDegrees, transparent }: ChannelFigures): string | null {
  if (transparent === "yes") return null;
  const where =
    crossoversHz.length > 0
      ? `, as of crossovers or all-passes at ${listed(crossoversHz.slice(0, 4).map(frequencyWords))}`
      : Math.abs(rotationDegrees) > 2
        ? `, ${withUnit(number(rotationDegrees, 0), "°")} at all frequencies`
        : "";
  const text = PHASE_WORDS[phaseKind];
  return text && `${text[0].toUpperCase()}${text.slice(1)}${where}.`;
}

function latencySentence({ latencySamples, latencyErrorSamples }: ChannelFigures, { signal }: Facts): string | null {
  if (latencySamples === null) return null;
  if (latencyErrorSamples > UNSURE_SAMPLES) return null;
  if (Math.abs(latencySamples) <= Math.max(0.01, 2 * latencyErrorSamples)) return "No latency.";
  const digits = samplesDigits(latencySamples);
  return `Latency ${withUnit(`${number(latencySamples, digits)}${within(latencyErrorSamples, digits)}`, "samples")} (${millisecondWords((1000 * latencySamples) / signal.sampleRateHz)}).`;
}

/** A time that was read, with how closely it is known. */
export const measuredTime = (ms: number | null, error?: number | null): string =>
  ms === null ? "not known" : ms < 0.1 && !error ? `under ${withUnit("0.1", "ms")}` : timeWithin(ms, error);

function timesSentence({ times, kind }: ChannelFigures): string | null {
  if (!times) return null;
  const { errorsMs } = times;
  const ahead =
    times.lookAheadMs !== null && times.lookAheadMs > 0
      ? ` Look-ahead ${timeWithin(times.lookAheadMs, errorsMs?.lookAhead)}.`
      : "";
  // An expander's detector that falls slowly looks the same as a hold.
  const holdName = OPENING_KINDS.includes(kind.name) ? "Hold, or fall of its detector," : "Hold";
  const hold = times.holdMs > 0 ? ` ${holdName} ${timeWithin(times.holdMs, errorsMs?.hold)}.` : "";
  const apart =
    times.releaseMs && times.releaseAfterShortMs && Math.abs(times.releaseAfterShortMs / times.releaseMs - 1) > 0.15
      ? ` Release ${millisecondWords(times.releaseAfterShortMs)} after a 30 ms burst: programme-dependent.`
      : "";
  const link =
    times.linkShare === null
      ? ""
      : times.linkShare > 0.95
        ? " Channels fully linked."
        : times.linkShare < 0.1
          ? " Channels not linked."
          : ` Linking ${withUnit(number(100 * times.linkShare, 0), "%")}.`;
  const attackAndRelease =
    times.attackMs === null && times.releaseMs === null
      ? "Attack and release not known"
      : `Attack ${measuredTime(times.attackMs, errorsMs?.attack)}, release ${measuredTime(times.releaseMs, errorsMs?.release)}`;
  return `${attackAndRelease} (to 63 % of ${decibels(Math.abs(times.reductionDb))}).${ahead}${hold}${apart}${link}`;
}

function movesSentence({ moves, kind, crossoversHz }: ChannelFigures): string | null {
  // Phase tells crossovers closer than what moves beside a tone does, where it is used.
  if (kind.name === "multiband" && moves.edgesHz.length > 0 && crossoversHz.length === 0)
    return `Crossover near ${listed(moves.edgesHz.slice(0, 4).map(frequencyWords))} (within half an octave).`;
  if (kind.name === "dynamicEq" && moves.edgesHz.length > 0)
    return `The moving bell stands near ${frequencyWords(moves.edgesHz[0])}.`;
  if (kind.name === "deEsser" && moves.kind === "split bands" && moves.edgesHz.length > 0)
    return `Acts on a band, edge near ${frequencyWords(moves.edgesHz[0])}.`;
  return null;
}

function harmonicsSentence(
  { harmonics: [deep, ...others] }: ChannelFigures,
  facts: Facts,
  of: BenchChannel["channel"] | null,
): string | null {
  if (whyWithheld(facts, "harmonics", of)) return null;
  const partials = deep.partialsDb
    .map((db, i) => ({ db, order: i + 2 }))
    .filter((p): p is { db: number; order: number } => p.db !== null && p.db > NAMED_DB);
  if (partials.length === 0) {
    const loud = others
      .filter((tone) => (tone.thdPercent ?? 0) > LEAST_PERCENT)
      .toSorted((a, b) => (b.thdPercent ?? 0) - (a.thdPercent ?? 0))[0];
    return loud?.thdPercent
      ? `No harmonics of 1 kHz above noise at ${dbfs(deep.levelDbfs, 0)}; THD ${thdWords(loud.thdPercent)} at ${frequencyWords(loud.hertz)}, ${dbfs(loud.levelDbfs, 0)}.`
      : "No harmonics above noise.";
  }
  const top = partials.toSorted((a, b) => b.db - a.db).slice(0, 3);
  return `THD ${thdWords(deep.thdPercent ?? 0)} of ${frequencyWords(deep.hertz)} at ${dbfs(deep.levelDbfs, 0)}: ${listed(top.map(({ order, db }) => `H${order} ${decibels(db)}`))}.`;
}

function aliasSentence({ aliasDb, harmonics }: ChannelFigures, { signal }: Facts): string | null {
  if (aliasDb === null) return null;
  const worst = harmonics.find((tone) => tone.aliasDb === aliasDb);
  return `Aliasing: up to ${decibels(aliasDb)} re a tone${worst ? ` of ${frequencyWords(worst.hertz)}` : ""} at ${dbfs(signal.levelDbfs, 0)}.`;
}

function wiringSentence(facts: Facts): string | null {
  const parts: string[] = [];
  // Where channels differ, what stands here is the first one's.
  const of = (what: BenchChannel["differs"][number]) =>
    facts.channels.some(({ differs }) => differs.includes(what) || differs.includes("silent"))
      ? ` (${firstChannelWords(facts.channels)})`
      : "";
  if (facts.polarity === -1 && isPolarityKnown(facts)) parts.push(`polarity inverted${of("polarity")}`);
  if (facts.swapped) parts.push("left and right swapped");
  if (facts.clockPpm !== 0)
    parts.push(`drift ${withUnit(signed(facts.clockPpm, 2), "ppm")} (runs ${facts.clockPpm > 0 ? "long" : "short"})`);
  if (facts.crosstalkDb !== null && facts.crosstalkDb > LEAST_CROSSTALK_DB)
    parts.push(`crosstalk ${decibels(facts.crosstalkDb)} at 1 kHz`);
  if (facts.noiseFloorDbfs !== null && facts.noiseFloorDbfs > LEAST_NOISE_DBFS)
    parts.push(`noise ${dbfs(facts.noiseFloorDbfs)}${of("noise")}`);
  if (facts.wordLengthBits !== null) parts.push(withUnit(`${facts.wordLengthBits}`, "bits"));
  if (parts.length === 0) return null;
  const text = listed(parts);
  return `${text[0].toUpperCase()}${text.slice(1)}.`;
}

/** Tones that come back at another pitch than they were sent at. */
export const pitchWords = (ppm: number): string =>
  `Tones of 1 kHz are ${withUnit(signed(1200 * log2(1 + ppm / 1e6), 1), "cents")} off the signal's tempo (pitch shift, frequency shift or time stretch).`;

/** What happened to a recording on its way. */
export function integrityWords({
  what,
  atSeconds,
  withinSeconds,
  hertz,
  levelDbfs,
  samples,
  percent,
  channel,
}: IntegrityFinding): string {
  const where = channel === null ? "" : ` (${channel})`;
  const within = withinSeconds !== null && withinSeconds > 0.1 ? ` ± ${withUnit(number(withinSeconds), "s")}` : "";
  const at = atSeconds === null ? "" : ` at ${timeWords(atSeconds)}${within}`;
  const count = samples === null ? "" : withUnit(`${samples}`, samples === 1 ? "sample" : "samples");
  switch (what) {
    case "lost":
      return `Lost on the way: ${count}${at}${where}.`;
    case "repeated":
      return `Repeated on the way: ${count}${at}${where}.`;
    case "dropout":
      return `Dropout of ${count}${at}${where}.`;
    case "dc":
      return `DC offset ${dbfs(levelDbfs ?? 0)}${where}, removed.`;
    case "hum":
      return `Hum of ${withUnit(number(hertz ?? 0), "Hz")} at ${dbfs(levelDbfs ?? 0)}${where}.`;
    case "line":
      return `Steady tone of ${withUnit(number(hertz ?? 0), "Hz")} at ${dbfs(levelDbfs ?? 0)}${where}.`;
    case "noise":
      return `Noise at ${dbfs(levelDbfs ?? 0)}${where} hides what is quieter.`;
    case "wow":
      return hertz === null
        ? `Pitch moves slowly, by ±${withUnit(number(percent ?? 0, 3), "%")} or more (wow: recorder, tape or processor).`
        : `Pitch moves by ±${withUnit(number(percent ?? 0, 3), "%")}, about ${withUnit(number(hertz, 0), "Hz")} (wow: recorder, tape or processor).`;
    case "overload":
      return `Overload: ${count} at full scale${at ? `, first${at}` : ""}${where}.`;
  }
}

/** A difference between two processors in a sentence. */
export function benchDifferenceWords(difference: BenchDifference, [one, other]: readonly [string, string]): string {
  switch (difference.what) {
    case "kind":
      return [one, other]
        .map((title, i) => `${title}: ${kindBeside(difference.kinds[i], difference.crosstalkDb[i])}.`)
        .join(" ");
    case "gainOverLevel": {
      const [a, b] = difference.gainsDb;
      return `Gain at ${dbfs(difference.levelDbfs, 0)} re ${dbfs(difference.quietDbfs, 0)}: ${one} ${signedDecibels(a)}, ${other} ${signedDecibels(b)}.`;
    }
    case "response":
      return `Response: ${one} ${signedDecibels(difference.db)} re ${other} at ${frequencyWords(difference.hertz)}, gain aside.`;
    case "harmonics": {
      const [a, b] = difference.thdPercent.map((v) => (v === null ? "none above noise" : thdWords(v)));
      return `THD of 1 kHz at ${dbfs(difference.levelDbfs, 0)}: ${one} ${a}, ${other} ${b}.`;
    }
    case "latency":
      return `Latency: ${one} ${withUnit(signed(difference.milliseconds, 2), "ms")} re ${other}.`;
  }
}
