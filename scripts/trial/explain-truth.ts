// How a pair's truth is written down, and small things to make pairs with; for `npm run trial -- explain`.
import type { Clip } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import type { ExplainReport } from "@/core/explain/explain";

type Cause = ExplainReport["causes"][number];
export type Named<Name extends Cause["cause"]> = Extract<Cause, { cause: Name }>;

/** A cause that is there: what it has to be reported as. `check` says what is wrong with its figures, or null. */
export type Expected = {
  cause: Cause["cause"];
  channels?: Cause["channels"];
  check?: (cause: Cause) => string | null;
  /** Also right, where it is reported as this. */
  or?: Cause["cause"][];
};
export type ExplainTruth = {
  is?: "same" | "same to 24 bits" | "same to 16 bits" | "different";
  causes: Expected[];
  /** Causes that may be reported as well. */
  may?: Cause["cause"][];
  levelDb?: number;
  /** No processing may be claimed. */
  unexplained?: boolean;
  heard?: boolean;
};
export type ExplainCase = {
  group: string;
  name: string;
  make: () => { here: Clip; yonder: Clip };
  truth: ExplainTruth;
};

export const expectEq = (
  at: [hertz: number, gainDb: number, withinDb?: number][],
  phase?: Named<"eq">["phase"][],
  channels: Cause["channels"] = "both",
): Expected => ({
  cause: "eq",
  channels,
  check: (cause) => {
    const { hertz, gainDb, errorDb, phase: told } = cause as Named<"eq">;
    for (const [hz, db, within = 0.5] of at) {
      const i = hertz.reduce((best, h, k) => (Math.abs(h - hz) < Math.abs(hertz[best] - hz) ? k : best), 0);
      const [found, error] = [gainDb[i], errorDb[i]];
      // The grid lies up to 1/48 octave beside.
      if (found !== null && Math.abs(found - db) > within + (error ?? 0))
        return `${found.toFixed(2)} dB at ${hz} Hz, not ${db}`;
    }
    if (phase && told !== "unknown" && !phase.includes(told)) return `phase ${told}`;
    return null;
  },
});

export const only = (channels: Cause["channels"], cause: Cause["cause"]): Expected => ({ cause, channels });

/** Some channels of a clip worked on by themselves. */
export function onSide(clip: Clip, work: (clip: Clip) => Clip, which: 0 | 1): Clip {
  const own = work({ ...clip, channels: [clip.channels[which]] }).channels[0];
  return {
    ...clip,
    channels: clip.channels.map((channel, c) => (c === which ? own : channel.subarray(0, own.length))),
  };
}
export function onMid(clip: Clip, work: (clip: Clip) => Clip, which: "mid" | "side" = "mid"): Clip {
  const [l, r] = clip.channels;
  const mid = l.map((v, i) => 0.5 * (v + r[i]));
  const side = l.map((v, i) => 0.5 * (v - r[i]));
  const [own] = work({ ...clip, channels: [which === "mid" ? mid : side] }).channels;
  const [a, b] = which === "mid" ? [own, side] : [mid, own];
  return { ...clip, channels: [a.map((v, i) => v + b[i]), a.map((v, i) => v - b[i])] };
}
export const each = (clip: Clip, work: (v: number, n: number, c: number) => number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel, c) => channel.map((v, n) => work(v, n, c))),
});
export const scaled = (clip: Clip, db: number) => each(clip, (v) => v * 10 ** (db / 20));

const rmsDb = (clip: Clip) =>
  10 *
  Math.log10(
    clip.channels.reduce((s, c) => s + c.reduce((t, v) => t + v * v, 0) / c.length, 0) / clip.channels.length + 1e-20,
  );
/** At a level that dynamics settings mean something to. */
export const levelled = (clip: Clip, db = -18): Clip => scaled(clip, db - rmsDb(clip));
type Make = (clip: Clip, rateHz: number) => Clip;
export type Class = [group: string, name: string, make: Make, truth: ExplainTruth, needs?: "stereo"];
export function noisy(clip: Clip, rms: number): Clip {
  const random = seededRandom(77);
  return each(clip, (v) => v + rms * Math.sqrt(3) * (2 * random() - 1));
}

export function aliases(is: boolean) {
  return (cause: Cause) => {
    const { aliasing } = cause as Named<"saturation">;
    return aliasing === null || aliasing === is ? null : `aliasing ${aliasing}`;
  };
}
export function leading(part: "even" | "odd") {
  return (cause: Cause) => {
    const { evenDb, oddDb } = cause as Named<"saturation">;
    const by = (evenDb ?? -300) - (oddDb ?? -300);
    return (part === "even" ? by : -by) > 6 ? null : `even ${evenDb?.toFixed(1)}, odd ${oddDb?.toFixed(1)}`;
  };
}
export function figureNear(key: string, value: number, within: number) {
  return (cause: Cause) => {
    const found = (cause as unknown as Record<string, number | null>)[key];
    return found !== null && Math.abs(found - value) <= within ? null : `${key} ${found}`;
  };
}
/** `within`: what is silent in Here is not muted in Yonder. */
export function editNear(from: number, to: number, within = 0.4) {
  return (cause: Cause) => {
    const { startSeconds, endSeconds } = cause as Named<"edit">;
    return Math.abs(startSeconds - from) < within && Math.abs(endSeconds - to) < within
      ? null
      : `${startSeconds.toFixed(2)} to ${endSeconds.toFixed(2)} s`;
  };
}
