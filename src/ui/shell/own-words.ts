import { useLiveQuery } from "dexie-react-hooks";
import { learnWords, ownWords } from "@/store/words";

/** The person's words for sounds, which grow as they are used. */
export function useOwnWords(): { known: readonly string[]; learn: (word: string) => Promise<void> } {
  const known = useLiveQuery(ownWords, []) ?? [];
  return { known, learn: (word) => learnWords([word]) };
}
