import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { type Plan, planRightOrWrong } from "@/core/blind/plan";
import { checkRecord, recordOf, sealHolds } from "@/core/blind/record";
import { runSchema } from "@/core/blind/run";
import { abxPlan, favouritePlan, stimulus } from "@/core/testing/runs";
import { scoreTask } from "@/workers/tasks/score";
import { database } from "./database";
import { learnDescriptors, ownDescriptors } from "./descriptors";
import { deviceKey } from "./device-key";
import { hearingOf, keepHearing, listenerFor, NO_LISTENER } from "./listeners";
import { writeNote } from "./notes";
import { importRecord, runFile } from "./run-records";
import {
  answerTrial,
  beginRun,
  hiddenSeats,
  keepResult,
  keepTraining,
  leaveRun,
  type RunDraft,
  runsUpTo,
  seriesOf,
  trainingSeats,
} from "./runs";
import { filled } from "./testing";
import { deleteComparison } from "./whole";

const broken = vi.hoisted(() => ({ score: false }));
vi.mock("@/workers/jobs", () => ({
  JobCancelled: class extends Error {},
  runJob: async (name: string, request: never) => {
    if (name !== "score") throw new Error(`asked for ${name}`);
    if (broken.score) throw new Error("the worker is gone");
    return scoreTask.run(request, undefined as never);
  },
}));

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
});

const draft = (change: Partial<RunDraft> = {}): RunDraft => ({
  comparisonId: "comparison",
  passageId: "passage",
  passageTitle: "Verse",
  dryRenderId: "dry",
  stimuli: [stimulus("Dry"), stimulus("Bus")],
  reference: null,
  region: { startFrame: 0, endFrame: 48_000 },
  sampleRateHz: 48_000,
  plan: abxPlan(5),
  match: { over: "passage", method: "integrated", edgeLu: 3, remainingLu: 0 },
  overruled: [],
  listener: null,
  above: null,
  packId: null,
  ...change,
});
const begun = (plan: Plan = abxPlan(5), change: Partial<RunDraft> = {}) => beginRun(draft({ plan, ...change }));
const theRun = async (id: string) => runSchema.parse(await database.runs.get(id));

/** Answers the rest of an ABX run, right in the first `right` trials. */
async function take(id: string, right: number): Promise<void> {
  const { plan } = await theRun(id);
  if (plan.kind !== "abx") throw new Error("no ABX");
  for (let trial = 0; trial < plan.trials; trial++) {
    const isA = (await hiddenSeats(id, trial))[1] === 0;
    await answerTrial(id, trial, { side: isA === trial < right ? "A" : "B" }, 3.5);
  }
}

describe("a blind run", () => {
  it("keeps its order apart from itself until it ends, then opens what was sealed", async () => {
    const run = await begun();
    expect(JSON.stringify(await database.runs.toArray())).not.toContain('order":[');
    const order: (readonly number[])[] = [];
    for (let trial = 0; trial < 5; trial++) {
      order.push(await hiddenSeats(run.id, trial));
      expect((await theRun(run.id)).result).toBeNull();
      await answerTrial(run.id, trial, { side: order[trial][1] === 0 ? "A" : "B" }, 3.5);
    }
    const ended = await theRun(run.id);
    expect(ended.opened?.order).toEqual(order);
    expect(ended.result).toMatchObject({ right: 5, answered: 5, outcome: "heard" });
    expect(await sealHolds(ended)).toBe(true);
    const checked = await checkRecord(await recordOf(ended));
    expect(checked.checks.find(({ name }) => name === "signature")?.holds).toBe(true);
    // The browser's key signs every run, and cannot be read out.
    const key = await deviceKey();
    expect(ended.signature?.publicKeyHex).toBe(key?.publicKeyHex);
    expect(key?.privateKey.extractable).toBe(false);
  });

  it("is kept where the browser has no key: its record says that it is not signed", async () => {
    const whole = globalThis.crypto;
    vi.stubGlobal("crypto", {
      getRandomValues: (bytes: Uint8Array<ArrayBuffer>) => whole.getRandomValues(bytes),
      randomUUID: () => whole.randomUUID(),
    });
    await database.deviceKeys.clear();
    const run = await begun();
    await leaveRun(run.id);
    vi.unstubAllGlobals();
    const left = await theRun(run.id);
    expect(left.finishedAt).not.toBeNull();
    expect(left.signature).toBeUndefined();
  });

  it("takes no answer after its end, and is marked when left early", async () => {
    const run = await begun(abxPlan(10));
    await answerTrial(run.id, 0, { side: "A" }, 1);
    await leaveRun(run.id);
    await answerTrial(run.id, 1, { side: "B" }, 1);
    const left = await theRun(run.id);
    expect(left.trials).toHaveLength(1);
    expect(left.result?.outcome).toBe("left early");
  });

  it("takes one answer a trial: two in one moment are one, and none out of turn", async () => {
    const run = await begun(abxPlan(10));
    await Promise.all([answerTrial(run.id, 0, { side: "A" }, 1), answerTrial(run.id, 0, { side: "B" }, 1)]);
    await answerTrial(run.id, 5, { side: "A" }, 1);
    expect((await theRun(run.id)).trials).toHaveLength(1);
  });

  it("keeps where a free loop lay with each answer", async () => {
    const run = await begun(favouritePlan(2));
    const loop = { startFrame: 100, endFrame: 24_000 };
    await answerTrial(run.id, 0, { picked: [1] }, 2, loop);
    expect((await theRun(run.id)).trials[0].loop).toEqual(loop);
  });

  it("training is counted by itself, once a trial, and changes nothing of the run", async () => {
    const run = await begun(planRightOrWrong({ kind: "abx", trials: 8, training: 3 }));
    expect(trainingSeats(run)).toHaveLength(3);
    await Promise.all([keepTraining(run.id, 0, true), keepTraining(run.id, 0, true)]);
    await keepTraining(run.id, 1, false);
    expect(await theRun(run.id)).toMatchObject({ trained: { taken: 2, right: 1 }, trials: [] });
  });

  it("counts the runs of one pair, whichever way round it stood; those of packs are other people's", async () => {
    const first = await begun();
    const turned = {
      ...first,
      id: "second",
      stimuli: [...first.stimuli].reverse(),
      createdAt: "2099-01-01T00:00:00.000Z",
    };
    const others = [
      { ...turned, id: "elsewhere", passageId: "another" },
      { ...turned, id: "of another question", plan: favouritePlan(3) },
      { ...turned, id: "of a pack", packId: "pack" },
    ];
    await database.runs.bulkAdd([turned, ...others]);
    expect((await runsUpTo(turned)).map((r) => r.id)).toEqual([first.id, "second"]);
    // The same question in another form is asked again.
    const again = { ...turned, id: "again", plan: planRightOrWrong({ kind: "same-different", trials: 8 }) };
    expect((await runsUpTo(again)).map((r) => r.id)).toEqual([first.id, "second"]);
    expect(await runsUpTo(await theRun(first.id))).toHaveLength(1);
  });

  it("draws its order from the cryptographic source, anew for every run", async () => {
    const drawn = vi.spyOn(crypto, "getRandomValues");
    const orders = new Set<string>();
    for (let i = 0; i < 8; i++) {
      const { id } = await begun(abxPlan(40));
      orders.add(String((await database.seals.get(id))?.order));
    }
    expect(orders.size).toBe(8);
    expect(drawn).toHaveBeenCalled();
    drawn.mockRestore();
  });

  it("goes with its comparison, seal and all", async () => {
    const { comparison } = await filled();
    const run = await begun(abxPlan(5), { comparisonId: comparison.id });
    await writeNote(comparison.id, run.id, "bright");
    await writeNote(comparison.id, run.id, "brighter");
    expect((await database.notes.toArray()).map((n) => n.text)).toEqual(["brighter"]);
    await deleteComparison(comparison.id);
    for (const table of [database.runs, database.seals, database.notes, database.renders, database.audio]) {
      expect(await table.count()).toBe(0);
    }
  });
});

describe("a result that could not be worked out", () => {
  it("loses no answer, and is worked out when the run is shown", async () => {
    const run = await begun();
    broken.score = true;
    await take(run.id, 5);
    expect(await theRun(run.id)).toMatchObject({ result: null, trials: { length: 5 } });
    await expect(keepResult(run.id)).rejects.toThrow("the worker is gone");
    broken.score = false;
    await keepResult(run.id);
    expect((await theRun(run.id)).result).toMatchObject({ right: 5, outcome: "heard" });
  });
});

describe("runs that are judged together", () => {
  const part = (run: number) => planRightOrWrong({ kind: "abx", trials: 10, series: { id: "series", runs: 3, run } });

  it("stay sealed, score and order, until the last of them is over", async () => {
    for (const number of [1, 2]) {
      const { id } = await begun(part(number));
      await take(id, 7);
      expect(await theRun(id)).toMatchObject({ result: null, opened: null });
      expect((await theRun(id)).finishedAt).not.toBeNull();
    }
    const last = await begun(part(3));
    await take(last.id, 7);
    const series = await seriesOf(await theRun(last.id));
    expect(series).toHaveLength(3);
    for (const run of series) {
      expect(run.result).toMatchObject({ right: 7, answered: 10, outcome: "part" });
      expect(await sealHolds(run)).toBe(true);
    }
  });

  it("can no longer be judged once one was left early: all that is over is opened", async () => {
    const first = await begun(part(1));
    await take(first.id, 10);
    const second = await begun(part(2));
    await answerTrial(second.id, 0, { side: "A" }, 1);
    await leaveRun(second.id);
    expect((await theRun(first.id)).opened).not.toBeNull();
    expect((await theRun(second.id)).result?.outcome).toBe("left early");
  });
});

describe("a run as a file", () => {
  const asFile = async (id: string, change = (text: string) => text) => {
    const { name, blob } = await runFile(await theRun(id));
    return new File([change(await blob.text())], name);
  };

  it("goes out and comes back into another browser, where its passage is found by what was heard", async () => {
    const { comparison, dry, a } = await filled();
    const stimuli = [dry, a].map((r) => ({ ...stimulus(r.fileName), audioHash: r.audioHash }));
    const { id } = await begun(abxPlan(5), { comparisonId: "elsewhere", passageId: "unknown here", stimuli });
    await take(id, 5);
    const file = await asFile(id);
    expect(file.name).toMatch(/^verse-abx-run-[0-9a-f]{4}\.json$/);
    await database.runs.clear();
    const taken = await importRecord(comparison.id, file);
    expect(taken).toMatchObject({ ok: true, value: { comparisonId: comparison.id, passageId: dry.passageId } });
    expect((await theRun(id)).result).toMatchObject({ right: 5, outcome: "heard" });
    expect(await importRecord(comparison.id, file)).toMatchObject({ ok: false });
  });

  it("is refused in words when it is something else, was changed, or is still open", async () => {
    const { id } = await begun();
    const reason = async (file: File) => {
      const result = await importRecord("comparison", file);
      return result.ok ? "taken" : result.reason;
    };
    expect(await reason(await asFile(id))).toContain("unfinished run");
    await take(id, 4);
    const changed = await asFile(id, (text) => text.replace('"right": 4', '"right": 5'));
    const whole = await asFile(id);
    await database.runs.clear();
    expect(await reason(changed)).toContain("It was changed after saving.");
    expect(await reason(new File(["{}"], "other.json"))).toContain("is not a run record");
    expect(await reason(new File(["RIFF"], "take.wav"))).toContain("not JSON");
    expect(await reason(whole)).toBe("taken");
  });
});

describe("listeners and words", () => {
  it("hearing is kept with the code and the equipment it was tried on, and goes with that listener's runs", async () => {
    await keepHearing("L1", "headphones", { known: true, highestHz: 15_000, nextHz: 16_000 });
    await keepHearing("L2", "headphones", { known: false });
    // Nothing heard at all may be a volume that is down: that is no hearing.
    await keepHearing("L2", "headphones", { known: true, highestHz: null, nextHz: 8000 });
    const listener = { ...NO_LISTENER, code: "L1", equipment: "headphones" };
    expect(await listenerFor(listener)).toMatchObject({ highestHz: 15_000, unheardHz: 16_000 });
    expect(await listenerFor({ ...listener, equipment: "speakers" })).toMatchObject({ highestHz: null });
    expect(await hearingOf({ code: "L2", equipment: "headphones" })).toBeNull();
  });

  it("own words come first, latest ahead, each once", async () => {
    await learnDescriptors(["Fizzy", "woolly"]);
    await learnDescriptors([" plummy "]);
    const words = await ownDescriptors();
    expect(words.slice(0, 3)).toEqual(["plummy", "fizzy", "woolly"]);
    expect(words.filter((w) => w === "woolly")).toHaveLength(1);
  });
});
