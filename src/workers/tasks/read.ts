import { z } from "zod";
import { readFile, readFileSchema } from "../read-file";
import { blobSchema, defineTask } from "../task";

const refusedSchema = z.object({ ok: z.literal(false), reason: z.string(), advice: z.string() });
const openedSchema = z.object({ ok: z.literal(true), value: readFileSchema });

/** A file read through once: what it is, its waveform, how it moves, its outline, and whether its samples are numbers. */
export const readTask = defineTask({
  version: 1,
  request: z.object({ name: z.string(), file: blobSchema }),
  answer: z.discriminatedUnion("ok", [openedSchema, refusedSchema]),
  run: ({ name, file }, { report }) => readFile(file, name, report),
});
