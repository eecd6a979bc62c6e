import { useEffect } from "react";
import type { StoreApi } from "zustand/vanilla";

/** What tells where playback stands, and whether it moves. */
export type Playhead = {
  readonly state: Pick<StoreApi<{ playing: boolean }>, "getState" | "subscribe">;
  positionFrames(): number;
};

/** Whoever asks for little motion sees it move in steps so far apart. */
const STEP_MS = 50;
const LITTLE_MOTION = "(prefers-reduced-motion: reduce)";

/**
 * Calls `draw` outside React: before each picture of the screen while it plays (twenty times a second where little motion is asked for), and when something about
 * it changes while it rests.
 */
export function useEachFrame({ state }: Playhead, draw: () => void): void {
  useEffect(() => {
    const isStepped = window.matchMedia(LITTLE_MOTION).matches;
    let end = () => {};
    let isWaiting = false;
    const wait = () => {
      isWaiting = true;
      if (isStepped) {
        const timer = setTimeout(run, STEP_MS);
        end = () => clearTimeout(timer);
      } else {
        const request = requestAnimationFrame(run);
        end = () => cancelAnimationFrame(request);
      }
    };
    const run = () => {
      isWaiting = false;
      draw();
      if (state.getState().playing) wait();
    };
    run();
    const unsubscribe = state.subscribe(() => {
      if (!isWaiting) run();
    });
    return () => {
      unsubscribe();
      end();
    };
  }, [state, draw]);
}
