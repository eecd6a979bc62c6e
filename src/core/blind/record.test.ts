import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { abxListener, abxPlan, favouritePlan, finishedRun, ratingPlan, stimulus } from "../testing/runs";
import { canonicalJson } from "./canonical";
import { stampOf } from "./digest";
import { type Manifest, namelessStimulus, PACK_SCHEMA, type SentPack, stampText, takenResult } from "./pack";
import { pooledGrading, pooledScore, pooledTally } from "./pooled";
import { checkRecord, faultOf, recordOf, recordSchema, sealHolds } from "./record";
import { type Run, sealText } from "./run";
import { pooledVerdict } from "./verdict";

const two = [stimulus("Dry"), stimulus("Bus")];
const run = () => finishedRun(abxPlan(10), two, abxListener(0.8, seededRandom(4)), { random: seededRandom(5) });

/** What a hand with a text editor does to a record, the digest made to fit again where it is clever. */
async function forged(change: (run: Run) => void, clever: boolean) {
  const record = recordSchema.parse(JSON.parse(JSON.stringify(await recordOf(await run()))));
  change(record.run);
  return checkRecord(clever ? await recordOf(record.run) : record);
}

describe("a record", () => {
  it("holds as it was written, through JSON and back", async () => {
    const text = JSON.stringify(await recordOf(await run()));
    const checked = await checkRecord(recordSchema.parse(JSON.parse(text)));
    expect(checked.checks.map((c) => [c.name, c.holds])).toEqual([
      ["content", true],
      ["seal", true],
      ["order", true],
      ["answers", true],
      ["times", true],
      ["result", true],
    ]);
    expect(checked.holds).toBe(true);
    expect(faultOf(checked)).toBeNull();
  });

  it("one of ratings and one of favourites hold too", async () => {
    const three = [...two, stimulus("Clip")];
    const grades = await finishedRun(
      ratingPlan(3),
      three,
      (seats) => ({ grades: seats.map((s) => 30 * s + 5), words: seats.map(() => ["woolly"]) }),
      { random: seededRandom(8) },
    );
    const picks = await finishedRun(favouritePlan(5), three, () => ({ picked: [0] }), { random: seededRandom(9) });
    for (const some of [grades, picks]) expect((await checkRecord(await recordOf(some))).holds).toBe(true);
  });

  it("an open run is held to what can be told of it", async () => {
    const open = { ...(await run()), opened: null, result: null, finishedAt: null };
    const checked = await checkRecord(await recordOf(open));
    expect(checked.holds).toBe(true);
    expect(checked.checks.filter((c) => c.holds === null).map((c) => c.name)).toEqual(["seal", "order", "result"]);
    expect(await sealHolds(open)).toBeNull();
  });

  it.each([
    ["an answer changed", (r: Run) => r.trials.map((t) => Object.assign(t, { answer: { side: "A" } })), "content"],
    ["a title changed", (r: Run) => Object.assign(r, { passageTitle: "Another" }), "content"],
  ] as const)("%s by hand is found out", async (_, change, name) => {
    const checked = await forged(change, false);
    expect(checked.holds).toBe(false);
    expect(checked.checks.find((c) => c.holds === false)?.name).toBe(name);
  });

  it.each([
    ["the order", (r: Run) => r.opened?.order.map((seats) => seats.splice(1, 1, 0)), "seal"],
    ["the plan", (r: Run) => Object.assign(r.plan, { rightNeeded: 5 }), "seal"],
    ["the region", (r: Run) => Object.assign(r.region, { startFrame: 0 }), "seal"],
    ["a gain", (r: Run) => Object.assign(r.stimuli[0], { gainDb: 3 }), "seal"],
    ["the nonce", (r: Run) => Object.assign(r.opened ?? {}, { saltHex: "00" }), "seal"],
    ["an answer too many", (r: Run) => r.trials.push(r.trials[0]), "answers"],
    [
      "an answer the plan does not have",
      (r: Run) => Object.assign(r.trials[2], { answer: { picked: [1] } }),
      "answers",
    ],
    [
      "a time before the sealing",
      (r: Run) => Object.assign(r.trials[0], { answeredAt: "2020-01-01T00:00:00.000Z" }),
      "times",
    ],
    ["the score", (r: Run) => Object.assign(r.result ?? {}, { right: 10 }), "result"],
  ] as const)("%s changed with a digest that fits again is found out", async (_, change, name) => {
    const checked = await forged(change as (run: Run) => void, true);
    expect(checked.checks.find((c) => c.name === "content")?.holds).toBe(true);
    expect(checked.checks.filter((c) => c.holds === false).map((c) => c.name)).toContain(name);
  });

  it("the seal is SHA-256 of a text anyone can write down; the earliest form seals X alone", async () => {
    const fixed = await run();
    expect(sealText(fixed, "00ff", [[0, 1, 1]])).toMatch(/^yonder-pair\/seal@2\n00ff\n\{"order":\[\[0,1,1\]\],"plan":/);
    const early = { ...fixed, sealForm: 1 as const, id: "run" };
    const order = ["A", "B", "B", "A"].map((x) => [0, x === "A" ? 0 : 1, 1]);
    expect(sealText(early, "00ff", order)).toBe("yonder-pair/seal@1\nrun\n00ff\nABBA");
  });

  it("canonical JSON does not hang on the order of keys", () => {
    expect(canonicalJson({ b: [1, { d: null, c: "é" }], a: undefined })).toBe('{"b":[1,{"c":"é","d":null}]}');
    expect(canonicalJson({ y: 1, x: 2 })).toBe(canonicalJson({ x: 2, y: 1 }));
  });
});

/** A pack sent out, and what listeners of given abilities make of it. */
async function packed(packId: string) {
  const plan = abxPlan(16);
  const audio = ["0a1b2c3d", "4e5f6071"].map((name) => ({ name, audioHash: `content ${name}` }));
  const manifest: Manifest = {
    schema: PACK_SCHEMA,
    packId,
    title: "Bus or not",
    madeAt: "2026-11-26T12:00:00.000Z",
    plan,
    sampleRateHz: 48_000,
    frames: 96_000,
    stimuli: audio,
    reference: null,
    above: null,
    stampKey: "00112233445566778899",
  };
  const pack: SentPack = { manifest, key: { stimuli: [stimulus("Bus"), stimulus("Dry")], reference: null } };
  const taken = async (ability: number, seed: number, code: string) => {
    const own = await finishedRun(plan, audio.map(namelessStimulus), abxListener(ability, seededRandom(seed)), {
      random: seededRandom(seed + 100),
      id: `run ${seed}`,
      code,
      packId,
    });
    return recordOf(own, await stampOf(stampText(own), manifest.stampKey));
  };
  return { pack, taken };
}

describe("a result of a listening pack", () => {
  it("comes back under the names that stayed here, its seal still holding", async () => {
    const { pack, taken } = await packed("pack-1");
    const text = JSON.stringify(await taken(0.9, 1, "L1"));
    expect(text).not.toContain("Bus");
    const result = await takenResult("l1.json", text, [pack], new Set());
    if (!result.ok) throw new Error(result.reason);
    expect(result.value.run.stimuli.map((s) => s.title)).toEqual(["Bus", "Dry"]);
    expect(await sealHolds(result.value.run)).toBe(true);
  });

  it("is refused in words when it is no record, changed, of another pack, unfinished, or here already", async () => {
    const { pack, taken } = await packed("pack-1");
    const { taken: elsewhere } = await packed("pack-2");
    const good = await taken(0.9, 1, "L1");
    const reasonFor = async (text: string, known: string[] = []) => {
      const result = await takenResult("l1.json", text, [pack], new Set(known));
      return result.ok ? "taken" : result.reason;
    };
    expect(await reasonFor("{")).toContain("not JSON");
    expect(await reasonFor('{"schema":"else"}')).toContain("no record of a run");
    const edited = structuredClone(good);
    for (const trial of edited.run.trials) trial.answer = { side: "A" };
    expect(await reasonFor(JSON.stringify(edited))).toContain("changed after it was written");
    // With a digest that fits again it still lacks the stamp.
    const clever = { ...(await recordOf({ ...good.run, listener: null })), stamp: good.stamp };
    expect(await reasonFor(JSON.stringify(clever))).toContain("its stamp does not fit");
    expect(await reasonFor(JSON.stringify(await elsewhere(0.9, 2, "L2")))).toContain("a pack that was not made here");
    const open = await recordOf({ ...good.run, finishedAt: null, opened: null, result: null });
    expect(await reasonFor(JSON.stringify(open))).toContain("not finished");
    expect(await reasonFor(JSON.stringify(good), [good.run.id])).toContain("is here already");
    expect(await reasonFor(JSON.stringify(good))).toBe("taken");
  });

  it("nine listeners, three of whom hear it: all together say that someone does, corrected rows say who", async () => {
    const { taken } = await packed("pack-1");
    const runs = await Promise.all(
      Array.from({ length: 9 }, async (_, i) => (await taken(i < 3 ? 0.95 : 0.5, 40 + i, `L${i + 1}`)).run),
    );
    const pooled = pooledScore(runs);
    expect(pooled.trials).toBe(144);
    expect(pooled.someoneHears).toBe(true);
    expect(pooled.rows.filter((r) => r.hears).map((r) => r.code)).toEqual(["L1", "L2", "L3"]);
    const { headline, detail } = pooledVerdict(pooled);
    expect(headline).toBe("A difference was shown.");
    expect(detail).toContain("By themselves, corrected alike: L1, L2 and L3");
    const deaf = pooledScore(runs.slice(3));
    expect(pooledVerdict(deaf).headline).toBe("No difference was shown.");
  });

  it("guessers make a headline in no more than 5 % of packs, whatever it names", async () => {
    const random = seededRandom(20_261_202);
    const cases = 400;
    let claimed = 0;
    for (let i = 0; i < cases; i++) {
      const runs = await Promise.all(
        ["L1", "L2", "L3", "L4", "L5"].map((code) =>
          finishedRun(abxPlan(16), two, abxListener(0.5, random), { random, code }),
        ),
      );
      if (pooledVerdict(pooledScore(runs)).headline !== "No difference was shown.") claimed++;
    }
    // 3.09 standard errors over 5 %.
    expect(claimed / cases).toBeLessThan(0.05 + 3.09 * Math.sqrt((0.05 * 0.95) / cases));
  });

  it("a trial that was not taken counts as not right: leaving does not help", async () => {
    const plan = abxPlan(16);
    const left = await finishedRun(plan, two, abxListener(1, seededRandom(1)), {
      random: seededRandom(2),
      code: "L1",
      taken: 5,
    });
    expect(pooledScore([left]).rows[0]).toMatchObject({ right: 5, trials: 16, hears: false });
  });

  it("favourites and grades of several are pooled, one code's runs together", async () => {
    const three = [...two, stimulus("Clip", "reference")];
    const picks = await Promise.all(
      [1, 2, 3].map((seed) =>
        finishedRun(favouritePlan(4), three, (seats) => ({ picked: [seats.indexOf(1)] }), {
          random: seededRandom(seed),
          code: `L${seed}`,
        }),
      ),
    );
    expect(pooledTally(picks)).toMatchObject({ rounds: 12, picks: [0, 12, 0] });
    expect(pooledTally([])).toBeNull();
    const grades = await Promise.all(
      ["L1", "L2", "L1"].map((code, i) =>
        finishedRun(
          ratingPlan(4),
          three,
          (seats) => ({
            grades: seats.map((s) => (s === 2 ? (code === "L2" ? 60 : 100) : 20 * s + i)),
            words: seats.map(() => []),
          }),
          { random: seededRandom(i + 1), code },
        ),
      ),
    );
    const { grading, screened } = pooledGrading(grades);
    expect(grading).toMatchObject({ rounds: 12, listeners: 2 });
    expect(screened.map((s) => s.code)).toEqual(["L2"]);
  });
});
