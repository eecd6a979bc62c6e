import { z } from "zod";
import type { Sound } from "@/core/audio/sound";
import type { Recipe } from "@/core/recipes/recipe";

/** One kept file of plain samples: its content and its bytes. */
export const keptFileSchema = z.object({ hash: z.string(), bytes: z.instanceof(Blob) });
export type KeptFile = z.infer<typeof keptFileSchema>;

/** Share done, 0 to 1, and what is being done, for people. */
export type Progress = { share: number; doing: string };

/** What a task is given to work with besides its request. */
type TaskContext<Answer> = {
  /** Opens a recipe over the files that came with the request. */
  open: (recipe: Recipe) => Sound;
  /** Other bytes that came with the request, by their name; null where there are none. */
  attached: (hash: string) => Blob | null;
  report: (progress: Progress) => void;
  /** Hands out what is known so far of a long answer; what is not known yet says so. */
  partial: (answer: Answer) => void;
};

/**
 * One thing a worker can do: what it is asked with and what it answers, both as schemas; the version to raise when answers come out
 * differently; and the work. Recipes in a request are opened over the files sent with it.
 */
export type Task<Request extends z.ZodType = z.ZodType, Answer extends z.ZodType = z.ZodType> = {
  version: string | number;
  request: Request;
  answer: Answer;
  run: (request: z.infer<Request>, context: TaskContext<z.infer<Answer>>) => z.infer<Answer> | Promise<z.infer<Answer>>;
};

export const defineTask = <Request extends z.ZodType, Answer extends z.ZodType>(
  task: Task<Request, Answer>,
): Task<Request, Answer> => task;

/** Bytes that were made, as long as they may be. */
export const blobSchema = z.instanceof(Blob);
