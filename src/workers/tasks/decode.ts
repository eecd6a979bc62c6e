import { z } from "zod";
import { DECODER_VERSION } from "@/core/formats/coded-read";
import { openAudio } from "@/core/formats/read-audio";
import { blobSource, copyInBlob } from "../blobs";
import { blobSchema, defineTask } from "../task";

/** A coded file decoded once more into plain samples, where the copy made when it was read has been let go. */
export const decodeTask = defineTask({
  version: DECODER_VERSION,
  request: z.object({ name: z.string(), file: z.instanceof(Blob) }),
  answer: blobSchema,
  run: async ({ name, file }) => {
    const copy = copyInBlob();
    const opened = await openAudio(blobSource(file), name, copy.makeCopy);
    if (!opened.ok) throw new Error(`${opened.reason} ${opened.advice}`);
    // A file of plain samples is its own copy.
    return copy.blob() ?? file;
  },
});
