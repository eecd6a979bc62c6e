import { z } from "zod";
import { BENCH_VERSION, benchReportSchema } from "@/core/bench/report";
import { blobSource, copyInBlob } from "../blobs";
import { blobSchema, defineTask } from "../task";

const refusedSchema = z.object({ ok: z.literal(false), reason: z.string(), advice: z.string() });

/** Finds a test signal in a recording and measures what came back. */
export const benchRecordingTask = defineTask({
  version: BENCH_VERSION,
  request: z.object({ name: z.string(), file: blobSchema }),
  answer: z.discriminatedUnion("ok", [z.object({ ok: z.literal(true), value: benchReportSchema }), refusedSchema]),
  run: async ({ name, file }, { report }) => {
    const { benchSources } = await import("@/core/bench/bench-sources");
    return benchSources({ file: name, source: blobSource(file) }, null, {
      makeCopy: copyInBlob().makeCopy,
      pause: (share, doing) => report({ share, doing }),
    });
  },
});
