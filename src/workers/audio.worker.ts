import "./web-codecs";
import { expose } from "comlink";
import { z } from "zod";
import { kernels } from "@/core/kernels/kernels";
import { LONG_FILE_BYTES, startReaders, stopReading } from "./ahead/ahead";
import { recipesOver } from "./files";
import { endIfGivenUp, watchFor } from "./given-up";
import { TASKS, type TaskName } from "./registry";
import { keptFileSchema, type Progress, type Task } from "./task";

/** People see no more than this many steps of a bar a second; each one has the page drawn anew. */
const REPORTS_PER_SECOND = 5;

/** Passes on what is new to be reported, and no share of it more often than that. */
function seldom(report: (progress: Progress) => void): (progress: Progress) => void {
  let told = { at: Number.NEGATIVE_INFINITY, doing: "" };
  return (progress) => {
    endIfGivenUp();
    const now = performance.now();
    if (progress.doing === told.doing && now - told.at < 1000 / REPORTS_PER_SECOND) return;
    told = { at: now, doing: progress.doing };
    report(progress);
  };
}

/** The door: finds the task, parses what it is asked, opens the files that came along, and answers. */
const api = {
  async run(
    name: TaskName,
    request: unknown,
    files: unknown,
    report: (progress: Progress) => void,
    partial: (answer: unknown) => void = () => {},
    givenUp: Int32Array | null = null,
  ): Promise<unknown> {
    watchFor(givenUp);
    const task: Task = TASKS[name];
    const kept = z.array(keptFileSchema).parse(files);
    const attached = (hash: string) => kept.find((file) => file.hash === hash)?.bytes ?? null;
    if (kept.some(({ bytes }) => bytes.size > LONG_FILE_BYTES)) await startReaders();
    try {
      const context = { open: recipesOver(kept), attached, report: seldom(report), partial };
      return await task.run(task.request.parse(request), context);
    } finally {
      stopReading();
    }
  },

  /** What the compiled loops hold on to: their memory grows with what they work on, and never shrinks. */
  heldBytes: (): number => kernels.memory.buffer.byteLength,
};
export type AudioWorkerApi = typeof api;

expose(api);
