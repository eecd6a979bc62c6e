import { soundOf } from "@/core/audio/sound";
import { testSignal } from "@/core/bench/signal/signal";
import { signalFormSchema, signalPlan } from "@/core/bench/signal/signal-plan";
import { partsOfFile } from "@/core/formats/file-form";
import { blobOf } from "../blobs";
import { blobSchema, defineTask } from "../task";

/** A test signal as a file to be sent through anything. */
export const testSignalTask = defineTask({
  version: 1,
  request: signalFormSchema,
  answer: blobSchema,
  run: (form) => blobOf(partsOfFile(soundOf(testSignal(signalPlan(form))), { container: "WAV", encoding: "24-bit" })),
});
