import { z } from "zod";
import { digestOf } from "./digest";

/** A signature over the chain of a run, by the key of the browser it was taken in: ECDSA on P-256 with SHA-256 (FIPS 186-5). */
export const signatureSchema = z.object({
  /** The public key: an uncompressed point (SEC 1, 2.3.3). */
  publicKeyHex: z.string().regex(/^04[0-9a-f]{128}$/),
  /** r and s, 32 bytes each (IEEE P1363). */
  valueHex: z.string().regex(/^[0-9a-f]{128}$/),
});
export type Signature = z.infer<typeof signatureSchema>;

export const SIGNING = { name: "ECDSA", namedCurve: "P-256", hash: "SHA-256" };

/** What is used of Web Cryptography, which browsers have in secure contexts and Node has everywhere. */
type Subtle = {
  importKey(
    form: "raw",
    bytes: Uint8Array,
    algorithm: typeof SIGNING,
    extractable: boolean,
    usages: string[],
  ): Promise<unknown>;
  verify(algorithm: typeof SIGNING, key: unknown, signature: Uint8Array, bytes: Uint8Array): Promise<boolean>;
};
const subtle = (): Subtle | undefined => (globalThis as { crypto?: { subtle?: Subtle } }).crypto?.subtle;

const bytesOf = (hex: string): Uint8Array =>
  Uint8Array.from({ length: hex.length / 2 }, (_, i) => Number.parseInt(hex.slice(2 * i, 2 * i + 2), 16));

/** A digest in hexadecimal digits as what is signed: its letters. */
export const signedBytes = (chainHex: string): Uint8Array<ArrayBuffer> =>
  Uint8Array.from(`yonder-pair/signed@1 ${chainHex}`, (letter) => letter.charCodeAt(0));

/** Whether a signature is of this chain; null where the host cannot tell. */
export async function signatureHolds(chainHex: string, { publicKeyHex, valueHex }: Signature): Promise<boolean | null> {
  const host = subtle();
  if (!host) return null;
  try {
    const key = await host.importKey("raw", bytesOf(publicKeyHex), SIGNING, false, ["verify"]);
    return await host.verify(SIGNING, key, bytesOf(valueHex), signedBytes(chainHex));
  } catch {
    // No point of the curve.
    return false;
  }
}

/** A public key as people compare it: 16 digits of its SHA-256, in fours. */
export async function fingerprintOf(publicKeyHex: string): Promise<string> {
  const digest = await digestOf(publicKeyHex);
  return [0, 4, 8, 12].map((at) => digest.slice(at, at + 4)).join(" ");
}
