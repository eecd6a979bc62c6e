import { useSyncExternalStore } from "react";

const HEIGHT = 36;
const TALL_HEIGHT = 60;
const isTall = () => window.matchMedia("(min-height: 1000px)");

/** Height of one render's row in the alignment view, in pixels: its traces and the figures beside them; more where the window has room. */
export function useRowHeight(): number {
  return useSyncExternalStore(
    (onChange) => {
      const query = isTall();
      query.addEventListener("change", onChange);
      return () => query.removeEventListener("change", onChange);
    },
    () => (isTall().matches ? TALL_HEIGHT : HEIGHT),
    () => HEIGHT,
  );
}
