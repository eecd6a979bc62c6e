import { wavHead } from "@/core/formats/wav-write";

/** The browser's way to hand over what an input hears as it came, before its own clock touches it; not in every browser. */
type Handed = {
  sampleRate: number;
  numberOfChannels: number;
  numberOfFrames: number;
  copyTo(plane: Float32Array, options: { planeIndex: number; format: "f32-planar" }): void;
  close(): void;
};
type Processor = { readable: ReadableStream<Handed> };
type WithProcessor = {
  MediaStreamTrackProcessor?: new (options: { track: MediaStreamTrack; maxBufferSize?: number }) => Processor;
};

/** Whether this browser hands over an input untouched. */
export const canMeasureLive = (): boolean =>
  typeof window !== "undefined" &&
  (window as WithProcessor).MediaStreamTrackProcessor !== undefined &&
  navigator.mediaDevices !== undefined;

/** What goes wrong with devices, in words. */
export class LiveError extends Error {}

export type LiveOrder = {
  /** Devices by the browser's ids; empty for the system's own. */
  inputId: string;
  outputId: string;
  /** Rate of what is played; the output runs at it, or the browser converts. */
  sampleRateHz: number;
  /** What is played. */
  sound: (context: AudioContext) => AudioBuffer | Promise<AudioBuffer>;
  /** Recorded on after it has ended, for what comes back late. */
  tailSeconds: number;
  onProgress?: (share: number) => void;
  signal: AbortSignal;
};

export type LiveRecording = { wav: Blob; sampleRateHz: number; channelCount: number; peak: number };

/** The browser's own processing, all off. */
const UNTOUCHED = { echoCancellation: false, noiseSuppression: false, autoGainControl: false } as const;

/** Pieces of 10 ms that may wait while the page does something else: nothing is dropped within 20 s. */
const MOST_WAITING = 2000;

const NAMES: Record<keyof typeof UNTOUCHED, string> = {
  echoCancellation: "echo cancelling",
  noiseSuppression: "noise suppression",
  autoGainControl: "automatic gain",
};

async function openInput(inputId: string): Promise<MediaStreamTrack> {
  const asked = { ...UNTOUCHED, channelCount: { ideal: 2 }, ...(inputId ? { deviceId: { exact: inputId } } : {}) };
  const stream = await navigator.mediaDevices.getUserMedia({ audio: asked }).catch((error: unknown) => {
    const isDenied = error instanceof DOMException && error.name === "NotAllowedError";
    throw new LiveError(
      isDenied
        ? "The browser has no access to inputs. Allow it for this page, then try again."
        : "The input could not be opened. Choose another, or close other programs that use it.",
    );
  });
  const [track] = stream.getAudioTracks();
  const told = track.getSettings();
  const kept = (Object.keys(UNTOUCHED) as (keyof typeof UNTOUCHED)[]).filter((name) => told[name] === true);
  if (kept.length > 0) {
    track.stop();
    throw new LiveError(
      `The browser keeps its ${kept.map((name) => NAMES[name]).join(" and ")} on for this input, so it cannot measure. Choose another input.`,
    );
  }
  return track;
}

async function openOutput(outputId: string, sampleRateHz: number): Promise<AudioContext> {
  const context = new AudioContext({ sampleRate: sampleRateHz, latencyHint: "playback" });
  try {
    const chooser = context as AudioContext & { setSinkId?: (id: string) => Promise<void> };
    if (outputId) await chooser.setSinkId?.(outputId);
    await context.resume();
  } catch {
    void context.close();
    throw new LiveError("The output could not be opened. Choose another.");
  }
  return context;
}

/** Plays a sound out of one device and records another meanwhile, from before it begins to after it has ended. Throws LiveError in words. */
export async function playAndRecord(order: LiveOrder): Promise<LiveRecording> {
  const { sampleRateHz, tailSeconds, onProgress, signal } = order;
  const track = await openInput(order.inputId);
  // An input that is silent hands over nothing that could be looked at.
  const stop = () => track.stop();
  signal.addEventListener("abort", stop);
  const TrackProcessor = (window as WithProcessor).MediaStreamTrackProcessor;
  let context: AudioContext | null = null;
  const parts: BlobPart[] = [];
  let [frames, channelCount, rate, peak] = [0, 1, 0, 0];
  try {
    if (!TrackProcessor) throw new LiveError("This browser processes its inputs.");
    context = await openOutput(order.outputId, sampleRateHz);
    const buffer = await order.sound(context);
    const reader = new TrackProcessor({ track, maxBufferSize: MOST_WAITING }).readable.getReader();
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(context.destination);
    let stopsAt = Number.POSITIVE_INFINITY;
    for (;;) {
      const { value, done } = await reader.read();
      signal.throwIfAborted();
      if (done) throw new LiveError("The input was closed too early. Try again.");
      if (frames === 0) {
        // The first samples are there: now the sound may begin.
        [rate, channelCount] = [value.sampleRate, Math.min(2, value.numberOfChannels)];
        source.start();
        stopsAt = context.currentTime + buffer.duration + tailSeconds;
      }
      const interleaved = new Float32Array(value.numberOfFrames * channelCount);
      for (let c = 0; c < channelCount; c++) {
        const plane = new Float32Array(value.numberOfFrames);
        value.copyTo(plane, { planeIndex: c, format: "f32-planar" });
        for (let i = 0; i < plane.length; i++) {
          interleaved[i * channelCount + c] = plane[i];
          peak = Math.max(peak, Math.abs(plane[i]));
        }
      }
      frames += value.numberOfFrames;
      value.close();
      parts.push(interleaved);
      onProgress?.(Math.min(1, 1 - (stopsAt - context.currentTime) / (buffer.duration + tailSeconds)));
      if (context.currentTime >= stopsAt) break;
    }
  } finally {
    signal.removeEventListener("abort", stop);
    track.stop();
    void context?.close();
  }
  const head = wavHead({ sampleRateHz: rate, channelCount, frames }, "32-bit float");
  return { wav: new Blob([head, ...parts], { type: "audio/wav" }), sampleRateHz: rate, channelCount, peak };
}
