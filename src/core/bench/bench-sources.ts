import { soundProblem } from "../formats/decoded-audio";
import type { NamedSource } from "../formats/open-together";
import type { MakeCopy } from "../formats/pcm-copy";
import { openAudio } from "../formats/read-audio";
import { fail, type Outcome } from "../outcome";
import { benchRecording, type Pause } from "./bench";
import type { BenchReport } from "./report";
import { returnedFrom } from "./returned";
import type { SignalForm } from "./signal-plan";

const described = ({ sampleRateHz, levelDbfs, channelCount }: SignalForm) =>
  `${sampleRateHz} Hz, ${levelDbfs} dBFS, ${channelCount === 1 ? "mono" : "stereo"}`;

/** Opens a recording, and the test signal that was sent where it is given, and measures what came back. */
export async function benchSources(
  recording: NamedSource,
  signal: NamedSource | null,
  { makeCopy, pause }: { makeCopy?: MakeCopy; pause?: Pause } = {},
): Promise<Outcome<BenchReport>> {
  const opened = await soundIn(recording, makeCopy);
  if (!opened.ok) return opened;
  if (signal) {
    const sent = await soundIn(signal);
    if (!sent.ok) return sent;
    const own = returnedFrom(signal.file, sent.value);
    if (!own.ok)
      return fail(
        `${signal.file} is no test signal of ours: ${own.reason}`,
        "Write one with yonder -- signal, and send that.",
      );
    const back = returnedFrom(recording.file, opened.value);
    if (!back.ok) return back;
    const [first, second] = [own.value.plan.form, back.value.plan.form].map(described);
    if (first !== second)
      return fail(
        `${recording.file} holds another test signal (${second}) than ${signal.file} (${first}).`,
        "Give the signal that was sent, or leave --signal away: a recording tells what it holds.",
      );
  }
  return benchRecording(recording.file, opened.value, pause);
}

async function soundIn({ file, source }: NamedSource, makeCopy?: MakeCopy) {
  const audio = await openAudio(source, file, makeCopy);
  if (!audio.ok) return audio;
  const problem = soundProblem(file, audio.value.sound);
  return problem ?? { ok: true as const, value: audio.value.sound };
}
