import { useLiveQuery } from "dexie-react-hooks";
import { learnDescriptors, ownDescriptors } from "@/store/descriptors";

/** The person's words for sounds, which grow as they are used. */
export function useDescriptors(): { known: readonly string[]; learn: (word: string) => Promise<void> } {
  const known = useLiveQuery(ownDescriptors, []) ?? [];
  return { known, learn: (word) => learnDescriptors([word]) };
}
