import { expose, transfer } from "comlink";
import { align } from "@/core/alignment/align";
import { putInStep } from "@/core/alignment/in-step";
import { type Clip, frameCount, sliceClip } from "@/core/audio/clip";
import { overviewOf } from "@/core/audio/overview";
import { resample } from "@/core/audio/resample";
import { FERRY_CANDIDATES, renderFerryPassage } from "@/core/demo/ferry";
import { judgedRegion, measurePair } from "@/core/difference/pair";
import type { DecodedAudio } from "@/core/formats/decoded-audio";
import { readAudio } from "@/core/formats/read-audio";
import { writeWav } from "@/core/formats/wav-write";
import { measureLevels } from "@/core/loudness/measure";
import {
  type Answers,
  type AudioRef,
  type FerryPart,
  type Inspected,
  OVERVIEW_COLUMNS,
  type Placed,
  type Progress,
  type Request,
  requestSchema,
} from "./tasks";

/** Decoded clips kept a worker, by hash and rate; the oldest go when they hold more than this. */
const CACHE_BYTES = 400_000_000;
const decodedClips = new Map<string, Clip>();

const bytesOf = (clip: Clip): number => frameCount(clip) * clip.channels.length * 4;

function remember(key: string, clip: Clip): Clip {
  decodedClips.delete(key);
  decodedClips.set(key, clip);
  let total = 0;
  for (const kept of decodedClips.values()) total += bytesOf(kept);
  for (const [oldest, kept] of decodedClips) {
    if (total <= CACHE_BYTES || oldest === key) break;
    decodedClips.delete(oldest);
    total -= bytesOf(kept);
  }
  return clip;
}

async function clipOf(audio: AudioRef): Promise<Clip> {
  const known = decodedClips.get(audio.hash);
  if (known) return remember(audio.hash, known);
  const decoded = await readAudio(new Uint8Array(await audio.bytes.arrayBuffer()), "A kept file");
  if (!decoded.ok) throw new Error(decoded.reason);
  return remember(audio.hash, decoded.value.clip);
}

async function clipAtRate(audio: AudioRef, sampleRateHz: number): Promise<Clip> {
  const clip = await clipOf(audio);
  if (clip.sampleRateHz === sampleRateHz) return clip;
  const key = `${audio.hash}@${sampleRateHz}`;
  return decodedClips.get(key) ?? remember(key, resample(clip, sampleRateHz));
}

async function placedClip(placed: Placed): Promise<{ inStep: Clip; frames: number }> {
  const clip = await clipAtRate(placed.audio, placed.sampleRateHz);
  return { inStep: putInStep(clip, placed.alignment, placed.frames), frames: frameCount(clip) };
}

async function sha256Hex(bytes: Uint8Array<ArrayBuffer>): Promise<string> {
  const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", bytes));
  return Array.from(digest, (b) => b.toString(16).padStart(2, "0")).join("");
}

function inspectDecoded(hash: string, { clip, encoding, remarks }: DecodedAudio): Inspected {
  return {
    hash,
    sampleRateHz: clip.sampleRateHz,
    channelCount: clip.channels.length,
    frames: frameCount(clip),
    encoding,
    remarks,
    levels: measureLevels(clip),
    overview: overviewOf(clip, OVERVIEW_COLUMNS),
  };
}

type OnProgress = (progress: Progress) => void;
type OnPart = (part: FerryPart) => void;
type Ask<Task extends Request["task"]> = Extract<Request, { task: Task }>;

async function inspect(ask: Ask<"inspect">, onProgress: OnProgress): Promise<Answers["inspect"]> {
  onProgress({ share: 0.05, doing: `Reading ${ask.name}` });
  const bytes = new Uint8Array(await ask.file.arrayBuffer());
  const decoded = await readAudio(bytes, ask.name);
  if (!decoded.ok) return decoded;
  onProgress({ share: 0.3, doing: `Measuring ${ask.name}` });
  const hash = await sha256Hex(bytes);
  remember(hash, decoded.value.clip);
  return { ok: true, value: inspectDecoded(hash, decoded.value) };
}

async function pair(ask: Ask<"pair">, onProgress: OnProgress): Promise<Answers["pair"]> {
  const here = await placedClip(ask.here);
  onProgress({ share: 0.3, doing: "Comparing the pair" });
  const yonder = await placedClip(ask.yonder);
  const region = judgedRegion(
    ask.here.frames,
    [
      { alignment: ask.here.alignment, frames: here.frames },
      { alignment: ask.yonder.alignment, frames: yonder.frames },
    ],
    ask.region,
  );
  return measurePair(here.inStep, yonder.inStep, ask.gainsDb, region);
}

async function place(ask: Ask<"place">): Promise<Answers["place"]> {
  const { inStep } = await placedClip(ask.render);
  // Copies: what goes to the page is moved there, and the cache must keep its own.
  const channels = inStep.channels.map((channel) => new Float32Array(channel));
  const overview = overviewOf(inStep, OVERVIEW_COLUMNS);
  return transfer(
    { channels, overview },
    channels.map((c) => c.buffer),
  );
}

async function ferry(ask: Ask<"ferry">, onProgress: OnProgress, onPart: OnPart): Promise<number> {
  const total = FERRY_CANDIDATES.length + 1;
  let done = 0;
  onProgress({ share: 0.02, doing: "Playing the passage" });
  for (const { candidateKey, clip } of renderFerryPassage(ask.passageKey)) {
    const bytes = writeWav(clip, "24-bit");
    // Measured from the bytes that are kept, not from what they were rounded from.
    const decoded = await readAudio(bytes, "A demo render");
    if (!decoded.ok) throw new Error(decoded.reason);
    const hash = await sha256Hex(bytes);
    remember(hash, decoded.value.clip);
    const inspected = inspectDecoded(hash, decoded.value);
    onPart({ candidateKey, file: new Blob([bytes], { type: "audio/wav" }), inspected });
    done++;
    onProgress({ share: done / total, doing: `Rendered ${done} of ${total}` });
  }
  return total;
}

const api = {
  async run(raw: unknown, onProgress: OnProgress, onPart: OnPart): Promise<Answers[Request["task"]]> {
    const ask = requestSchema.parse(raw);
    switch (ask.task) {
      case "inspect":
        return inspect(ask, onProgress);
      case "align": {
        const reference = await clipOf(ask.reference);
        onProgress({ share: 0.2, doing: "Finding the delay" });
        return align(reference, await clipAtRate(ask.render, reference.sampleRateHz));
      }
      case "place":
        return place(ask);
      case "pair":
        return pair(ask, onProgress);
      case "levels": {
        const { inStep } = await placedClip(ask.render);
        return measureLevels(sliceClip(inStep, ask.region.startFrame, ask.region.endFrame));
      }
      case "ferry":
        return ferry(ask, onProgress, onPart);
    }
  },
};
export type AudioWorkerApi = typeof api;

expose(api);
