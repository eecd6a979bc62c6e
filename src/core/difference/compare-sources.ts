import { type NamedSource, openTogether } from "../formats/open-together";
import type { MakeCopy } from "../formats/pcm-copy";
import type { Outcome } from "../outcome";
import { type CompareReport, compareFiles, type Keep } from "./compare";

/** Opens a reference and renders in any format and compares them; the first file that cannot be read is reported by name. */
export async function compareSources(
  reference: NamedSource,
  renders: readonly NamedSource[],
  { makeCopy, keep }: { makeCopy?: MakeCopy; keep?: Keep } = {},
): Promise<Outcome<CompareReport>> {
  const opened = await openTogether([reference, ...renders], makeCopy);
  return opened.ok ? { ok: true, value: compareFiles(opened.value[0], opened.value.slice(1), keep) } : opened;
}
