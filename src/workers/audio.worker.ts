import { expose } from "comlink";
import { z } from "zod";
import { recipesOver } from "./files";
import { TASKS, type TaskName } from "./registry";
import { keptFileSchema, type Progress, type Task } from "./task";

/** The door: finds the task, parses what it is asked, opens the files that came along, and answers. */
const api = {
  async run(name: TaskName, request: unknown, files: unknown, report: (progress: Progress) => void): Promise<unknown> {
    const task: Task = TASKS[name];
    const kept = z.array(keptFileSchema).parse(files);
    const attached = (hash: string) => kept.find((file) => file.hash === hash)?.bytes ?? null;
    return task.run(task.request.parse(request), { open: recipesOver(kept), attached, report });
  },
};
export type AudioWorkerApi = typeof api;

expose(api);
