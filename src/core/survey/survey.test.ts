import { describe, expect, it } from "vitest";
import { type Clip, frameCount, scaleClip } from "../audio/clip";
import { soundOf } from "../audio/sound";
import { music, throughProcessors } from "../testing/chains";
import { addedOffsets, identityOf, plainExceptions, surveyOf } from "./survey";
import { confirmed, exceptionsIn, timelineOf } from "./timeline";

const LOW = 16_000;
const here = music(8, 1, 1, LOW);
const region = { startFrame: 0, endFrame: frameCount(here) };
const each = (clip: Clip, work: (v: number, n: number) => number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel) => channel.map(work)),
});
const within01 = (n: number) => n >= 4 * LOW && n < 4.1 * LOW;
const surveyed = (yonder: Clip, from = here) => surveyOf(soundOf(from), soundOf(yonder), region);
const bell = (gainDb: number, frequencyHz = 900) =>
  throughProcessors(here, ["bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz, gainDb, q: 0.8 }] }]);

describe("a survey compares every sample", () => {
  it("and says same only where all are", () => {
    expect(identityOf(surveyed(here), 1)).toEqual({ is: "same", judgedShare: 1 });
    // One sample of 128,000, off by one step of 24 and of 16 bits, and by more.
    const off = (by: number) => identityOf(surveyed(each(here, (v, n) => (n === 77_777 ? v + by : v))), 1).is;
    expect(off(2 ** -24)).toBe("same to 24 bits");
    expect(off(2 ** -16)).toBe("same to 16 bits");
    expect(off(2 ** -13)).toBe("different");
  });

  it("and keeps its sums to the frames of a region", () => {
    const [sums] = surveyOf(soundOf(here), soundOf(here), { startFrame: LOW, endFrame: 3 * LOW }).channels;
    const plain = here.channels[0].slice(LOW, 3 * LOW).reduce((sum, v) => sum + v * v, 0);
    expect(sums.here.reduce((sum, e) => sum + e, 0)).toBeCloseTo(plain, 6);
    expect(sums.product).toHaveLength(20);
  });
});

describe("what a survey sees by itself", () => {
  it("is a mute, with its place", () => {
    const muted = each(here, (v, n) => (n > 4.03 * LOW && n < 5.48 * LOW ? 0 : v));
    const [found, ...others] = plainExceptions(surveyed(muted));
    expect(others).toEqual([]);
    expect(found.what).toBe("muted");
    expect(Math.abs(found.startSeconds - 4.03)).toBeLessThan(0.0021);
    expect(Math.abs(found.endSeconds - 5.48)).toBeLessThan(0.0021);
    expect(plainExceptions(surveyed(here, muted))[0]?.what).toBe("only Yonder");
  });

  it("is a mute of half a second among louder and quieter steps, and none where a gate shuts between blows", () => {
    const swelling = each(here, (v, n) => v * (Math.floor(n / (0.1 * LOW)) % 3 === 0 ? 0.4 : 1));
    const muted = each(swelling, (v, n) => (n >= 4 * LOW && n < 4.5 * LOW ? 0 : v));
    expect(plainExceptions(surveyed(muted, swelling))).toMatchObject([
      { what: "muted", startSeconds: 4, endSeconds: 4.5 },
    ]);
    const blows = each(here, (v, n) => v * ((n / LOW) % 1 < 0.4 ? 1 : 0.02));
    const gated = each(blows, (v, n) => ((n / LOW) % 1 < 0.4 ? v : 0));
    expect(plainExceptions(surveyed(gated, blows))).toEqual([]);
  });

  it("is a loss of 5 ms or more, to the millisecond, of what was processed too; and none where a gate opens late", () => {
    const louder = bell(6);
    for (const milliseconds of [5, 20, 200]) {
      const end = 4.0125 + milliseconds / 1000;
      const lost = each(louder, (v, n) => (n >= 4.0125 * LOW && n < end * LOW ? 0 : v));
      const [found, ...others] = plainExceptions(surveyed(lost));
      expect(others).toEqual([]);
      expect(found.what).toBe("muted");
      expect(Math.abs(found.startSeconds - 4.0125)).toBeLessThan(0.0021);
      expect(Math.abs(found.endSeconds - end)).toBeLessThan(0.0021);
    }
    const blows = each(here, (v, n) => v * ((n / LOW) % 1 < 0.4 ? 1 : 0.02));
    const gated = each(blows, (v, n) => ((n / LOW) % 1 < 0.4 && (n / LOW) % 1 > 0.008 ? v : 0));
    expect(plainExceptions(surveyed(gated, blows))).toEqual([]);
  });

  it("is a bypass, and none where nothing was processed or all of it was", () => {
    const equalized = bell(6);
    const bypassed = each(equalized, (v, n) => (n > 3 * LOW && n < 5 * LOW ? here.channels[0][n] : v));
    expect(plainExceptions(surveyed(bypassed))).toMatchObject([
      { what: "bypassed", startSeconds: expect.closeTo(3, 0), endSeconds: expect.closeTo(5, 0) },
    ]);
    expect(plainExceptions(surveyed(equalized))).toEqual([]);
    expect(plainExceptions(surveyed(scaleClip(here, 0.7)))).toEqual([]);
  });

  it("is a stretch of another sound in what is a copy elsewhere, and no loud passage that a limiter holds down", () => {
    const other = bell(6);
    const edited = each(here, (v, n) => (n > 5 * LOW && n < 7 * LOW ? other.channels[0][n] : v));
    for (const gain of [1, 0.5])
      expect(plainExceptions(surveyed(scaleClip(edited, gain)))).toMatchObject([
        { what: "different", startSeconds: expect.closeTo(5, 0), endSeconds: expect.closeTo(7, 0) },
      ]);
    const swell = each(here, (v, n) => (n > 5 * LOW && n < 7 * LOW ? 3 * v : v));
    const clipped = each(swell, (v) => Math.max(-0.3, Math.min(0.3, v)));
    expect(plainExceptions(surveyed(clipped, swell))).toEqual([]);
  });

  it("is DC, and neither a gain, a filter nor a sound's own lows", () => {
    expect(addedOffsets(surveyed(each(here, (v) => v + 0.01)))[0]).toBeCloseTo(0.01, 3);
    for (const yonder of [scaleClip(here, 0.5), bell(6), bell(9, 45)])
      expect(addedOffsets(surveyed(yonder))).toEqual([0]);
    // What a limiter makes of a wave that leans to one side follows the sound.
    const leaning = each(here, (v, n) => Math.min(0.05, 0.6 * v + 0.3 * Math.abs(Math.sin(n / 300)) * Math.abs(v)));
    expect(addedOffsets(surveyed(leaning))).toEqual([0]);
    // A low tone: four and a half periods to a step leave means that take turns, four and a third that repeat after three.
    const gated = each(here, (v, n) => (n % LOW < LOW / 3 ? v : 0));
    for (const hertz of [45, 43.333, 48])
      expect(
        addedOffsets(
          surveyed(
            each(gated, (v, n) => v + 0.002 * Math.sin((2 * Math.PI * hertz * n) / LOW + 0.4)),
            gated,
          ),
        ),
      ).toEqual([0]);
    expect(
      addedOffsets(
        surveyed(
          each(gated, (v) => v + 0.002),
          gated,
        ),
      )[0],
    ).toBeCloseTo(0.002, 4);
    // What both have is not added.
    const both = each(here, (v) => v + 0.02);
    expect(addedOffsets(surveyed(both, both))).toEqual([0]);
  });
});

describe("a bypass is told", () => {
  it("beside what is explained, and not where a processor may have had nothing to do", () => {
    const equalized = bell(6);
    const yonder = each(equalized, (v, n) => (n > 3 * LOW && n < 5 * LOW ? here.channels[0][n] : v));
    const survey = surveyed(yonder);
    const known = plainExceptions(survey);
    const heldBy = (explained: Clip) =>
      confirmed(
        known,
        timelineOf(soundOf(explained), soundOf(yonder), survey, () => {}),
        survey,
      );
    expect(heldBy(equalized)).toEqual(known);
    // As far off everywhere as it is there; and a model that lets those seconds through as they are.
    expect(heldBy(bell(2))).toEqual([]);
    expect(heldBy(yonder)).toEqual([]);
  });
});

describe("a model is checked on all of a region", () => {
  const told = (explained: Clip, yonder: Clip) => {
    const survey = surveyed(yonder);
    return exceptionsIn(
      timelineOf(soundOf(explained), soundOf(yonder), survey, () => {}),
      survey,
    );
  };

  it("and does not hold where two seconds were made in another way, or at a click", () => {
    const other = bell(6);
    const yonder = each(here, (v, n) => (n > 5 * LOW && n < 7 * LOW ? other.channels[0][n] : v));
    expect(told(here, yonder)).toMatchObject([
      { what: "different", startSeconds: expect.closeTo(5, 0), endSeconds: expect.closeTo(7, 0) },
    ]);
    const clicked = each(here, (v, n) => (n === 3.3 * LOW ? 0.99 : v));
    expect(told(here, clicked)).toMatchObject([{ what: "click", startSeconds: 3.3 }]);
  });

  it("and not where 10 or 30 ms are lost, or another sound, with the place to 1 ms", () => {
    const from = 4.012 * LOW;
    for (const milliseconds of [10, 30, 150]) {
      const end = from + (milliseconds / 1000) * LOW;
      const within = (n: number) => n >= from && n < end;
      const near = { startSeconds: expect.closeTo(4.012, 2), endSeconds: expect.closeTo(end / LOW, 2) };
      expect(
        told(
          here,
          each(here, (v, n) => (within(n) ? 0 : v)),
        ),
      ).toMatchObject([{ what: "muted", ...near }]);
      expect(
        told(
          here,
          each(here, (v, n) => (within(n) ? v + 0.2 * Math.sin(n) : v)),
        ),
      ).toMatchObject([{ what: "different", ...near }]);
    }
    // A little more is left for a moment of what leaves a little everywhere.
    const noisy = each(here, (v, n) => v + (within01(n) ? 0.003 : 0.001) * Math.sin(n * n));
    expect(told(here, noisy)).toEqual([]);
  });

  it("and says nothing of ends that its filter does not reach, nor of a peak that it is a little off at", () => {
    const other = bell(6);
    const ends = each(here, (v, n) => (n > 7.5 * LOW ? other.channels[0][n] : v));
    expect(told(here, ends)).toMatchObject([{ what: "different" }]);
    const survey = surveyed(ends);
    const timeline = timelineOf(soundOf(here), soundOf(ends), survey, () => {});
    expect(exceptionsIn(timeline, survey, { startFrames: 0, endFrames: LOW })).toEqual([]);
    const peak = each(here, (v, n) => (n === 3.3 * LOW ? 0.9 : v));
    expect(
      told(
        each(peak, (v) => (v === peak.channels[0][3.3 * LOW] ? 0.8 : v)),
        peak,
      ),
    ).toEqual([]);
  });

  it("and holds where it leaves about as much everywhere", () => {
    expect(told(here, here)).toEqual([]);
    expect(
      told(
        here,
        each(here, (v) => 1.05 * v),
      ),
    ).toEqual([]);
    const coarse = each(here, (v) => Math.round(v * 2 ** 11) / 2 ** 11);
    expect(told(here, coarse)).toEqual([]);
  });
});
