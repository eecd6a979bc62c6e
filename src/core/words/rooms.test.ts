import { describe, expect, it } from "vitest";
import { type Alignment, IN_STEP } from "../alignment/alignment";
import type { Doubt, NotAligned } from "../alignment/doubts";
import type { Passage } from "../archive/rows";
import { benchChain } from "../bench/bench";
import type { BenchDifference } from "../bench/compare-reports";
import { INTEGRITY_KINDS } from "../bench/integrity/integrity";
import { KINDS } from "../bench/kind/kind";
import { REASONS } from "../bench/reasons";
import { WITHHELD_FIGURES } from "../bench/report";
import type { Tally } from "../blind/favourite";
import type { Flaw } from "../blind/flaws";
import { planRightOrWrong, testsOf } from "../blind/plan";
import type { Grading } from "../blind/rating";
import { MATCH_METHODS } from "../matching/match-passage";
import { SMALL_FORM } from "../testing/bench";
import { abxBetween, bookOf, sightedFor } from "../testing/book";
import { EACH_CAUSE } from "../testing/causes";
import { wordFaults } from "../testing/word-rules";
import { alignmentSummary, alignmentWords, doubtsWords } from "./alignment";
import { benchDifferenceWords, benchSentences, integrityWords, kindBeside, pitchWords } from "./bench";
import { levelCheckWords } from "./bench-live";
import { sidechainSentence } from "./bench-sidechain";
import * as views from "./bench-views";
import { withheldSentence } from "./bench-withheld";
import {
  aboveHearingSentence,
  gradingVerdict,
  pooledVerdict,
  repetitionSentence,
  runVerdict,
  screeningSentence,
  seriesVerdict,
  tallyVerdict,
} from "./blind";
import { CHECK_WORDS } from "./blind-checks";
import { hearingSentence } from "./blind-hearing";
import { PLAN_WORDS } from "./blind-plan";
import { causeWords, criterionWords, explainSentence, heardSentence } from "./explain";
import { STEP_TITLES, stepWords } from "./explain-steps";
import * as explainViews from "./explain-views";
import { FIGURES } from "./figures";
import { CONTRADICTION, EVIDENCE, FORM_WORDS, NEXT_RUN } from "./findings";
import { familySentences } from "./findings-families";
import { claimsSummary } from "./findings-scores";
import { deliverySentence, differenceSentence, loudestSentence, loudnessDifference, matchWords } from "./level";
import { MISSING } from "./missing";
import { methodSentences } from "./report";

/** Every sentence of a room keeps the rules; the list of faults says which does not. */
function expectPlain(texts: readonly (string | null)[]): void {
  const said = texts.flatMap((text) => text ?? []);
  expect(said.length).toBeGreaterThan(0);
  expect(said.flatMap((text) => wordFaults(text).map((fault) => `${fault} in: ${text}`))).toEqual([]);
}

const both = <T>(make: (value: boolean) => T): T[] => [make(true), make(false)];

describe("every sentence that the rooms can make", () => {
  it("of alignment", () => {
    const doubts: Doubt[] = [
      { kind: "steady tone", everyMs: 2.27 },
      { kind: "other place", laterMs: -12.5 },
      { kind: "other place", laterMs: 12.5 },
      { kind: "jump", fromSeconds: 1.25, toSeconds: 1.5, samples: -441 },
      { kind: "jump", fromSeconds: 1.25, toSeconds: 1.5, samples: 0.5 },
      { kind: "few parts agree", share: 0.6 },
      { kind: "short overlap", share: 0.2 },
      { kind: "channel delay", rightLateSamples: 3 },
      { kind: "channel delay", rightLateSamples: -1.5 },
      { kind: "little coherent", share: 0.4 },
      { kind: "little sound" },
      { kind: "polarity unknown" },
      { kind: "channel order unknown" },
      { kind: "delay error", ms: 0.31 },
    ];
    const reasons: NotAligned[] = [
      { kind: "unlike" },
      { kind: "dry silent" },
      { kind: "render silent" },
      { kind: "no single delay" },
      { kind: "other speed", percent: -0.35 },
      { kind: "other speed", percent: 0.35 },
    ];
    const found = (change: Partial<typeof IN_STEP>): Alignment => ({ ...IN_STEP, ...change });
    const alignments: (Alignment | undefined)[] = [
      undefined,
      ...reasons.map((reason): Alignment => ({ found: false, reason, confidence: 0 })),
      ...doubts.map((doubt) => found({ doubts: [doubt], delaySamples: 64.25 })),
      found({ driftPpm: -3.1, swapped: true }),
      found({ polarity: { left: -1, right: 1 } }),
      found({ polarity: { left: -1, right: -1 } }),
    ];
    expectPlain([
      ...alignments.flatMap((a) => Object.values(alignmentWords(a))),
      ...doubts.map((doubt) => doubtsWords([doubt])),
      alignmentSummary(8, 0, 0, 0, 0),
      alignmentSummary(8, 3, 1, 2, 1),
    ]);
  });

  it("of figures that are asked about, and of missing ones", () => {
    expectPlain([...Object.values(FIGURES).flatMap((figure) => Object.values(figure)), ...Object.values(MISSING)]);
  });

  it("of level", () => {
    const passage = (to: "dry" | "quietest" | "figure", over: "loop" | "passage") =>
      ({
        match: { method: "integrated", over, target: { to, level: -23 }, ceilingDbtp: -1 },
        loop: { startFrame: 0, endFrame: 48_000 },
      }) as unknown as Passage;
    const matches = MATCH_METHODS.flatMap((method) =>
      (["dry", "quietest", "figure"] as const).flatMap((to) =>
        (["loop", "passage"] as const).map((over) =>
          matchWords({ method, targetLevel: -23, trimDb: -2.34, renders: new Map() }, passage(to, over)),
        ),
      ),
    );
    expectPlain([
      ...matches,
      loudestSentence("Bus", 1.8, "LU"),
      loudestSentence("Bus", -0.3, "dB"),
      deliverySentence(0, 8, 0),
      deliverySentence(3, 8, -4.2),
      loudnessDifference(-1.25, 0.75),
      loudnessDifference(null, 0),
      differenceSentence(true, 20),
      differenceSentence(false, 12.5),
      CHECK_WORDS.level.wait,
      CHECK_WORDS.level.silent(["Bus", "Drive"]),
      CHECK_WORDS.level.unequal("Bus", "Dry", 0.314, "LU", 0.1),
      CHECK_WORDS.level.fine(0.02, "LU"),
      CHECK_WORDS.alignment.wait,
      CHECK_WORDS.alignment.lost(["Bus"]),
      CHECK_WORDS.alignment.doubted("Bus", [{ kind: "little coherent", share: 0.4 }]),
      CHECK_WORDS.alignment.fine,
      CHECK_WORDS.coverage.wait,
      CHECK_WORDS.coverage.lacking(["Bus"]),
      CHECK_WORDS.coverage.fine,
      CHECK_WORDS.length.short(0.3),
      CHECK_WORDS.length.fine,
      CHECK_WORDS.clipping.wait,
      CHECK_WORDS.clipping.clips(["Bus"]),
      CHECK_WORDS.clipping.fine,
      CHECK_WORDS.notChecked,
    ]);
  });

  it("of Explain", () => {
    const ladder = (causes: typeof EACH_CAUSE, more: object = {}) =>
      ({
        steps: [{ step: "left", residualDb: -71.2, kinds: [] }],
        judged: { seconds: 8, stretches: 5 },
        found: null,
        curve: [],
        problem: null,
        identity: { is: "different", judgedShare: 0.77 },
        exceptions: [],
        causes,
        alternatives: [],
        isPartial: false,
        ...more,
      }) as unknown as Parameters<typeof explainSentence>[0];
    const identities = ["different", "same", "same to 24 bits", "same to 16 bits"].flatMap((is) =>
      [1, 0.77].map((judgedShare) => ladder([], { identity: { is, judgedShare } })),
    );
    expectPlain([
      ...EACH_CAUSE.map(causeWords),
      ...EACH_CAUSE.flatMap((cause) => [
        explainSentence(ladder([cause])),
        explainSentence(ladder([cause], { isPartial: true })),
      ]),
      ...identities.map(explainSentence),
      ...(["change", "added", "between channels"] as const).map(criterionWords),
      ...[0.01, 0.4, 0.9].map((probability) =>
        heardSentence({ highest: probability, moments: [] } as unknown as Parameters<typeof heardSentence>[0], []),
      ),
      ...Object.values(STEP_TITLES),
      stepWords({ step: "time", residualDb: -12, delaySamples: 12.25, polarity: -1, driftPpm: 3.4 } as never, null),
      stepWords({ step: "level", residualDb: -12, gainDb: -2.71, nullGainDb: -1.5 } as never, null),
      stepWords({ step: "tone", residualDb: -40, taps: 4095, isCrossed: true } as never, -12),
      stepWords(
        {
          step: "levelOverTime",
          residualDb: -40,
          rangeDb: 5.21,
          edgesHz: [200, 3000],
          bands: 3,
          isLinked: false,
          bell: null,
        } as never,
        -12,
      ),
      ...[true, false, null].map((folds) =>
        stepWords({ step: "bend", residualDb: -60, evenDb: -60.2, oddDb: -31.4, folds, foldsByDb: 2.1 } as never, -40),
      ),
      ...(
        ["rounding", "dither", "noise", "hum", "line", "clicks", "harmonic", "outlasting", "inharmonic"] as const
      ).map((kind) =>
        stepWords(
          {
            step: "left",
            residualDb: -60,
            kinds: [{ kind, bits: 16, hertz: kind === "hum" ? 50.2 : null, shareDb: -60 }],
          } as never,
          -40,
        ),
      ),
      explainViews.gainSentence([
        { title: "Here re dry", values: [0, -4, 2] },
        { title: "Yonder re dry", values: [0] },
        { title: "Here", values: [Number.NaN] },
      ]),
      explainViews.shapeSentence([
        { nearPeak: 0.00002, longestRun: 17, runs: 31, crestDb: 14.2 } as never,
        { nearPeak: 0.2, longestRun: 0, runs: 0, crestDb: 9.1 } as never,
      ]),
      explainViews.rotationSentence([
        { degrees: [0, 45], peakDbfs: [-3, -4.2], beforeDb: [-30, -24], onsets: 4 } as never,
        { degrees: [0, 45], peakDbfs: [-3, -2], beforeDb: [-30, -24], onsets: 4 } as never,
      ]),
      explainViews.transientSentence({ beforeDb: -40, halfMs: 5 } as never, { beforeDb: -28.5, halfMs: 6.5 } as never),
      explainViews.transientSentence({ beforeDb: null, halfMs: 5 } as never, { beforeDb: -28.5, halfMs: 5 } as never),
      ...(["none", "minimum", "linear", "all-pass", "mixed", "unknown"] as const).flatMap((kind) =>
        both((isFitted) =>
          explainViews.phaseSentence({ kind, crossoversHz: [198.6, 2513], delaySamples: 64.25 } as never, isFitted),
        ),
      ),
      explainViews.stereoSentence({ hertz: [100], here: { widthDb: [-3] }, yonder: { widthDb: [-5.5] } } as never),
      explainViews.stereoSentence({
        hertz: [100],
        here: { widthDb: [Number.NaN] },
        yonder: { widthDb: [-5.5] },
      } as never),
    ]);
  });

  it("of Bench", () => {
    const chains: [string, object][] = [
      ["gain", { gainDb: -3 }],
      ["matched-equalizer", { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] }],
      ["feed-forward-compressor", { thresholdDb: -30, ratio: 4 }],
      ["drive-stage", { driveDb: 12 }],
      ["hard-ceiling", { ceilingDbfs: -12 }],
    ];
    const reports = chains.map(([processorKey, settings]) =>
      benchChain([{ processorKey, settings } as never], SMALL_FORM),
    );
    const [plain, eq, comp] = reports;
    const withheld = REASONS.flatMap((reason) => WITHHELD_FIGURES.map((figure) => ({ figure, reason, channel: null })));
    const differences: BenchDifference[] = [
      { sizeDb: 1, what: "gainOverLevel", levelDbfs: -1, quietDbfs: -28, gainsDb: [-2.5, 0] },
      { sizeDb: 1, what: "response", hertz: 1234, db: -2.5 },
      { sizeDb: 1, what: "harmonics", levelDbfs: -12, thdPercent: [0.0123, null] },
      { sizeDb: 1, what: "latency", milliseconds: 1.25 },
    ];
    expectPlain([
      ...reports.flatMap(benchSentences),
      ...KINDS.map((name) => kindBeside(name, -30)),
      ...KINDS.flatMap((name) => benchSentences({ ...comp, kind: { ...comp.kind, name } })),
      ...withheld.map((one) => withheldSentence({ ...plain, withheld: [one] })),
      ...INTEGRITY_KINDS.map((what) =>
        integrityWords({
          what,
          atSeconds: 1.2,
          withinSeconds: 0.4,
          hertz: 50.2,
          levelDbfs: -60.5,
          samples: 17,
          percent: 0.123,
          channel: "left",
        }),
      ),
      ...differences.map((difference) => benchDifferenceWords(difference, ["Bus", "Drive"])),
      pitchWords(5000),
      ...[Number.NEGATIVE_INFINITY, -63.2, -11.8, 0].map(levelCheckWords),
      ...[null, 0, 9.3].flatMap((reductionDb) =>
        both((isKnown) =>
          sidechainSentence(
            reductionDb === null
              ? null
              : {
                  programmeDbfs: -12,
                  levels: [],
                  frequencies: [
                    { hertz: 60, gainDb: -1 },
                    { hertz: 1000, gainDb: isKnown ? -1 : -9 },
                  ],
                  reductionDb,
                  thresholdDbfs: isKnown ? -24 : null,
                  ratio: isKnown ? 4 : null,
                  attackMs: isKnown ? 5 : null,
                  releaseMs: isKnown ? 120 : null,
                },
          ),
        ),
      ),
      ...reports.flatMap((report) => [
        views.magnitudeWords(report),
        views.phaseWords(report),
        views.latencyWords(report),
        views.levelsWords(report),
        views.sidesWords(report),
        views.staticCurveWords(report),
        views.timesWords(report),
        views.besideWords(report),
        views.sidechainWords(report),
        views.harmonicsWords(report),
        views.aliasingWords(report),
        views.responseDifferenceWords(plain, report),
      ]),
      ...[0.05, 0.3].flatMap((leftDb) => [
        views.settingsWords({ leftDb, mostLeftDb: 0.71, mostLeftHertz: 8123, noiseDb: 0.1 } as never),
        views.gainSettingsWords({ leftDb, mostLeftDb: 0.71, mostLeftSeconds: 3.25, movesDb: 2.2 } as never, "Verse"),
      ]),
      ...benchSentences({ ...eq, withheld }),
    ]);
  });

  it("of Blind", () => {
    const plan = planRightOrWrong({ kind: "abx", trials: 16 });
    const series = planRightOrWrong({ kind: "abx", trials: 8, series: { id: "s", runs: 2, run: 1 } });
    const score = (outcome: "heard" | "not shown" | "left early" | "part", missed = 0) => ({
      kind: "right or wrong" as const,
      outcome,
      answered: 16,
      right: 13,
      missed,
      guessing: 0.0106,
      abilityLow: 0.58,
      abilityHigh: 0.934,
      dPrime: 1.8,
    });
    const flaws: Flaw[] = [
      { name: "level", remaining: 1.4, unit: "LU" },
      { name: "level", remaining: null, unit: "dB" },
      { name: "alignment", remaining: null, unit: "LU" },
      { name: "clipping", remaining: null, unit: "LU" },
    ];
    const pair = (a: number, b: number, ahead: "a" | "b" | null) => ({ a, b, p: 0.012, corrected: 0.036, ahead });
    const tally = (picks: number[], p: number, ahead: "a" | null = null): Tally =>
      ({
        rounds: 12,
        picks,
        ties: 1,
        chance: { p, error: 0.0002 },
        pairs: [pair(0, 1, ahead), pair(0, 2, ahead), pair(1, 2, null)],
        worths: null,
      }) as Tally;
    const grading = (rounds: number, ahead: "a" | null): Grading =>
      ({
        rounds,
        listeners: 1,
        figures: [80, 60.5, 60.5].map((mean) => ({ mean, median: mean, low: mean - 2, high: mean + 2 })),
        friedman: rounds > 1 ? { p: 0.004, error: 0.0001, statistic: 8, agreement: 0.83 } : null,
        pairs: [pair(0, 1, ahead), pair(0, 2, null), pair(1, 2, null)],
        repeatability: rounds > 1 ? 4.2 : null,
      }) as Grading;
    const names = ["Bus", "Drive", "Limit"];
    const texts = [
      runVerdict(plan, score("heard", 2), names),
      runVerdict(plan, score("not shown"), names),
      runVerdict(plan, score("left early"), names),
      runVerdict(series, score("part"), names),
      ...flaws.map((flaw) => runVerdict(plan, score("heard"), names, [flaw])),
      seriesVerdict(series, [score("part"), score("part")]),
      ...[
        tally([8, 2, 2], 0.01, "a"),
        tally([8, 2, 2], 0.01),
        tally([5, 4, 3], 0.7),
        tally([6, 6, 0], 0.01),
        tally([4, 4, 4], 1),
        tally([0, 0, 0], 1),
      ].flatMap((t) => [tallyVerdict({ kind: "favourite" }, t, names), tallyVerdict({ kind: "pairs" }, t, names)]),
      gradingVerdict(null, names),
      gradingVerdict(grading(1, null), names),
      gradingVerdict(grading(8, "a"), names, flaws.slice(0, 1)),
      ...both((someoneHears) =>
        pooledVerdict({
          rows: [
            { code: "L1", hears: someoneHears },
            { code: "L2", hears: false },
          ],
          right: 24,
          trials: 32,
          p: 0.0035,
          corrected: 0.01,
          someoneHears,
        } as never),
      ),
      pooledVerdict({
        rows: [{ code: "L1", hears: false }],
        right: 9,
        trials: 16,
        p: 0.4,
        corrected: 0.4,
        someoneHears: false,
      } as never),
    ];
    expectPlain([
      ...texts.flatMap(({ headline, detail }) => [headline, detail]),
      repetitionSentence(testsOf([plan, plan, plan])),
      screeningSentence({ under: 3, over: 1, rounds: 8, told: true } as never),
      aboveHearingSentence([{ hertz: 15_000, share: 0.97 }], {
        code: "L1",
        equipment: "",
        room: "",
        highestHz: 14_000,
        unheardHz: 15_000,
      }),
      hearingSentence({ known: false } as never),
      hearingSentence({ known: true, highestHz: null, nextHz: 8000 } as never),
      hearingSentence({ known: true, highestHz: 14_000, nextHz: 15_000 } as never),
      hearingSentence({ known: true, highestHz: 20_000, nextHz: null } as never),
      PLAN_WORDS.passMark(12, 16),
      PLAN_WORDS.guessing(0.0384),
      PLAN_WORDS.series(2),
      PLAN_WORDS.tooFewTrials(5, 100),
      PLAN_WORDS.pairings(12, 4, 2),
      PLAN_WORDS.noFavourite(1, 4),
      PLAN_WORDS.picks(5, 5),
      PLAN_WORDS.picksChance,
      PLAN_WORDS.separation(9, 6, 4),
      PLAN_WORDS.gradingRounds(6, 4, 6),
      PLAN_WORDS.oneRound,
      ...both((isEnough) => PLAN_WORDS.repeatability(4, isEnough)),
      PLAN_WORDS.beyond(100),
      PLAN_WORDS.rounds(1),
    ]);
  });

  it("of Findings", async () => {
    const flaws: Flaw[] = [{ name: "level", remaining: 1.4, unit: "LU" }];
    const names = ["Bus", "Drive"];
    const identities = ["bit", "24-bit", "16-bit"] as const;
    const runs = [await abxBetween(["Dry", "Bus"], 16, 14, { id: "1" })];
    const book = bookOf({ runs, sighted: [sightedFor("Voice", "Drive")] });
    expectPlain([
      ...Object.values(FORM_WORDS),
      ...familySentences(bookOf()).map(({ says }) => says),
      ...familySentences(book).map(({ says }) => says),
      claimsSummary(book),
      EVIDENCE.difference("Dry"),
      EVIDENCE.noDifference("Dry"),
      EVIDENCE.flawedDifference("Dry", flaws),
      EVIDENCE.open(names),
      EVIDENCE.ahead(names),
      EVIDENCE.behind("Bus"),
      EVIDENCE.flawed("ahead of Bus", flaws),
      EVIDENCE.most(names),
      EVIDENCE.otherMost("Bus"),
      EVIDENCE.noPreference(names),
      EVIDENCE.lessLiked("Bus"),
      EVIDENCE.sure(75),
      CONTRADICTION.sightedNoDifference(CONTRADICTION.sighted("Bus", 70), "Dry", "9 of 16 correct"),
      CONTRADICTION.sightedBehind(CONTRADICTION.sighted("Bus", 70), "Limit", "11 of 12 rounds"),
      CONTRADICTION.louder("Bus", 1.2, "LU"),
      CONTRADICTION.overruledDifference(names, flaws),
      CONTRADICTION.overruledPreference("Bus", flaws),
      ...identities.flatMap((is) => [
        CONTRADICTION.identicalHeard(names, is, 3, "13 of 16 correct"),
        NEXT_RUN.identical(names, "Chime", is),
      ]),
      CONTRADICTION.aboveHeard("97 % of the difference lies above 15 kHz."),
      CONTRADICTION.aboveUnheard("97 % of the difference lies above 15 kHz."),
      CONTRADICTION.passages("Bus", "Chime", "11 of 12 rounds", "Limit", "10 of 12 rounds"),
      CONTRADICTION.runs(names),
      CONTRADICTION.verdictBehind("Bus", "Limit", "11 of 12 rounds"),
      CONTRADICTION.verdictNoDifference(names, "9 of 16 correct"),
      NEXT_RUN.neverBlind,
      NEXT_RUN.finish,
      NEXT_RUN.pairsCheapest,
      NEXT_RUN.checksPassed,
      NEXT_RUN.power(18, 0.8),
      NEXT_RUN.pairsDecide,
      NEXT_RUN.differenceFirst,
      NEXT_RUN.firstChoice("Bus", "Chime"),
      NEXT_RUN.sighted("Bus", "Chime", "Dry"),
      NEXT_RUN.leftEarly(names, "Chime"),
      NEXT_RUN.whichPreferred(names, "Chime"),
      NEXT_RUN.flawed(names, "Chime", flaws),
      NEXT_RUN.inDoubt(names, "Chime", "12 of 16 and 8 of 16 correct"),
      NEXT_RUN.hardlyHeard(names, "Chime"),
      NEXT_RUN.notShown(names, "Chime", 0.8, 0.99),
      NEXT_RUN.weakRun(names, "Chime", 0.8, 0.4),
      NEXT_RUN.most("Bus", "Drive", "Chime"),
      NEXT_RUN.noPreference("Bus", "Drive", "Chime"),
      ...both((isBlind) => methodSentences(["integrated"], isBlind)).flat(),
    ]);
  });
});
