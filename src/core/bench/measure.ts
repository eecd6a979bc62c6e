import { type Sound, soundOf } from "../audio/sound";
import { benchSentences, pitchWords } from "../words/bench";
import { differencesOf } from "./differences";
import { figuresOf, type Told } from "./figures";
import { idleOf } from "./integrity/idle";
import type { Bearing } from "./integrity/integrity";
import { type BenchKind, type KindFound, kindOf, LINEAR_KINDS } from "./kind/kind";
import { linkShareAt } from "./read/gain-times";
import { wordLength } from "./read/housekeeping";
import { type ChannelName, channelOf, partsOf } from "./read/parts";
import { type ChannelReading, readChannel } from "./read/read-channel";
import { readLinear } from "./read/response";
import {
  crosstalkOf,
  impulseFor,
  magnitudesOf,
  type SweptSides,
  sweptImpulse,
  sweptSides,
  togetherFor,
} from "./read/responses";
import { sweepPicture } from "./read/sweep-picture";
import type { Impulse } from "./read/sweep-response";
import { tonePitchPpm } from "./read/tone-pitch";
import type { BenchChannel, BenchReport, Withheld } from "./report";
import type { SignalPlan } from "./signal/signal-plan";

/** What is measured: what came back, laid on what was sent, and what that can bear. */
export type BenchInput = {
  plan: SignalPlan;
  sent: readonly Float32Array[];
  bearing: Bearing;
  /** Samples that were taken off before, part of the latency; null where nothing says when the signal was sent. */
  takenOffSamples: number | null;
  /** Samples of a recording before the signal's first frame, as it was laid; null of what was made here. */
  arrivedAtSamples: number | null;
  /** The sound as it was delivered, for its word length, where that is not what came back itself. */
  delivered: Sound | null;
  remarks: readonly string[];
};

/** Crosstalk from here on is a matrix of mid and side, or wiring (dB). */
const CROSSED_DB = -80;

type Channel = { name: ChannelName; told: Told; kind: KindFound; reading: ChannelReading; lateSamples: number };

/**
 * Measures all that a test signal tells, in four rooms one after the other: what the recording bears (`bearing`), readings of each channel with their errors, the
 * kind that predicts them, and what is reported. `pause` is called between them.
 */
export function measureProcessor(
  given: BenchInput,
  pause: (share: number, doing: string) => void = () => {},
): BenchReport {
  const { plan, sent, bearing } = given;
  const { form } = plan;
  const rate = form.sampleRateHz;
  pause(0.1, "Measuring the recording");
  const coarse = sweptSides(plan, sent, bearing.back);
  const ordered = coarse.swapped ? bearing.back.toReversed() : [...bearing.back];
  const shifts = ordered.map((_, c) => wholeDelay(coarse.own[Math.min(c, coarse.own.length - 1)], plan.frames));
  const back = ordered.map((channel, c) => shifted(channel, shifts[c]));
  const sides =
    shifts.every((s) => s === 0) && !coarse.swapped
      ? coarse
      : { ...sweptSides(plan, sent, back), swapped: coarse.swapped };
  const isMoving = bearing.findings.some(({ what }) => what === "wow");
  const wholeTones = plan.ladder.filter((tone) => isWhole(bearing, tone, coarse.swapped ? "right" : "left", shifts[0]));
  const pitchPpm = isMoving ? null : tonePitchPpm(back[0], wholeTones, rate);
  const pitch = isMoving ? "moving" : pitchPpm === null ? "steady" : "shifted";
  const isPitchSteady = pitch === "steady";
  const crosstalkDb = crosstalkOf(sides, bearing.idle[0].noiseDbfs, plan);

  const read = (name: ChannelName, share: number): Channel => {
    pause(share, `Reading ${name === "left" || name === "right" ? `the ${name} channel` : name}`);
    const index = name === "right" ? 1 : 0;
    const own = name === "left" || name === "right" ? back[index] : channelOf(back, name);
    const lateSamples = shifts[index];
    // Faults are named by the channel they were recorded on.
    const recordedOn = coarse.swapped && name === "left" ? "right" : coarse.swapped && name === "right" ? "left" : name;
    const whole = (stretch: { startFrame: number; frames: number }) =>
      isWhole(bearing, stretch, recordedOn, lateSamples);
    const { impulse, together } = impulsesFor(name, { plan, sides, own, sent, whole });
    const reading = readChannel({
      name,
      plan,
      parts: partsOf(plan, name),
      sent: name === "left" || name === "right" ? (sent[index] ?? sent[0]) : channelOf(sent, name),
      back: own,
      own: impulse,
      together,
      idle: idleOf(own, plan),
      isPitchSteady,
      isWhole: whole,
    });
    const kind = kindOf(reading, pitch);
    const offsetSamples = given.takenOffSamples === null ? null : given.takenOffSamples + lateSamples;
    return { name, told: figuresOf(reading, kind, { offsetSamples, isPitchSteady }), kind, reading, lateSamples };
  };
  const channels = [read("left", 0.15)];
  if (plan.sweeps.length > 1 && back.length > 1) channels.push(read("right", 0.45));
  linked(channels, plan);
  const [first, right] = channels;
  const isAlike =
    right !== undefined && differencesOf(first.told.figures, right.told.figures, delayOf(right, first)).length === 0;
  const hasCrosstalk = crosstalkDb !== null && crosstalkDb > CROSSED_DB;
  if (right && shifts[0] === shifts[1] && isPitchSteady) {
    const isLinear = [first, right].every(({ kind }) => LINEAR_KINDS.includes(kind.name));
    // What side is sent shows neither bands nor what changes by itself.
    const isReadable = [first, right].every(({ kind }) => !UNREAD_IN_SIDE.includes(kind.name));
    // Where both sides are alike and nothing crosses over, what both have is what mid has, and of something linear also what side has.
    if (hasCrosstalk && isReadable) channels.push(read("mid", 0.6));
    if (isReadable && (hasCrosstalk || (isAlike && !isLinear))) channels.push(read("side", 0.75));
  }
  pause(0.9, "Telling");
  return reported(given, { channels, sides, back, crosstalkDb, rate, pitchPpm });
}

const UNREAD_IN_SIDE: readonly BenchKind[] = ["multiband", "deEsser", "dynamicEq", "timeVarying", "coder", "unknown"];

/** Whole samples that a response lies late; where phase does not tell that closely, its highest point does. */
function wholeDelay(impulse: Impulse, frames: number): number {
  const { delaySamples, delayErrorSamples, mainTapSamples } = readLinear(impulse);
  const late = delayErrorSamples > 0.5 ? mainTapSamples : Math.round(delaySamples);
  return Math.abs(late) < frames / 4 ? late : 0;
}

/** A channel so many samples earlier, silence where it has none. */
function shifted(channel: Float32Array, samples: number): Float32Array {
  if (samples === 0) return channel;
  const output = new Float32Array(channel.length);
  if (samples > 0) output.set(channel.subarray(samples));
  else output.set(channel.subarray(0, channel.length + samples), -samples);
  return output;
}

/** A clock this little off is not reported of beside what changes over time by itself (ppm): 5 ms to and fro, as of a chorus, over the 50 s of a signal. */
const HIDDEN_PPM = 100;

/** Whether a stretch of a channel was not spoiled; channels that were shifted are read so much later. */
function isWhole(
  { spoiled }: Bearing,
  { startFrame, frames }: { startFrame: number; frames: number },
  name: ChannelName,
  late: number,
): boolean {
  const isOfIt = (channel: string | null) => channel === null || channel === name || name === "mid" || name === "side";
  return !spoiled.some(
    ({ fromFrame, toFrame, finding }) =>
      isOfIt(finding.channel) && fromFrame < startFrame + late + frames && toFrame > startFrame + late,
  );
}

type Swept = {
  plan: SignalPlan;
  sides: SweptSides;
  own: Float32Array;
  sent: readonly Float32Array[];
  whole: (s: { startFrame: number; frames: number }) => boolean;
};

/** A channel's response to its own sweep; to a sweep that both have, where its own was spoiled. */
function impulsesFor(
  name: ChannelName,
  { plan, sides, own, sent, whole }: Swept,
): { impulse: Impulse; together: Impulse } {
  const rate = plan.form.sampleRateHz;
  const sweeps = name === "right" ? plan.sweeps.slice(-1) : name === "left" ? plan.sweeps.slice(0, 1) : plan.sweeps;
  const tail = (s: { startFrame: number; frames: number; tailFrames: number }) => ({
    startFrame: s.startFrame,
    frames: s.frames + s.tailFrames,
  });
  if (sweeps.every((sweep) => whole(tail(sweep))))
    return { impulse: impulseFor(name, sides), together: togetherFor(name, sides) };
  const spare = [plan.middleSweep, ...plan.quietSweeps].find((sweep) => whole(tail(sweep))) ?? plan.middleSweep;
  const impulse = sweptImpulse(spare, rate, sent[0], own);
  return { impulse, together: impulse };
}

const delayOf = (a: Channel, b: Channel): number =>
  a.lateSamples + a.told.delaySamples - b.lateSamples - b.told.delaySamples;

/** How much of a burst that one side has alone the other is given. */
function linked(channels: readonly Channel[], { bursts, steadyPeriod }: SignalPlan): void {
  const [left, right] = channels;
  // What changes by itself does not show what it is given.
  const isSteady = channels.every(({ kind }) => kind.name !== "timeVarying");
  if (!right || !isSteady || !bursts.oneSide || !bursts.otherSide) return;
  const [one, other] = [left, right].map(({ reading }) => reading.input.back);
  const { last, between } = bursts;
  const { times } = left.told.figures;
  if (times) times.linkShare = linkShareAt(one, other, bursts.oneSide, between ?? last, steadyPeriod);
  const { times: rightTimes } = right.told.figures;
  if (rightTimes) rightTimes.linkShare = linkShareAt(other, one, bursts.otherSide, last, steadyPeriod);
}

type Read = {
  channels: readonly Channel[];
  sides: SweptSides;
  back: readonly Float32Array[];
  crosstalkDb: number | null;
  rate: number;
  /** How far off tones come back, where they do. */
  pitchPpm: number | null;
};

function reported(given: BenchInput, { channels: read, sides, back, crosstalkDb, rate, pitchPpm }: Read): BenchReport {
  const { plan, sent, bearing } = given;
  // What is reported first is reported of something: a silent channel comes after one that is not.
  const channels = read.toSorted((a, b) => Number(a.reading.isSilent) - Number(b.reading.isSilent));
  const [first] = channels;
  const { hertz } = first.told.figures.response;
  const told = channels.map((channel): BenchChannel => {
    if (channel === first) return { channel: first.name, differs: [], delaySamples: 0, figures: null };
    if (channel.reading.isSilent !== first.reading.isSilent)
      return { channel: channel.name, differs: ["silent"], delaySamples: null, figures: channel.told.figures };
    const delaySamples = delayOf(channel, first);
    const differs = differencesOf(first.told.figures, channel.told.figures, delaySamples);
    return {
      channel: channel.name,
      differs,
      delaySamples: Number(delaySamples.toFixed(4)) + 0,
      figures: differs.length > 0 ? channel.told.figures : null,
    };
  });
  const withheld: Withheld[] = [
    ...first.told.withheld.map((w) => ({
      ...w,
      channel: told.some(({ differs }) => differs.length > 0) ? w.channel : null,
    })),
    ...channels
      .slice(1)
      .flatMap((channel, i) =>
        told[i + 1].figures && !told[i + 1].differs.includes("silent") ? channel.told.withheld : [],
      ),
    ...(first.told.figures.latencySamples === null
      ? [{ figure: "latency" as const, channel: null, reason: "noReference" as const }]
      : []),
    ...(plan.form.channelCount === 2 && back.length < 2
      ? [{ figure: "channels" as const, channel: null, reason: "notSent" as const }]
      : []),
  ];
  // What changes delay by itself moves the marks as well.
  const isHidden =
    channels.some(({ kind }) => kind.name === "timeVarying") && Math.abs(bearing.timing.driftPpm) < HIDDEN_PPM;
  const hum = bearing.findings.find(({ what }) => what === "hum");
  const hasBoth = sides.own.length > 1 && sides.crosstalk[0] && sides.crosstalk[1];
  const [leftDb, rightDb] = hasBoth ? sides.own.map((impulse) => magnitudesOf(impulse, hertz)) : [null, null];
  const pictureOf = (c: number) => sweepPicture(plan.sweeps[c] ?? plan.sweeps[0], back[c] ?? back[0], rate);
  const isTransparent =
    sent.length === bearing.back.length && channels.every((c) => c.told.figures.transparent === "yes");
  const facts: Omit<BenchReport, "sentences"> = {
    ...first.told.figures,
    schema: "yonder-pair/bench@2",
    transparent: isTransparent && channels.every(({ lateSamples }) => lateSamples === 0) ? "yes" : "no",
    signal: plan.form,
    swapped: sides.swapped,
    arrivalSamples:
      given.arrivedAtSamples === null
        ? null
        : Number((given.arrivedAtSamples + first.lateSamples + first.told.delaySamples).toFixed(4)) + 0,
    clockPpm: isHidden ? 0 : Number(bearing.timing.driftPpm.toFixed(4)) + 0,
    hum: hum?.hertz != null && hum.levelDbfs !== null ? { hertz: hum.hertz, dbfs: hum.levelDbfs } : null,
    wordLengthBits: wordLength(given.delivered ?? soundOf({ channels: [...bearing.back], sampleRateHz: rate })),
    crosstalkDb,
    rightOverLeftDb: leftDb && rightDb ? rightDb.map((db, i) => db - leftDb[i]) : null,
    midDb: hasBoth ? magnitudesOf(impulseFor("mid", sides), hertz) : null,
    sideDb: hasBoth ? magnitudesOf(impulseFor("side", sides), hertz) : null,
    channels: told,
    integrity: bearing.findings,
    withheld,
    picture: pictureOf(first.name === "right" ? 1 : 0),
    remarks: [...given.remarks, ...(pitchPpm === null ? [] : [pitchWords(pitchPpm)])],
  };
  return { ...facts, sentences: benchSentences(facts) };
}
