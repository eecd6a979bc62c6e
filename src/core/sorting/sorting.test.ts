import { beforeAll, describe, expect, it } from "vitest";
import { type Clip, scaleClip } from "../audio/clip";
import { resample } from "../audio/resample";
import { type Sound, soundOf } from "../audio/sound";
import { boardingChime, crossingTheme, handDrums } from "../demo/passages";
import { type Chain, runChain } from "../processors/chain";
import { noise, shifted, silence } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { likenessOf } from "./likeness";
import { candidateTitleOf, passageTitleOf, saysDry, stemOf, wordsOf } from "./names";
import { signatureOf } from "./signature";
import { type SortingFile, sortFiles } from "./sort-files";

const stage = (processorKey: string, settings: Record<string, unknown>) => ({ processorKey, settings });
/** Harsh treatment of every family; the sounds are real recordings and the demo's. */
const TREATMENTS: Record<string, Chain> = {
  eq: [
    stage("bilinear-equalizer", {
      bands: [
        { kind: "low shelf", frequencyHz: 200, gainDb: 9 },
        { kind: "high shelf", frequencyHz: 5000, gainDb: -9 },
      ],
    }),
  ],
  squeezed: [stage("feed-forward-compressor", { thresholdDb: -30, ratio: 8, attackMs: 3, releaseMs: 80 })],
  limited: [stage("true-peak-limiter", { inputDb: 14, detection: "sample peak" })],
  crushed: [stage("hard-ceiling", { inputDb: 15, ceilingDb: -3 })],
  coded: [stage("coded-band", { limitHz: 11_000, dropDb: -18 })],
  "44.1": [stage("converter", { rateHz: 44_100 })],
  outboard: [stage("outboard-loop", { latencySamples: 900, clockPpm: 60, flipped: true, noiseFloorDbfs: -70 })],
};
const PASSAGES: Record<string, Clip> = {
  guitar: recording("guitar-48000"),
  tabla: recording("tabla-44100"),
  chime: boardingChime(),
  theme: crossingTheme(),
  drums: handDrums(),
};

const file = (name: string, clip: Sound | Clip): SortingFile => ({ id: name, name, signature: signatureOf(clip) });
const files: SortingFile[] = [];

beforeAll(() => {
  for (const [passage, clip] of Object.entries(PASSAGES)) {
    files.push(file(`song_${passage}_dry.wav`, clip));
    for (const [name, chain] of Object.entries(TREATMENTS)) {
      files.push(file(`song_${passage}_${name}.wav`, runChain(soundOf(clip), chain)));
    }
    const late = scaleClip(shifted(clip, Math.round(1.3 * clip.sampleRateHz)), -0.4);
    files.push(file(`song_${passage}_late.wav`, late));
  }
});

describe("likeness", () => {
  it("is 1 for the same sound at another rate, level, polarity and time", () => {
    const own = signatureOf(PASSAGES.theme);
    expect(likenessOf(own, own)).toBeCloseTo(1, 6);
    const other = scaleClip(shifted(resample(PASSAGES.theme, 96_000), 30_000), -0.2);
    expect(likenessOf(own, signatureOf(other))).toBeGreaterThan(0.85);
  });

  it("knows a sound of which one side is turned upside down, or the sides have changed places", () => {
    const { guitar, tabla } = PASSAGES;
    const sampleRateHz = 44_100;
    const [middle, side] = [guitar.channels[0].subarray(0, 300_000), tabla.channels[0].subarray(0, 300_000)];
    const left = middle.map((v, i) => v + side[i]);
    const right = middle.map((v, i) => v - side[i]);
    const own = signatureOf({ sampleRateHz, channels: [left, right] });
    const likeness = (...channels: Float32Array<ArrayBuffer>[]) =>
      likenessOf(own, signatureOf({ sampleRateHz, channels }));
    expect(
      likeness(
        left,
        right.map((v) => -v),
      ),
    ).toBeGreaterThan(0.99);
    expect(likeness(right, left)).toBeGreaterThan(0.99);
  });

  it("is low for strangers, noise and silence", () => {
    const own = signatureOf(PASSAGES.theme);
    expect(likenessOf(own, signatureOf(PASSAGES.guitar))).toBeLessThan(0.5);
    expect(likenessOf(own, signatureOf(noise(12, 0.3, 5)))).toBeLessThan(0.35);
    expect(likenessOf(own, signatureOf(silence(12)))).toBe(0);
  });
});

describe("a folder of renders with no passages yet", () => {
  it("falls into its passages by sound, dry ones found, candidates named by the rest", () => {
    const { files: sorted, newPassages } = sortFiles(files, []);
    const placed = sorted.filter((f) => f.doubt === null);
    const titles = new Map(newPassages.map((p) => [p.id, p.title.toLowerCase()]));
    for (const { id, passageId } of placed)
      expect(`song_${titles.get(passageId ?? "")}`).toBe(id.split("_", 2).join("_"));
    expect(placed.length).toBeGreaterThanOrEqual(files.length - 3);
    expect(newPassages.filter((p) => p.dryFileId?.endsWith("_dry.wav"))).toHaveLength(5);
    const one = placed.find((f) => f.id === "song_theme_crushed.wav");
    expect(one?.candidateTitle).toBe("crushed");
    expect(placed.find((f) => f.id === "song_drums_dry.wav")?.candidateTitle).toBe("Dry");
  });
});

describe("files for passages that are there", () => {
  const known = (...titles: string[]) =>
    titles.map((title) => ({ id: title, title, signature: signatureOf(PASSAGES[title]) }));

  it("go where they sound, whatever they are called", () => {
    const renamed = files.map((f, i) => ({ ...f, name: `bounce ${i}.wav` }));
    const { files: sorted } = sortFiles(renamed, known("guitar", "tabla", "chime", "theme", "drums"));
    for (const { id, passageId, doubt } of sorted) {
      // Whether sure or guessed: never the wrong one.
      if (doubt === null || passageId) expect(passageId, id).toBe(id.split("_")[1]);
    }
    expect(sorted.filter((f) => f.doubt === null).length).toBeGreaterThanOrEqual(files.length - 4);
  });

  it("wait with a reason when they sound like none, with their name as the only guess", () => {
    const strange = file("theme_mystery.wav", noise(10, 0.3, 9));
    const { files: sorted, newPassages } = sortFiles([strange, files[0]], known("theme", "guitar"));
    expect(sorted[0]).toMatchObject({ passageId: "theme" });
    expect(sorted[0].doubt).toContain("its name says theme");
    expect(newPassages).toHaveLength(0);
    const [nameless] = sortFiles([{ ...file("x.wav", silence(10)) }], known("guitar", "theme")).files;
    expect(nameless).toMatchObject({ passageId: "new 1", doubt: null, candidateTitle: "x" });
    const [, silent] = sortFiles([files[0], file("x.wav", silence(10))], known("guitar", "theme")).files;
    expect(silent).toMatchObject({ passageId: null, doubt: "No passage matches its sound." });
  });

  it("wait when two passages sound the same, and both are named", () => {
    const twins = [...known("theme"), { id: "twin", title: "twin", signature: signatureOf(PASSAGES.theme) }];
    const [sorted] = sortFiles([file("a.wav", PASSAGES.theme)], twins).files;
    expect(sorted.doubt).toMatch(/Matches theme \(100 %\) and nearly as well twin/);
  });
});

describe("names", () => {
  it("are cut into words, numbers kept whole", () => {
    expect(wordsOf("Verse_2-comp v1.2 (take.3).wav")).toEqual(["Verse", "2", "comp", "v1.2", "take", "3"]);
    expect(stemOf("drums.v2.wav")).toBe("drums.v2");
    expect(stemOf(".wav")).toBe(".wav");
  });

  it("say dry as a word of its own only", () => {
    expect(saysDry("mix dry.wav")).toBe(true);
    expect(saysDry("laundry.wav")).toBe(false);
  });

  it("give passage and candidate their parts", () => {
    const batch = ["song verse dry.wav", "song verse comp A.wav", "song chorus dry.wav", "song chorus comp A.wav"];
    expect(passageTitleOf(batch.slice(0, 2), batch)).toBe("Verse");
    expect(candidateTitleOf(batch[1], ["song", "verse"])).toBe("comp A");
    expect(candidateTitleOf("verse.wav", ["verse"])).toBe("verse");
    expect(passageTitleOf(["a.wav", "b.wav"], ["a.wav", "b.wav"])).toBeNull();
  });
});
