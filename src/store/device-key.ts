import { hexOf } from "@/core/blind/digest";
import { chainOf } from "@/core/blind/run";
import { SIGNING, type Signature, signedBytes } from "@/core/blind/signature";
import { now } from "./comparisons";
import { database } from "./database";
import type { DeviceKey, Run } from "./records";

const OWN_KEY = "signing";

/** The key of this browser, made at its first use; null where the browser has no Web Cryptography, as outside HTTPS and localhost. */
export async function deviceKey(): Promise<DeviceKey | null> {
  const kept = await database.deviceKeys.get(OWN_KEY);
  if (kept) return kept;
  const subtle = globalThis.crypto?.subtle as SubtleCrypto | undefined;
  if (!subtle) return null;
  const { privateKey, publicKey } = await subtle.generateKey(SIGNING, false, ["sign", "verify"]);
  const made: DeviceKey = {
    id: OWN_KEY,
    privateKey,
    publicKeyHex: hexOf(new Uint8Array(await subtle.exportKey("raw", publicKey))),
    createdAt: now(),
  };
  // Another tab may have made one in between: the first stays.
  return database.transaction("rw", database.deviceKeys, async () => {
    const first = await database.deviceKeys.get(OWN_KEY);
    if (first) return first;
    await database.deviceKeys.add(made);
    return made;
  });
}

/** Signs the chain of a run that has just ended. */
async function signatureOf(run: Run): Promise<Signature | null> {
  const key = await deviceKey();
  if (!key) return null;
  const value = await crypto.subtle.sign(SIGNING, key.privateKey, signedBytes(await chainOf(run)));
  return { publicKeyHex: key.publicKeyHex, valueHex: hexOf(new Uint8Array(value)) };
}

/** Signs a run that has ended, once; one that cannot be signed stays as it is, and its record says so. */
export async function signRun(runId: string): Promise<void> {
  const run = await database.runs.get(runId);
  if (!run?.finishedAt || run.signature) return;
  const signature = await signatureOf(run);
  if (signature) await database.runs.update(runId, { signature });
}
