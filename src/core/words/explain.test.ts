import { describe, expect, it } from "vitest";
import type { Heard } from "../audibility/heard";
import { type CauseFound, causeSchema } from "../ladder/causes";
import type { Ladder, LadderStep } from "../ladder/ladder-schema";
import { EACH_CAUSE, EQ } from "../testing/causes";
import {
  causeWords,
  chanceWords,
  explainSentence,
  heardSentence,
  mainCauseWords,
  rangeWords,
  surveySentence,
} from "./explain";
import { hertzWords, number, signed, signedDecibels, timeWords } from "./units";

const both = { channels: "both", worthDb: null } as const;
const plain = (text: string) => text.replaceAll("\u2009", " ");
const step = (name: LadderStep["step"], residualDb: number | null, more: object = {}) =>
  ({ step: name, residualDb, ...more }) as LadderStep;
const ladder = (causes: CauseFound[], more: Partial<Ladder> = {}, residualDb: number | null = -71): Ladder => ({
  steps: [step("level", -12), step("left", residualDb, { kinds: [] })],
  judged: { seconds: 8, stretches: 5 },
  found: null,
  curve: [],
  problem: null,
  identity: { is: "different", judgedShare: 1 },
  exceptions: [],
  causes,
  alternatives: [],
  isPartial: false,
  ...more,
});

describe("the words of causes", () => {
  it("name a band once that stands there several times", () => {
    const cut = { kind: "low cut", hertz: 70, gainDb: null, q: null, slopeDbPerOctave: 12, errorDb: 0.1 } as const;
    const bell = { kind: "bell", hertz: 140, gainDb: 3, q: 0.8, slopeDbPerOctave: null, errorDb: 0.1 } as const;
    expect(plain(causeWords({ ...EQ, channels: "both", bands: [cut, cut, bell, cut, cut] } as CauseFound))).toBe(
      "EQ: high-pass 70 Hz 12 dB/oct, 4 in a row, bell 140 Hz +3.0 dB Q 0.80",
    );
  });

  it("are there for each of them, signed and with units", () => {
    const names = causeSchema.options.map((option) => option.shape.cause.value);
    expect(EACH_CAUSE.map(({ cause }) => cause)).toEqual(names);
    expect(EACH_CAUSE.map(causeWords).map(plain)).toEqual([
      "delay +64.25 samples",
      "drift −3.00 ppm (runs short)",
      "polarity inverted",
      "left and right swapped",
      "R/L balance +1.00 dB",
      "summed to mono",
      "crosstalk between channels",
      "level −2.70 dB",
      "EQ: bell 140 Hz +3.0 dB Q 0.80 (left only)",
      "gain over time, range 5.2 dB",
      "gain in 3 bands, range 3.0 dB",
      "saturation, odd −30 dB re Yonder, aliasing in the stretches fitted",
      "reverb, 1.2 s decay",
      "echo at 180.0 ms",
      "DC offset +1.000 % of full scale",
      "tone at 1234.5 Hz, −60 dBFS",
      "hum at 50.0 Hz, −60 dBFS",
      "steady noise, −50 dB re Yonder",
      "dither at 16 bits",
      "lossy coding",
      "0:04.0 to 0:05.5 Yonder silent",
      "unexplained residual, −20 dB re Yonder",
    ]);
  });

  it("tell a short stretch by how long it lasts", () => {
    const edit = { ...both, cause: "edit", startSeconds: 4.01 } as const;
    expect(plain(causeWords({ ...edit, what: "muted", endSeconds: 4.04 }))).toBe(
      "Yonder silent for about 30 ms at 0:04.0",
    );
    expect(plain(causeWords({ ...edit, what: "different", endSeconds: 4.25 }))).toBe(
      "different for about 240 ms at 0:04.0",
    );
    expect(plain(causeWords({ ...edit, what: "different", endSeconds: 4.41 }))).toBe("0:04.0 to 0:04.4 different");
  });

  it("name the one that matters most for a cell of a table", () => {
    expect(plain(mainCauseWords(ladder([EACH_CAUSE[7], EQ])))).toBe("EQ: bell 140 Hz +3.0 dB Q 0.80 (left only)");
    expect(mainCauseWords(ladder([], { identity: { is: "same", judgedShare: 1 } }))).toBe("bit-identical");
    expect(mainCauseWords(ladder([]))).toBe("no cause found");
  });
});

describe("the sentences of a pair", () => {
  const said = (...given: Parameters<typeof ladder>) => plain(explainSentence(ladder(...given)));

  it("say the same only where every sample was compared, and on how much", () => {
    const same = { identity: { is: "same", judgedShare: 1 } } as const;
    expect(said([], same)).toBe("Every sample is the same.");
    expect(said([EACH_CAUSE[0]], same)).toBe("Delay +64.25 samples. Apart from that every sample is the same.");
    expect(said([], { identity: { is: "same", judgedShare: 0.776 } })).toBe(
      "Every sample is the same on a 77 % overlap.",
    );
    expect(said([EACH_CAUSE[18]], { identity: { is: "same to 16 bits", judgedShare: 1 } })).toBe(
      "Identical to 16 bits. Added: dither at 16 bits.",
    );
  });

  it("put alignment and level first, then the processing, then what was added, and where that does not hold", () => {
    const exceptions = [
      { what: "different", startSeconds: 32, endSeconds: 87, residualDb: -10 },
    ] as Ladder["exceptions"];
    expect(said([EQ, EACH_CAUSE[7], EACH_CAUSE[0], EACH_CAUSE[16]], { exceptions })).toBe(
      "Delay +64.25 samples, level −2.70 dB. Processing: EQ: bell 140 Hz +3.0 dB Q 0.80 (left only). Added: hum at 50.0 Hz, −60 dBFS. Residual after all steps: −71 dB re Yonder. Except: 0:32.0 to 1:27.0 different.",
    );
  });

  it("say that an order is not known, and what is identical but for a stretch", () => {
    expect(said([EQ, EACH_CAUSE[7]], { alternatives: [["gain", "eq"]] })).toContain(
      "Order not known; equally good: gain over time, EQ.",
    );
    const exceptions = [
      { what: "different", startSeconds: 5, endSeconds: 7.5, residualDb: -10 },
    ] as Ladder["exceptions"];
    expect(said([], { exceptions }, -140)).toBe(
      "No residual above −120 dB re Yonder. Except: 0:05.0 to 0:07.5 different.",
    );
    const before = [{ what: "missing in Here", startSeconds: -11, endSeconds: 0, residualDb: null }];
    expect(said([EACH_CAUSE[7]], { exceptions: before as Ladder["exceptions"] }, -140)).toBe(
      "Level −2.70 dB. Apart from that no residual above −120 dB re Yonder. Except: −0:11.0 to 0:00.0 missing in Here.",
    );
  });

  it("say what the survey saw while causes are looked for", () => {
    const steps = [{ step: "time", residualDb: -21.4, delaySamples: 64.25, polarity: 1, driftPpm: null }];
    const early = { ...ladder([EACH_CAUSE[0]]), steps: steps as LadderStep[], isPartial: true };
    expect(plain(surveySentence(early))).toBe("Delay +64.25 samples. Residual as aligned: −21 dB re Yonder.");
  });

  it("claim nothing where nothing was found", () => {
    expect(said([EACH_CAUSE[7]], {}, -30)).toBe(
      "Level −2.70 dB. No processing explains the rest. Residual after all steps: −30 dB re Yonder.",
    );
    expect(said([EACH_CAUSE[21]], {}, -0.5)).toContain("different material");
    expect(said([EACH_CAUSE[7]], {}, -140)).toBe("Level −2.70 dB. No other cause found. No residual.");
    expect(said([], { problem: "Yonder is silent here: there is nothing to explain." })).toContain("silent");
  });

  it("keep to twenty words each, and to words that stand in the glossary", () => {
    const sentences = EACH_CAUSE.flatMap((cause) => said([cause]).split(/(?<=\.) (?=[A-Z])/));
    for (const sentence of sentences) {
      expect(sentence.split(/\s+/).length, sentence).toBeLessThanOrEqual(20);
      expect(sentence).not.toMatch(/\b(bend|tone removed|left over|worn|folds|clock|told apart|gains nothing)\b/);
    }
  });
});

describe("the sentence of what is heard", () => {
  const heard = (change: number, added: number, betweenChannels: number, moments = true): Heard => ({
    stepSeconds: 0.1,
    probability: new Float32Array(1),
    highest: { change, added, betweenChannels },
    meanOverMaskDb: null,
    moments: moments
      ? [
          {
            startSeconds: 1,
            endSeconds: 2,
            lowHertz: 9000,
            highHertz: 16_000,
            probability: Math.max(change, added, betweenChannels),
            criterion: "change",
            overMaskDb: -3,
          },
        ]
      : [],
    playbackSplDb: 92,
  });

  it("says not likely only where all three criteria agree", () => {
    expect(heardSentence(heard(0.9, 0, 0))).toContain("Likely heard: change of level by band above 9");
    expect(heardSentence(heard(0, 0, 0.8))).toContain("Likely heard: difference between left and right");
    expect(heardSentence(heard(0, 0.3, 0))).toContain("May be heard: added sound above the mask");
    expect(heardSentence(heard(0.1, 0.1, 0.1))).toBe("Not likely to be heard, by all three criteria.");
    expect(heardSentence(heard(0, 0, 0, false))).toBe("Nothing to hear by this estimate.");
    for (const one of [
      [0.6, 0, 0],
      [0, 0.6, 0],
      [0, 0, 0.6],
    ] as const)
      expect(heardSentence(heard(one[0], one[1], one[2]))).not.toContain("Not likely");
  });

  it("never says not likely beside a click or a loss that the estimate is too slow for", () => {
    const click = { what: "click", startSeconds: 3.3, endSeconds: 3.3, residualDb: -40 } as const;
    const lost = { what: "muted", startSeconds: 8, endSeconds: 8.01, residualDb: null } as const;
    expect(plain(heardSentence(heard(0.1, 0.1, 0.1), [click, lost]))).toBe(
      "Too short to estimate, so listen: click at 0:03.3; Yonder silent for about 10 ms at 0:08.0.",
    );
    expect(heardSentence(heard(0, 0, 0, false), [click])).toContain("click at 0:03.3");
    expect(heardSentence(heard(0.9, 0, 0), [click])).toContain("Likely heard");
  });

  it("never makes an estimate a certainty", () => {
    expect([0, 0.5, 1].map(chanceWords).map(plain)).toEqual(["below 1 %", "50 %", "above 99 %"]);
  });
});

describe("numbers", () => {
  it("have real minus signs, their sign where it is asked for, and never −0", () => {
    expect([number(-0.04), number(-0.05), signed(0.04), signed(2), plain(signedDecibels(-1.25, 2))]).toEqual([
      "0.0",
      "−0.1",
      "0.0",
      "+2.0",
      "−1.25 dB",
    ]);
    expect([85, 1234, 12_345].map((hz) => plain(hertzWords(hz)))).toEqual(["85 Hz", "1.2 kHz", "12 kHz"]);
    expect(timeWords(87.04)).toBe("1:27.0");
    expect(plain(rangeWords([20, 150]))).toBe(" below 150 Hz");
    expect(rangeWords([20, 20_000])).toBe("");
  });
});
