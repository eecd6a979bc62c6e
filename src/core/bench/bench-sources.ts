import { type NamedSource, openTogether } from "../formats/open-together";
import type { MakeCopy } from "../formats/pcm-copy";
import { fail, type Outcome } from "../outcome";
import { benchRecording, type Pause } from "./bench";
import { withReference } from "./reference";
import type { BenchReport } from "./report";
import { returnedFrom } from "./signal/returned";

/** Measures two recordings, and takes the second, a loop-back, off the first. */
export async function benchWithLoopBack(recording: NamedSource, loop: NamedSource): Promise<Outcome<BenchReport>> {
  const report = await benchSources(recording, null);
  if (!report.ok) return report;
  const loopReport = await benchSources(loop, null);
  return loopReport.ok ? withReference(report.value, { title: loop.file, report: loopReport.value }) : loopReport;
}

/** Opens a recording, and the test signal that was sent where it is given, and measures what came back. */
export async function benchSources(
  recording: NamedSource,
  signal: NamedSource | null,
  { makeCopy, pause }: { makeCopy?: MakeCopy; pause?: Pause } = {},
): Promise<Outcome<BenchReport>> {
  const opened = await openTogether([recording], makeCopy);
  if (!opened.ok) return opened;
  const [{ file, sound }] = opened.value;
  if (!signal) return benchRecording(file, sound, pause);
  const sent = await openTogether([signal]);
  if (!sent.ok) return sent;
  const own = returnedFrom(signal.file, sent.value[0].sound);
  if (!own.ok)
    return fail(
      `${signal.file} is not a Yonder Pair test signal: ${own.reason}`,
      "Write one with “yonder signal”, and send that.",
    );
  return benchRecording(file, sound, pause, { file: signal.file, form: own.value.plan.form });
}
