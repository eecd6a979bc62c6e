import { useEffect, useRef } from "react";
import { create } from "zustand";
import type { SightedVerdict } from "@/store/records";
import { player, useMonitor } from "./monitor";
import { renderOfScene } from "./places";
import { useWorkbench } from "./workbench";

type Heard = SightedVerdict["heard"];

/** What was heard of each passage since the last verdict on it, or since the page was opened. */
export const useHeardSince = create<{ byPassage: Record<string, Heard> }>(() => ({ byPassage: {} }));

const LOOK_MS = 250;

function addSeconds(heard: Heard, renderId: string, matched: boolean, seconds: number): Heard {
  const known = heard.find((h) => h.renderId === renderId && h.matched === matched);
  if (!known) return [...heard, { renderId, matched, seconds }];
  return heard.map((h) => (h === known ? { ...h, seconds: h.seconds + seconds } : h));
}

/** Takes down what is heard while it plays. */
export function useListeningLog(): void {
  const { pair } = useWorkbench();
  const latest = useRef(pair);
  latest.current = pair;
  useEffect(() => {
    const timer = setInterval(() => {
      const now = latest.current;
      if (!now || !player.state.getState().playing) return;
      const { heard, matched } = useMonitor.getState();
      const render = renderOfScene(now, heard);
      if (!render) return;
      useHeardSince.setState(({ byPassage }) => {
        const own = byPassage[now.passage.id] ?? [];
        return { byPassage: { ...byPassage, [now.passage.id]: addSeconds(own, render.id, matched, LOOK_MS / 1000) } };
      });
    }, LOOK_MS);
    return () => clearInterval(timer);
  }, []);
}

export const forgetHeard = (passageId: string): void =>
  useHeardSince.setState(({ byPassage }) => ({ byPassage: { ...byPassage, [passageId]: [] } }));
