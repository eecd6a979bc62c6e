import type { Run } from "./run";
import { fingerprintOf } from "./signature";

/** What is handed over before the first trial, so that nobody can say later that the order, the plan or the files were others. */
export type Commitment = { sealDigest: string; device: string | null };

/** The commitment to a run as text. `publicKeyHex`: of the browser it is taken in; null where that has none. */
export async function commitmentText(
  { id, sealDigest, createdAt }: Pick<Run, "id" | "sealDigest" | "createdAt">,
  publicKeyHex: string | null,
): Promise<string> {
  return [
    "Yonder Pair commitment",
    `run: ${id}`,
    `begun: ${createdAt}`,
    `seal: ${sealDigest}`,
    `device: ${publicKeyHex === null ? "none" : await fingerprintOf(publicKeyHex)}`,
    "Handed over before the first trial, this proves that plan, titles, audio and order were fixed by then.",
    "",
  ].join("\n");
}

/** The commitment in a text, or in 64 hexadecimal digits alone; null where there is none. */
export function commitmentIn(text: string): Commitment | null {
  const alone = /^\s*([0-9a-f]{64})\s*$/i.exec(text);
  const sealDigest = (alone ?? /^seal: ([0-9a-f]{64})\s*$/im.exec(text))?.[1].toLowerCase();
  if (!sealDigest) return null;
  const device = /^device: ([0-9a-f]{4}(?: [0-9a-f]{4}){3})\s*$/im.exec(text)?.[1].toLowerCase() ?? null;
  return { sealDigest, device };
}
