import { filtered } from "../audio/filtered";
import { onceHeard } from "../audio/in-order";
import { asRead, atGain, type FrameRange, PIECE_FRAMES, type Sound } from "../audio/sound";
import { addToCells, bandCellFramesAt, emptyBandCells, fitBandGains } from "./band-gains";
import { type BendCurve, bent, bentTo, safeSlope, slopeOf } from "./bend-curve";
import type { Found, FoundFilter, WornStep } from "./found";
import { bandResponses, cellFramesAt, type GainCurve, gainsOf } from "./gain-curve";

/** Raise when a worn sample would come out differently. */
export const WORN_VERSION = 2;

/** Frames beside a piece that a curve free of folding is worked out with; what lies there does not count. */
const BEND_MARGIN = 1024;

const swapped = (sound: Sound): Sound =>
  sound.channelCount < 2 ? sound : { ...sound, read: (from, count) => sound.read(from, count).toReversed() };

function added(a: Sound, b: Sound): Sound {
  return asRead(a, (from, count) => {
    const other = b.read(from, count);
    return a.read(from, count).map((channel, c) => channel.map((v, i) => v + other[c][i]));
  });
}

/** A sound through a filter that was found: mono through the first response. */
function toned(sound: Sound, { responses, lead }: FoundFilter): Sound {
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

/** A sound in bands without phase of their own; they add up to it. */
function banded(sound: Sound, edgesHz: readonly number[]): Sound[] {
  if (edgesHz.length === 0) return [sound];
  const { responses, lead } = bandResponses(edgesHz, sound.sampleRateHz);
  return responses.map((response) => filtered(sound, [response], lead));
}

/** A sound through a static curve. */
function curved(sound: Sound, curve: BendCurve): Sound {
  return asRead(sound, (from, count) => {
    // On a fixed grid, so that a sample is the same however it is read.
    const first = Math.floor(from / PIECE_FRAMES) * PIECE_FRAMES;
    const end = Math.ceil((from + count) / PIECE_FRAMES) * PIECE_FRAMES;
    const output = Array.from({ length: sound.channelCount }, () => new Float32Array(end - first));
    for (let at = first; at < end; at += PIECE_FRAMES) {
      const around = sound.read(at - BEND_MARGIN, PIECE_FRAMES + 2 * BEND_MARGIN);
      for (const [c, channel] of around.entries()) {
        const shaped = bent(Float64Array.from(channel), curve).subarray(BEND_MARGIN, BEND_MARGIN + PIECE_FRAMES);
        output[c].set(shaped, at - first);
      }
    }
    return output.map((channel) => channel.subarray(from - first, from - first + count));
  });
}

/** What v should have been for a curve to give the target, by a straight line through where it is; and how much it counts. */
function linearised(curve: BendCurve, v: number, target: number): [wanted: number, weight: number] {
  const slope = safeSlope(slopeOf(curve, v));
  return [v + (target - bentTo(curve, v)) / slope, slope * slope];
}

/** Gains over a region, by band and channel (or one for all); in one band by cells fine enough for the quickest. */
function curvesOver(
  bands: readonly Sound[],
  target: Sound,
  { startFrame, endFrame }: FrameRange,
  knotFrames: number,
  isLinked: boolean,
  /** Of one band: what comes after the gain. */
  after: BendCurve | null,
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
          const pairs = Array.from(gains, (gain, i) => linearised(after, parts[0][c][i] * gain, wanted[i]));
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

/**
 * Here wearing what was found, up to a step: a sound that Yonder is held against. The gain over time is worked out between the two over all of
 * the region at the first reading.
 */
export function worn(here: Sound, yonder: Sound, region: FrameRange, found: Found, upTo: WornStep): Sound {
  const { tone, inverse, level, bend, toneIsLast, bendIsFirst, gains } = found;
  if (upTo === "level") return atGain(here, gains.level);
  if (upTo === "tone") return atGain(toned(here, tone), gains.tone);
  const withBend = upTo === "bend" ? bend : null;
  const before = toneIsLast ? here : toned(here, tone);
  const base = bend && bendIsFirst ? curved(before, bend) : before;
  let output = withBend && bendIsFirst ? base : before;
  if (level) {
    const target = toneIsLast && inverse ? toned(yonder, inverse) : yonder;
    const { edgesHz, knotFrames, isLinked } = level;
    const bases = banded(base, edgesHz);
    const outputs = output === base ? bases : banded(output, edgesHz);
    const levelled = onceHeard(before, () => {
      const after = bendIsFirst || edgesHz.length > 0 ? null : bend;
      const curves = curvesOver(bases, target, region, knotFrames[0], isLinked, after);
      return outputs.map((band, b) => atCurves(band, curves[b], region)).reduce(added);
    });
    output = levelled;
  }
  if (withBend && !bendIsFirst) output = curved(output, withBend);
  if (toneIsLast) output = toned(output, tone);
  return withBend || !bend ? output : atGain(output, gains.levelOverTime);
}
