import { useEffect } from "react";

/** Calls `draw` before each picture of the screen, outside React, for as long as its owner is there. */
export function useEachFrame(draw: () => void): void {
  useEffect(() => {
    let request = 0;
    const run = () => {
      draw();
      request = requestAnimationFrame(run);
    };
    run();
    return () => cancelAnimationFrame(request);
  }, [draw]);
}
