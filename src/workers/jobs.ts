import { proxy, type Remote, wrap } from "comlink";
import { createStore } from "zustand/vanilla";
import type { AudioWorkerApi } from "./audio.worker";
import type { AnswerOf, RequestOf, TaskName } from "./registry";
import type { KeptFile, Progress } from "./task";

/** Urgent work goes ahead of what waits; background work runs when nothing else waits, and leaves a lane free. */
export type Rank = "urgent" | "normal" | "background";
const RANKS: readonly Rank[] = ["urgent", "normal", "background"];

/** A piece of work in a worker, as people see it. */
export type Job = {
  id: number;
  title: string;
  share: number;
  doing: string;
  state: "waiting" | "running";
  rank: Rank;
};

/** Running and waiting jobs, for the progress strip. */
export const jobStore = createStore<{ jobs: Job[] }>(() => ({ jobs: [] }));

/** Thrown to whoever awaits a job that was cancelled. */
export class JobCancelled extends Error {
  constructor() {
    super("The work was cancelled.");
    this.name = "JobCancelled";
  }
}

/** Thrown to whoever awaits a job whose worker broke down: out of memory, or its code could not be fetched. */
export class WorkerDied extends Error {
  constructor(title: string, detail: string) {
    super(
      `“${title}” failed: the browser stopped it${detail ? ` (${detail})` : ", most likely out of memory"}. Try again. If it fails again, close other tabs or use a shorter passage.`,
    );
    this.name = "WorkerDied";
  }
}

type Lane = {
  worker: Worker;
  api: Remote<AudioWorkerApi>;
  jobId: number | null;
  closing: ReturnType<typeof setTimeout> | null;
  /** Set to 1 when what runs is given up; null where no memory can be shared. */
  givenUp: Int32Array | null;
  /** Ends a worker that does not notice. */
  ending: ReturnType<typeof setTimeout> | null;
};
type Order = {
  job: Job;
  /** Asked anew whenever a lane is free: what is in sight may have changed since. */
  rankNow: () => Rank;
  quiet: boolean;
  start: (lane: Lane) => void;
  cancel: () => void;
  fail: (error: Error) => void;
};

/** On two cores or fewer a second lane slows the first: nothing new is begun beside what is urgent. */
const isNarrow = () => (globalThis.navigator?.hardwareConcurrency ?? 2) <= 2;

/** Two lanes at the least, so that a long import does not hold up the pair being looked at; four at the most. */
const laneCount = () => Math.min(4, Math.max(2, (globalThis.navigator?.hardwareConcurrency ?? 2) - 1));

/**
 * A lane that had nothing to do for this long is closed, and what its worker held is given back. The last one stays where that is little: a worker takes
 * half a second to start, and what is asked for next is to be seen before that.
 */
const IDLE_MS = 4000;
const LITTLE_HELD_BYTES = 64 * 2 ** 20;

/** A worker that has not let go of its work after this long is ended. One that is only just starting needs most of it. */
const GIVE_UP_MS = 1000;

const lanes: Lane[] = [];
const waiting: Order[] = [];
const orders = new Map<number, Order>();
let lastJobId = 0;

function openLane(): Lane {
  const worker = new Worker(new URL("./audio.worker.ts", import.meta.url), { type: "module" });
  const givenUp = globalThis.crossOriginIsolated ? new Int32Array(new SharedArrayBuffer(4)) : null;
  const api = wrap<AudioWorkerApi>(worker);
  const lane: Lane = { worker, api, jobId: null, closing: null, givenUp, ending: null };
  worker.addEventListener("error", (event) => {
    event.preventDefault();
    loseLane(lane, event.message ?? "");
  });
  worker.addEventListener("messageerror", () => loseLane(lane, "its result could not be read"));
  return lane;
}

/** A lane whose worker is dead is taken away, and its job reported; the next job opens a fresh one. */
function loseLane(lane: Lane, detail: string): void {
  if (lane.ending) clearTimeout(lane.ending);
  endLane(lane);
  const order = lane.jobId === null ? undefined : orders.get(lane.jobId);
  if (order) order.fail(new WorkerDied(order.job.title, detail));
  else dispatch();
}

/** Has a lane let go of its work, and keeps its worker; one that does not notice, or cannot be reported, is ended. */
function giveUp(lane: Lane): void {
  if (!lane.givenUp) {
    endLane(lane);
    return;
  }
  Atomics.store(lane.givenUp, 0, 1);
  lane.ending = setTimeout(() => {
    endLane(lane);
    dispatch();
  }, GIVE_UP_MS);
}

function endLane(lane: Lane): void {
  lane.worker.terminate();
  const index = lanes.indexOf(lane);
  if (index >= 0) lanes.splice(index, 1);
}

/** A lane whose work has ended, one way or another, is free for the next. */
function freeLane(lane: Lane): void {
  if (lane.ending) clearTimeout(lane.ending);
  lane.ending = null;
  if (lane.givenUp) Atomics.store(lane.givenUp, 0, 0);
  lane.jobId = null;
  dispatch();
}

async function closeLane(lane: Lane): Promise<void> {
  if (lane.jobId !== null) return;
  if (lanes.length === 1) {
    const held = await lane.api.heldBytes().catch(() => Number.POSITIVE_INFINITY);
    // It may have been taken meanwhile.
    if (held <= LITTLE_HELD_BYTES || lane.jobId !== null) return;
  }
  endLane(lane);
}

function publish(): void {
  jobStore.setState({ jobs: [...orders.values()].filter((o) => !o.quiet).map((o) => ({ ...o.job })) });
}

/** The next order to run, taken off the queue; undefined when there is none for now. */
function nextOrder(): Order | undefined {
  const running = (rank: Rank) =>
    lanes.filter((l) => l.jobId !== null && orders.get(l.jobId)?.job.rank === rank).length;
  const behind = running("background");
  const urgentAlone = isNarrow() && running("urgent") > 0;
  for (const rank of RANKS) {
    if (rank !== "urgent" && urgentAlone) break;
    if (rank === "background" && behind >= laneCount() - 1) continue;
    const index = waiting.findIndex((order) => order.rankNow() === rank);
    if (index < 0) continue;
    const [order] = waiting.splice(index, 1);
    order.job.rank = rank;
    return order;
  }
}

function dispatch(): void {
  while (lanes.length < laneCount() && waiting.length > lanes.filter((l) => l.jobId === null).length) {
    lanes.push(openLane());
  }
  for (const lane of lanes) {
    if (lane.jobId !== null) continue;
    const order = nextOrder();
    if (!order) break;
    if (lane.closing) clearTimeout(lane.closing);
    lane.closing = null;
    lane.jobId = order.job.id;
    order.start(lane);
  }
  for (const lane of lanes) {
    if (lane.jobId === null) lane.closing ??= setTimeout(() => void closeLane(lane), IDLE_MS);
  }
  publish();
}

export type JobOptions = {
  /** The files that the recipes of the request begin from. */
  files?: readonly KeptFile[];
  /** For the progress strip: "Measuring drums.wav". */
  title: string;
  /** Quick work behind a screen that shows its own waiting state stays out of the strip. */
  quiet?: boolean;
  /** How urgent it is; a function is asked when a lane is free. */
  rank?: Rank | (() => Rank);
  signal?: AbortSignal;
  /** Told what is known so far of a long answer, by tasks that have something to show early. */
  onPartial?: (answer: unknown) => void;
};

/**
 * The one way to have something computed: queues the request, runs its task in a worker, reports progress to `jobStore`.
 * Cancelling (by signal or `cancelJob`) rejects the promise at once with JobCancelled; the lane is free when its worker has let go, and one
 * that does not is ended. Other errors reject as they are.
 */
export function runJob<Name extends TaskName>(
  name: Name,
  request: RequestOf<Name>,
  options: JobOptions,
): Promise<AnswerOf<Name>> {
  return new Promise((resolve, reject) => {
    const { rank: asked = "normal" } = options;
    const rankNow = typeof asked === "function" ? asked : () => asked;
    const rank = rankNow();
    const job: Job = { id: ++lastJobId, title: options.title, share: 0, doing: "Waiting", state: "waiting", rank };
    const settle = (finish: () => void) => {
      if (!orders.delete(job.id)) return;
      options.signal?.removeEventListener("abort", cancel);
      finish();
      dispatch();
    };
    const cancel = () => {
      const queued = waiting.findIndex((o) => o.job.id === job.id);
      if (queued >= 0) waiting.splice(queued, 1);
      const lane = lanes.find((l) => l.jobId === job.id);
      if (lane) giveUp(lane);
      settle(() => reject(new JobCancelled()));
    };
    const start = (lane: Lane) => {
      job.state = "running";
      const onProgress = (progress: Progress) => {
        Object.assign(job, progress);
        publish();
      };
      const onPartial = options.onPartial && proxy(options.onPartial);
      lane.api
        .run(name, request, options.files ?? [], proxy(onProgress), onPartial, lane.givenUp)
        .then((answer) => settle(() => resolve(answer as AnswerOf<Name>)))
        .catch((error: unknown) => settle(() => reject(error)))
        .finally(() => freeLane(lane));
    };
    if (options.signal?.aborted) {
      reject(new JobCancelled());
      return;
    }
    const fail = (error: Error) => settle(() => reject(error));
    const order: Order = { job, rankNow, quiet: options.quiet ?? false, start, cancel, fail };
    orders.set(job.id, order);
    options.signal?.addEventListener("abort", cancel);
    waiting.push(order);
    dispatch();
  });
}

/**
 * Work of the page itself that takes long, such as writing a file piece by piece: shown and cancelled as what workers do is. Rejects with JobCancelled
 * where it is cancelled; the work is judged by its signal.
 */
export function runHere<T>(
  { title, signal }: Pick<JobOptions, "title" | "signal">,
  work: (report: (progress: Progress) => void, signal: AbortSignal) => Promise<T>,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const job: Job = { id: ++lastJobId, title, share: 0, doing: "", state: "running", rank: "normal" };
    const ending = new AbortController();
    const settle = (finish: () => void) => {
      if (!orders.delete(job.id)) return;
      signal?.removeEventListener("abort", cancel);
      finish();
      publish();
    };
    const cancel = () => {
      ending.abort(new JobCancelled());
      settle(() => reject(new JobCancelled()));
    };
    if (signal?.aborted) {
      reject(new JobCancelled());
      return;
    }
    const fail = (error: Error) => settle(() => reject(error));
    orders.set(job.id, { job, rankNow: () => "normal", quiet: false, start: () => {}, cancel, fail });
    signal?.addEventListener("abort", cancel);
    publish();
    const report = (progress: Progress) => {
      if (ending.signal.aborted) return;
      Object.assign(job, progress);
      publish();
    };
    work(report, ending.signal).then((value) => settle(() => resolve(value)), fail);
  });
}

export function cancelJob(id: number): void {
  orders.get(id)?.cancel();
}
