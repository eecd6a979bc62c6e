import { useSyncExternalStore } from "react";

const never = () => () => {};

/** False while the server's markup is being taken over, true after: for what only the browser knows. */
export function useMounted(): boolean {
  return useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
}
