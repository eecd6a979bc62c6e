import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { SMALL_FORM, sentSignal, through } from "../testing/bench";
import { gaussian } from "../testing/noise";
import { levelsWords, magnitudeWords } from "../words/bench-views";
import { benchChain, benchRecording } from "./bench";
import type { BenchKind } from "./kind/kind";
import type { BenchReport } from "./report";
import type { SignalForm } from "./signal/signal-plan";

// For each sentence that Bench can say, a case in which it would be false: it must not be said there.

const { signal } = sentSignal(SMALL_FORM);
const [sent] = signal.channels;
const RATE = SMALL_FORM.sampleRateHz;

const measured = (channels: readonly Float32Array[], sampleRateHz = RATE): BenchReport => {
  const outcome = benchRecording("back.wav", soundOf({ sampleRateHz, channels: [...channels] }));
  if (!outcome.ok) throw new Error(outcome.reason);
  return outcome.value;
};
const of = (shape: (v: number, i: number) => number): BenchReport => measured([sent.map(shape)]);
const plus = (channel: Float32Array, dbfs: number, seed = 3): Float32Array => {
  const noise = gaussian(channel.length, 10 ** (dbfs / 20), seed);
  return channel.map((v, i) => v + noise[i]);
};
const words = (report: BenchReport) => report.sentences.join(" ").replaceAll("\u2009", " ");
const isNone = (report: BenchReport, ...kinds: BenchKind[]) => expect(kinds).not.toContain(report.kind.name);

/** A biquad after Bristow-Johnson's cookbook, in double precision. */
function biquad(channel: Float32Array, b: readonly number[], a: readonly number[]): Float32Array {
  let [s1, s2] = [0, 0];
  return channel.map((v) => {
    const out = (b[0] / a[0]) * v + s1;
    s1 = (b[1] / a[0]) * v - (a[1] / a[0]) * out + s2;
    s2 = (b[2] / a[0]) * v - (a[2] / a[0]) * out;
    return out;
  });
}
function bell(channel: Float32Array, hertz: number, gainDb: number, q: number): Float32Array {
  const w = (2 * Math.PI * hertz) / RATE;
  const [alpha, c, A] = [Math.sin(w) / (2 * q), Math.cos(w), 10 ** (gainDb / 40)];
  return biquad(channel, [1 + alpha * A, -2 * c, 1 - alpha * A], [1 + alpha / A, -2 * c, 1 - alpha / A]);
}
function lowCut(channel: Float32Array, hertz: number): Float32Array {
  const w = (2 * Math.PI * hertz) / RATE;
  const [alpha, c] = [Math.sin(w) / Math.SQRT2, Math.cos(w)];
  return biquad(channel, [(1 + c) / 2, -(1 + c), (1 + c) / 2], [1 + alpha, -2 * c, 1 - alpha]);
}

/** A gate with hold, whose quiet tone after a loud one is above its threshold: no memory shows there. */
function gated(channel: Float32Array, thresholdDbfs: number): Float32Array {
  const pole = (ms: number) => Math.exp(-1000 / (ms * RATE));
  const [fall, attack, release, hold] = [pole(20), pole(1), pole(150), 0.05 * RATE];
  let [envelope, state, held] = [0, -40, 0];
  return channel.map((v) => {
    envelope = Math.max(Math.abs(v), fall * envelope);
    const wanted = Math.max(-40, Math.min(0, 29 * (20 * Math.log10(envelope + 1e-15) - thresholdDbfs)));
    if (wanted > state) {
      state = wanted + attack * (state - wanted);
      held = 0;
    } else if (held < hold) held++;
    else state = wanted + release * (state - wanted);
    return v * 10 ** (state / 20);
  });
}

describe("a compressor, a limiter, a gate", () => {
  it("is not told of filters that ring after what was loud: narrow bells, low cuts, boosts", () => {
    for (const channel of [
      bell(sent, 1000, 12, 12),
      bell(sent, 120, 15, 8),
      lowCut(sent, 60),
      bell(sent, 5000, -18, 4),
    ]) {
      const report = measured([channel]);
      expect(report.kind.name).toBe("equalizer");
      expect(report).toMatchObject({ times: null, static: null });
    }
  });

  it("is not told of saturation before or behind a filter, nor of a stage with an offset", () => {
    for (const channel of [
      bell(
        sent.map((v) => Math.tanh(5 * v) / 5),
        700,
        8,
        2,
      ),
      bell(sent, 700, 8, 2).map((v) => Math.tanh(4 * v) / 4),
      lowCut(
        sent.map((v) => Math.tanh(4 * v + 0.5) - Math.tanh(0.5)),
        30,
      ),
    ]) {
      const report = measured([channel]);
      isNone(report, "compressor", "limiter", "expander", "gate", "multiband", "dynamicEq", "deEsser");
      expect(report.static?.thresholdDbfs ?? null).toBeNull();
      expect(report.times).toBeNull();
    }
  });

  it("is not told of a coder, which keeps tones and changes what lies between them", () => {
    const report = measured([through(signal, "coded-band").channels[0]]);
    isNone(report, "compressor", "limiter", "expander", "gate");
    expect(report.times).toBeNull();
    expect(words(report)).not.toMatch(/Aliasing|Side:|Gain not yet at rest/);
  });

  it("is not told of noise that is louder towards the lows", () => {
    const white = gaussian(sent.length, 1, 8);
    const state = [0, 0, 0];
    const pink = sent.map((v, i) => {
      state[0] = 0.99765 * state[0] + white[i] * 0.099046;
      state[1] = 0.963 * state[1] + white[i] * 0.2965164;
      state[2] = 0.57 * state[2] + white[i] * 1.0526913;
      return v + 7e-4 * (state[0] + state[1] + state[2] + white[i] * 0.1848);
    });
    for (const channel of [pink, bell(pink, 1000, 6, 1)])
      isNone(
        measured([channel]),
        "compressor",
        "limiter",
        "saturator",
        "clipper",
        "multiband",
        "dynamicEq",
        "expander",
      );
  });
});

describe("noise", () => {
  it("hides nothing where there is none", () => {
    const shapes = [(v: number) => v + 0.4 * v * v, (v: number) => Math.tanh(3 * v) / 3, (v: number) => Math.max(0, v)];
    for (const shape of shapes) {
      const report = of(shape);
      expect(report.noiseFloorDbfs ?? -200).toBeLessThan(-140);
      expect(report.withheld.filter(({ reason }) => reason === "noise")).toEqual([]);
    }
  });
});

describe("a loss on the way", () => {
  it("is not told of a vibrato, which lays every mark elsewhere", () => {
    // 5 Hz, 4 samples to and fro, read between samples.
    const report = of((_, i) => {
      const at = i - 4 - 4 * Math.sin((2 * Math.PI * 5 * i) / RATE);
      const whole = Math.floor(at);
      const [a, b] = [sent[whole] ?? 0, sent[whole + 1] ?? 0];
      return a + (b - a) * (at - whole);
    });
    expect(report.integrity.filter(({ what }) => what === "lost" || what === "repeated")).toEqual([]);
    expect(report.withheld).toContainEqual(expect.objectContaining({ figure: "response", reason: "unsteady" }));
    expect(words(report)).not.toMatch(/[Dd]rift|harmonics above|[Rr]esponse spans/);
  });
});

describe("saturation", () => {
  it("is not told of what bends the highs alone, though it does so at once", () => {
    const highs = lowCut(lowCut(sent, 1800), 1800);
    const report = of((v, i) => v + 0.6 * (Math.tanh(8 * highs[i]) / 8 - highs[i]));
    expect(report.harmonics.some(({ thdPercent }) => (thdPercent ?? 0) > 0.5)).toBe(true);
    isNone(report, "saturator", "clipper", "wire", "equalizer");
  });

  it("is not told of a gate: gain moves there and the wave keeps its form", () => {
    const report = measured([gated(sent, -45)]);
    isNone(report, "saturator", "clipper", "wire", "equalizer");
    expect(report.static?.thresholdDbfs ?? -45).toBeCloseTo(-45, -1);
  });

  it("is not told of a recording that was overloaded on its way", () => {
    const report = of((v) => Math.max(-1, Math.min(1, 5 * v)));
    isNone(report, "saturator", "clipper");
    expect(report.integrity.map(({ what }) => what)).toEqual(["overload"]);
    expect(words(report)).not.toMatch(/THD \d/);
  });
});

describe("no change, no harmonics, flat", () => {
  it("is not told of what bends, moves, turns or filters a little", () => {
    isNone(
      of((v) => v + 0.02 * v * v),
      "wire",
    );
    isNone(
      of((v, i) => v * (1 + 0.03 * Math.sin((2 * Math.PI * 3 * i) / RATE))),
      "wire",
    );
    isNone(measured([through(signal, "all-pass", { frequencyHz: 300 }).channels[0]]), "wire");
    isNone(measured([bell(sent, 2000, 0.5, 1)]), "wire");
    expect(words(of((v) => v + 0.02 * v * v))).not.toMatch(/No harmonics/);
    expect(words(measured([bell(sent, 2000, 0.5, 1)]))).not.toMatch(/Flat within/);
  });

  it("says no word of level where polarity or delay changed, and tells which", () => {
    const turned = words(of((v) => -v));
    expect(turned).toMatch(/Polarity inverted/);
    expect(turned).not.toMatch(/Output equals input/);
  });
});

describe("phase, bands and aliasing in noise", () => {
  it("are not made of noise alone", () => {
    for (const dbfs of [-70, -55, -50]) {
      const report = measured([plus(sent, dbfs)]);
      expect(report.fitted).toEqual([]);
      expect(["none", "unknown"]).toContain(report.phaseKind);
      expect(report.crossoversHz).toEqual([]);
      expect(report.moves.kind).toBe("none");
      expect(words(report)).not.toMatch(/Aliasing|THD \d/);
    }
  });

  it("move no response with level, and each level's error is what noise moves it by", () => {
    for (const seed of [3, 4, 5]) {
      const report = measured([plus(sent, -60, seed)]);
      expect(levelsWords(report)).toMatch(/^(no change with level above noise|same at 3 levels)/);
      expect(magnitudeWords(report)).toMatch(/^(no change above noise|flat within)/);
      for (const { magnitudeDb, errorDb } of report.levels) {
        // A wire: all that a magnitude is off by is noise.
        const squares = magnitudeDb.map((db, i) => (db / (errorDb?.[i] ?? Number.NaN)) ** 2);
        const usual = Math.sqrt(squares.reduce((sum, v) => sum + v, 0) / squares.length);
        expect(usual).toBeGreaterThan(0.7);
        expect(usual).toBeLessThan(1.4);
      }
    }
  });
});

describe("one channel's sentence", () => {
  it("is not another's: what is withheld, spoiled or silent stays with its own", () => {
    const stereo = sentSignal({ sampleRateHz: 8000 });
    const [left, right] = stereo.signal.channels;
    const at = stereo.plan.deep.startFrame + 4000;
    const cut = right.map((v, i) => (i >= at && i < at + 80 ? 0 : v));
    const report = measured([left, cut], 8000);
    expect(report.integrity).toEqual([expect.objectContaining({ what: "dropout", channel: "right" })]);
    expect(report.kind.name).toBe("wire");
    expect(words(report)).toMatch(/Dropout of \d+ samples at 0:\d\d\.\d \(right\)/);
    // Swapped, it is still the recording's right channel that was cut, and now the signal's left one that suffers.
    const swapped = measured([right, left.map((v, i) => (i >= at && i < at + 80 ? 0 : v))], 8000);
    expect(swapped.swapped).toBe(true);
    expect(swapped.integrity).toEqual([expect.objectContaining({ what: "dropout", channel: "right" })]);
    isNone(swapped, "compressor", "timeVarying", "saturator");
  });

  it("is said of the side of a linked compressor only where that differs", () => {
    const form: SignalForm = { sampleRateHz: 16_000, levelDbfs: -6, channelCount: 2 };
    const report = benchChain([{ processorKey: "feed-forward-compressor", settings: { thresholdDb: -30 } }], form);
    expect(report.kind.name).toBe("compressor");
    expect(words(report)).not.toMatch(/Side:|Right:|Left:/);
    expect(report.times?.linkShare).toBeCloseTo(1, 1);
  });
});

describe("at the ends of what a signal can be", () => {
  it("a bell is a bell and a compressor is one: 8 and 192 kHz, −40 and −1 dBFS, mono and stereo", () => {
    const forms: SignalForm[] = [
      { sampleRateHz: 8000, levelDbfs: -40, channelCount: 1 },
      { sampleRateHz: 11_025, levelDbfs: -1, channelCount: 2 },
      { sampleRateHz: 192_000, levelDbfs: -12, channelCount: 1 },
    ];
    for (const form of forms) {
      const name = JSON.stringify(form);
      const bands = [{ kind: "bell", frequencyHz: 800, gainDb: 5, q: 1 }];
      const equalizer = benchChain([{ processorKey: "matched-equalizer", settings: { bands } }], form);
      expect(equalizer.kind.name, name).toBe("equalizer");
      expect(equalizer.fitted, name).toEqual([expect.objectContaining({ kind: "bell", gainDb: expect.closeTo(5, 1) })]);
      const thresholdDb = Math.max(-60, form.levelDbfs - 18);
      const settings = { thresholdDb, ratio: 3, kneeDb: 0, attackMs: 10, releaseMs: 100 };
      const { kind, static: staticCurve } = benchChain([{ processorKey: "feed-forward-compressor", settings }], form);
      expect(["compressor", "unknown"], name).toContain(kind.name);
      if (staticCurve?.thresholdDbfs != null)
        expect(Math.abs(staticCurve.thresholdDbfs - thresholdDb), name).toBeLessThan(0.8);
      if (staticCurve?.ratio != null) expect(Math.abs(staticCurve.ratio / 3 - 1), name).toBeLessThan(0.1);
    }
  });
});
