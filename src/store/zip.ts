import { downloadZip } from "client-zip";

export type ZipEntry = { name: string; input: Blob; lastModified: Date };

/** Where archives are put together. */
const FOLDER = "exports";
/** An archive older than this has been downloaded, or never will be: it goes at the next export. */
const DONE_WITH_MS = 600_000;

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
