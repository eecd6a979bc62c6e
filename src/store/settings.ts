import type { z } from "zod";
import { database } from "./database";

/** A kept setting; null when there is none or it no longer parses. */
export async function readSetting<T>(key: string, schema: z.ZodType<T>): Promise<T | null> {
  const parsed = schema.safeParse((await database.settings.get(key))?.value);
  return parsed.success ? parsed.data : null;
}

export async function writeSetting(key: string, value: unknown): Promise<void> {
  await database.settings.put({ key, value });
}
