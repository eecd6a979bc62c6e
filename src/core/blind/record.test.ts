import { createPublicKey, verify } from "node:crypto";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { abxListener, abxPlan, favouritePlan, finishedRun, ratingPlan, signed, stimulus } from "../testing/runs";
import { pooledVerdict } from "../words/blind";
import { canonicalJson } from "./canonical";
import { commitmentIn, commitmentText } from "./commitment";
import { stampOf } from "./digest";
import { flawsOf } from "./flaws";
import {
  arrivedManifest,
  audioIn,
  type Manifest,
  namelessStimulus,
  PACK_SCHEMA,
  packFileSchema,
  type SentPack,
  stampText,
  takenResult,
  withoutNames,
  withoutSigns,
  writtenManifest,
} from "./pack";
import { pooledGrading, pooledScore, pooledTally } from "./pooled";
import { checkRecord, faultOf, recordOf, recordSchema, sealHolds } from "./record";
import { scoreRun } from "./result";
import { chainOf, type Run, rolesOf, sealText } from "./run";
import { signatureHolds, signedBytes } from "./signature";

function swapTitles({ stimuli: [one, other] }: Run): void {
  [one.title, other.title] = [other.title, one.title];
}

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
      ["signature", null],
      ["commitment", null],
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
    expect(checked.checks.filter((c) => c.holds === null).map((c) => c.name)).toEqual([
      "seal",
      "signature",
      "commitment",
      "order",
      "result",
    ]);
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
    ["titles", (r: Run) => swapTitles(r), "seal"],
    ["a passage's title", (r: Run) => Object.assign(r, { passageTitle: "Another" }), "seal"],
    ["the level that remained", (r: Run) => Object.assign(r.match, { remainingLu: 0 }), "seal"],
    ["a file", (r: Run) => Object.assign(r.stimuli[0], { audioHash: "another" }), "seal"],
  ] as const)("%s changed with a digest that fits again is found out", async (_, change, name) => {
    const checked = await forged(change as (run: Run) => void, true);
    expect(checked.checks.find((c) => c.name === "content")?.holds).toBe(true);
    expect(checked.checks.filter((c) => c.holds === false).map((c) => c.name)).toContain(name);
  });

  it("the seal is SHA-256 of a text anyone can write down; the earliest form seals X alone", async () => {
    const fixed = await run();
    expect(sealText(fixed, "00ff", [[0, 1, 1]])).toMatch(/^yonder-pair\/seal@3\n00ff\n\{"match":/);
    const early = { ...fixed, sealForm: 1 as const, id: "run" };
    const order = ["A", "B", "B", "A"].map((x) => [0, x === "A" ? 0 : 1, 1]);
    expect(sealText(early, "00ff", order)).toBe("yonder-pair/seal@1\nrun\n00ff\nABBA");
    expect(sealText({ ...fixed, sealForm: 2 }, "00ff", [[0, 1, 1]])).toMatch(
      /^yonder-pair\/seal@2\n00ff\n\{"order":\[\[0,1,1\]\],"plan":/,
    );
  });

  it("canonical JSON does not hang on the order of keys", () => {
    expect(canonicalJson({ b: [1, { d: null, c: "é" }], a: undefined })).toBe('{"b":[1,{"c":"é","d":null}]}');
    expect(canonicalJson({ y: 1, x: 2 })).toBe(canonicalJson({ x: 2, y: 1 }));
  });
});

describe("what a record proves", () => {
  /** All answers turned right, the result worked out again, and every digest redone. */
  const allRight = (r: Run): Run => {
    const order = r.opened?.order ?? [];
    const trials = r.trials.map((t, i) => ({ ...t, answer: { side: order[i][1] === 0 ? "A" : "B" } as const }));
    return { ...r, trials, result: scoreRun(r.plan, rolesOf(r), order, trials) };
  };
  const checkOf = async (r: Run, name: string, seal: string | null = null) =>
    (await checkRecord(await recordOf(r), seal === null ? null : commitmentIn(seal))).checks.find(
      (c) => c.name === name,
    );

  it("unsigned: no more than that it fits itself, and it says so", async () => {
    const turned = await checkRecord(await recordOf(allRight(await run())));
    expect(turned.holds).toBe(true);
    expect(turned.checks.find((c) => c.name === "content")?.said).toContain("An editor could recompute the digest");
    expect(turned.checks.find((c) => c.name === "signature")?.said).toContain("Not signed");
  });

  it("signed: that titles, plan, audio and answers are what the device signed", async () => {
    const own = await signed(await run());
    expect((await checkRecord(await recordOf(own))).holds).toBe(true);
    const [one, other] = own.stimuli;
    const changes: Run[] = [
      allRight(own),
      { ...own, trained: { taken: 3, right: 3 } },
      { ...own, listener: { code: "L9", equipment: "", room: "", highestHz: null, unheardHz: null } },
      { ...own, trials: own.trials.map((t) => ({ ...t, listeningSeconds: 60 })) },
    ];
    for (const changed of changes) expect((await checkOf(changed, "signature"))?.holds).toBe(false);
    const swapped = {
      ...own,
      stimuli: [
        { ...one, title: other.title },
        { ...other, title: one.title },
      ],
    };
    expect((await checkOf(swapped, "seal"))?.holds).toBe(false);
    // Anyone can sign anew, with another key: then the device is another, and a commitment that named it tells.
    const again = await signed(allRight(own));
    expect((await checkOf(again, "signature"))?.holds).toBe(true);
    const text = await commitmentText(own, own.signature?.publicKeyHex ?? null);
    expect(await checkOf(own, "commitment", text)).toMatchObject({ holds: true });
    expect(await checkOf(again, "commitment", text)).toMatchObject({ holds: false });
    expect(await checkOf({ ...again, signature: undefined }, "commitment", text)).toMatchObject({ holds: false });
  });

  it("with a commitment: that its seal was there before, and no other run in its place", async () => {
    const own = await run();
    const text = await commitmentText(own, null);
    expect(commitmentIn(text)).toEqual({ sealDigest: own.sealDigest, device: null });
    expect(await checkOf(own, "commitment", own.sealDigest)).toMatchObject({ holds: true });
    const other = await finishedRun(abxPlan(10), two, abxListener(0.8, seededRandom(6)), { random: seededRandom(7) });
    expect(await checkOf(other, "commitment", text)).toMatchObject({ holds: false });
    expect(await checkOf(own, "commitment")).toMatchObject({ holds: null });
    expect(commitmentIn("seal: none")).toBeNull();
  });

  it("is signed as others verify it: Node's own ECDSA over P-256", async () => {
    const { signature, ...own } = await signed(await run());
    if (!signature) throw new Error("not signed");
    const point = Buffer.from(signature.publicKeyHex, "hex");
    const jwk = {
      kty: "EC",
      crv: "P-256",
      x: point.subarray(1, 33).toString("base64url"),
      y: point.subarray(33).toString("base64url"),
    };
    const verified = verify(
      "sha256",
      signedBytes(await chainOf(own)),
      { key: createPublicKey({ key: jwk, format: "jwk" }), dsaEncoding: "ieee-p1363" },
      Buffer.from(signature.valueHex, "hex"),
    );
    expect(verified).toBe(true);
    expect(await signatureHolds("another chain", signature)).toBe(false);
    expect(await signatureHolds(await chainOf(own), { ...signature, publicKeyHex: `04${"0".repeat(128)}` })).toBe(
      false,
    );
  });
});

/** A pack sent out, and what listeners of given abilities make of it. */
async function packed(packId: string, stampKey?: string) {
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
    stampKey,
  };
  const pack: SentPack = { manifest, key: { stimuli: [stimulus("Bus"), stimulus("Dry")], reference: null } };
  const taken = async (ability: number, seed: number, code: string) => {
    const own = await finishedRun(plan, audio.map(namelessStimulus), abxListener(ability, seededRandom(seed)), {
      random: seededRandom(seed + 100),
      id: `run ${seed}`,
      code,
      packId,
    });
    return stampKey ? recordOf(own, await stampOf(stampText(own), stampKey)) : recordOf(await signed(own));
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

  it("signed, is refused where an answer was changed, or its signature taken off", async () => {
    const { pack, taken } = await packed("pack-1");
    const good = await taken(0.9, 1, "L1");
    const reasonFor = async (run: Run) => {
      const result = await takenResult("l1.json", JSON.stringify(await recordOf(run)), [pack], new Set());
      return result.ok ? "taken" : result.reason;
    };
    expect(await reasonFor(good.run)).toBe("taken");
    expect(await reasonFor({ ...good.run, listener: null })).toContain("are not what device");
    expect(await reasonFor({ ...good.run, signature: undefined })).toContain("Not signed");
  });

  it("keeps what its maker overruled, in their words; its listener learns no names by it", async () => {
    const match = { over: "passage", method: "integrated", edgeLu: 2, remainingLu: -1.4 } as const;
    const overruled = [{ name: "level" as const, said: "Bus is still 1.40 LU louder here than Dry." }];
    expect(JSON.stringify([withoutNames(overruled), withoutSigns(match)])).not.toMatch(/Bus|Dry|-1\.4|"edgeLu":2/);
    const { pack, taken } = await packed("pack-1");
    const sent: SentPack = { ...pack, key: { ...pack.key, match, overruled } };
    const result = await takenResult("l1.json", JSON.stringify(await taken(1, 1, "L1")), [sent], new Set());
    if (!result.ok) throw new Error(result.reason);
    expect(result.value.run).toMatchObject({ match, overruled });
    expect(pooledVerdict(pooledScore([result.value.run]), flawsOf(result.value.run)).headline).toBe(
      "A difference was shown, at unequal level (1.40\u2009LU remaining).",
    );
  });

  it("goes out without the hash of any single file, and comes in only with the audio it was made with", async () => {
    const { pack } = await packed("pack-1");
    const reference = { name: "89abcdef", audioHash: pack.manifest.stimuli[1].audioHash };
    const manifest = { ...pack.manifest, reference };
    const written = await writtenManifest(manifest);
    for (const { audioHash } of audioIn(manifest)) expect(JSON.stringify(written)).not.toContain(audioHash);
    const file = packFileSchema.parse(JSON.parse(JSON.stringify(written)));
    const hashes = new Map(audioIn(manifest).map(({ name, audioHash }) => [name, audioHash]));
    expect(await arrivedManifest(file, hashes)).toEqual({ ...manifest, stampKey: undefined });
    expect(await arrivedManifest(file, new Map([...hashes, ["89abcdef", "another"]]))).toBeNull();
  });

  it("of the first version, is refused in words when it is no record, changed, of another pack, unfinished, or already added", async () => {
    const { pack, taken } = await packed("pack-1", "00112233445566778899");
    const { taken: elsewhere } = await packed("pack-2", "99887766554433221100");
    const good = await taken(0.9, 1, "L1");
    const reasonFor = async (text: string, known: string[] = []) => {
      const result = await takenResult("l1.json", text, [pack], new Set(known));
      return result.ok ? "taken" : result.reason;
    };
    expect(await reasonFor("{")).toContain("not JSON");
    expect(await reasonFor('{"schema":"else"}')).toContain("is not a run record");
    const edited = structuredClone(good);
    for (const trial of edited.run.trials) trial.answer = { side: "A" };
    expect(await reasonFor(JSON.stringify(edited))).toContain("changed after saving");
    // With a digest that fits again it still lacks the stamp.
    const clever = { ...(await recordOf({ ...good.run, listener: null })), stamp: good.stamp };
    expect(await reasonFor(JSON.stringify(clever))).toContain("its stamp does not match");
    expect(await reasonFor(JSON.stringify(await elsewhere(0.9, 2, "L2")))).toContain("a pack that was not made here");
    const open = await recordOf({ ...good.run, finishedAt: null, opened: null, result: null });
    expect(await reasonFor(JSON.stringify(open))).toContain("unfinished");
    expect(await reasonFor(JSON.stringify(good), [good.run.id])).toContain("is already added");
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
    expect(detail).toContain("Shown by single listeners, corrected: L1, L2 and L3");
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
