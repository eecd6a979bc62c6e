import { create } from "zustand";

/** Counts how often a person asked for what broke off to be taken up again; what is measured hangs on it. */
export const useAttempt = create<{ attempt: number }>(() => ({ attempt: 0 }));

export const tryAgain = () => useAttempt.setState(({ attempt }) => ({ attempt: attempt + 1 }));
