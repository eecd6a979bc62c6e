import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import type { Clip } from "../audio/clip";
import { clipOf, soundOf } from "../audio/sound";
import { testSignal } from "../bench/signal/signal";
import { DEFAULT_FORM, type SignalForm, type SignalPlan, signalPlan } from "../bench/signal/signal-plan";
import { readAudio } from "../formats/read-audio";
import { processorOf } from "../processors/registry";

/** A test signal of 16 kHz, mono: little to work through, and what the fixtures were sent. */
export const SMALL_FORM: SignalForm = { sampleRateHz: 16_000, levelDbfs: -12, channelCount: 1 };

/** A plan and its signal. */
export function sentSignal(form: Partial<SignalForm> = {}): { plan: SignalPlan; signal: Clip } {
  const plan = signalPlan({ ...DEFAULT_FORM, ...form });
  return { plan, signal: testSignal(plan) };
}

/** What became of a clip in one of our processors. */
export function through(clip: Clip, processorKey: string, settings: object = {}): Clip {
  const processor = processorOf(processorKey);
  if (!processor) throw new RangeError(processorKey);
  return clipOf(processor.process(soundOf(clip), processor.parameters.parse(settings), {}));
}

/** What came back of the small signal from one of ffmpeg's filters (fixtures/make_bench.py). */
export async function backFromFfmpeg(name: string): Promise<Clip> {
  const path = fileURLToPath(new URL(`../../../fixtures/bench/${name}.flac`, import.meta.url));
  const decoded = await readAudio(readFileSync(path), name);
  if (!decoded.ok) throw new Error(decoded.reason);
  return decoded.value.clip;
}
