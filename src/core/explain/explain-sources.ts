import type { Keep } from "../difference/compare";
import { type NamedSource, openTogether } from "../formats/open-together";
import type { MakeCopy } from "../formats/pcm-copy";
import type { Outcome } from "../outcome";
import { type ExplainReport, explainPair } from "./explain";

export type ExplainSources = {
  here: NamedSource;
  yonder: NamedSource;
  dry: NamedSource | null;
  from?: number;
  to?: number;
};

/** Opens a pair, and the dry render where there is one, in any format and takes them apart. */
export async function explainSources(
  { here, yonder, dry, from, to }: ExplainSources,
  { makeCopy, keep }: { makeCopy?: MakeCopy; keep?: Keep } = {},
): Promise<Outcome<ExplainReport>> {
  const opened = await openTogether(dry ? [dry, here, yonder] : [here, yonder], makeCopy);
  if (!opened.ok) return opened;
  const [first, second, third] = opened.value;
  return dry
    ? explainPair({ here: second, yonder: third, dry: first, from, to }, keep)
    : explainPair({ here: first, yonder: second, from, to }, keep);
}
