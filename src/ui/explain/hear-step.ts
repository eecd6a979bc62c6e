import type { AppliedStep, Found } from "@/core/ladder/found-chain";
import { appliedRecipe } from "@/store/explaining";
import type { Region } from "@/store/records";
import { hear } from "@/ui/shell/monitor";
import { placesOf } from "@/ui/shell/places";
import { wornKey } from "@/ui/shell/use-monitor-feed";
import type { Pair } from "@/ui/shell/workbench";
import { wear } from "@/ui/shell/worn-voices";

/** Has Here wear what was found up to a step, and switches to a scene of it: itself, or what it leaves. */
export async function hearStep(
  pair: Pair,
  region: Region,
  found: Found,
  upTo: AppliedStep,
  leftDb: number | null,
  scene: string,
): Promise<void> {
  const recipe = await appliedRecipe(pair, region, found, upTo);
  await wear(wornKey(pair), upTo, recipe, Math.max(pair.here.channelCount, 1), leftDb);
  // The tape is laid anew with it first.
  setTimeout(() => hear(scene, placesOf(pair)), 0);
}
