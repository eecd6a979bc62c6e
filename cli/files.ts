import { closeSync, fstatSync, openSync, readSync } from "node:fs";
import type { ByteSource } from "@/core/formats/byte-source";

/** A file on a disk, read where it is asked for; `close` lets go of it. */
export function fileSource(path: string): ByteSource & { close: () => void } {
  const file = openSync(path, "r");
  const status = fstatSync(file);
  if (!status.isFile()) {
    closeSync(file);
    throw Object.assign(new Error(`${path} is no file`), { code: "EISDIR" });
  }
  const byteLength = status.size;
  const read = (start: number, end: number) => {
    const bytes = new Uint8Array(end - start);
    let at = 0;
    while (at < bytes.length) {
      const count = readSync(file, bytes, at, bytes.length - at, start + at);
      if (count === 0) throw new Error(`${path} became shorter while it was read.`);
      at += count;
    }
    return bytes;
  };
  return { byteLength, read, close: () => closeSync(file) };
}
