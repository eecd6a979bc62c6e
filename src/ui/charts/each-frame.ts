import { useEffect } from "react";
import type { StoreApi } from "zustand/vanilla";

/** What tells where playback stands, and whether it moves. */
export type Playhead = {
  readonly state: Pick<StoreApi<{ playing: boolean }>, "getState" | "subscribe">;
  positionFrames(): number;
};

/** Calls `draw` outside React: before each picture of the screen while it plays, and when something about it changes while it rests. */
export function useEachFrame({ state }: Playhead, draw: () => void): void {
  useEffect(() => {
    let request = 0;
    const run = () => {
      draw();
      request = state.getState().playing ? requestAnimationFrame(run) : 0;
    };
    run();
    const end = state.subscribe(() => {
      if (request === 0) run();
    });
    return () => {
      end();
      cancelAnimationFrame(request);
    };
  }, [state, draw]);
}
