import type { FileEntry } from "@zip.js/zip.js";
import { downloadZip } from "client-zip";
import type { ZipFiles } from "@/core/archive/unzip";
import { type Outcome, succeed } from "@/core/outcome";

export type ZipEntry = { name: string; input: Blob; lastModified: Date };

/** Where archives are put together. */
const FOLDER = "exports";
/** An archive older than this has been downloaded, or never will be: it goes at the next export. */
const DONE_WITH_MS = 600_000;
/** What may lie in memory while it is taken out of an archive. */
const LITTLE_BYTES = 16 * 2 ** 20;

/**
 * A zip of files that come one after the other, stored without compression; over 4 GiB it is ZIP64. Written straight to the browser's private
 * part of the disk where it has one, so that it never lies in memory as a whole. Rejects when `signal` ends it; `onBytes` is told how many bytes are written.
 */
export async function zipped(
  name: string,
  entries: AsyncIterable<ZipEntry>,
  { signal, onBytes }: { signal?: AbortSignal; onBytes?: (count: number) => void } = {},
): Promise<Blob> {
  const { body } = downloadZip(entries);
  if (!body) throw new Error("The archive could not be started.");
  let count = 0;
  const counted = new TransformStream<Uint8Array, Uint8Array>({
    transform(bytes, controller) {
      count += bytes.byteLength;
      onBytes?.(count);
      controller.enqueue(bytes);
    },
  });
  const stream = body.pipeThrough(counted, { signal });
  const file = await diskFile(name);
  if (!file) return new Response(stream).blob();
  await stream.pipeTo((await file.createWritable()) as WritableStream<Uint8Array>, { signal });
  return file.getFile();
}

/** A fresh file on the private disk; null where the browser has none that can be written from a page. */
async function diskFile(name: string): Promise<FileSystemFileHandle | null> {
  if (typeof navigator === "undefined" || !navigator.storage?.getDirectory) return null;
  try {
    const root = await navigator.storage.getDirectory();
    const folder = await root.getDirectoryHandle(FOLDER, { create: true });
    await clearAway(folder);
    const handle = await folder.getFileHandle(`${Date.now()} ${name}`, { create: true });
    return "createWritable" in handle ? handle : null;
  } catch {
    return null;
  }
}

async function clearAway(folder: FileSystemDirectoryHandle): Promise<void> {
  for await (const [name, handle] of folder.entries()) {
    const file = handle.kind === "file" ? await (handle as FileSystemFileHandle).getFile() : null;
    if (file && Date.now() - file.lastModified > DONE_WITH_MS) await folder.removeEntry(name).catch(() => {});
  }
}

/** Opens a zip; a failure in words where it is none. `what` says what it was hoped to be, `advice` what to do. */
export async function openZip(file: File, what: string, advice: string): Promise<Outcome<ZipFiles>> {
  const [{ BlobReader }, { listed }] = await Promise.all([import("@zip.js/zip.js"), import("@/core/archive/unzip")]);
  return listed(new BlobReader(file), { fileName: file.name, what, advice });
}

/** The text of an entry of the zip `fileName`. */
export async function textOf(fileName: string, entry: FileEntry): Promise<Outcome<string>> {
  const { textBytes } = await import("@/core/archive/unzip");
  const bytes = await textBytes(fileName, entry);
  return bytes.ok ? succeed(new TextDecoder().decode(bytes.value)) : bytes;
}

/** JSON as plain data; undefined where it is none. */
export function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

/** Bytes that were taken out of a zip; `letGo` once they are kept elsewhere, or not wanted. */
export type Taken = { bytes: Blob; letGo: () => Promise<void> };

/** The bytes of an entry, from a file of their own on the private disk where there is one, so that they never lie in memory as a whole. */
export async function bytesOf(entry: FileEntry, signal?: AbortSignal): Promise<Taken> {
  const { unpack } = await import("@/core/archive/unzip");
  const onDisk = entry.uncompressedSize > LITTLE_BYTES ? await diskFile(entry.filename.replace(/^.*\//, "")) : null;
  if (!onDisk) {
    const parts: Uint8Array<ArrayBuffer>[] = [];
    await unpack(entry, (bytes) => void parts.push(bytes), signal);
    return { bytes: new Blob(parts), letGo: async () => {} };
  }
  const written = await onDisk.createWritable();
  try {
    await unpack(entry, (bytes) => written.write(bytes), signal);
  } catch (error) {
    await written.abort();
    await letGoOf(onDisk);
    throw error;
  }
  await written.close();
  return { bytes: await onDisk.getFile(), letGo: () => letGoOf(onDisk) };
}

async function letGoOf({ name }: FileSystemFileHandle): Promise<void> {
  const folder = await (await navigator.storage.getDirectory()).getDirectoryHandle(FOLDER);
  // One that is still being read stays, and goes with the next that are old.
  await folder.removeEntry(name).catch(() => {});
}
