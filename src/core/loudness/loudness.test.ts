import { describe, expect, it } from "vitest";
import { type Clip, scaleClip, sliceClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { joined, noise, silence, sine } from "../stimuli/signals";
import { readFixture, recording } from "../testing/recordings";
import { kWeighting } from "./k-weighting";
import { type LoudnessCourse, loudnessCourse, measureLoudness } from "./loudness";
import { dynamicsOf, imbalanceDb, measureLevels, measureStretch } from "./measure";

const tone = (peakDbfs: number, seconds: number, sampleRateHz = 48_000) =>
  sine({ hertz: 1000, peakDbfs, seconds, sampleRateHz });

const repeated = (count: number, ...clips: Clip[]) => joined(...Array.from({ length: count }, () => clips).flat());

describe("K-weighting", () => {
  it("gives back the coefficients ITU-R BS.1770-5 tabulates for 48 kHz (annex 1, tables 1 and 2)", () => {
    const { shelf, highPass } = kWeighting(48_000);
    expect(shelf.b0).toBeCloseTo(1.53512485958697, 10);
    expect(shelf.b1).toBeCloseTo(-2.69169618940638, 10);
    expect(shelf.b2).toBeCloseTo(1.19839281085285, 10);
    expect(shelf.a1).toBeCloseTo(-1.69065929318241, 10);
    expect(shelf.a2).toBeCloseTo(0.73248077421585, 10);
    expect(highPass.a1).toBeCloseTo(-1.99004745483398, 10);
    expect(highPass.a2).toBeCloseTo(0.99007225036621, 10);
  });
});

describe("EBU Tech 3341 minimum requirements, synthesised cases, ±0.1 LU", () => {
  const within = (value: number | null, expected: number) =>
    expect(Math.abs((value ?? 99) - expected)).toBeLessThan(0.1);

  it("case 1: a stereo 1 kHz tone at −23 dBFS reads −23 in every window", () => {
    const figures = measureLoudness(tone(-23, 20));
    within(figures.integratedLufs, -23);
    within(figures.maxMomentaryLufs, -23);
    within(figures.maxShortTermLufs, -23);
  });

  it("case 2: the same at −33", () => within(measureLoudness(tone(-33, 20)).integratedLufs, -33));

  it("case 3: −36, −23, −36 dBFS for 10, 60, 10 s: the quiet ends are gated out", () =>
    within(measureLoudness(joined(tone(-36, 10), tone(-23, 60), tone(-36, 10))).integratedLufs, -23));

  it("case 4: −72, −36, −23, −36, −72: both gates at work", () =>
    within(
      measureLoudness(joined(tone(-72, 10), tone(-36, 10), tone(-23, 60), tone(-36, 10), tone(-72, 10))).integratedLufs,
      -23,
    ));

  it("case 5: −26, −20, −26 for 20, 20.1, 20 s: none gated", () =>
    within(measureLoudness(joined(tone(-26, 20), tone(-20, 20.1), tone(-26, 20))).integratedLufs, -23));

  it("case 6: five channels, −28 left and right, −24 centre, −30 surrounds", () => {
    const channel = (peakDbfs: number) => tone(peakDbfs, 20).channels[0];
    const clip = { sampleRateHz: 48_000, channels: [-28, -28, -24, -30, -30].map(channel) };
    within(measureLoudness(clip, [1, 1, 1, 1.41, 1.41]).integratedLufs, -23);
  });

  it("case 9: −20 for 1.34 s and −30 for 1.66 s, five times: short-term −23 throughout", () =>
    within(measureLoudness(repeated(5, tone(-20, 1.34), tone(-30, 1.66))).maxShortTermLufs, -23));

  const twenty = Array.from({ length: 20 }, (_, i) => i);

  it.each(twenty)("case 10: a 3 s tone after %i times 0.15 s of silence reaches short-term −23", (i) =>
    within(measureLoudness(joined(silence(0.15 * i), tone(-23, 3), silence(1))).maxShortTermLufs, -23),
  );

  it("case 11: twenty 3 s tones from −38 to −19, each with silence around, peak at −19 short-term", () => {
    const parts = Array.from({ length: 20 }, (_, i) =>
      joined(silence(0.15 * i), tone(-38 + i, 3), silence(3 - 0.15 * i)),
    );
    within(measureLoudness(joined(...parts)).maxShortTermLufs, -19);
  });

  it("case 12: −20 for 0.18 s and −30 for 0.22 s, 25 times: momentary −23 throughout", () =>
    within(measureLoudness(repeated(25, tone(-20, 0.18), tone(-30, 0.22))).maxMomentaryLufs, -23));

  it.each(twenty)("case 13: a 400 ms tone after %i times 0.02 s of silence reaches momentary −23", (i) =>
    within(measureLoudness(joined(silence(0.02 * i), tone(-23, 0.4), silence(1))).maxMomentaryLufs, -23),
  );

  it("case 14: twenty 400 ms tones from −38 to −19 peak at −19 momentary", () => {
    const parts = Array.from({ length: 20 }, (_, i) =>
      joined(silence(0.02 * i), tone(-38 + i, 0.4), silence(0.4 - 0.02 * i)),
    );
    within(measureLoudness(joined(...parts)).maxMomentaryLufs, -19);
  });

  it.each([[8_000], [44_100], [96_000], [192_000], [384_000]])("reads the tone of case 1 alike at %i Hz", (rate) =>
    within(measureLoudness(tone(-23, 5, rate)).integratedLufs, -23),
  );
});

describe("EBU Tech 3342 loudness range, synthesised cases, ±1 LU", () => {
  const cases: [string, number[], number][] = [
    ["1: −20, −30", [-20, -30], 10],
    ["2: −20, −15", [-20, -15], 5],
    ["3: −40, −20", [-40, -20], 20],
    ["4: −50, −35, −20, −35, −50", [-50, -35, -20, -35, -50], 15],
  ];
  it.each(cases)("case %s dBFS, 20 s each", (_, levels, expected) => {
    const range = measureLoudness(joined(...levels.map((level) => tone(level, 20)))).rangeLu;
    expect(Math.abs((range ?? 99) - expected)).toBeLessThan(1);
  });
});

describe("against libebur128 and ffmpeg (fixtures/make.py) on CC0 recordings", () => {
  const references = JSON.parse(readFixture("reference-figures.json"));
  const programme = () =>
    joined(
      ...Array.from({ length: 40 }, (_, i) => {
        const tenths = 11 + ((i * 17) % 37);
        return scaleClip(sliceClip(recording("guitar-48000"), 0, tenths * 4800), amplitudeFromDb(-((i * 7) % 16)));
      }),
    );
  const clips: [string, () => Clip][] = [
    ["tabla-44100", () => recording("tabla-44100")],
    ["guitar-48000", () => recording("guitar-48000")],
    ["drums-88200", () => recording("drums-88200")],
    ["bell-96000", () => recording("bell-96000")],
    ["safari-192000", () => recording("safari-192000")],
    ["programme", programme],
  ];

  it.each(clips)("%s: loudness within 0.01 LU of libebur128, 0.06 of ffmpeg's one decimal", (name, clip) => {
    const { libebur128, ffmpeg } = references[name];
    const { channels, sampleRateHz } = clip();
    // Both meters take a mono file as one channel; we measure it on the two that play it.
    const levels = measureLoudness({ channels, sampleRateHz }, channels.length === 1 ? [1] : undefined);
    expect(levels.integratedLufs).toBeCloseTo(libebur128.integratedLufs, 2);
    expect(levels.maxMomentaryLufs).toBeCloseTo(libebur128.maxMomentaryLufs, 2);
    expect(levels.maxShortTermLufs).toBeCloseTo(libebur128.maxShortTermLufs, 2);
    expect(Math.abs((levels.integratedLufs ?? 99) - ffmpeg.integratedLufs)).toBeLessThan(0.06);
  });

  it.each(clips)("%s: true peak within 0.1 dB of both, sample peak and RMS as ffmpeg's astats", (name, clip) => {
    const { libebur128, ffmpeg } = references[name];
    const levels = measureLevels(clip());
    expect(Math.abs((levels.truePeakDbtp ?? 99) - libebur128.truePeakDbtp)).toBeLessThan(0.1);
    expect(Math.abs((levels.truePeakDbtp ?? 99) - ffmpeg.truePeakDbtp)).toBeLessThan(0.15);
    // astats scales 16 bits by 32767, which is 0.0003 dB.
    expect(Math.abs((levels.samplePeakDbfs ?? 99) - ffmpeg.samplePeakDbfs)).toBeLessThan(0.001);
    expect(Math.abs((levels.rmsDbfs ?? 99) - ffmpeg.rmsDbfs)).toBeLessThan(0.001);
  });

  it("range of a programme of two minutes within 0.2 LU of both", () => {
    const { libebur128, ffmpeg } = references.programme;
    const range = measureLoudness(programme()).rangeLu ?? 99;
    expect(Math.abs(range - libebur128.rangeLu)).toBeLessThan(0.2);
    expect(Math.abs(range - ffmpeg.rangeLu)).toBeLessThan(0.2);
  });
});

describe("loudness over time", () => {
  it("a course that is known in part says nothing of the rest, and of what it tells what the whole says", () => {
    const clip = noise(130, 0.2, 5, 1);
    const parts: LoudnessCourse[] = [];
    const whole = loudnessCourse(clip, 1, (soFar) => parts.push(soFar));
    expect(parts).toHaveLength(1);
    for (const kind of ["momentaryLufs", "shortTermLufs"] as const) {
      const told = parts[0][kind].filter((v) => v !== null);
      // 40 pieces of 131072 frames are 109.2 s.
      expect(told.length / 10).toBeCloseTo(109.2 - (kind === "momentaryLufs" ? 0.4 : 3), 0);
      expect(parts[0][kind].slice(told.length).every((v) => v === null)).toBe(true);
      expect(told).toEqual(whole[kind].slice(0, told.length));
    }
  });

  it("holds the windows that the maxima are taken from, each at its end", () => {
    const clip = joined(tone(-33, 4), tone(-23, 4));
    const { stepSeconds, momentaryLufs, shortTermLufs } = loudnessCourse(clip);
    expect(stepSeconds).toBeCloseTo(0.1, 12);
    expect(momentaryLufs).toHaveLength(77);
    expect(shortTermLufs).toHaveLength(51);
    // The window that ends at 4 s holds the quiet tone alone, the one that ends at 4.4 s the loud one.
    expect(momentaryLufs[36]).toBeCloseTo(-33, 1);
    expect(momentaryLufs[40]).toBeCloseTo(-23, 1);
    expect(Math.max(...shortTermLufs.map((v) => v ?? -99))).toBeCloseTo(measureLoudness(clip).maxShortTermLufs ?? 0, 2);
    expect(loudnessCourse(silence(1)).momentaryLufs.every((v) => v === null)).toBe(true);
  });
});

describe("figures of each channel, and between figures", () => {
  it("a sine has a crest factor of 3.01 dB, a square one of 0 (trade facts)", () => {
    expect(dynamicsOf(measureLevels(tone(-6, 4))).crestDb).toBeCloseTo(3.01, 2);
    const square = sine({ hertz: 100, peakDbfs: 0, seconds: 1, channels: 1 });
    const clip = { ...square, channels: square.channels.map((c) => c.map((v) => (v >= 0 ? 0.5 : -0.5))) };
    expect(dynamicsOf(measureLevels(clip)).crestDb).toBeCloseTo(0, 4);
  });

  it("peak to loudness: 23 LU under full scale with peaks at −6 dBTP gives 17 dB", () => {
    const levels = { ...measureLevels(tone(-23, 4)), truePeakDbtp: -6 };
    expect(dynamicsOf(levels).plrDb).toBeCloseTo(17, 1);
    expect(dynamicsOf(levels).psrDb).toBeCloseTo(17, 1);
    expect(dynamicsOf({ ...levels, integratedLufs: null }).plrDb).toBeNull();
  });

  it("tells each channel's peak, RMS and DC", () => {
    const left = sine({ hertz: 1000, peakDbfs: -6, seconds: 1, channels: 1 }).channels[0];
    const right = left.map((v) => v / 2 + 0.01);
    const { channels } = measureStretch({ sampleRateHz: 48_000, channels: [left, right] });
    expect(channels[0].rmsDbfs).toBeCloseTo(-9.01, 2);
    expect(channels[0].dcDbfs ?? -999).toBeLessThan(-120);
    expect(channels[1].dcDbfs).toBeCloseTo(-40, 2);
    expect(channels[1].samplePeakDbfs).toBeCloseTo(20 * Math.log10(10 ** (-6 / 20) / 2 + 0.01), 3);
  });

  it("reports how far a render leans to one side, against the dry one", () => {
    const dry = measureStretch(recording("guitar-48000"));
    const [left, right] = recording("guitar-48000").channels;
    const leaning = { sampleRateHz: 48_000, channels: [left, right.map((v) => v * amplitudeFromDb(-0.4))] };
    expect(imbalanceDb(dry, measureStretch(leaning))).toBeCloseTo(-0.4, 4);
    expect(imbalanceDb(dry, measureStretch({ ...leaning, channels: [left] }))).toBeNull();
  });
});

describe("edges", () => {
  it("a 997 Hz sine at 0 dBFS in one channel reads −3.01 LUFS (BS.1770-5, annex 1)", () => {
    const { channels, sampleRateHz } = sine({ hertz: 997, peakDbfs: 0, seconds: 5, channels: 1 });
    const left = { sampleRateHz, channels: [channels[0], new Float32Array(channels[0].length)] };
    expect(measureLoudness(left).integratedLufs).toBeCloseTo(-3.01, 2);
  });

  it("a mono clip is measured as it is played, on both sides: 3.01 LU over the one channel, and as its own stereo copy", () => {
    const [channel] = recording("guitar-48000").channels;
    const clip = (channels: Float32Array[]) => ({ sampleRateHz: 48_000, channels });
    const mono = measureLoudness(clip([channel]));
    expect(mono).toEqual(measureLoudness(clip([channel, channel])));
    const oneSide = measureLoudness(clip([channel, new Float32Array(channel.length)])).integratedLufs ?? 0;
    expect((mono.integratedLufs ?? 0) - oneSide).toBeCloseTo(3.0103, 3);
    expect(loudnessCourse(clip([channel]))).toEqual(loudnessCourse(clip([channel, channel])));
  });

  it("has no figure for less than a block, and none for silence or under the gate", () => {
    expect(measureLoudness(tone(-20, 0.39)).integratedLufs).toBeNull();
    expect(measureLoudness(tone(-20, 2)).maxShortTermLufs).toBeNull();
    expect(measureLoudness(tone(-20, 2)).rangeLu).toBeNull();
    expect(measureLoudness(tone(-75, 5)).integratedLufs).toBeNull();
    expect(measureLevels(silence(1))).toEqual({
      integratedLufs: null,
      gating: [],
      rangeLu: null,
      maxMomentaryLufs: null,
      maxShortTermLufs: null,
      truePeakDbtp: null,
      samplePeakDbfs: null,
      rmsDbfs: null,
    });
  });

  it("still gives RMS where a clip is too short for loudness", () => {
    expect(measureLevels(tone(0, 0.2)).rmsDbfs).toBeCloseTo(-3.01, 2);
  });
});
