import { bandResponses } from "../audio/band-split";
import { throughBiquads } from "../audio/biquad";
import { filtered } from "../audio/filtered";
import { onceHeard, remembered } from "../audio/in-order";
import { asRead, atGain, type FrameRange, PIECE_FRAMES, type Sound } from "../audio/sound";
import { addToCells, bandCellFramesAt, emptyBandCells, fitBandGains } from "./band-gains";
import { bellBand } from "./bell-gain";
import { type AppliedStep, type Found, type FoundFilter, type FoundStage, STEP_KINDS } from "./found-chain";
import { cellFramesAt, type GainCurve, gainsOf } from "./gain-curve";
import { delayFilter } from "./routing";
import { type SaturationCurve, safeSlope, saturated, saturatedAt, slopeOf } from "./saturation-curve";
import { ofChannel } from "./stages";

/** Raise when a sample of Here with a fit applied would come out differently. */
export const APPLIED_VERSION = 4;

/** A curve is worked out so many frames at a time; those beside them, that one free of aliasing is worked out with, do not count. */
const CURVE_FRAMES = 16_384;
const CURVE_MARGIN = 1024;

const swapped = (sound: Sound): Sound =>
  sound.channelCount < 2 ? sound : { ...sound, read: (from, count) => sound.read(from, count).toReversed() };

function added(a: Sound, b: Sound): Sound {
  return asRead(a, (from, count) => {
    const other = b.read(from, count);
    return a.read(from, count).map((channel, c) => channel.map((v, i) => v + other[c][i]));
  });
}

/** Left and right as mid and side, or back. */
const inMidAndSide = (sound: Sound): Sound =>
  asRead(sound, (from, count) => {
    const [a, b] = sound.read(from, count);
    return [a.map((v, i) => Math.SQRT1_2 * (v + b[i])), a.map((v, i) => Math.SQRT1_2 * (v - b[i]))];
  });

/** A sound through a filter that was found: mono through the first response. */
function throughFound(sound: Sound, { responses, lead }: FoundFilter): Sound {
  if (responses[0].length === 1) {
    const own = responses.map(([h]) => h);
    return own.every((h) => h.length === 1) && own.every((h) => h[0] === own[0][0])
      ? atGain(sound, own[0][0])
      : filtered(sound, own, lead);
  }
  const straight = responses.map((pair, c) => pair[c]);
  const across = responses.map((pair, c) => pair[1 - c]);
  return added(filtered(sound, straight, lead), filtered(swapped(sound), across, lead));
}

const throughRows = (sound: Sound, { sections }: Extract<FoundStage, { kind: "cascade" }>): Sound =>
  sections.length === 1 ? throughBiquads(sound, sections[0]) : eachRow(sound, sections);

/** Each channel through a row of its own. */
function eachRow(sound: Sound, rows: Extract<FoundStage, { kind: "cascade" }>["sections"]): Sound {
  const single = rows.map((row) => throughBiquads(sound, row));
  return asRead(sound, (from, count) =>
    Array.from({ length: sound.channelCount }, (_, c) => ofChannel(single, c).read(from, count)[c]),
  );
}

/** A sound in bands without phase of their own; they add up to it. */
function banded(sound: Sound, edgesHz: readonly number[]): Sound[] {
  if (edgesHz.length === 0) return [sound];
  const { responses, lead } = bandResponses(edgesHz, sound.sampleRateHz);
  return responses.map((response) => filtered(sound, [response], lead));
}

/** A sound through static curves: on a fixed grid, so that a sample is the same however it is read, and each piece of it once. */
function curved(sound: Sound, curves: readonly SaturationCurve[]): Sound {
  return remembered(
    asRead(sound, (from, count) => {
      const first = Math.floor(from / CURVE_FRAMES) * CURVE_FRAMES;
      const end = Math.ceil((from + count) / CURVE_FRAMES) * CURVE_FRAMES;
      const output = Array.from({ length: sound.channelCount }, () => new Float32Array(end - first));
      for (let at = first; at < end; at += CURVE_FRAMES) {
        const around = sound.read(at - CURVE_MARGIN, CURVE_FRAMES + 2 * CURVE_MARGIN);
        for (const [c, channel] of around.entries()) {
          const shaped = saturated(Float64Array.from(channel), ofChannel(curves, c));
          output[c].set(shaped.subarray(CURVE_MARGIN, CURVE_MARGIN + CURVE_FRAMES), at - first);
        }
      }
      return output.map((channel) => channel.subarray(from - first, from - first + count));
    }),
  );
}

/** What v should have been for a curve to give the target, by a straight line through where it is; and how much it counts. */
function linearisedAt(curve: SaturationCurve, v: number, target: number): [wanted: number, weight: number] {
  const slope = safeSlope(slopeOf(curve, v));
  return [v + (target - saturatedAt(curve, v)) / slope, slope * slope];
}

type GainForm = Extract<FoundStage, { kind: "gain" }>;

/** Gains over a region, by band and channel (or one for all); in one band by cells fine enough for the quickest. */
function curvesOver(
  bands: readonly Sound[],
  target: Sound,
  { startFrame, endFrame }: FrameRange,
  { knotFrames, isLinked }: GainForm,
  /** Of one band: what comes after the gain. */
  after: readonly SaturationCurve[] | null,
): GainCurve[][] {
  const cellFrames = (bands.length > 1 ? bandCellFramesAt : cellFramesAt)(target.sampleRateHz);
  const channels = isLinked ? 1 : bands[0].channelCount;
  const piece = Math.floor(PIECE_FRAMES / cellFrames) * cellFrames;
  const once = (before: GainCurve[][] | null) => {
    const cells = Array.from({ length: channels }, () =>
      emptyBandCells(bands.length, endFrame - startFrame, cellFrames),
    );
    for (let at = startFrame; at < endFrame; at += piece) {
      const frames = Math.min(piece, endFrame - at);
      const parts = bands.map((band) => band.read(at, frames));
      const y = target.read(at, frames);
      for (const c of parts[0].keys()) {
        const own = Math.min(c, channels - 1);
        let [wanted, weight]: [ArrayLike<number>, Float64Array | null] = [y[c] ?? y[0], null];
        if (after && before) {
          const gains = gainsOf(before[0][own], at - startFrame, frames);
          const curve = ofChannel(after, c);
          const pairs = Array.from(gains, (gain, i) => linearisedAt(curve, parts[0][c][i] * gain, wanted[i]));
          [wanted, weight] = [pairs.map(([t]) => t), Float64Array.from(pairs, ([, w]) => w)];
        }
        addToCells(
          cells[own],
          parts.map((part) => part[c]),
          wanted,
          weight,
          at - startFrame,
        );
      }
    }
    const fits = cells.map((own) => fitBandGains(own, knotFrames).fits);
    return bands.map((_, b) => fits.map((channel) => channel[b].curve));
  };
  const curves = once(null);
  return after ? once(curves) : curves;
}

/** A sound at gains that go on as they end outside of the region they are known in. */
function atCurves(sound: Sound, curves: GainCurve[], { startFrame, endFrame }: FrameRange): Sound {
  const last = endFrame - startFrame - 1;
  return asRead(sound, (from, count) =>
    sound.read(from, count).map((channel, c) => {
      const curve = curves[Math.min(c, curves.length - 1)];
      const inside = Math.max(0, Math.min(last, from - startFrame));
      const end = Math.max(inside + 1, Math.min(last + 1, from + count - startFrame));
      const gains = gainsOf(curve, inside, end - inside);
      return channel.map((v, i) => v * gains[Math.max(0, Math.min(gains.length - 1, from + i - startFrame - inside))]);
    }),
  );
}

/** Here with one side moved as Yonder's is. */
function withSideMoved(sound: Sound, { side, samples }: Found["movedSide"]): Sound {
  if (samples === 0 || sound.channelCount < 2) return sound;
  const late = delayFilter(samples);
  const none = new Float64Array(late.responses[0].length);
  none[late.lead] = 1;
  return filtered(sound, side === "left" ? [late.responses[0], none] : [none, late.responses[0]], late.lead);
}

/**
 * Here with a fit applied, up to a step: a sound that Yonder is held against. Gains over time are worked out between the two over all of the region at the
 * first reading.
 */
export function applied(here: Sound, yonder: Sound, region: FrameRange, found: Found, upTo: AppliedStep): Sound {
  const { isMidSide, x, y } = inDomain(here, yonder, found);
  const kinds = STEP_KINDS[upTo];
  const stages = found.stages.filter(({ kind }) => kinds.includes(kind));
  const passed = throughStages(x, y, region, stages, found.stages);
  const gain = upTo === "bend" ? 1 : found.gains[upTo];
  const output = isMidSide ? inMidAndSide(passed) : passed;
  return gain === 1 ? output : atGain(output, gain);
}

/** What goes into the saturation of a fit, in the channels it works in (mid and side where the fit does); null where it has none. */
export function beforeSaturation(here: Sound, yonder: Sound, region: FrameRange, found: Found): Sound | null {
  const place = found.stages.findIndex(({ kind }) => kind === "saturation");
  if (place < 0) return null;
  const { x, y } = inDomain(here, yonder, found);
  return throughStages(x, y, region, found.stages.slice(0, place), found.stages);
}

/** The two as a fit takes them: one side moved, in mid and side where it works so. */
function inDomain(here: Sound, yonder: Sound, { domain, movedSide }: Found) {
  const isMidSide = domain === "mid-side" && here.channelCount === 2 && yonder.channelCount === 2;
  const own = withSideMoved(here, movedSide);
  return { isMidSide, x: isMidSide ? inMidAndSide(own) : own, y: isMidSide ? inMidAndSide(yonder) : yonder };
}

/** A sound through some stages of a chain; a gain over time looks at what of the whole chain comes behind it. */
function throughStages(
  sound: Sound,
  yonder: Sound,
  region: FrameRange,
  stages: readonly FoundStage[],
  chain: readonly FoundStage[],
): Sound {
  return stages.reduce((input, stage) => {
    if (stage.kind === "filter") return throughFound(input, stage.filter);
    if (stage.kind === "cascade") return throughRows(input, stage);
    if (stage.kind === "saturation") return curved(input, stage.curves);
    return moving(input, yonder, region, stage, chain);
  }, sound);
}

/** A sound at the gain over time that leads it to Yonder, as far as what comes behind it can be undone. */
function moving(
  sound: Sound,
  yonder: Sound,
  region: FrameRange,
  stage: GainForm,
  stages: readonly FoundStage[],
): Sound {
  const behind = stages.slice(stages.findIndex(({ kind }) => kind === "gain") + 1);
  let target = yonder;
  for (const other of behind.toReversed())
    if ((other.kind === "filter" || other.kind === "cascade") && other.inverse)
      target = throughFound(target, other.inverse);
  const curve = behind.find((s) => s.kind === "saturation");
  const { bell } = stage;
  if (bell) {
    // The bell moves; what lies outside of it is as it was, and comes off the target.
    const inside = throughBiquads(sound, [bellBand(bell, sound.sampleRateHz)]);
    const outside = added(sound, atGain(inside, -1));
    const wanted = added(target, atGain(outside, -1));
    return onceHeard(sound, () => {
      const [curves] = curvesOver([inside], wanted, region, stage, null);
      return added(outside, atCurves(inside, curves, region));
    });
  }
  const bases = banded(sound, stage.edgesHz);
  return onceHeard(sound, () => {
    const after = curve?.kind === "saturation" && stage.edgesHz.length === 0 ? curve.curves : null;
    const curves = curvesOver(bases, target, region, stage, after);
    return bases.map((band, b) => atCurves(band, curves[b], region)).reduce(added);
  });
}
