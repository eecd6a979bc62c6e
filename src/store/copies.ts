import { isWhole } from "@/core/alignment/aligned";
import { DECODER_VERSION } from "@/core/formats/coded-read";
import { isCoded } from "@/core/formats/file-reading";
import { type Recipe, recipeKey } from "@/core/recipes/recipe";
import { type JobOptions, runJob } from "@/workers/jobs";
import type { KeptFile } from "@/workers/task";
import { database } from "./database";
import { keepWithin } from "./keep-within";

/** Copies hold no more than this, nor more than a quarter of what the browser grants; those longest unused go first. All can be made again. */
const MOST_BYTES = 20_000_000_000;
/** Where the browser does not say what it grants. */
const CAUTIOUS_BYTES = 1_500_000_000;

async function mostBytes(): Promise<number> {
  const quota = (await globalThis.navigator?.storage?.estimate?.())?.quota;
  return quota ? Math.min(MOST_BYTES, quota / 4) : CAUTIOUS_BYTES;
}

const inFlight = new Map<string, Promise<KeptFile>>();

/** What a job for a copy is done with: its rank and title, and files that are not kept yet. */
export type CopyOptions = Pick<JobOptions, "rank" | "files" | "signal">;

/** Keeps a copy if there is room. Where there is none it is made again when it is next needed. */
export async function keepCopy(key: string, bytes: Blob): Promise<void> {
  try {
    await database.copies.put({ key, bytes, byteCount: bytes.size, usedAt: Date.now() });
    await keepWithin(database.copies, await mostBytes());
  } catch {
    // No room.
  }
}

/** The copy under `key`, made once for each. */
async function copyUnder(key: string, make: () => Promise<Blob>): Promise<KeptFile> {
  const kept = await database.copies.get(key);
  if (kept) {
    void database.copies.update(key, { usedAt: Date.now() });
    return { hash: key, bytes: kept.bytes };
  }
  const running = inFlight.get(key);
  if (running) return running;
  const work = make()
    .then(async (bytes) => {
      await keepCopy(key, bytes);
      return { hash: key, bytes };
    })
    .finally(() => inFlight.delete(key));
  inFlight.set(key, work);
  return work;
}

/** The copies under some keys, as far as they are there. */
export async function copiesThere(keys: string[]): Promise<KeptFile[]> {
  const kept = await database.copies.bulkGet(keys);
  return kept.flatMap((copy) => (copy ? [{ hash: copy.key, bytes: copy.bytes }] : []));
}

/** Where the plain samples of a coded file are kept. */
export const decodedKey = (hash: string): string => `decoded@${DECODER_VERSION}:${hash}`;

/** A kept file whose samples can be read in place: the import itself, or what a coded one decodes to. */
export async function plainFile(hash: string, options: CopyOptions = {}): Promise<KeptFile> {
  const given = options.files?.find((f) => f.hash === hash);
  if (given) return given;
  const [kept, render] = await Promise.all([
    database.audio.get(hash),
    database.renders.where({ audioHash: hash }).first(),
  ]);
  const name = render?.fileName ?? "a file";
  if (!kept) throw new Error(`The audio of ${name} is no longer in this browser. Add the file again.`);
  if (!render || !isCoded(render.encoding)) return { hash, bytes: kept.bytes };
  const decode = () => runJob("decode", { name, file: kept.bytes }, { title: `Decoding ${name}`, rank: options.rank });
  return { hash, bytes: (await copyUnder(decodedKey(hash), decode)).bytes };
}

/** A recipe and the files that it is opened over. */
export type Prepared = { recipe: Recipe; files: KeptFile[] };

/** The recipe over files that can be read in place, as it is. */
async function overFiles(recipe: Recipe, options: CopyOptions, prepare: typeof prepared): Promise<Prepared> {
  if (recipe.of === "file") return { recipe, files: [await plainFile(recipe.hash, options)] };
  if (recipe.of === "difference" || recipe.of === "worn") {
    const [here, yonder] = [await prepare(recipe.here, options), await prepare(recipe.yonder, options)];
    return {
      recipe: { ...recipe, here: here.recipe, yonder: yonder.recipe },
      files: [...here.files, ...yonder.files],
    };
  }
  const source = await prepare(recipe.source, options);
  return { recipe: { ...recipe, source: source.recipe }, files: source.files };
}

/** Whether this step of a recipe, by itself, works samples out rather than looking them up. */
const isWork = (recipe: Recipe): boolean =>
  recipe.of === "rate" || recipe.of === "worn" || (recipe.of === "step" && !isWhole(recipe.placement));

/**
 * A recipe ready to be read again and again: what has to be worked out between the samples is done once and kept, and stands there as a file.
 * The import is not touched.
 */
export async function prepared(recipe: Recipe, options: CopyOptions = {}): Promise<Prepared> {
  if (!isWork(recipe)) return overFiles(recipe, options, prepared);
  const key = recipeKey(recipe);
  const file = await copyUnder(key, async () => {
    // A rate and a step that follow each other are one piece of work.
    const { recipe: sound, files } = await overFiles(recipe, options, workedOut);
    const title = recipe.of === "worn" ? "Applying the fit to Here" : "Aligning a render";
    return runJob("copy", { sound }, { title, quiet: recipe.of !== "worn", rank: options.rank, files });
  });
  return { recipe: { of: "file", hash: key }, files: [file] };
}

/** A recipe over files as they are, or over copies where they happen to be there: to be read at once, and once. */
export async function workedOut(recipe: Recipe, options: CopyOptions = {}): Promise<Prepared> {
  if (isWork(recipe)) {
    const key = recipeKey(recipe);
    const kept = await database.copies.get(key);
    if (kept) return { recipe: { of: "file", hash: key }, files: [{ hash: key, bytes: kept.bytes }] };
  }
  return overFiles(recipe, options, workedOut);
}

/** Takes away what was made from audio that no render uses any more. */
export async function forgetCopies(hashes: Iterable<string>): Promise<void> {
  const gone = [...hashes];
  const keys = await database.copies.toCollection().primaryKeys();
  await database.copies.bulkDelete(keys.filter((key) => gone.some((hash) => key.includes(hash))));
}
