import { expose, transfer } from "comlink";
import { align } from "@/core/alignment/align";
import { putInStep } from "@/core/alignment/in-step";
import { findOnsets } from "@/core/alignment/onset";
import { type Clip, frameCount, scaleClip, sliceClip } from "@/core/audio/clip";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { overviewOf } from "@/core/audio/overview";
import { resample } from "@/core/audio/resample";
import { renderFerry, synthesiseFerry } from "@/core/demo/ferry";
import { leastSquaresGainDb, residualsAround } from "@/core/difference/fit";
import { judgedRegion, measurePair } from "@/core/difference/pair";
import type { DecodedAudio } from "@/core/formats/decoded-audio";
import { writeFile } from "@/core/formats/file-form";
import { readAudio } from "@/core/formats/read-audio";
import { writeWav } from "@/core/formats/wav-write";
import { loudnessCourse } from "@/core/loudness/loudness";
import { measureLevels, measureStretch } from "@/core/loudness/measure";
import { runChain } from "@/core/processors/chain";
import { signatureOf } from "@/core/sorting/signature";
import { sortFiles } from "@/core/sorting/sort-files";
import {
  type Answers,
  type AudioRef,
  type MadeRender,
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

/** A render in step with its dry one. */
async function placedClip(placed: Placed): Promise<Clip> {
  if (placed.corrected) return clipOf(placed.corrected);
  return putInStep(await clipAtRate(placed.audio, placed.sampleRateHz), placed.placement, placed.frames);
}

const scaled = (clip: Clip, gainDb: number): Clip => (gainDb === 0 ? clip : scaleClip(clip, amplitudeFromDb(gainDb)));

async function sha256Hex(bytes: Uint8Array<ArrayBuffer>): Promise<string> {
  const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", bytes));
  return Array.from(digest, (b) => b.toString(16).padStart(2, "0")).join("");
}

function readingOf(hash: string, { clip, encoding, remarks }: DecodedAudio) {
  return {
    hash,
    sampleRateHz: clip.sampleRateHz,
    channelCount: clip.channels.length,
    frames: frameCount(clip),
    encoding,
    remarks,
    overview: overviewOf(clip, OVERVIEW_COLUMNS),
  };
}

type OnProgress = (progress: Progress) => void;
type Ask<Task extends Request["task"]> = Extract<Request, { task: Task }>;

async function read(ask: Ask<"read">, onProgress: OnProgress): Promise<Answers["read"]> {
  onProgress({ share: 0.05, doing: `Reading ${ask.name}` });
  const bytes = new Uint8Array(await ask.file.arrayBuffer());
  const decoded = await readAudio(bytes, ask.name);
  if (!decoded.ok) return decoded;
  onProgress({ share: 0.5, doing: `Reading ${ask.name}` });
  const hash = await sha256Hex(bytes);
  remember(hash, decoded.value.clip);
  return { ok: true, value: { ...readingOf(hash, decoded.value), signature: signatureOf(decoded.value.clip) } };
}

/** A clip as a kept render: written, and read and measured from the bytes that are kept, not from what they were made of. */
async function made(clip: Clip, encoding: "24-bit" | "32-bit float"): Promise<MadeRender> {
  const bytes = writeWav(clip, encoding);
  const decoded = await readAudio(bytes, "The result");
  if (!decoded.ok) throw new Error(`${decoded.reason} ${decoded.advice}`);
  const hash = await sha256Hex(bytes);
  remember(hash, decoded.value.clip);
  const inspected = { ...readingOf(hash, decoded.value), levels: measureLevels(decoded.value.clip) };
  return { file: new Blob([bytes], { type: "audio/wav" }), inspected };
}

async function processed(ask: Ask<"process">, onProgress: OnProgress): Promise<MadeRender> {
  const source = await clipOf(ask.source);
  const key = ask.key ? await placedClip(ask.key) : undefined;
  const onStage = (share: number, name: string) => onProgress({ share: 0.1 + 0.7 * share, doing: name });
  const clip = runChain(source, ask.chain, { key, keepLatency: ask.keepLatency, onStage });
  onProgress({ share: 0.8, doing: "Measuring the result" });
  return made(clip, "32-bit float");
}

async function pair(ask: Ask<"pair">, onProgress: OnProgress): Promise<Answers["pair"]> {
  const here = await placedClip(ask.here);
  onProgress({ share: 0.3, doing: "Comparing the pair" });
  const yonder = await placedClip(ask.yonder);
  const region = judgedRegion(
    ask.here.frames,
    [ask.here, ask.yonder].map(({ placement, ownFrames, edgeFrames }) => ({
      placement,
      frames: ownFrames,
      edgeFrames,
    })),
    ask.region,
  );
  return measurePair(here, yonder, ask.gainsDb, region);
}

async function place(ask: Ask<"place">): Promise<Answers["place"]> {
  const inStep = await placedClip(ask.render);
  // Copies: what goes to the page is moved there, and the cache must keep its own.
  const channels = inStep.channels.map((channel) => new Float32Array(channel));
  const overview = overviewOf(inStep, OVERVIEW_COLUMNS);
  return transfer(
    { channels, overview },
    channels.map((c) => c.buffer),
  );
}

/** Samples around a frame, silence outside. */
function window({ channels }: Clip, frame: number, reach: number): Float32Array<ArrayBuffer>[] {
  return channels.map((channel) => {
    const output = new Float32Array(2 * reach + 1);
    const from = Math.max(0, frame - reach);
    const to = Math.min(channel.length, frame + reach + 1);
    if (to > from) output.set(channel.subarray(from, to), from - (frame - reach));
    return output;
  });
}

async function around({ render, frame, reach }: Ask<"around">): Promise<Answers["around"]> {
  const delivered = await clipAtRate(render.audio, render.sampleRateHz);
  return { before: window(delivered, frame, reach), after: window(await placedClip(render), frame, reach) };
}

async function residuals({ dry, render }: Ask<"residuals">): Promise<Answers["residuals"]> {
  const delivered = await clipAtRate(render.audio, render.sampleRateHz);
  return residualsAround(await clipOf(dry), delivered, await placedClip(render), render.placement, render.edgeFrames);
}

async function fitted({ dry, render, region }: Ask<"fit">): Promise<Answers["fit"]> {
  const { startFrame, endFrame } = judgedRegion(
    render.frames,
    [{ placement: render.placement, frames: render.ownFrames, edgeFrames: render.edgeFrames }],
    region,
  );
  const [reference, inStep] = [await clipOf(dry), await placedClip(render)];
  return leastSquaresGainDb(sliceClip(reference, startFrame, endFrame), sliceClip(inStep, startFrame, endFrame));
}

/** The passage is synthesised once a worker; its candidates all start from it. */
function ferryDry(passageKey: string): Clip {
  const key = `ferry ${passageKey}`;
  return remember(key, decodedClips.get(key) ?? synthesiseFerry(passageKey));
}

const api = {
  async run(raw: unknown, onProgress: OnProgress): Promise<Answers[Request["task"]]> {
    const ask = requestSchema.parse(raw);
    switch (ask.task) {
      case "read":
        return read(ask, onProgress);
      case "measure":
        return measureLevels(await clipOf(ask.audio));
      case "signature":
        return signatureOf(await clipOf(ask.audio));
      case "sort":
        return sortFiles(ask.files, ask.passages, (share) => onProgress({ share, doing: "Sorting by sound" }));
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
        const inStep = sliceClip(await placedClip(ask.render), ask.region.startFrame, ask.region.endFrame);
        return measureStretch(scaled(inStep, ask.gainDb));
      }
      case "correct":
        return new Blob([writeWav(await placedClip(ask.render), "32-bit float")], { type: "audio/wav" });
      case "onsets":
        return findOnsets(await clipOf(ask.audio), ask.wanted);
      case "around":
        return around(ask);
      case "residuals":
        return residuals(ask);
      case "fit":
        return fitted(ask);
      case "course":
        return loudnessCourse(scaled(await placedClip(ask.render), ask.gainDb));
      case "process":
        return processed(ask, onProgress);
      case "write":
        return new Blob([writeFile(await clipOf(ask.audio), ask.form)]);
      case "ferry": {
        const dry = ferryDry(ask.passageKey);
        return made(ask.candidateKey === null ? dry : renderFerry(dry, ask.candidateKey), "24-bit");
      }
    }
  },
};
export type AudioWorkerApi = typeof api;

expose(api);
