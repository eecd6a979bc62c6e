import type { HearingResult } from "@/core/blind/hearing";
import { type Listener, listenerSchema } from "@/core/blind/run";
import { now } from "./comparisons";
import { database } from "./database";
import type { Hearing } from "./records";
import { readSetting, writeSetting } from "./settings";

const LISTENER_KEY = "listener";
export const NO_LISTENER: Listener = { code: "", equipment: "", room: "", highestHz: null, unheardHz: null };

/** Who last listened here, as they gave it. */
export const lastListener = async (): Promise<Listener> =>
  (await readSetting(LISTENER_KEY, listenerSchema)) ?? NO_LISTENER;

export const keepListener = (listener: Listener): Promise<void> => writeSetting(LISTENER_KEY, listener);

/** Keeps what was found of a listener's hearing on this equipment; nothing where it could not be reported, as when nothing came through at all. */
export async function keepHearing(code: string, equipment: string, result: HearingResult): Promise<void> {
  if (!result.known || result.highestHz === null) return;
  const { highestHz, nextHz } = result;
  await database.hearings.put({ code, equipment, highestHz, unheardHz: nextHz, checkedAt: now() });
}

/** What is known of a listener's hearing, where it was tried on the equipment named. */
export async function hearingOf({ code, equipment }: Pick<Listener, "code" | "equipment">): Promise<Hearing | null> {
  const kept = await database.hearings.get(code);
  return kept && kept.equipment === equipment ? kept : null;
}

/** A listener as kept with a run: with what is known of their hearing. */
export async function listenerFor(listener: Listener): Promise<Listener> {
  const hearing = await hearingOf(listener);
  return { ...listener, highestHz: hearing?.highestHz ?? null, unheardHz: hearing?.unheardHz ?? null };
}
