import type { AppliedStep, Found } from "@/core/ladder/found-chain";
import { appliedRecipe } from "@/store/explaining";
import type { Region } from "@/store/records";
import { applyFit } from "@/ui/shell/applied-voices";
import { hear } from "@/ui/shell/monitor";
import { placesOf } from "@/ui/shell/places";
import { appliedKey } from "@/ui/shell/use-monitor-feed";
import type { Pair } from "@/ui/shell/workbench";

/** Applies the fit up to a step to Here, and switches to a scene of it: itself, or what it leaves. */
export async function hearStep(
  pair: Pair,
  region: Region,
  found: Found,
  upTo: AppliedStep,
  residualDb: number | null,
  scene: string,
): Promise<void> {
  const recipe = await appliedRecipe(pair, region, found, upTo);
  await applyFit(appliedKey(pair), upTo, recipe, Math.max(pair.here.channelCount, 1), residualDb);
  // The tape is laid anew with it first.
  setTimeout(() => hear(scene, placesOf(pair)), 0);
}
