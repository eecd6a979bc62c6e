import { isQuickEnough } from "./read/gain-times";
import { smoothed } from "./read/response";
import type { BenchReport } from "./report";
import type { SignalPlan } from "./signal/signal-plan";
import { decibels, frequency, listed, milliseconds, percent, signedDb, withDigits } from "./words";

type Facts = Omit<BenchReport, "sentences">;
type Known = {
  isBent: boolean;
  /** Gain already moves at the quietest sweep; it moves at all. */
  acts: boolean;
  moves: boolean;
  /** It changes while nothing changes going in. */
  isUnsteady: boolean;
  /** Noise does not come back as it was, tones do; it rings on longer than there is room for. */
  isCoded: boolean;
  rings: boolean;
  plan: SignalPlan;
};

/** A curve that stays within this is called flat (dB). */
const FLAT_DB = 0.1;
/** And nearly so, beside a gain that moves. */
const NEARLY_FLAT_DB = 1;
/** Harmonics are named from here up (dB over the fundamental). */
const NAMED_DB = -140;
/** Less than this is none (percent). */
const LEAST_PERCENT = 0.0005;
/** A delay that is known no closer is not told. */
const UNSURE_SAMPLES = 0.5;

/** What the tests found, in plain sentences: what it does to tone, phase, level over time, the wave itself, and what it adds. */
export function sentencesOf(facts: Facts, known: Known): string[] {
  return [
    transparencySentence(facts),
    toneSentence(facts, known),
    levelsSentence(facts, known),
    phaseSentence(facts),
    ringsSentence(known),
    lawSentence(facts, known),
    timesSentence(facts),
    movesSentence(facts),
    harmonicsSentence(facts),
    aliasSentence(facts),
    wiringSentence(facts),
    ...facts.remarks,
  ].filter((sentence) => sentence !== null);
}

function transparencySentence({ transparent, addsDb }: Facts): string | null {
  if (transparent === "yes") return "It adds nothing: what comes back is what was sent, bit for bit.";
  return addsDb !== null && addsDb < -60
    ? `It is near to nothing: what it adds lies ${decibels(-addsDb)} under the signal, once gain and delay are taken off.`
    : null;
}

const bandWords = ({ kind, hertz, gainDb, q, slopeDbPerOctave }: Facts["fitted"][number]): string =>
  gainDb === null
    ? `a ${kind} at ${frequency(hertz)}, ${slopeDbPerOctave} dB an octave`
    : `a ${kind} of ${signedDb(gainDb)} at ${frequency(hertz)}, Q ${withDigits(q ?? 0, 2)}`;

function toneSentence(facts: Facts, { acts, moves, isUnsteady, plan }: Known): string | null {
  const { response, fitted, fitMostDb, fitMisfitDb, realised, gainDbAt1k, transparent, responseLevelDbfs } = facts;
  if (transparent === "yes") return null;
  if (isUnsteady) return "Its response changes while it is measured: what is shown is that of one sweep.";
  if (acts)
    return `Its gain already moves at ${withDigits(responseLevelDbfs, 0)} dBFS, so its response cannot be told apart from that: no bands are fitted.`;
  const highest = Math.min(20_000, 0.42 * plan.form.sampleRateHz);
  const inBand = response.magnitudeDb.filter((_, i) => response.hertz[i] <= highest);
  const [least, most] = [Math.min(...inBand), Math.max(...inBand)];
  if (most - least < FLAT_DB || (fitted.length === 0 && !moves && most - least < NEARLY_FLAT_DB))
    return `Its response is flat: ${signedDb(gainDbAt1k, 2)} within ${decibels(most - least, 2)}.`;
  if (fitted.length === 0)
    return moves && most - least < NEARLY_FLAT_DB
      ? `Its response is flat within ${decibels(most - least)}, as far as can be told beside a gain that moves.`
      : `Its response moves by ${decibels(most - least)}, and no band explains it.`;
  const squeezed =
    realised === "bilinear"
      ? " Towards half the rate its curve is squeezed, as the bilinear transform does it."
      : realised === "analogue"
        ? " Its curve is the analogue one up to half the rate."
        : "";
  const rest = fitMisfitDb > 0.1 ? `; they leave ${decibels(fitMostDb)} at the most` : "";
  return `Its curve is that of ${listed(fitted.map(bandWords))}${rest}.${squeezed}`;
}

function levelsSentence(
  { levels, response, responseLevelDbfs }: Facts,
  { plan, isUnsteady, moves }: Known,
): string | null {
  if (isUnsteady || !moves) return null;
  const [quiet, ...louder] = levels;
  const apart = louder.map(({ levelDbfs, magnitudeDb }) => {
    const through = Math.max(...magnitudeDb) - 40;
    const moved = smoothed(magnitudeDb.map((db, i) => db - quiet.magnitudeDb[i]))
      .map((db, i) => ({ db, hertz: response.hertz[i], isThrough: magnitudeDb[i] > through }))
      .filter(({ hertz, isThrough }) => isThrough && hertz >= 40 && hertz <= 0.4 * plan.form.sampleRateHz);
    const most = moved.reduce((a, b) => (Math.abs(b.db) > Math.abs(a.db) ? b : a));
    return { levelDbfs, ...most };
  });
  const most = apart.reduce((a, b) => (Math.abs(b.db) > Math.abs(a.db) ? b : a));
  if (Math.abs(most.db) < 0.2) return null;
  return `Its response moves with level: by ${signedDb(most.db)} at ${frequency(most.hertz)} between a sweep of ${withDigits(quiet.levelDbfs, 0)} and one of ${withDigits(most.levelDbfs, 0)} dBFS${responseLevelDbfs === quiet.levelDbfs ? "; the curve is told of the quiet one" : ""}.`;
}

function phaseSentence({
  phaseKind,
  crossoversHz,
  rotationDegrees,
  latencySamples,
  latencyErrorSamples,
  signal,
}: Facts): string | null {
  const latency =
    latencyErrorSamples > UNSURE_SAMPLES
      ? "late by what cannot be told closely"
      : Math.abs(latencySamples) <= Math.max(0.01, 2 * latencyErrorSamples)
        ? "without delay"
        : `${withDigits(latencySamples, Math.abs(latencySamples - Math.round(latencySamples)) < 0.01 ? 0 : 2)} samples late (${milliseconds((1000 * latencySamples) / signal.sampleRateHz)})`;
  const kinds: Record<Facts["phaseKind"], string | null> = {
    minimum: "It turns phase as its curve asks for and no more (minimum phase)",
    linear: "It turns no phase, and rings before as much as after (linear phase)",
    none: "It turns no phase",
    "all-pass": "It turns phase and leaves levels alone",
    mixed: "It turns phase by more than its curve asks for",
    unknown: "Whether it is of minimum or linear phase cannot be told: its curve turns too little",
  };
  const where =
    crossoversHz.length > 0
      ? `, as crossovers or all-passes at ${listed(crossoversHz.map(frequency))} do`
      : Math.abs(rotationDegrees) > 2
        ? `, all frequencies by ${withDigits(rotationDegrees, 0)}°`
        : "";
  return `${kinds[phaseKind]}${where}; it is ${latency}.`;
}

function ringsSentence({ rings, isCoded }: Known): string | null {
  if (rings)
    return "It rings on for longer than the signal leaves room (a reverb, an echo): noise, law, times and folding are not told.";
  if (isCoded)
    return "It gives tones back and not noise as it was: coding that loses something, or samples that are held. Figures of it hold for tones alone.";
  return null;
}

const stepMsOf = ({ steady: [step], form }: SignalPlan): number => (1000 * step.frames) / form.sampleRateHz;

function lawSentence(
  { static: law, staticOnSine, moves, times }: Facts,
  { isBent, isUnsteady, rings, plan }: Known,
): string | null {
  if (rings) return null;
  if (isUnsteady)
    return "It does not do the same twice while nothing changes going in: no law, no times and no folding are told.";
  if (moves.kind === "bell")
    return `It moves one bell near ${frequency(moves.edgesHz[0])} by level; threshold and ratio of that are not told by a wave of 1 kHz.`;
  if (isBent) return "It bends the wave itself, at once and without memory: it has no threshold, ratio or times.";
  if (!law)
    return `Its gain does not move with level up to ${withDigits(plan.steady[plan.steady.length - 1].levelDbfs, 0)} dBFS.`;
  if (law.ratio !== null && law.thresholdDbfs === null)
    return `It limits peaks between samples: a square wave is held back, and no sine up to ${withDigits(plan.steady[plan.steady.length - 1].levelDbfs, 0)} dBFS.`;
  if ((law.thresholdDbfs === null || law.ratio === null) && times && !isQuickEnough(times, stepMsOf(plan)))
    return "Its gain moves with level, but takes too long for steps to tell threshold and ratio: only the points are told.";
  if (law.thresholdDbfs === null || law.ratio === null)
    return "Its gain moves with level, but by no law of threshold and ratio: only the points are told.";
  if (law.ratio >= 20) return `It limits: nothing rises beyond ${withDigits(law.thresholdDbfs, 1)} dBFS going in.`;
  const sine =
    staticOnSine?.thresholdDbfs != null && Math.abs(staticOnSine.thresholdDbfs - law.thresholdDbfs) > 0.4
      ? ` On a sine, whose magnitude moves through each turn, it begins at ${withDigits(staticOnSine.thresholdDbfs, 1)} dBFS.`
      : "";
  const band = moves.kind === "split bands" ? " in the band around 1 kHz" : "";
  return `It compresses${band}: threshold ${withDigits(law.thresholdDbfs, 1)} dBFS, ratio ${withDigits(law.ratio, 1)}:1, knee ${decibels(law.kneeDb ?? 0)}.${sine}`;
}

function timesSentence({ times }: Facts): string | null {
  if (!times) return null;
  const told = (ms: number | null) => (ms === null ? "longer than the test allows" : milliseconds(ms));
  const ahead = times.lookAheadMs > 0 ? ` It looks ahead by ${milliseconds(times.lookAheadMs)}.` : "";
  const hold = times.holdMs > 0 ? ` It holds for ${milliseconds(times.holdMs)} before it lets go.` : "";
  const apart =
    times.releaseMs && times.releaseAfterShortMs && Math.abs(times.releaseAfterShortMs / times.releaseMs - 1) > 0.15
      ? ` After a burst of 30 ms it lets go in ${milliseconds(times.releaseAfterShortMs)}: it follows the programme.`
      : "";
  const link =
    times.linkShare === null
      ? ""
      : times.linkShare > 0.95
        ? " Both sides move together."
        : times.linkShare < 0.05
          ? " Each side moves for itself."
          : ` The quiet side moves by ${withDigits(100 * times.linkShare, 0)} % of the loud one.`;
  return `A step of ${decibels(Math.abs(times.reductionDb))} of gain is 63 % there after ${told(times.attackMs)} and back after ${told(times.releaseMs)}.${ahead}${hold}${apart}${link}`;
}

function movesSentence({ moves }: Facts): string | null {
  if (moves.kind === "split bands")
    return `A loud tone moves its own band alone: it is split near ${listed(moves.edgesHz.map(frequency))}.`;
  if (moves.kind === "bell")
    return `A loud tone moves a bell and not a band: nothing is split, it is a dynamic equalizer near ${frequency(moves.edgesHz[0])}.`;
  return null;
}

function harmonicsSentence({ harmonics: [deep, ...others] }: Facts): string | null {
  const partials = deep.partialsDb
    .map((db, i) => ({ db, order: i + 2 }))
    .filter((p): p is { db: number; order: number } => p.db !== null && p.db > NAMED_DB);
  if (partials.length === 0) {
    const loud = others
      .filter((tone) => tone.levelDbfs > deep.levelDbfs && (tone.thdPercent ?? 0) > LEAST_PERCENT)
      .toSorted((a, b) => b.levelDbfs - a.levelDbfs)[0];
    return loud?.thdPercent
      ? `At ${withDigits(deep.levelDbfs, 0)} dBFS it adds no harmonic that can be told; at ${withDigits(loud.levelDbfs, 0)} dBFS ${percent(loud.thdPercent)}.`
      : "It adds no harmonics that can be told from noise.";
  }
  const top = partials.toSorted((a, b) => b.db - a.db).slice(0, 3);
  const [even, odd] = [0, 1].map((rest) => partials.filter(({ order }) => order % 2 === rest));
  const kind = even.length === 0 ? "odd ones alone" : odd.length === 0 ? "even ones alone" : "even and odd ones";
  return `A tone of ${frequency(deep.hertz)} at ${withDigits(deep.levelDbfs, 0)} dBFS is given harmonics, ${kind}: ${listed(top.map(({ order, db }) => `H${order} at ${decibels(db)}`))}; THD ${percent(deep.thdPercent ?? 0)}.`;
}

function aliasSentence({ aliasDb, harmonics, signal }: Facts): string | null {
  if (aliasDb === null) return null;
  const worst = harmonics.find((tone) => tone.aliasDb === aliasDb);
  return `What folds back reaches ${decibels(aliasDb)} under a tone${worst ? ` of ${frequency(worst.hertz)}` : ""} at ${withDigits(signal.levelDbfs, 0)} dBFS.`.replace(
    `reaches −`,
    "reaches ",
  );
}

function wiringSentence(facts: Facts): string | null {
  const parts: string[] = [];
  if (facts.polarity === -1) parts.push("polarity is flipped");
  if (facts.swapped) parts.push("left and right are swapped");
  if (facts.clockPpm !== 0) parts.push(`the clock is off by ${withDigits(facts.clockPpm, 2)} ppm`);
  if (facts.crosstalkDb !== null && facts.crosstalkDb > -110)
    parts.push(`one side is heard in the other ${decibels(-facts.crosstalkDb)} down`);
  if (facts.noiseFloorDbfs !== null && facts.noiseFloorDbfs > -150)
    parts.push(`noise lies at ${withDigits(facts.noiseFloorDbfs, 1)} dBFS`);
  if (facts.hum) parts.push(`it hums at ${facts.hum.hertz} Hz, ${withDigits(facts.hum.dbfs, 1)} dBFS`);
  if (facts.passesApartDb !== null && facts.noiseFloorDbfs === null)
    parts.push(`two passes of one noise differ by ${decibels(facts.passesApartDb)}`);
  if (facts.wordLengthBits !== null) parts.push(`samples come in ${facts.wordLengthBits} bits`);
  if (parts.length === 0) return null;
  const text = listed(parts);
  return `${text[0].toUpperCase()}${text.slice(1)}.`;
}
