import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { backFromFfmpeg, sentSignal } from "../testing/bench";
import { benchRecording } from "./bench";
import { type BenchReport, benchReportSchema } from "./report";

// The small signal through ffmpeg 5.1's filters (fixtures/make_bench.py): equalizers after Bristow-Johnson's cookbook, so that their controls are what is measured.

async function reportOf(name: string): Promise<BenchReport> {
  const outcome = benchRecording(`${name}.flac`, soundOf(await backFromFfmpeg(name)));
  if (!outcome.ok) throw new Error(outcome.reason);
  expect(benchReportSchema.safeParse(JSON.parse(JSON.stringify(outcome.value))).success).toBe(true);
  return outcome.value;
}

/** What `disturbed` of make_bench.py did: 50 ppm, a invert, 3 dB, half a second in front; samples are the recorder's. */
const DISTURBED = { clockPpm: 50, polarity: -1, gainDb: 3, frontSamples: 8000, noiseDbfs: -80 };

describe("ffmpeg's equalizer", () => {
  for (const name of ["bell", "bell-disturbed"])
    it(`is read to 1 % of frequency, 0.1 dB and 5 % of Q (${name})`, async () => {
      const report = await reportOf(name);
      expect(report.phaseKind).toBe("minimum");
      expect(report.fitted).toHaveLength(1);
      const [{ kind, hertz, gainDb, q }] = report.fitted;
      expect(kind).toBe("bell");
      expect(Math.abs(hertz / 1000 - 1)).toBeLessThan(0.01);
      expect(Math.abs((gainDb ?? 0) - 6)).toBeLessThan(0.1);
      expect(Math.abs((q ?? 0) - 1)).toBeLessThan(0.05);
      expect(report.kind.name).toBe("equalizer");
      if (name === "bell") return expect(report).toMatchObject({ clockPpm: 0, polarity: 1, integrity: [] });
      expect(report.polarity).toBe(DISTURBED.polarity);
      expect(Math.abs(report.clockPpm - DISTURBED.clockPpm)).toBeLessThan(0.01);
      expect(Math.abs((report.arrivalSamples ?? 0) - DISTURBED.frontSamples)).toBeLessThan(0.01);
      expect(report.gainDbAt1k).toBeCloseTo(6 + DISTURBED.gainDb, 1);
      expect(report.noiseFloorDbfs).toBeCloseTo(DISTURBED.noiseDbfs, 0);
      expect(report.static).toBeNull();
    });

  it("is a low cut and a shelf where it is two filters", async () => {
    const { fitted } = await reportOf("cuts");
    expect(fitted.map(({ kind }) => kind)).toEqual(["low cut", "high shelf"]);
    expect(fitted[0].slopeDbPerOctave).toBe(12);
    expect(Math.abs(fitted[0].hertz / 100 - 1)).toBeLessThan(0.01);
    expect(Math.abs(fitted[1].hertz / 4000 - 1)).toBeLessThan(0.01);
    expect(fitted[1].gainDb).toBeCloseTo(-5, 1);
  });

  it("of linear phase turns none, and its delay is told", async () => {
    const report = await reportOf("linearPhase");
    expect(report.phaseKind).toBe("linear");
    expect(report.arrivalSamples).toBeCloseTo(800, 2);
    const beside = (hertz: number) => report.response.magnitudeDb[report.response.hertz.findIndex((hz) => hz >= hertz)];
    expect(beside(1000)).toBeCloseTo(0, 1);
    expect(beside(4000)).toBeCloseTo(6, 1);
  });

  it("is an all-pass of 500 Hz where that is what it is", async () => {
    const report = await reportOf("allPass");
    expect(report.phaseKind).toBe("all-pass");
    expect(report.crossoversHz).toEqual([expect.closeTo(500, 0)]);
    expect(report.fitted).toEqual([]);
  });

  it("at another rate is converted back, which is said", async () => {
    const report = await reportOf("otherRate");
    expect(report.remarks.join()).toMatch(/Recorded at 22050 Hz/);
    expect(Math.abs(report.arrivalSamples ?? 1)).toBeLessThan(0.01);
    expect(Math.abs(report.gainDbAt1k)).toBeLessThan(0.01);
  });
});

/**
 * Gain in dB of ffmpeg's compressor over time after a step of a constant magnitude (libavfilter/af_sidechaincompress.c, from memory): power is
 * smoothed, by other constants up than down, and bent by a cubic between the ends of the knee, in natural logarithms of it.
 */
function compressorGains(rateHz: number, fromPower: number, toPower: number, seconds: number): Float64Array {
  const [threshold, ratio, knee, attackMs, releaseMs] = [0.1, 4, 2.82843, 20, 250];
  const attack = Math.min(1, 1 / ((attackMs * rateHz) / 4000));
  const release = Math.min(1, 1 / ((releaseMs * rateHz) / 4000));
  const thres = Math.log(threshold);
  const start = Math.log(threshold / Math.sqrt(knee));
  const stop = Math.log(threshold * Math.sqrt(knee));
  const compressedStop = (stop - thres) / ratio + thres;
  const hermite = (x: number) => {
    const width = stop - start;
    const t = (x - start) / width;
    const [m0, m1] = [width, width / ratio];
    const second = -3 * start - 2 * m0 + 3 * compressedStop - m1;
    const third = 2 * start + m0 - 2 * compressedStop + m1;
    return start + m0 * t + second * t * t + third * t ** 3;
  };
  let power = fromPower;
  return Float64Array.from({ length: Math.round(seconds * rateHz) }, () => {
    power += (toPower - power) * (toPower > power ? attack : release);
    const slope = 0.5 * Math.log(power);
    if (slope <= start) return 0;
    const wanted = slope < stop ? hermite(slope) : (slope - thres) / ratio + thres;
    return (20 / Math.LN10) * (wanted - slope);
  });
}

describe("ffmpeg's compressor", () => {
  for (const name of ["compressor", "compressor-disturbed"])
    it(`is read by its law, and its times as they follow from it (${name})`, async () => {
      const { static: staticCurve, times, gainDbAt1k, signal } = await reportOf(name);
      expect(Math.abs((staticCurve?.thresholdDbfs ?? 0) + 20)).toBeLessThan(0.1);
      expect(Math.abs((staticCurve?.ratio ?? 0) / 4 - 1)).toBeLessThan(0.02);
      // A knee of 2.828 is 9.03 dB wide.
      expect(staticCurve?.kneeDb).toBeCloseTo(9.03, 0);
      const { bursts } = sentSignal(signal).plan;
      const [low, high] = [bursts.rest, bursts.long].map((b) => 10 ** (b.leftDbfs / 10));
      const rate = signal.sampleRateHz;
      const attack = compressorGains(rate, low, high, 0.7);
      const end = attack[attack.length - 1];
      const attackMs = (1000 * attack.findIndex((g) => g <= 0.632 * end)) / rate;
      const release = compressorGains(rate, high, low, 1.5);
      const releaseMs = (1000 * release.findIndex((g) => g >= (1 - 0.632) * end)) / rate;
      expect(Math.abs((times?.attackMs ?? 0) / attackMs - 1)).toBeLessThan(0.1);
      expect(Math.abs((times?.releaseMs ?? 0) / releaseMs - 1)).toBeLessThan(0.1);
      expect(times?.reductionDb).toBeCloseTo(-end, 1);
      if (name === "compressor") expect(gainDbAt1k).toBeCloseTo(0, 1);
    });
});

describe("ffmpeg's soft clip", () => {
  for (const name of ["tanh", "tanh-disturbed"])
    it(`has the harmonics of tanh, and folds as they do (${name})`, async () => {
      const report = await reportOf(name);
      const [deep] = report.harmonics;
      // Fourier series of tanh at −12 dBFS: H3 −45.72, H5 −89.83 dB.
      expect(deep.partialsDb[1]).toBeCloseTo(-45.72, 1);
      const error = deep.partialErrorsDb[3] ?? 0;
      expect(Math.abs((deep.partialsDb[3] ?? 0) + 89.83)).toBeLessThan(Math.max(0.2, 3 * error));
      expect(deep.partialsDb.filter((_, i) => i % 2 === 0)).toEqual([null, null, null, null, null]);
      expect(Math.abs((report.aliasDb ?? 0) + 45.72)).toBeLessThan(1);
      expect(report.static?.ratio ?? null).toBeNull();
    });
});

describe("ffmpeg's other filters", () => {
  it("are told for what they are: fewer bits fold and have no law, a limiter looks ahead", async () => {
    const bits = await reportOf("fewerBits");
    expect(bits.transparent).toBe("no");
    expect(bits.static?.ratio ?? null).toBeNull();
    expect(bits.aliasDb).toBeGreaterThan(-60);
    const limiter = await reportOf("limiter");
    // Five milliseconds of 16 kHz, less one.
    expect(limiter.arrivalSamples).toBeCloseTo(79, 3);
    // Its gain falls by 39 dB for some milliseconds and does not come back within the test: no model of ours predicts that, and none is reported.
    expect(["limiter", "compressor", "unknown"]).toContain(limiter.kind.name);
    expect(limiter).toMatchObject({ times: null, integrity: [] });
    expect(limiter.static?.ratio ?? null).toBeNull();
  });
});

describe("what none of the models is made for", () => {
  it("is no lossy coder where pitch is shifted: the shift is told, and nothing else of tone", async () => {
    const { kind, remarks, fitted, aliasDb, withheld, harmonics, highTones } = await reportOf("pitch");
    expect(kind.name).toBe("unknown");
    // A pitch of 1.002 is 1200 · log2(1.002) = 3.46 cents; rubberband keeps it to a twentieth.
    const told = Number(/are \+([\d.]+)\u2009cents off/.exec(remarks.join())?.[1]);
    expect(Math.abs(told - 3.46)).toBeLessThan(0.3);
    expect({ fitted, aliasDb }).toEqual({ fitted: [], aliasDb: null });
    // Nor is anything of it left to be drawn.
    for (const tone of [...harmonics, ...highTones]) {
      expect(tone).toMatchObject({ aliasDb: null, thdPercent: null, thdNoisePercent: null });
      expect(tone.partialsDb.every((db) => db === null)).toBe(true);
    }
    for (const figure of ["response", "harmonics", "phase", "kind"] as const)
      expect(withheld).toContainEqual(expect.objectContaining({ figure, reason: "unsteady" }));
  });

  it("has no EQ band where a compander's gain was still on its way as the sweep began", async () => {
    const { kind, fitted, withheld } = await reportOf("compander");
    expect(kind.name).toBe("compressor");
    expect(fitted).toEqual([]);
    expect(withheld).toContainEqual(expect.objectContaining({ figure: "bands", reason: "gainMoves" }));
  });

  it("has neither harmonics nor aliasing where a filter of 16,000 taps rings ahead and on", async () => {
    const { phaseKind, harmonics, aliasDb, response } = await reportOf("longFilter");
    expect(phaseKind).toBe("linear");
    expect(harmonics.every(({ thdPercent }) => thdPercent === null)).toBe(true);
    expect(aliasDb).toBeNull();
    // Twice the amplitude in the two lowest bands.
    expect(response.magnitudeDb[response.hertz.findIndex((hz) => hz >= 60)]).toBeCloseTo(20 * Math.log10(2), 0);
  });
});
