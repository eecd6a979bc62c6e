import { describe, expect, it } from "vitest";
import { forwardReal, inverseReal, multiplySpectra } from "../../audio/fft";
import { seededRandom } from "../../audio/random";
import { soundOf } from "../../audio/sound";
import { SMALL_FORM, sentSignal, through } from "../../testing/bench";
import { benchChain, benchRecording } from "../bench";
import type { Tone } from "../signal/signal-plan";
import { besideTone } from "./beside-tone";
import { gainTimes, linkShareAt } from "./gain-times";
import { partsOf } from "./parts";
import { readStaticCurve } from "./static-curve";
import { readTone, readTwin } from "./tone-reading";

const { plan, signal } = sentSignal({ channelCount: 1 });
const [sent] = signal.channels;
const read = (shape: (v: number) => number, tone: Tone) => {
  const end = tone.startFrame + tone.frames;
  const own = sent.slice(end - tone.points, end);
  return readTone(own.map(shape), own, tone.bin, tone);
};

/** Amplitudes of the harmonics that a curve makes of a cosine, by Fourier's integral over 2^12 points of a turn. */
function series(shape: (v: number) => number, amplitude: number, most: number): number[] {
  const points = 2 ** 12;
  return Array.from({ length: most + 1 }, (_, order) => {
    let sum = 0;
    for (let i = 0; i < points; i++) {
      const angle = (2 * Math.PI * i) / points;
      sum += shape(amplitude * Math.sin(angle)) * (order % 2 ? Math.sin(order * angle) : Math.cos(order * angle));
    }
    return Math.abs((2 * sum) / points);
  });
}

const db = (ratio: number) => 20 * Math.log10(ratio);

describe("what folded back", () => {
  const tone = plan.deep;
  const end = tone.startFrame + tone.frames;
  const own = sent.slice(end - tone.points, end);
  const line = 2 * Math.round(tone.points * 0.113) + 1;
  /** A line 40 dB under the tone, as strong at the end as at the beginning, or dying away over so many times the window. */
  const beside = (decays: number) =>
    own.map(
      (v, i) =>
        v +
        0.01 *
          10 ** (tone.levelDbfs / 20) *
          Math.exp((-decays * i) / own.length) *
          Math.sin((2 * Math.PI * line * i) / own.length),
    );
  it("stands as long as the tone does", () => {
    expect(readTone(beside(0), own, tone.bin, tone).aliasDb).toBeCloseTo(-40, 1);
  });
  it("is not what rings on from before, or ahead of what comes", () => {
    for (const decays of [2, 5, 20, -2, -5]) {
      const reading = readTone(beside(decays), own, tone.bin, tone);
      expect(reading.aliasDb, `${decays}`).toBeNull();
    }
  });
});

describe("harmonics", () => {
  it("of y = x + a·x² are the second alone, a·A / 2: ten decibels more drive, ten more of it", () => {
    const bend = (v: number) => v + 0.1 * v * v;
    for (const tone of [plan.deep, plan.ladder[12], plan.ladder[19]]) {
      const reading = read(bend, tone);
      const amplitude = 10 ** (tone.levelDbfs / 20);
      expect(reading.partialsDb[0]).toBeCloseTo(db((0.1 * amplitude) / 2), 1);
      expect(reading.partialsDb.slice(1).every((v) => v === null)).toBe(true);
      expect(reading.thdPercent).toBeCloseTo(100 * ((0.1 * amplitude) / 2), 3);
    }
  });

  it("of tanh are those of its Fourier series, to 0.2 dB down to −100 dB", () => {
    // At a tenth of full scale the third is 61.6 dB down.
    const tenth = series(Math.tanh, 0.1, 3);
    expect(db(tenth[3] / tenth[1])).toBeCloseTo(-61.6, 1);
    for (const tone of [plan.deep, ...plan.ladder.slice(8)]) {
      const wanted = series(Math.tanh, 10 ** (tone.levelDbfs / 20), 10);
      const reading = read(Math.tanh, tone);
      for (let order = 2; order <= 10; order++) {
        const level = db(wanted[order] / wanted[1]);
        if (level > -100) expect(Math.abs((reading.partialsDb[order - 2] ?? 0) - level)).toBeLessThan(0.2);
        if (order % 2 === 0) expect(reading.partialsDb[order - 2]).toBeNull();
      }
    }
  });

  it("are hidden by noise where they lie in it, and told within their error where they do not", () => {
    const random = seededRandom(4);
    const noisy = (v: number) => Math.tanh(v) + 1.732e-4 * (2 * random() - 1);
    const wanted = series(Math.tanh, 10 ** (plan.deep.levelDbfs / 20), 10);
    const reading = read(noisy, plan.deep);
    for (const [i, level] of reading.partialsDb.entries()) {
      if (level === null) continue;
      const error = reading.partialErrorsDb[i] ?? 0;
      expect(Math.abs(level - db(wanted[i + 2] / wanted[1]))).toBeLessThan(Math.max(0.2, 4 * error));
    }
    expect(reading.partialsDb[1]).not.toBeNull();
    expect(reading.partialsDb[8]).toBeNull();
    // All that is not the tone, over all there is: the harmonics and −80 dBFS of noise.
    const power = 0.5 * wanted.slice(1).reduce((sum, a) => sum + a * a, 0) + 1e-8;
    const rest = 0.5 * wanted.slice(2).reduce((sum, a) => sum + a * a, 0) + 1e-8;
    expect(reading.thdNoisePercent / (100 * Math.sqrt(rest / power))).toBeCloseTo(1, 1);
  });

  it("of a clean tone are none, at any level and frequency", () => {
    for (const tone of [plan.deep, ...plan.ladder, ...plan.series, ...plan.high]) {
      const reading = read((v) => v, tone);
      expect(reading.partialsDb.every((v) => v === null)).toBe(true);
      expect(reading.aliasDb).toBeNull();
      expect(reading.outDbfs).toBeCloseTo(tone.levelDbfs, 2);
    }
  });
});

describe("what folds back", () => {
  it("is the energy of all harmonics beyond half the rate, to a decibel", () => {
    const clip = (v: number) => Math.max(-0.1, Math.min(0.1, v));
    for (const shape of [Math.tanh, clip])
      for (const tone of [...plan.high.slice(1), ...plan.series.filter((t) => t.hertz > 4000)]) {
        const wanted = series(shape, 10 ** (tone.levelDbfs / 20), 160);
        const beyond = wanted.slice(1).filter((_, i) => (i + 1) * tone.hertz > 24_000);
        const level = 10 * Math.log10(beyond.reduce((sum, a) => sum + a * a, 0) / wanted[1] ** 2);
        if (level < -110) continue;
        expect(Math.abs((read(shape, tone).aliasDb ?? 0) - level)).toBeLessThan(1);
      }
  });

  it("becomes less with oversampling", () => {
    const folds = [1, 2, 8].map(
      (oversampling) =>
        benchChain([{ processorKey: "drive-stage", settings: { driveDb: 12, oversampling } }], SMALL_FORM).aliasDb ??
        -200,
    );
    expect(folds[1]).toBeLessThan(folds[0] - 3);
    expect(folds[2]).toBeLessThan(folds[1] - 3);
  });
});

describe("two tones", () => {
  it("give products that a square law and a cubic one are known to give", () => {
    const { modulation, differenceTone } = plan;
    const twin = (
      { startFrame, frames, points, bins, hertz }: typeof modulation,
      shape: (v: number) => number,
      isModulation: boolean,
    ) => readTwin(sent.slice(startFrame + frames - points, startFrame + frames).map(shape), bins, isModulation, hertz);
    // x + a·x²: 2·a·A·B at either side of the high tone, whose amplitude is B.
    const [low] = modulation.levelsDbfs.map((level) => 10 ** (level / 20));
    const square = twin(modulation, (v) => v + 0.1 * v * v, true);
    expect(square.secondPercent).toBeCloseTo(100 * 2 * 0.1 * low, 1);
    expect(square.thirdPercent).toBeNull();
    // x + c·x³ with two tones of amplitude A: ¾·c·A³ at either side, over 2·A.
    const [amplitude] = differenceTone.levelsDbfs.map((level) => 10 ** (level / 20));
    const cubic = twin(differenceTone, (v) => v + 0.2 * v ** 3, false);
    expect(cubic.thirdPercent).toBeCloseTo(100 * 0.75 * 0.2 * amplitude ** 2, 2);
    expect(cubic.secondPercent).toBeNull();
  });
});

describe("a level law", () => {
  it("is that of the dial, whatever the detector, knee and ratio", () => {
    for (const settings of [
      { thresholdDb: -30, ratio: 4, kneeDb: 6 },
      { thresholdDb: -24, ratio: 2, kneeDb: 0, detector: "RMS" },
      { thresholdDb: -40, ratio: 1.5, kneeDb: 12 },
      { thresholdDb: -28, ratio: 10, kneeDb: 3, attackMs: 60, releaseMs: 200 },
    ]) {
      const { static: staticCurve } = benchChain([{ processorKey: "feed-forward-compressor", settings }], SMALL_FORM);
      expect(Math.abs((staticCurve?.thresholdDbfs ?? 0) - settings.thresholdDb)).toBeLessThan(0.5);
      expect(Math.abs((staticCurve?.ratio ?? 0) / settings.ratio - 1)).toBeLessThan(0.05);
      // Between levels 3 dB apart a knee of no more than that is not reported.
      expect(Math.abs((staticCurve?.kneeDb ?? Math.min(3, settings.kneeDb)) - settings.kneeDb)).toBeLessThan(2);
    }
  });

  it("is not told where there is none: an equalizer, a bend, an upward compressor", () => {
    const told = (processorKey: string, settings: object = {}) =>
      benchChain([{ processorKey, settings: { ...settings } }], SMALL_FORM);
    expect(told("gain", { gainDb: -7 })).toMatchObject({ static: null, kind: { name: "wire" } });
    const bend = told("drive-stage", { driveDb: 24 });
    expect(bend.static).toMatchObject({ thresholdDbfs: null, ratio: null });
    expect(bend.times).toBeNull();
    expect(bend.kind.name).toBe("saturator");
    expect(told("upward-compressor").static).toMatchObject({ thresholdDbfs: null, ratio: null });
    expect(readStaticCurve([-40, -30, -20, -10].map((inDbfs) => ({ inDbfs, outDbfs: inDbfs + 2 })))).toBeNull();
  });
});

describe("times", () => {
  const timesOf = (settings: object) => {
    const stereo = sentSignal({ sampleRateHz: 16_000 });
    const [left, right] = through(stereo.signal, "feed-forward-compressor", { thresholdDb: -35, ...settings }).channels;
    const { oneSide, last } = stereo.plan.bursts;
    const link = oneSide && linkShareAt(left, right, oneSide, last, stereo.plan.steadyPeriod);
    const times = gainTimes(left, partsOf(stereo.plan, "left"), stereo.plan);
    return times && { ...times, linkShare: link };
  };

  it("are those of the dial, by 63 % of the way in decibels", () => {
    for (const [attackMs, releaseMs] of [
      [0.5, 50],
      [5, 30],
      [20, 250],
      [100, 600],
    ]) {
      const times = timesOf({ attackMs, releaseMs });
      expect(Math.abs((times?.attackMs ?? 0) / attackMs - 1)).toBeLessThan(0.1);
      expect(Math.abs((times?.releaseMs ?? 0) / releaseMs - 1)).toBeLessThan(0.1);
    }
  });

  it("tell look-ahead, link, and a release that follows the programme from one that does not", () => {
    const ahead = timesOf({ lookAheadMs: 5, attackMs: 2 });
    expect(ahead?.lookAheadMs).toBeGreaterThan(4);
    expect(ahead?.lookAheadMs).toBeLessThan(5.2);
    expect(ahead?.linkShare).toBeCloseTo(1, 1);
    const steady = timesOf({ attackMs: 1, releaseMs: 150 });
    expect((steady?.releaseAfterShortMs ?? 0) / (steady?.releaseMs ?? 1)).toBeCloseTo(1, 1);
    expect(steady?.overshootDb).toBeGreaterThan(5);
    const { plan: own, signal: clip } = sentSignal({ sampleRateHz: 16_000, levelDbfs: -1 });
    const leveller = gainTimes(through(clip, "slow-leveller").channels[0], partsOf(own, "left"), own);
    expect((leveller?.releaseAfterShortMs ?? 0) / (leveller?.releaseMs ?? 1)).toBeLessThan(0.85);
  });

  it("tell channels that come back together as linked, and one that still comes back by itself as no link", () => {
    const stereo = sentSignal({ sampleRateHz: 16_000, levelDbfs: -6 });
    const { oneSide, between, last } = stereo.plan.bursts;
    const shareOf = ([left, right]: readonly Float32Array[]) =>
      oneSide && linkShareAt(left, right, oneSide, between ?? last, stereo.plan.steadyPeriod);
    const compressed = (clip: typeof stereo.signal, settings: object) =>
      through(clip, "feed-forward-compressor", { thresholdDb: -30, ...settings }).channels;
    for (const releaseMs of [50, 600]) expect(shareOf(compressed(stereo.signal, { releaseMs }))).toBeCloseTo(1, 2);
    const alone = (c: number, settings: object) =>
      compressed({ ...stereo.signal, channels: [stereo.signal.channels[c]] }, settings)[0];
    const apart = shareOf([alone(0, { thresholdDb: -18, ratio: 2, releaseMs: 30 }), alone(1, { releaseMs: 800 })]);
    expect(apart ?? 0).toBeLessThan(0.1);
  });

  it("are none where gain does not move", () => {
    expect(gainTimes(sent, partsOf(plan, "left"), plan)).toBeNull();
    const [noisy] = through(signal, "outboard-loop", { noiseFloorDbfs: -80 }).channels;
    expect(gainTimes(noisy, partsOf(plan, "left"), plan)).toBeNull();
  });
});

describe("a loud tone beside quiet ones", () => {
  it("tells a compressor of the whole band, split bands and a dynamic equalizer apart", () => {
    const loud = sentSignal({ levelDbfs: -3, channelCount: 1 });
    const kindOf = (key: string, settings: object = {}) =>
      besideTone(through(loud.signal, key, settings).channels[0], loud.plan, 0);
    expect(kindOf("gain").kind).toBe("none");
    expect(kindOf("feed-forward-compressor").kind).toBe("whole band");
    expect(kindOf("multiband-compressor", { lowCrossoverHz: 300 }).kind).toBe("split bands");
    const bell = kindOf("dynamic-equalizer", { frequencyHz: 1200, q: 1.5 });
    expect(bell.kind).toBe("bell");
    expect(bell.edgesHz[0] / 1200).toBeCloseTo(1, 0);
  });
});

describe("what the signal has no room for", () => {
  const small = sentSignal(SMALL_FORM);
  const [given] = small.signal.channels;
  const measuredOf = (channel: Float32Array) => {
    const outcome = benchRecording("back.wav", soundOf({ sampleRateHz: 16_000, channels: [channel] }));
    if (!outcome.ok) throw new Error(outcome.reason);
    return outcome.value;
  };

  it("is said of a hall: no noise, law, times or folding are told of it", () => {
    const hall = new Float32Array(16_000);
    const random = seededRandom(21);
    for (let i = 0; i < hall.length; i++) hall[i] = 0.03 * (2 * random() - 1) * Math.exp(-i / 6000);
    hall[0] = 1;
    const size = 2 ** 20;
    const product = forwardReal(given, size);
    multiplySpectra(product, forwardReal(hall, size));
    const report = measuredOf(Float32Array.from(inverseReal(product).subarray(0, given.length)));
    expect(report).toMatchObject({ noiseFloorDbfs: null, times: null, aliasDb: null });
    expect(report.static?.ratio ?? null).toBeNull();
    expect(report.kind.name).toBe("unknown");
    expect(report.sentences.join(" ")).toMatch(/harmonics, kind of processor.*: rings too long/);
  });

  it("is said of a tremolo, and of eight bits no more than they show", () => {
    const tremolo = measuredOf(given.map((v, i) => v * (0.75 + 0.25 * Math.sin((2 * Math.PI * 5 * i) / 16_000))));
    expect(tremolo).toMatchObject({ times: null, aliasDb: null });
    expect(tremolo.kind.name).toBe("timeVarying");
    const random = seededRandom(8);
    const coarse = measuredOf(given.map((v) => Math.round(128 * v + random() - random()) / 128));
    expect(coarse).toMatchObject({ wordLengthBits: 8, times: null, fitted: [] });
    expect(coarse.static?.ratio ?? null).toBeNull();
    // Rounding and triangular dither: a quarter of a step's square.
    expect(coarse.noiseFloorDbfs).toBeCloseTo(20 * Math.log10(0.5 / 128), 0);
  });
});
