import { z } from "zod";
import { create } from "zustand";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { PLAIN_VIEW, type View } from "@/playback/lens";
import { Player } from "@/playback/player";
import { type Manner, PLAIN_MANNER } from "@/playback/turns";
import { readSetting, writeSetting } from "@/store/settings";

/** The workbench's transport; blind runs have one of their own. */
export const player = new Player({ live: true });

/** At a switch: carry on, back to the mark, or back to the loop's start. */
export const ON_SWITCH = ["carry on", "back to mark", "loop start"] as const;
export const LONGEST_CROSSFADE_MS = 50;

/** What is kept from one session to the next. */
const preferencesSchema = z.object({
  boostDb: z.number(),
  onSwitch: z.enum(ON_SWITCH),
  crossfadeMs: z.number().min(0).max(LONGEST_CROSSFADE_MS).default(5),
  /** Silence before what is switched to. */
  gapSeconds: z.number().min(0).default(0),
  /** How far before its place what is switched to begins. */
  prerollSeconds: z.number().min(0).default(0),
  /** What switching by itself goes by: passes of the loop, or so many seconds. */
  every: z.union([z.literal("pass"), z.number().positive()]).default("pass"),
  over: z.enum(["pair", "all"]).default("pair"),
});
type Preferences = z.infer<typeof preferencesSchema>;

export type MonitorState = Preferences & {
  /** "here", "yonder", "difference", or a render of the passage by its id. */
  heard: string;
  matched: boolean;
  flipped: boolean;
  view: View;
  trimDb: number;
  loopOn: boolean;
  /** The whole passage is looped, for want of a mark, while switching goes by its passes. */
  wholeLoop: boolean;
};

export const useMonitor = create<MonitorState>(() => ({
  boostDb: 12,
  onSwitch: "carry on",
  crossfadeMs: 5,
  gapSeconds: 0,
  prerollSeconds: 0,
  every: "pass",
  over: "pair",
  heard: "here",
  matched: true,
  flipped: false,
  view: PLAIN_VIEW,
  trimDb: 0,
  loopOn: true,
  wholeLoop: false,
}));

// The player switches by itself too: what is shown follows what is heard.
player.state.subscribe(({ scene, turn }, before) => {
  if (scene !== before.scene && scene) useMonitor.setState({ heard: scene });
  if (turn === null && before.turn !== null) useMonitor.setState({ wholeLoop: false });
});

const PREFERENCES_KEY = "monitor";

export async function restorePreferences(): Promise<void> {
  const kept = await readSetting(PREFERENCES_KEY, preferencesSchema);
  if (kept) useMonitor.setState(kept);
}

export function setPreference(change: Partial<Preferences>): void {
  useMonitor.setState(change);
  void writeSetting(PREFERENCES_KEY, preferencesSchema.parse(useMonitor.getState()));
}

/** Where a switch may go back to. */
export type Places = { markFrame: number; loopStartFrame: number; sampleRateHz: number };

/** How a switch is made now, as preferences say. */
export function mannerNow({ markFrame, loopStartFrame, sampleRateHz }: Places): Manner {
  const { onSwitch, crossfadeMs, gapSeconds, prerollSeconds } = useMonitor.getState();
  const place =
    onSwitch === "back to mark"
      ? markFrame
      : onSwitch === "loop start"
        ? loopStartFrame
        : prerollSeconds > 0
          ? player.positionFrames()
          : null;
  return {
    fadeSeconds: crossfadeMs / 1000,
    gapSeconds,
    toFrame: place === null ? null : Math.max(0, Math.round(place - prerollSeconds * sampleRateHz)),
  };
}

/** Switches what is heard. */
export function hear(scene: string, places: Places): void {
  if (useMonitor.getState().heard === scene && player.state.getState().turn === null) return;
  useMonitor.setState({ heard: scene });
  player.hear(scene, mannerNow(places));
}

/** A passage whose sound is not laid after this long was not waited for. */
const LAID_WITHIN_MS = 10_000;

/** Puts the playhead at a frame of a passage that is being shown only now: at once, and again when its sound is laid, which begins at its loop. */
export function seekOnceLaid(frame: number): void {
  player.seek(frame);
  let isOther = false;
  const stop = player.state.subscribe(({ ready }) => {
    if (!ready) isOther = true;
    else if (isOther) {
      stop();
      player.seek(frame);
    }
  });
  setTimeout(stop, LAID_WITHIN_MS);
}

/** Plays something from a frame, whatever is otherwise done at a switch. */
export function hearFrom(scene: string, frame: number): void {
  useMonitor.setState({ heard: scene });
  player.hear(scene, { ...PLAIN_MANNER, toFrame: frame });
  if (!player.state.getState().playing) void player.play();
}

/** Switches by itself through scenes: round and round, or once through to its end. */
export function takeTurns(scenes: readonly string[], repeat: boolean, places: Places, hasLoop: boolean): void {
  const { every } = useMonitor.getState();
  const how = repeat ? every : "pass";
  useMonitor.setState({ loopOn: true, wholeLoop: how === "pass" && !hasLoop });
  // The loop has to stand before its passes are counted.
  setTimeout(() => void player.setTurns({ scenes, every: how, repeat, manner: () => mannerNow(places) }), 0);
}

export const endTurns = () => void player.setTurns(null);

export const setMatched = (matched: boolean) => useMonitor.setState({ matched });
export const setFlipped = (flipped: boolean) => useMonitor.setState({ flipped });
export const setLoopOn = (loopOn: boolean) => useMonitor.setState({ loopOn });

export function setView(change: Partial<View>): void {
  const view = { ...useMonitor.getState().view, ...change };
  useMonitor.setState({ view });
  player.setView(view);
}

export function setTrim(trimDb: number): void {
  useMonitor.setState({ trimDb });
  player.setTrim(amplitudeFromDb(trimDb));
}

export const setBoost = (boostDb: number) => setPreference({ boostDb });
