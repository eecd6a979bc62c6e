import { atan2, exp, log, tan } from "../../audio/exact-math";
import { fittedCurve, type Parameter } from "../find/least-squares";

/** What an all-pass response is made of: turning sections of first or second order, a delay, a polarity. */
export type AllPassModel = {
  sections: { hertz: number; q: number | null }[];
  delaySamples: number;
  polarity: 1 | -1;
  misfitDegrees: number;
};

const MOST_SECTIONS = 12;
const GOOD_DEGREES = 0.7;
/** A further section has to take so much off what remains. */
const WORTH_IT = 0.6;
const STARTS_HZ = [60, 150, 400, 1000, 2500, 6000];
/** A try is followed so far. */
const TRIED_GOES = 5;
const Q_RANGE = [0.2, 12] as const;

/**
 * Sections of a bilinear all-pass whose phase comes closest to an unwrapped one (radians), as few as will do. Crossovers of 24 dB an octave turn
 * like one of second order (Q 0.71), those of 12 like one of first (Linkwitz 1976). Null where none comes close.
 */
export function fittedAllPass(
  hertz: readonly number[],
  phases: readonly number[],
  rateHz: number,
): AllPassModel | null {
  const warp = (hz: number) => tan((Math.PI * Math.min(hz, 0.499 * rateHz)) / rateHz);
  const warped = hertz.map(warp);
  const highest = 0.45 * rateHz;
  type Section = { order: 1 | 2 };
  const curve = (sections: readonly Section[], halfTurns: number) => (values: readonly number[]) => {
    const output = new Float64Array(hertz.length);
    for (let i = 0; i < hertz.length; i++)
      output[i] = halfTurns * Math.PI - (2 * Math.PI * hertz[i] * values[0]) / rateHz;
    let at = 1;
    for (const { order } of sections) {
      const corner = warp(exp(values[at]));
      const q = order === 2 ? exp(values[at + 1]) : 1;
      for (let i = 0; i < hertz.length; i++) {
        const w = warped[i] / corner;
        output[i] -= order === 1 ? 2 * atan2(w, 1) : 2 * atan2(w / q, 1 - w * w);
      }
      at += order;
    }
    return output;
  };
  const parametersOf = (sections: readonly Section[], known: readonly number[], startHz: number): Parameter[] => {
    const list: Parameter[] = [{ start: known[0] ?? 0, lowest: -200, highest: 200, step: 1e-3 }];
    for (const { order } of sections) {
      const at = list.length;
      list.push({ start: known[at] ?? log(startHz), lowest: log(20), highest: log(highest), step: 1e-4 });
      if (order === 2)
        list.push({ start: known[at + 1] ?? log(0.71), lowest: log(Q_RANGE[0]), highest: log(Q_RANGE[1]), step: 1e-4 });
    }
    return list;
  };
  const degrees = (rms: number) => (rms * 180) / Math.PI;
  // Where it begins, low down, nothing is turned yet: an even or odd number of half turns is the polarity.
  const first = Math.round(phases[0] / Math.PI);
  let best: { sections: Section[]; values: number[]; rms: number; half: number } | null = null;
  for (const half of [first, first + 1]) {
    let kept: { sections: Section[]; values: number[]; rms: number } = {
      sections: [],
      values: [0],
      rms: Number.POSITIVE_INFINITY,
    };
    while (kept.sections.length < MOST_SECTIONS && degrees(kept.rms) > GOOD_DEGREES) {
      let next = kept;
      for (const order of [2, 1] as const)
        for (const startHz of STARTS_HZ) {
          if (startHz > highest) continue;
          const sections = [...kept.sections, { order }];
          const { values, rms } = fittedCurve(
            parametersOf(sections, kept.values, startHz),
            phases,
            curve(sections, half),
            {
              goes: TRIED_GOES,
            },
          );
          if (rms < next.rms * (order === 1 ? 0.9 : 1)) next = { sections, values, rms };
        }
      if (!(next.rms < WORTH_IT * kept.rms)) break;
      kept = next;
    }
    if (!best || kept.rms < best.rms) best = { ...kept, half };
    if (degrees(best.rms) < GOOD_DEGREES) break;
  }
  if (!best || degrees(best.rms) > 3 * GOOD_DEGREES) return null;
  let at = 1;
  const { values } = best;
  const sections = best.sections.map(({ order }) => {
    const section = { hertz: exp(values[at]), q: order === 2 ? exp(values[at + 1]) : null };
    at += order;
    return section;
  });
  return {
    sections: sections.sort((a, b) => a.hertz - b.hertz),
    delaySamples: values[0],
    polarity: best.half % 2 === 0 ? 1 : -1,
    misfitDegrees: degrees(best.rms),
  };
}
