import { z } from "zod";
import { dbFromPower } from "../../audio/decibels";
import { pow } from "../../audio/exact-math";
import { clipOf, piecesOf, type Sound, stretch } from "../../audio/sound";
import type { Returned } from "../signal/returned";
import type { SignalPlan } from "../signal/signal-plan";
import { clippedRows, dropoutsOf } from "./damage";
import { type Idle, idleOf, withoutIdle } from "./idle";
import { relaid, type Timing, timingOnWay, wowOf } from "./timing";

export const INTEGRITY_KINDS = [
  "lost",
  "repeated",
  "dropout",
  "dc",
  "line",
  "hum",
  "noise",
  "wow",
  "overload",
] as const;

/** What happened to a recording on its way. Null where a figure does not apply. */
export const integrityFindingSchema = z.object({
  what: z.enum(INTEGRITY_KINDS),
  /** In the recording's own time, and within what that is known: a loss within a steady wave looks the same at many places. */
  atSeconds: z.number().nullable(),
  withinSeconds: z.number().nullable(),
  hertz: z.number().nullable(),
  levelDbfs: z.number().nullable(),
  samples: z.number().nullable(),
  /** Of pitch, at its peak. */
  percent: z.number().nullable(),
  /** Null where it is alike in all channels. */
  channel: z.enum(["left", "right"]).nullable(),
});
export type IntegrityFinding = z.infer<typeof integrityFindingSchema>;

/** Frames of the signal that cannot be read, and why. */
export type Spoiled = { fromFrame: number; toFrame: number; finding: IntegrityFinding };

/** A recording laid on the signal, with what can be taken off taken off, and what it can bear. */
export type Bearing = {
  /** As long as the signal, or a little longer, so that a delay can be read. */
  back: readonly Float32Array[];
  idle: readonly Idle[];
  timing: Timing;
  findings: IntegrityFinding[];
  spoiled: Spoiled[];
};

/** What a fault spoils before and after itself: windows reach so far, and processors ring on (seconds). */
const BEFORE_SECONDS = 0.005;
const AFTER_SECONDS = 0.1;
/** Noise is named that lies no further than this under the signal: it hides what is quieter (dB). */
const NAMED_NOISE_DB = 70;
/** Lines of the mains and their harmonics lie within this of a multiple (Hz, and a share of the multiple), from these fundamentals. */
const MAINS_HZ = [50, 60] as const;
const MAINS_WITHIN_HZ = 0.6;
/** Pitch that moves by more than this is reported (percent), in proportion to noise. */
const LEAST_WOW_PERCENT = 0.001;
const WOW_OVER_NOISE = 4;
/** What noise moves the pitch of the long tone by as `wowOf` reads it, over its own level re the tone's (part; by trial, rounded up). */
const PITCH_OF_NOISE = 0.02;
/** Pitch that moves by more is a processor's doing, as of a chorus. */
const MOST_WOW_PERCENT = 0.5;

const NOTHING = {
  atSeconds: null,
  withinSeconds: null,
  hertz: null,
  levelDbfs: null,
  samples: null,
  percent: null,
  channel: null,
};

/** What nothing can have happened to: what a processor of our own made. */
export function bearingOf(back: Sound, plan: SignalPlan): Bearing {
  const timing: Timing = {
    driftPpm: 0,
    driftErrorPpm: 0,
    jumps: [],
    unsteadySamples: null,
    markErrorSamples: 0,
    marksFound: plan.marks.length,
    marksSent: plan.marks.length,
  };
  const { channels } = clipOf(stretch(back, { startFrame: 0, endFrame: plan.frames }));
  // What a processor adds where nothing is sent is its own.
  const idle = channels.map((channel) => idleOf(channel, plan));
  return { back: channels, idle, timing, findings: [], spoiled: [] };
}

/** Checks a recording all along, and takes off what can be taken off: drift, losses, an offset, steady lines. */
export function checked(returned: Returned, sent: readonly Float32Array[]): Bearing {
  const { plan, sound, atFrame } = returned;
  const rate = plan.form.sampleRateHz;
  const timing = timingOnWay(returned, sent);
  const laid = clipOf(stretch(relaid(returned, timing), { startFrame: 0, endFrame: plan.frames })).channels;
  const idle = laid.map((channel) => idleOf(channel, plan));
  const back = laid.map((channel, c) => withoutIdle(channel, idle[c], rate));
  const findings: IntegrityFinding[] = [];
  const spoiled: Spoiled[] = [];
  /** When a frame of the signal stands in the recording. */
  const secondsOf = (frame: number) => {
    const jumped = timing.jumps.reduce((sum, jump) => sum + (jump.atFrame < frame ? jump.samples : 0), 0);
    return (atFrame + frame * (1 + timing.driftPpm * 1e-6) + jumped) / rate;
  };
  const tell = (finding: Partial<IntegrityFinding> & Pick<IntegrityFinding, "what">): IntegrityFinding => {
    const whole = { ...NOTHING, ...finding };
    findings.push(whole);
    return whole;
  };
  const spoil = (fromFrame: number, toFrame: number, finding: IntegrityFinding) =>
    spoiled.push({ fromFrame: fromFrame - BEFORE_SECONDS * rate, toFrame: toFrame + AFTER_SECONDS * rate, finding });
  const both = laid.length > 1;
  const channelOf = (c: number) => (both ? (["left", "right"] as const)[c] : null);

  for (const { atFrame: frame, errorFrames, samples } of timing.jumps) {
    const what = samples < 0 ? "lost" : "repeated";
    const finding = tell({
      what,
      atSeconds: secondsOf(frame),
      withinSeconds: errorFrames / rate,
      samples: Math.abs(samples),
    });
    spoil(frame - errorFrames, frame + errorFrames, finding);
  }
  const dropouts = back.map((channel, c) =>
    dropoutsOf(
      channel,
      sent[c] ?? sent[0],
      plan,
      Math.min(c, sent.length - 1),
      pow(10, (idle[c].noiseDbfs ?? -300) / 10),
    ),
  );
  for (const [c, list] of dropouts.entries())
    for (const dropout of list) {
      const near = (other: { fromFrame: number }) => Math.abs(other.fromFrame - dropout.fromFrame) < 0.01 * rate;
      const isAlike = both && dropouts.every((others) => others.some(near));
      if (isAlike && c > 0) continue;
      if (timing.jumps.some((jump) => Math.abs(jump.atFrame - dropout.fromFrame) < jump.errorFrames + 0.02 * rate))
        continue;
      const finding = tell({
        what: "dropout",
        atSeconds: secondsOf(dropout.fromFrame),
        samples: dropout.toFrame - dropout.fromFrame,
        channel: isAlike ? null : channelOf(c),
      });
      spoil(dropout.fromFrame, dropout.toFrame, finding);
    }
  for (const finding of overloads(sound, returned, timing)) {
    findings.push(finding.finding);
    for (const [from, to] of finding.places) spoil(from, to, finding.finding);
  }
  tellIdle(idle, plan, channelOf, tell);
  const wow = wowTold(back, idle, plan, timing);
  if (wow) tell({ what: "wow", percent: wow.peakPercent, hertz: wow.hertz });
  return { back, idle, timing, findings, spoiled };
}

/** Overload on the way in: one finding for each channel, with the stretches of the signal it spoils. */
function overloads(sound: Sound, { plan, atFrame }: Returned, { driftPpm, jumps }: Timing) {
  const both = sound.channelCount > 1;
  const whole = stretch(sound, { startFrame: atFrame, endFrame: atFrame + plan.frames });
  const rows = clippedRows(whole);
  return Array.from({ length: sound.channelCount }, (_, c) => {
    const own = rows.filter(({ channel }) => channel === c);
    const sent = (frame: number) => {
      const jumped = jumps.reduce((sum, jump) => sum + (jump.atFrame < frame ? jump.samples : 0), 0);
      return (frame - jumped) / (1 + driftPpm * 1e-6);
    };
    const places = (own.length > 0 ? atFullScale(whole, c) : []).map(([from, to]): [number, number] => [
      sent(from),
      sent(to),
    ]);
    const finding: IntegrityFinding = {
      ...NOTHING,
      what: "overload",
      atSeconds: own.length > 0 ? (atFrame + own[0].frame) / plan.form.sampleRateHz : null,
      samples: own.reduce((sum, { count }) => sum + count, 0),
      levelDbfs: 0,
      channel: both ? (["left", "right"] as const)[c] : null,
    };
    return { finding, places };
  }).filter(({ places }) => places.length > 0);
}

/** Full scale is reached this near to it (sample value). */
const FULL_SCALE = 0.9999;
/** Samples at full scale that lie no further apart are one stretch (frames). */
const ONE_STRETCH = 1024;

/**
 * The stretches in which a channel reaches full scale. Where it was overloaded anywhere every one of them is: of a high tone one sample in a
 * row is cut, and no more.
 */
function atFullScale(sound: Sound, channel: number): [number, number][] {
  const places: [number, number][] = [];
  for (const { startFrame, channels } of piecesOf(sound)) {
    const samples = channels[channel];
    for (let i = 0; i < samples.length; i++) {
      if (Math.abs(samples[i]) < FULL_SCALE) continue;
      const at = startFrame + i;
      const last = places[places.length - 1];
      if (last && at - last[1] < ONE_STRETCH) last[1] = at + 1;
      else places.push([at, at + 1]);
    }
  }
  return places;
}

/** Names what lies where nothing is sent: an offset, hum, lines, noise; alike in both channels it is reported once. */
function tellIdle(
  idle: readonly Idle[],
  plan: SignalPlan,
  channelOf: (c: number) => "left" | "right" | null,
  tell: (finding: Partial<IntegrityFinding> & Pick<IntegrityFinding, "what">) => IntegrityFinding,
): void {
  const figures = idle.map((one) => idleFigures(one, plan));
  const isSame = (a: IdleFigure) => (b: IdleFigure) =>
    a.what === b.what &&
    Math.abs(a.levelDbfs - b.levelDbfs) < SAME_LEVEL_DB &&
    Math.abs((a.hertz ?? 0) - (b.hertz ?? 0)) < SAME_HERTZ;
  for (const [c, own] of figures.entries())
    for (const figure of own) {
      const isAlike = figures.every((other) => other.some(isSame(figure)));
      if (!isAlike || c === 0) tell({ ...figure, channel: isAlike ? null : channelOf(c) });
    }
}

/** What lies in silence is one in both channels within this. */
const SAME_LEVEL_DB = 1;
const SAME_HERTZ = 0.2;

type IdleFigure = { what: "dc" | "line" | "hum" | "noise"; hertz: number | null; levelDbfs: number };

function idleFigures({ dc, lines, noiseDbfs }: Idle, plan: SignalPlan): IdleFigure[] {
  const mains = MAINS_HZ.map((hertz) => lines.filter((line) => isOfMains(line.hertz, hertz)));
  const [family] = mains.toSorted((a, b) => powerOf(b) - powerOf(a));
  const others = lines.filter((line) => !family.includes(line));
  const fundamental = family.length > 0 ? fundamentalOf(family) : null;
  return [
    ...(dc === 0 ? [] : [{ what: "dc" as const, hertz: null, levelDbfs: dbFromPower(dc * dc) }]),
    ...(fundamental === null
      ? []
      : [{ what: "hum" as const, hertz: fundamental, levelDbfs: dbFromPower(powerOf(family)) }]),
    ...others.map((line) => ({ what: "line" as const, hertz: line.hertz, levelDbfs: line.levelDbfs })),
    ...(noiseDbfs !== null && noiseDbfs > plan.form.levelDbfs - NAMED_NOISE_DB
      ? [{ what: "noise" as const, hertz: null, levelDbfs: noiseDbfs }]
      : []),
  ];
}

const powerOf = (lines: Idle["lines"]): number =>
  lines.reduce((sum, { levelDbfs }) => sum + pow(10, levelDbfs / 10), 0);

/** Whether a frequency is a harmonic of a mains of about so many hertz. */
function isOfMains(hertz: number, mains: number): boolean {
  const order = Math.round(hertz / mains);
  return order >= 1 && order <= 20 && Math.abs(hertz / order - mains) < MAINS_WITHIN_HZ;
}

function fundamentalOf(family: Idle["lines"]): number {
  const strongest = family.reduce((a, b) => (b.levelDbfs > a.levelDbfs ? b : a));
  const mains = isOfMains(strongest.hertz, 50) ? 50 : 60;
  return strongest.hertz / Math.round(strongest.hertz / mains);
}

/** Pitch that moves, where that is more than noise makes it seem to, and where marks lie off as well. */
function wowTold(back: readonly Float32Array[], idle: readonly Idle[], plan: SignalPlan, timing: Timing) {
  if (timing.unsteadySamples === null) return null;
  const [c] = back.map((_, i) => i).toSorted((a, b) => (idle[a].noiseDbfs ?? -300) - (idle[b].noiseDbfs ?? -300));
  const wow = wowOf(back[c], plan);
  if (!wow) return null;
  const noisePercent = 100 * PITCH_OF_NOISE * pow(10, ((idle[c].noiseDbfs ?? -300) - plan.form.levelDbfs) / 20);
  const isTold = wow.peakPercent > Math.max(LEAST_WOW_PERCENT, WOW_OVER_NOISE * noisePercent);
  return isTold && wow.peakPercent < MOST_WOW_PERCENT ? wow : null;
}
