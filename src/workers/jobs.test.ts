import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Progress } from "./task";

// Workers are stood in for by objects that answer when the test says so; the queue itself is the real one.

type Call = {
  ask: { name: string };
  onProgress: (p: Progress) => void;
  onPartial: ((answer: unknown) => void) | undefined;
  givenUp: Int32Array | null;
  answer: (value: unknown) => void;
  fail: (e: Error) => void;
};

const calls: Call[] = [];
const workers: FakeWorker[] = [];
const terminated: number[] = [];
let opened = 0;
/** What the compiled loops of every worker hold, bytes. */
let held = 0;

vi.mock("comlink", () => ({
  proxy: (value: unknown) => value,
  wrap: () => ({
    heldBytes: async () => held,
    run: (
      _task: string,
      ask: Call["ask"],
      _files: unknown,
      onProgress: Call["onProgress"],
      onPartial: Call["onPartial"],
      givenUp: Int32Array | null,
    ) =>
      new Promise((answer, fail) => {
        calls.push({ ask, onProgress, onPartial, givenUp, answer, fail });
      }),
  }),
}));

class FakeWorker {
  private readonly number = ++opened;
  constructor() {
    workers.push(this);
  }
  private readonly listeners = new Map<string, (event: { message?: string; preventDefault: () => void }) => void>();
  addEventListener(type: string, listener: (event: { message?: string; preventDefault: () => void }) => void) {
    this.listeners.set(type, listener);
  }
  die(message: string) {
    this.listeners.get("error")?.({ message, preventDefault: () => {} });
  }
  terminate() {
    terminated.push(this.number);
  }
}

const job = (name: string) => ({ name, file: new Blob() });
const settled = () => new Promise((resolve) => setTimeout(resolve));
const names = () => calls.map((c) => c.ask.name);

async function freshRunner() {
  vi.resetModules();
  return import("./jobs");
}

beforeEach(() => {
  calls.length = 0;
  workers.length = 0;
  terminated.length = 0;
  opened = 0;
  held = 0;
  vi.stubGlobal("Worker", FakeWorker);
  vi.stubGlobal("navigator", { hardwareConcurrency: 2 });
});

afterEach(() => vi.unstubAllGlobals());

describe("the job runner", () => {
  it("tells what is known so far to whoever asked for it", async () => {
    const { runJob } = await freshRunner();
    const parts: unknown[] = [];
    const result = runJob("read", job("a"), { title: "a", onPartial: (part) => parts.push(part) });
    calls[0].onPartial?.("half");
    calls[0].answer("whole");
    expect(await result).toBe("whole");
    expect(parts).toEqual(["half"]);
  });

  it("begins nothing beside what is urgent on two cores, but another urgent job", async () => {
    const { runJob } = await freshRunner();
    void runJob("read", job("urgent"), { title: "", rank: "urgent" });
    void runJob("read", job("normal"), { title: "" });
    void runJob("read", job("second"), { title: "", rank: "urgent" });
    expect(names()).toEqual(["urgent", "second"]);
    calls[0].answer("");
    calls[1].answer("");
    await settled();
    expect(names()).toEqual(["urgent", "second", "normal"]);
  });

  it("runs two at once on two cores, the rest in order as lanes come free", async () => {
    const { runJob, jobStore } = await freshRunner();
    const results = ["a", "b", "c"].map((name) => runJob("read", job(name), { title: name }));
    expect(names()).toEqual(["a", "b"]);
    expect(jobStore.getState().jobs.map((j) => j.state)).toEqual(["running", "running", "waiting"]);
    calls[1].answer("B");
    expect(await results[1]).toBe("B");
    await settled();
    expect(names()).toEqual(["a", "b", "c"]);
    expect(opened).toBe(2);
    calls[0].answer("A");
    calls[2].answer("C");
    expect(await Promise.all(results)).toEqual(["A", "B", "C"]);
    expect(jobStore.getState().jobs).toEqual([]);
  });

  it("puts urgent work ahead of what waits, and keeps quiet work out of the strip", async () => {
    const { runJob, jobStore } = await freshRunner();
    for (const name of ["a", "b", "late"]) void runJob("read", job(name), { title: name });
    void runJob("read", job("now"), { title: "now", rank: "urgent", quiet: true });
    expect(jobStore.getState().jobs.map((j) => j.title)).toEqual(["a", "b", "late"]);
    calls[0].answer(1);
    await settled();
    expect(names()).toEqual(["a", "b", "now"]);
  });

  it("runs background work when nothing else waits, and keeps a lane free of it", async () => {
    const { runJob } = await freshRunner();
    for (const name of ["b1", "b2", "b3"]) void runJob("read", job(name), { title: name, rank: "background" });
    expect(names()).toEqual(["b1"]);
    void runJob("read", job("asked"), { title: "asked" });
    expect(names()).toEqual(["b1", "asked"]);
    void runJob("read", job("next"), { title: "next" });
    calls[0].answer(1);
    await settled();
    expect(names()).toEqual(["b1", "asked", "next"]);
    calls[1].answer(1);
    await settled();
    expect(names()).toEqual(["b1", "asked", "next", "b2"]);
    calls[2].answer(1);
    await settled();
    expect(names()).toHaveLength(4);
  });

  it("passes progress on to the strip", async () => {
    const { runJob, jobStore } = await freshRunner();
    void runJob("read", job("a"), { title: "Reading a.wav" });
    calls[0].onProgress({ share: 0.4, doing: "Measuring" });
    expect(jobStore.getState().jobs[0]).toMatchObject({ title: "Reading a.wav", share: 0.4, doing: "Measuring" });
  });

  it("cancels what runs by ending its worker, and goes on with a fresh one", async () => {
    const { runJob, cancelJob, jobStore, JobCancelled } = await freshRunner();
    const doomed = runJob("read", job("a"), { title: "a" });
    void runJob("read", job("b"), { title: "b" });
    void runJob("read", job("c"), { title: "c" });
    cancelJob(jobStore.getState().jobs[0].id);
    await expect(doomed).rejects.toBeInstanceOf(JobCancelled);
    expect(terminated).toEqual([1]);
    expect(opened).toBe(3);
    expect(names()).toEqual(["a", "b", "c"]);
  });

  it("has a worker let go of what is cancelled where memory is shared, and keeps it for the next job", async () => {
    vi.stubGlobal("crossOriginIsolated", true);
    const { runJob, cancelJob, jobStore, JobCancelled } = await freshRunner();
    const doomed = runJob("read", job("a"), { title: "a" });
    const other = runJob("read", job("b"), { title: "b" });
    const next = runJob("read", job("c"), { title: "c" });
    cancelJob(jobStore.getState().jobs[0].id);
    await expect(doomed).rejects.toBeInstanceOf(JobCancelled);
    expect([calls[0].givenUp?.[0], calls[1].givenUp?.[0]]).toEqual([1, 0]);
    expect(names()).toEqual(["a", "b"]);
    calls[0].fail(new Error("The work was given up."));
    await settled();
    expect(names()).toEqual(["a", "b", "c"]);
    expect([calls[2].givenUp?.[0], opened, terminated]).toEqual([0, 2, []]);
    calls[1].answer("B");
    calls[2].answer("C");
    expect(await Promise.all([other, next])).toEqual(["B", "C"]);
  });

  it("ends a worker that does not let go in time", async () => {
    vi.stubGlobal("crossOriginIsolated", true);
    vi.useFakeTimers();
    const { runJob, cancelJob, jobStore } = await freshRunner();
    for (const name of ["a", "b", "c"]) void runJob("read", job(name), { title: name }).catch(() => {});
    cancelJob(jobStore.getState().jobs[0].id);
    await vi.advanceTimersByTimeAsync(900);
    expect([names(), terminated]).toEqual([["a", "b"], []]);
    await vi.advanceTimersByTimeAsync(200);
    expect([names(), terminated, opened]).toEqual([["a", "b", "c"], [1], 3]);
    vi.useRealTimers();
  });

  it("cancels what waits without touching a worker, by signal too", async () => {
    const { runJob, cancelJob, jobStore, JobCancelled } = await freshRunner();
    void runJob("read", job("a"), { title: "a" }).catch(() => {});
    void runJob("read", job("b"), { title: "b" }).catch(() => {});
    const controller = new AbortController();
    const waiting = runJob("read", job("c"), { title: "c", signal: controller.signal });
    controller.abort();
    await expect(waiting).rejects.toBeInstanceOf(JobCancelled);
    await expect(runJob("read", job("d"), { title: "d", signal: controller.signal })).rejects.toBeInstanceOf(
      JobCancelled,
    );
    expect(terminated).toEqual([]);
    for (const { id } of jobStore.getState().jobs) cancelJob(id);
    expect(terminated).toEqual([1, 2]);
  });

  it("keeps one lane that holds little, so that what is asked for next begins at once", async () => {
    vi.useFakeTimers();
    const { runJob } = await freshRunner();
    const both = [runJob("read", job("a"), { title: "a" }), runJob("read", job("b"), { title: "b" })];
    expect(opened).toBe(2);
    for (const call of calls) call.answer("done");
    await Promise.all(both);
    await vi.advanceTimersByTimeAsync(60_000);
    expect(terminated).toHaveLength(1);
    const next = runJob("read", job("c"), { title: "c" });
    expect(opened).toBe(2);
    // What it holds is asked again after each piece of work.
    held = 2 ** 30;
    calls[2].answer("C");
    await next;
    await vi.advanceTimersByTimeAsync(10_000);
    expect(terminated).toHaveLength(2);
    vi.useRealTimers();
  });

  it("closes lanes that have nothing to do and hold much, and opens them again when they have", async () => {
    vi.useFakeTimers();
    held = 2 ** 30;
    const { runJob } = await freshRunner();
    const done = runJob("read", job("a"), { title: "a" });
    calls[0].answer("A");
    await done;
    await vi.advanceTimersByTimeAsync(3000);
    void runJob("read", job("b"), { title: "b" });
    await vi.advanceTimersByTimeAsync(10_000);
    expect(terminated).toEqual([]);
    calls[1].answer("B");
    await vi.advanceTimersByTimeAsync(10_000);
    expect(terminated).toEqual([1]);
    void runJob("read", job("c"), { title: "c" });
    expect(opened).toBe(2);
    vi.useRealTimers();
  });

  it("hands errors to whoever asked, and frees the lane", async () => {
    const { runJob } = await freshRunner();
    const failing = runJob("read", job("a"), { title: "a" });
    calls[0].fail(new Error("broke down"));
    await expect(failing).rejects.toThrow("broke down");
    await settled();
    void runJob("read", job("b"), { title: "b" });
    expect(names()).toEqual(["a", "b"]);
    expect(opened).toBe(1);
  });

  it("tells whoever waits that a worker died, opens a fresh lane, and takes the same job again", async () => {
    const { runJob, jobStore, WorkerDied } = await freshRunner();
    const lost = runJob("read", job("a"), { title: "Measuring a.wav" });
    const other = runJob("read", job("b"), { title: "b" });
    const next = runJob("read", job("c"), { title: "c" });
    workers[0].die("out of memory");
    await expect(lost).rejects.toBeInstanceOf(WorkerDied);
    await expect(lost).rejects.toThrow(/“Measuring a\.wav” failed.*out of memory.*Try again/);
    // The waiting one has its lane, and the other is not touched.
    expect(names()).toEqual(["a", "b", "c"]);
    expect(terminated).toEqual([1]);
    const again = runJob("read", job("a"), { title: "Measuring a.wav" });
    calls[1].answer("B");
    calls[2].answer("C");
    expect([await other, await next]).toEqual(["B", "C"]);
    await settled();
    calls[3].answer("A");
    expect(await again).toBe("A");
    expect(jobStore.getState().jobs).toEqual([]);
  });
});

describe("work of the page itself", () => {
  it("is shown while it lasts, with what it reports, and answers", async () => {
    const { jobStore, runHere } = await freshRunner();
    let end: (value: number) => void = () => {};
    const work = runHere({ title: "Archiving" }, (report) => {
      report({ share: 0.5, doing: "writing" });
      return new Promise<number>((resolve) => {
        end = resolve;
      });
    });
    expect(jobStore.getState().jobs).toMatchObject([{ title: "Archiving", share: 0.5, doing: "writing" }]);
    end(4);
    expect(await work).toBe(4);
    expect(jobStore.getState().jobs).toEqual([]);
  });

  it("is cancelled from the strip or by its asker, is told, and rejects as other work does", async () => {
    const { cancelJob, JobCancelled, jobStore, runHere } = await freshRunner();
    let told: AbortSignal | null = null;
    const endless = (_: unknown, signal: AbortSignal) => {
      told = signal;
      return new Promise<never>(() => {});
    };
    const work = runHere({ title: "Archiving" }, endless);
    cancelJob(jobStore.getState().jobs[0].id);
    await expect(work).rejects.toThrow(JobCancelled);
    expect((told as AbortSignal | null)?.aborted).toBe(true);
    const asker = new AbortController();
    const other = runHere({ title: "Archiving", signal: asker.signal }, endless);
    asker.abort();
    await expect(other).rejects.toThrow(JobCancelled);
    await expect(runHere({ title: "Archiving", signal: asker.signal }, endless)).rejects.toThrow(JobCancelled);
    await expect(runHere({ title: "Archiving" }, () => Promise.reject(new Error("no room")))).rejects.toThrow(
      "no room",
    );
    expect(jobStore.getState().jobs).toEqual([]);
  });
});
