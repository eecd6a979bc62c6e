import { createWriteStream } from "node:fs";
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { ReadableStream } from "node:stream/web";
import { Busboy, type BusboyHeaders } from "@fastify/busboy";

/** One file of a form, on the disk. */
export type UploadedFile = { field: string; name: string; path: string };

/** The files of a form in a folder of their own. */
export type Upload = {
  folder: string;
  files: UploadedFile[];
  otherFields: { name: string; value: string }[];
  isTooLarge: boolean;
};

export const takeAway = (folder: string): Promise<void> => rm(folder, { recursive: true, force: true });

/**
 * Writes the files of a multipart form to the disk as they come, so that none is held. Throws what is wrong with the form, or with the
 * connection; nothing is left behind then. `isTooLarge` where more than `mostBytes` came: the rest is let go by.
 */
export async function receive(request: Request, mostBytes: number): Promise<Upload> {
  const folder = await mkdtemp(join(tmpdir(), "yonder-upload-"));
  const upload: Upload = { folder, files: [], otherFields: [], isTooLarge: false };
  try {
    if (!request.body) throw new Error("there is no form");
    const form = new Busboy({ headers: Object.fromEntries(request.headers) as BusboyHeaders });
    const written: Promise<void>[] = [];
    let bytes = 0;
    form.on("file", (field, stream, name) => {
      const path = join(folder, String(upload.files.length));
      upload.files.push({ field, name, path });
      stream.on("data", (piece: Buffer) => {
        bytes += piece.length;
        if (bytes > mostBytes) upload.isTooLarge = true;
      });
      written.push(pipeline(stream, createWriteStream(path)));
    });
    form.on("field", (name, value) => upload.otherFields.push({ name, value }));
    await pipeline(Readable.fromWeb(request.body as ReadableStream), form, { signal: request.signal });
    await Promise.all(written);
    return upload;
  } catch (error) {
    await takeAway(folder);
    throw error;
  }
}
