import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { bytesInMemory } from "@/core/formats/byte-source";
import { openPlain } from "@/core/formats/read-audio";
import { canMeasureLive, LiveError, type LiveOrder, playAndRecord } from "./live";

// Devices and the clock are stood in for; Chromium's own stand-ins are measured through in e2e/seeded/bench-live.spec.ts.

const RATE = 48_000;
const PIECE = 480;

type World = {
  /** What the input hears, piece by piece, by channel. */
  pieces: Float32Array[][];
  settings: Record<string, unknown>;
  denied: DOMException | null;
  noOutput: boolean;
  asked: MediaTrackConstraints | null;
  stopped: number;
  started: number;
  closed: number;
  waiting: number | undefined;
};
let world: World;

const pieceOf = (channels: readonly Float32Array[]) => ({
  sampleRate: RATE,
  numberOfChannels: channels.length,
  numberOfFrames: channels[0].length,
  copyTo: (plane: Float32Array, { planeIndex }: { planeIndex: number }) => plane.set(channels[planeIndex]),
  close: () => {},
});

class FakeContext {
  currentTime = 0;
  destination = {};
  static current: FakeContext | null = null;
  constructor() {
    FakeContext.current = this;
  }
  async resume() {
    if (world.noOutput) throw new Error("no device");
  }
  async close() {
    world.closed++;
  }
}

class FakeSource {
  connect() {}
  start() {
    world.started++;
  }
}

class FakeProcessor {
  readable: { getReader: () => { read: () => Promise<{ value?: ReturnType<typeof pieceOf>; done: boolean }> } };
  constructor({ track, maxBufferSize }: { track: { stopped: boolean }; maxBufferSize?: number }) {
    world.waiting = maxBufferSize;
    let n = 0;
    this.readable = {
      getReader: () => ({
        read: async () => {
          // Ten milliseconds pass with each.
          if (FakeContext.current) FakeContext.current.currentTime += PIECE / RATE;
          const piece = world.pieces[n++];
          return track.stopped || !piece ? { done: true } : { value: pieceOf(piece), done: false };
        },
      }),
    };
  }
}

beforeEach(() => {
  world = {
    pieces: [],
    settings: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
    denied: null,
    noOutput: false,
    asked: null,
    stopped: 0,
    started: 0,
    closed: 0,
    waiting: undefined,
  };
  const track = {
    stopped: false,
    getSettings: () => world.settings,
    stop: () => {
      track.stopped = true;
      world.stopped++;
    },
  };
  const getUserMedia = async ({ audio }: { audio: MediaTrackConstraints }) => {
    world.asked = audio;
    if (world.denied) throw world.denied;
    return { getAudioTracks: () => [track] };
  };
  vi.stubGlobal("window", { MediaStreamTrackProcessor: FakeProcessor });
  vi.stubGlobal("navigator", { mediaDevices: { getUserMedia } });
  vi.stubGlobal("AudioContext", FakeContext);
  vi.stubGlobal("AudioBufferSourceNode", FakeSource);
});
afterEach(() => vi.unstubAllGlobals());

const order = (changes: Partial<LiveOrder> = {}): LiveOrder => ({
  inputId: "",
  outputId: "",
  sampleRateHz: RATE,
  sound: () => ({ duration: 0.05 }) as AudioBuffer,
  tailSeconds: 0.03,
  signal: new AbortController().signal,
  ...changes,
});
const ramp = (from: number, channels: 1 | 2) =>
  Array.from({ length: channels }, (_, c) =>
    Float32Array.from({ length: PIECE }, (_, i) => (from + i) / 10_000 - c / 4),
  );

describe("playing and recording at once", () => {
  it("keeps every sample as it was handed over, from before the sound begins to after it ends", async () => {
    world.pieces = Array.from({ length: 40 }, (_, n) => ramp(n * PIECE, 2));
    const shares: number[] = [];
    const { wav, channelCount, sampleRateHz, peak } = await playAndRecord(
      order({ onProgress: (share) => shares.push(share) }),
    );
    expect([channelCount, sampleRateHz, world.started]).toEqual([2, RATE, 1]);
    const opened = openPlain(bytesInMemory(new Uint8Array(await wav.arrayBuffer())), "live.wav");
    if (!opened.ok) throw new Error(opened.reason);
    const { sound } = opened.value;
    const [left, right] = sound.read(0, sound.frames);
    // 50 ms of sound and 30 of tail after the first piece.
    expect(sound.frames).toBeGreaterThanOrEqual(0.08 * RATE);
    expect(sound.frames).toBeLessThan(0.12 * RATE);
    let loudest = 0;
    for (let i = 0; i < sound.frames; i++) {
      expect(left[i]).toBe(Math.fround(i / 10_000));
      expect(right[i]).toBe(Math.fround(i / 10_000 - 0.25));
      loudest = Math.max(loudest, Math.abs(left[i]), Math.abs(right[i]));
    }
    expect(peak).toBe(loudest);
    expect(shares.at(-1)).toBe(1);
    expect(shares).toEqual(shares.toSorted((a, b) => a - b));
    expect([world.stopped > 0, world.closed]).toEqual([true, 1]);
    // A page that is busy drops nothing: two seconds' worth would be 200 pieces.
    expect(world.waiting).toBeGreaterThan(200);
  });

  it("asks for the input as it comes, by its device where one was chosen, and takes a mono one", async () => {
    world.pieces = Array.from({ length: 40 }, (_, n) => ramp(n, 1));
    const { channelCount } = await playAndRecord(order({ inputId: "left shelf" }));
    expect(channelCount).toBe(1);
    expect(world.asked).toMatchObject({
      echoCancellation: false,
      noiseSuppression: false,
      autoGainControl: false,
      deviceId: { exact: "left shelf" },
    });
  });

  it.each([
    ["not allowed", () => (world.denied = new DOMException("", "NotAllowedError")), /has no access to inputs/],
    ["gone", () => (world.denied = new DOMException("", "NotFoundError")), /could not be opened. Choose another/],
    [
      "processed",
      () => (world.settings = { echoCancellation: true, autoGainControl: true }),
      /echo cancelling and automatic gain on/,
    ],
    ["without an output", () => (world.noOutput = true), /The output could not be opened/],
    ["closed early", () => (world.pieces = [ramp(0, 1)]), /closed too early/],
  ])("says so in words when it is %s, and leaves nothing open", async (_, given, words) => {
    given();
    const failed = await playAndRecord(order()).catch((error: unknown) => error);
    expect(failed).toBeInstanceOf(LiveError);
    expect((failed as LiveError).message).toMatch(words);
    expect(world.stopped > 0 || world.denied !== null).toBe(true);
  });

  it("ends when it is given up, and lets go of the devices", async () => {
    const cancel = new AbortController();
    world.pieces = Array.from({ length: 400 }, (_, n) => ramp(n, 1));
    const onProgress = () => cancel.abort();
    await expect(playAndRecord(order({ signal: cancel.signal, onProgress }))).rejects.toMatchObject({
      name: "AbortError",
    });
    expect(world.stopped).toBeGreaterThan(0);
    expect(world.closed).toBe(1);
  });

  it("is not offered where a browser does not hand over what it hears", async () => {
    expect(canMeasureLive()).toBe(true);
    vi.stubGlobal("window", {});
    expect(canMeasureLive()).toBe(false);
    await expect(playAndRecord(order())).rejects.toThrow(/processes its inputs/);
    expect(world.stopped).toBe(1);
  });
});
