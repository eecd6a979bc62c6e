import { z } from "zod";
import { signatureSchema } from "@/core/sorting/signature";
import { type Sorting, sortFiles } from "@/core/sorting/sort-files";
import { defineTask } from "../task";

/** Which passage each of some files belongs to, by their sound. */
export const sortTask = defineTask({
  version: 1,
  request: z.object({
    files: z.array(z.object({ id: z.string(), name: z.string(), signature: signatureSchema })),
    passages: z.array(z.object({ id: z.string(), title: z.string(), signature: signatureSchema })),
  }),
  answer: z.custom<Sorting>(),
  run: ({ files, passages }, { report }) =>
    sortFiles(files, passages, (share) => report({ share, doing: "Matching files to passages" })),
});
