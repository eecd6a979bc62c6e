import { createHMAC, createSHA256, sha256 } from "hash-wasm";

/** SHA-256 of a text, as 64 hexadecimal digits. */
export const digestOf = (text: string): Promise<string> => sha256(text);

/** HMAC with SHA-256 (RFC 2104) of a text under a key, as 64 hexadecimal digits. */
export async function stampOf(text: string, keyHex: string): Promise<string> {
  const mac = await createHMAC(createSHA256(), keyHex);
  return mac.init().update(text).digest("hex");
}

export const hexOf = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");
