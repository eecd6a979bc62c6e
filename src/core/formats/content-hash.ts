import { createXXHash128 } from "hash-wasm";

/** Takes the bytes of a file in order and tells what they are known by. */
export type ContentHasher = { update(bytes: Uint8Array): void; digest(): string };

/** XXH3, 128 bits, enough for no two files to be taken for one by chance; hexadecimal digits. */
export async function contentHasher(): Promise<ContentHasher> {
  const hasher = await createXXHash128();
  return { update: (bytes) => void hasher.update(bytes), digest: () => hasher.digest("hex") };
}
