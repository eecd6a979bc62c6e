import { type FolderChange, folderChange, type Listed } from "@/core/sorting/versions";
import { database } from "./database";
import type { Folder } from "./records";

/** Endings of files that are taken for renders. */
const AUDIO = /\.(wav|wave|aif|aiff|aifc|flac|mp3|ogg|oga|opus)$/i;
/** A folder with more is not a folder of renders: nobody means a whole disk. */
const MOST_FILES = 2000;

/** Whether this browser can be given a folder. */
export const canConnect = (): boolean => "showDirectoryPicker" in globalThis;

type Picker = (options: { id: string; mode: "read" }) => Promise<FileSystemDirectoryHandle>;
type Permitted = { queryPermission(options: { mode: "read" }): Promise<PermissionState> } & {
  requestPermission(options: { mode: "read" }): Promise<PermissionState>;
};

/** Has a person choose a folder for a comparison; null where they think better of it. */
export async function connectFolder(comparisonId: string): Promise<Folder | null> {
  let handle: FileSystemDirectoryHandle;
  try {
    handle = await (globalThis as unknown as { showDirectoryPicker: Picker }).showDirectoryPicker({
      id: "renders",
      mode: "read",
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") return null;
    throw error;
  }
  const folder: Folder = { comparisonId, name: handle.name, handle, files: [] };
  await database.folders.put(folder);
  return folder;
}

export const disconnectFolder = (comparisonId: string): Promise<void> => database.folders.delete(comparisonId);

/** Whether the folder may be read now; with `isAsked` the browser asks, which it only does right after a press. */
export async function mayRead({ handle }: Folder, isAsked: boolean): Promise<boolean> {
  const permitted = handle as unknown as Partial<Permitted>;
  const state = await permitted.queryPermission?.({ mode: "read" });
  if (state === "granted" || state === undefined) return true;
  return isAsked && (await permitted.requestPermission?.({ mode: "read" })) === "granted";
}

/** All audio files of a folder and the folders in it. RangeError where there are too many. */
async function* filesIn(handle: FileSystemDirectoryHandle, path = ""): AsyncGenerator<{ path: string; file: File }> {
  for await (const [name, entry] of handle.entries()) {
    if (name.startsWith(".")) continue;
    if (entry.kind === "directory") yield* filesIn(entry as FileSystemDirectoryHandle, `${path}${name}/`);
    else if (AUDIO.test(name)) {
      // A file that is being written, or was taken away meanwhile, is there at the next look, or not.
      const file = await (entry as FileSystemFileHandle).getFile().catch(() => null);
      if (file && file.size > 0) yield { path: `${path}${name}`, file };
    }
  }
}

export type LookedThrough = FolderChange & { files: ReadonlyMap<string, File> };

/** What is otherwise in a comparison's folder than when its files were last taken or passed over. */
export async function lookThrough(folder: Folder): Promise<LookedThrough> {
  const files = new Map<string, File>();
  const now: Listed[] = [];
  for await (const { path, file } of filesIn(folder.handle)) {
    if (now.length >= MOST_FILES)
      throw new RangeError(
        `${folder.name} holds more than ${MOST_FILES} audio files. Choose a folder of renders alone.`,
      );
    files.set(path, file);
    now.push({ path, byteLength: file.size, lastModified: file.lastModified });
  }
  const change = folderChange(folder.files, now);
  return { ...change, files };
}

/** Takes files of a folder as seen, as they are: they are reported of again when they change. What is gone is forgotten. */
export async function passOver(comparisonId: string, seen: readonly Listed[], gone: readonly Listed[]): Promise<void> {
  await database.transaction("rw", database.folders, async () => {
    const folder = await database.folders.get(comparisonId);
    if (!folder) return;
    const others = new Set([...seen, ...gone].map(({ path }) => path));
    const kept = folder.files.filter(({ path }) => !others.has(path));
    await database.folders.update(comparisonId, { files: [...kept, ...seen] });
  });
}
