import { isRecipe, type Recipe, recipeKey } from "@/core/recipes/recipe";
import { type JobOptions, runJob } from "@/workers/jobs";
import { type AnswerOf, type RequestOf, TASKS, type TaskName } from "@/workers/registry";
import type { KeptFile, Task } from "@/workers/task";
import { cached, keep } from "./cached";
import { prepared } from "./copies";
import { database } from "./database";

/** The content key of what a task answers: the task, its version, and all that it is asked with, recipes by their own keys. */
export function resultKey<Name extends TaskName>(name: Name, request: RequestOf<Name>): string {
  const text = JSON.stringify(request, (_, value: unknown) => (isRecipe(value) ? recipeKey(value) : value));
  return `${name}@${TASKS[name].version}:${text}`;
}

/** A request whose recipes can be read again and again, with the files for them. */
async function readied<Request>(
  request: Request,
  options: JobOptions,
): Promise<{ request: Request; files: KeptFile[] }> {
  const files = new Map<string, KeptFile>();
  const entries = await Promise.all(
    Object.entries(request as Record<string, unknown>).map(async ([name, value]) => {
      if (!isRecipe(value)) return [name, value];
      const { recipe, files: own }: { recipe: Recipe; files: KeptFile[] } = await prepared(value, options);
      for (const file of own) files.set(file.hash, file);
      return [name, recipe];
    }),
  );
  return { request: Object.fromEntries(entries) as Request, files: [...files.values()] };
}

/** How a result is asked for; `attach` has other bytes fetched that the task may use, where it has to be done at all. */
export type Asked = JobOptions & { attach?: () => Promise<KeptFile[]> };

/** Has a task done over kept files, without keeping what it answers. */
export async function workOut<Name extends TaskName>(
  name: Name,
  request: RequestOf<Name>,
  { attach, ...options }: Asked,
): Promise<AnswerOf<Name>> {
  const [ready, attached = []] = await Promise.all([readied(request, options), attach?.()]);
  return runJob(name, ready.request, { ...options, files: [...ready.files, ...attached] });
}

/** What a task answers, worked out once for all equal requests and kept. Nothing is fetched or prepared where it is known. */
export function resultOf<Name extends TaskName>(
  name: Name,
  request: RequestOf<Name>,
  options: Asked,
): Promise<AnswerOf<Name>> {
  const { answer } = TASKS[name] as Task;
  const key = resultKey(name, request);
  return cached(key, answer, () => workOut(name, request, options), options.signal) as Promise<AnswerOf<Name>>;
}

/** What a task answered before; null where it was never asked this, or answers otherwise today. Nothing is worked out. */
export async function keptResult<Name extends TaskName>(
  name: Name,
  request: RequestOf<Name>,
): Promise<AnswerOf<Name> | null> {
  const { answer } = TASKS[name] as Task;
  const parsed = answer.safeParse((await database.analyses.get(resultKey(name, request)))?.value);
  return parsed.success ? (parsed.data as AnswerOf<Name>) : null;
}

/** Keeps what is known already as what a task would answer. */
export const keepResult = <Name extends TaskName>(
  name: Name,
  request: RequestOf<Name>,
  answer: AnswerOf<Name>,
): Promise<void> => keep(resultKey(name, request), answer);
