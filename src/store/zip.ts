import { downloadZip } from "client-zip";

export type ZipEntry = { name: string; input: Blob; lastModified: Date };

/** Where archives are put together; what an earlier export left there goes first. */
const FOLDER = "exports";

/**
 * A zip of files that come one after the other, stored without compression; over 4 GiB it is ZIP64. Written straight to the browser's private
 * part of the disk where it has one, so that it never lies in memory as a whole. Rejects when `signal` ends it.
 */
export async function zipped(name: string, entries: AsyncIterable<ZipEntry>, signal?: AbortSignal): Promise<Blob> {
  const { body } = downloadZip(entries);
  if (!body) throw new Error("The archive could not be begun.");
  const file = await diskFile(name);
  if (!file) return new Response(body.pipeThrough(new TransformStream(), { signal })).blob();
  await body.pipeTo(await file.createWritable(), { signal });
  return file.getFile();
}

/** A fresh file on the private disk; null where the browser has none that can be written from a page. */
async function diskFile(name: string): Promise<FileSystemFileHandle | null> {
  if (typeof navigator === "undefined" || !navigator.storage?.getDirectory) return null;
  try {
    const root = await navigator.storage.getDirectory();
    await root.removeEntry(FOLDER, { recursive: true }).catch(() => {});
    const folder = await root.getDirectoryHandle(FOLDER, { create: true });
    const handle = await folder.getFileHandle(name, { create: true });
    return "createWritable" in handle ? handle : null;
  } catch {
    return null;
  }
}
