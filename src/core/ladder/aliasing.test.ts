import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { tanh } from "../audio/exact-math";
import { seededRandom } from "../audio/random";
import { atRate } from "../audio/resample";
import { clipOf, soundOf } from "../audio/sound";
import { sine } from "../stimuli/signals";
import { throughProcessors } from "../testing/chains";
import { recording } from "../testing/recordings";
import { aliasingOf } from "./aliasing";
import { oversampled } from "./fitted-chain";
import { type PairSignals, pairSignals } from "./pair-signals";
import { FREE_OVERSAMPLING, SaturationFit } from "./saturation-curve";
import { type Chain, throughChain } from "./stages";

const pause = () => {};
const DRIVE_DB = 12;
const DRIVE = 10 ** (DRIVE_DB / 20);

const each = (clip: Clip, work: (v: number) => number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel) => channel.map(work)),
});

function noisy(clip: Clip, rms: number): Clip {
  const random = seededRandom(3);
  return each(clip, (v) => v + rms * Math.sqrt(3) * (2 * random() - 1));
}

/** Drums with cymbals, loud, 44.1 kHz. */
const drums = (() => {
  const clip = clipOf(atRate(soundOf(recording("drums-88200")), 44_100));
  const peak = clip.channels[0].reduce((most, v) => Math.max(most, Math.abs(v)), 0);
  return each({ ...clip, channels: [clip.channels[0]] }, (v) => (0.8 * v) / peak);
})();

const aligned = (here: Clip, yonder: Clip): PairSignals =>
  pairSignals(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: here.channels[0].length });

/** A curve fitted to a pair at its own rate, as the search begins with. */
function curveOf({ here, yonder, judged }: PairSignals): Chain {
  const { curve } = new SaturationFit({ under: here, target: yonder, weight: judged }).fit(64);
  return [{ kind: "saturation", curves: [curve] }];
}

// tanh sample by sample reflects all it makes over half the rate; at sixteen times the rate next to nothing (facts of the trade).
const atOwnRate = each(drums, (v) => tanh(DRIVE * v) / DRIVE);
const atSixteen = throughProcessors(drums, ["drive-stage", { driveDb: DRIVE_DB, oversampling: 16 }]);

describe("aliasing", () => {
  it.each([0, 1e-4, 1e-3])(
    "is told of a curve at the file's own rate, and of none at sixteen times, under noise of %s",
    (rms) => {
      const own = aligned(drums, noisy(atOwnRate, rms));
      expect(aliasingOf(own, curveOf(own), pause).aliasing).toBe(true);
      const free = aligned(drums, noisy(atSixteen, rms));
      // Whether the search took the curve to be free of it or not.
      expect(aliasingOf(free, curveOf(free), pause).aliasing).toBe(false);
      const { aliasing, aliasingLeadDb } = aliasingOf(free, oversampled(curveOf(free), FREE_OVERSAMPLING), pause);
      expect(aliasing).toBe(false);
      expect(aliasingLeadDb).toBeLessThan(0);
    },
  );

  it("is not known under noise that hides it", () => {
    // Knots take on a little of the noise, and then seem to have been in it.
    for (const yonder of [atOwnRate, atSixteen]) {
      const pair = aligned(drums, noisy(yonder, 8));
      expect(aliasingOf(pair, curveOf(pair), pause).aliasing).toBeNull();
    }
  });

  it.each([
    [1, true],
    [0.6, true],
    [0.35, null],
    [0.02, false],
  ] as const)(
    "is told from a half on and denied under a quarter: %s of what the file's own rate reflects",
    (share, told) => {
      const pair = aligned(drums, atOwnRate);
      const chain = oversampled(curveOf(pair), FREE_OVERSAMPLING);
      const [free] = throughChain(pair.here, chain, 44_100);
      const [plain] = throughChain(pair.here, oversampled(chain, 1), 44_100);
      const yonder = [free.map((v, n) => v + share * (plain[n] - v))];
      expect(aliasingOf({ ...pair, yonder }, chain, pause).aliasing).toBe(told);
    },
  );

  it("is not known of a bass, whose harmonics all lie under half the rate", () => {
    const bass = sine({ hertz: 110, peakDbfs: -3, seconds: 3, sampleRateHz: 44_100 });
    for (const yonder of [
      each(bass, (v) => tanh(DRIVE * v) / DRIVE),
      throughProcessors(bass, ["drive-stage", { driveDb: DRIVE_DB, oversampling: 16 }]),
    ]) {
      const pair = aligned(bass, yonder);
      expect(aliasingOf(pair, curveOf(pair), pause).aliasing).toBeNull();
    }
  });

  it("is not known where there is no curve", () => {
    const pair = aligned(drums, drums);
    expect(aliasingOf(pair, [], pause)).toEqual({ aliasing: null, aliasingLeadDb: null });
  });
});
