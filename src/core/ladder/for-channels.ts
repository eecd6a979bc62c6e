import type { GainCurve } from "./gain-curve";
import type { PairSignals } from "./pair-signals";
import { type Chain, leastSquaresGain, ofChannel, type Stage } from "./stages";

/** Stages found on one channel, for so many. */
export const forChannels = (chain: Chain, count: number): Chain =>
  chain.map((stage): Stage => {
    if (stage.kind !== "filter") return stage;
    const { filters } = stage.eq;
    return {
      kind: "filter",
      eq: { ...stage.eq, filters: Array.from({ length: count }, (_, c) => filters[c] ?? filters[0]) },
    };
  });

/** Stages found on one channel of two, which do nothing to the other but bring it to its level. */
export function onOneChannel(pair: PairSignals, chain: Chain, channel: number): Chain {
  const other = 1 - channel;
  const gain = leastSquaresGain(pair.judged, [pair.here[other]], [pair.yonder[other]]) || 1;
  const pairOf = <T>(own: T, neutral: T): T[] => (channel === 0 ? [own, neutral] : [neutral, own]);
  // The last stage brings the level.
  return chain.map((stage, place): Stage => {
    const level = place === chain.length - 1 ? gain : 1;
    if (stage.kind === "filter") {
      const own = ofChannel(stage.eq.filters, channel);
      const impulse = new Float64Array(stage.eq.taps);
      impulse[stage.eq.lead] = level;
      return { kind: "filter", eq: { ...stage.eq, filters: pairOf(own, { ...own, responses: [impulse] }) } };
    }
    if (stage.kind === "gain") {
      const still = (curve: GainCurve): GainCurve => ({ ...curve, knots: curve.knots.map(() => level) });
      const fits = stage.gain.fits.map((band) => {
        const fit = ofChannel(band, channel);
        const [a, b] = fit.crossValidated.curves;
        const crossValidated = { ...fit.crossValidated, curves: [still(a), still(b)] as [GainCurve, GainCurve] };
        return pairOf(fit, { ...fit, curve: still(fit.curve), crossValidated });
      });
      return { kind: "gain", gain: { ...stage.gain, isLinked: false, fits } };
    }
    if (stage.kind === "saturation") {
      const own = ofChannel(stage.curves, channel);
      const intervals = own.knots.length - 3;
      // A spline through equally spaced knots is the straight line they lie on.
      const knots = own.knots.map((_, k) => level * own.reach * ((2 * (k - 1)) / intervals - 1));
      return { kind: "saturation", curves: pairOf(own, { ...own, knots }) };
    }
    return {
      ...stage,
      sections: pairOf(ofChannel(stage.sections, channel), [{ b0: level, b1: 0, b2: 0, a1: 0, a2: 0 }]),
    };
  });
}
