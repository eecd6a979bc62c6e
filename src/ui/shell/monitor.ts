import { z } from "zod";
import { create } from "zustand";
import type { Lens } from "@/playback/graph";
import type { Heard } from "@/playback/monitor-gains";
import { Player } from "@/playback/player";
import { readSetting, writeSetting } from "@/store/settings";

/** The workbench's transport; blind runs have one of their own. */
export const player = new Player();

export type MonitorState = {
  heard: Heard;
  matched: boolean;
  lens: Lens;
  boostDb: number;
  loopOn: boolean;
  /** At a switch: carry on, or go back to the mark (the loop's start). */
  onSwitch: "carry on" | "back to mark";
};

export const useMonitor = create<MonitorState>(() => ({
  heard: "here",
  matched: true,
  lens: "stereo",
  boostDb: 12,
  loopOn: true,
  onSwitch: "carry on",
}));

const preferencesSchema = z.object({ boostDb: z.number(), onSwitch: z.enum(["carry on", "back to mark"]) });
const PREFERENCES_KEY = "monitor";

export async function restorePreferences(): Promise<void> {
  const kept = await readSetting(PREFERENCES_KEY, preferencesSchema);
  if (kept) useMonitor.setState(kept);
}

function keepPreferences(): void {
  const { boostDb, onSwitch } = useMonitor.getState();
  void writeSetting(PREFERENCES_KEY, { boostDb, onSwitch });
}

/** Switches what is heard at the same playhead, or from the mark where that is asked for. */
export function hear(heard: Heard, markFrame: number): void {
  if (useMonitor.getState().heard === heard) return;
  useMonitor.setState({ heard });
  if (useMonitor.getState().onSwitch === "back to mark" && player.state.getState().playing) player.seek(markFrame);
}

export const setMatched = (matched: boolean) => useMonitor.setState({ matched });
export const setLoopOn = (loopOn: boolean) => useMonitor.setState({ loopOn });

export function setLens(lens: Lens): void {
  useMonitor.setState({ lens });
  player.setLens(lens);
}

export function setOnSwitch(onSwitch: MonitorState["onSwitch"]): void {
  useMonitor.setState({ onSwitch });
  keepPreferences();
}

export function setBoost(boostDb: number): void {
  useMonitor.setState({ boostDb });
  keepPreferences();
}
