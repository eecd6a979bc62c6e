import type { Sound } from "@/core/audio/sound";
import { openPlain } from "@/core/formats/read-audio";
import { openRecipe, type Recipe } from "@/core/recipes/recipe";
import { blobSource } from "./blobs";
import type { KeptFile } from "./task";

/** Opens recipes over kept files of plain samples, which are fetched in blocks of `blockBytes` where they are read in order. A file that is not there, or no such file, is a fault of the program. */
export function recipesOver(files: readonly KeptFile[], blockBytes?: number): (recipe: Recipe) => Sound {
  const opened = new Map<string, Sound>();
  const fileOf = (hash: string): Sound => {
    const known = opened.get(hash);
    if (known) return known;
    const file = files.find((f) => f.hash === hash);
    if (!file) throw new Error("A file that is needed for this was not sent along.");
    const audio = openPlain(blobSource(file.bytes, blockBytes), "A kept file");
    if (!audio.ok) throw new Error(audio.reason);
    opened.set(hash, audio.value.sound);
    return audio.value.sound;
  };
  return (recipe) => openRecipe(recipe, fileOf);
}
