import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Player } from "./player";

// The clock and the nodes are stood in for, so that time passes when a test says so; sound itself is checked in the browser.

class FakeParam {
  value = 1;
  cancelScheduledValues = vi.fn();
  setValueAtTime = vi.fn();
  linearRampToValueAtTime = vi.fn();
}

class FakeNode {
  gain = new FakeParam();
  connect = vi.fn((to: FakeNode) => to);
  disconnect = vi.fn();
  fftSize = 0;
  curve: Float32Array | null = null;
  getFloatTimeDomainData = vi.fn((block: Float32Array) => block.fill(FakeContext.signal));
}

class FakeSource extends FakeNode {
  buffer: unknown = null;
  loop = false;
  loopStart = 0;
  loopEnd = 0;
  start = vi.fn();
  stop = vi.fn();
}

class FakeContext {
  static opened: FakeContext[] = [];
  static signal = 0;
  currentTime = 0;
  outputLatency = 0;
  destination = new FakeNode();
  sources: FakeSource[] = [];
  buffers = 0;
  closed = false;
  readonly sampleRate: number;
  constructor({ sampleRate }: { sampleRate: number }) {
    this.sampleRate = sampleRate;
    FakeContext.opened.push(this);
  }
  resume = async () => {};
  close = async () => {
    this.closed = true;
  };
  createBuffer = () => {
    this.buffers++;
    return { copyToChannel: vi.fn() };
  };
  createBufferSource = () => {
    const source = new FakeSource();
    this.sources.push(source);
    return source;
  };
  createGain = () => new FakeNode();
  createChannelSplitter = () => new FakeNode();
  createChannelMerger = () => new FakeNode();
  createAnalyser = () => new FakeNode();
  createWaveShaper = () => new FakeNode();
}

const RATE = 48_000;
const AHEAD = 0.02;
const channels = () => [new Float32Array(4)];
const voices = () => [
  { key: "here", channels: channels() },
  { key: "yonder", channels: channels() },
];
const context = () => FakeContext.opened[FakeContext.opened.length - 1];

async function playing(frames = 10 * RATE) {
  const player = new Player();
  player.load(voices(), RATE, frames, [1, 0]);
  await player.play();
  return player;
}

/** Moves the clock on from the instant playback began. */
const pass = (seconds: number) => {
  context().currentTime += seconds;
  vi.advanceTimersByTime(seconds * 1000);
};

beforeEach(() => {
  vi.useFakeTimers();
  FakeContext.opened = [];
  FakeContext.signal = 0;
  vi.stubGlobal("AudioContext", FakeContext);
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the player", () => {
  it("opens the audio at the material's own rate and plays nothing by itself", () => {
    const player = new Player();
    player.load(voices(), 96_000, 1000, [1, 0]);
    expect(context().sampleRate).toBe(96_000);
    expect(context().sources).toHaveLength(0);
    expect(player.state.getState()).toMatchObject({ ready: true, playing: false });
  });

  it("starts all voices at one instant on the sample grid", async () => {
    await playing();
    const starts = context().sources.map((s) => s.start.mock.calls[0]);
    expect(starts).toHaveLength(2);
    expect(starts[0]).toEqual(starts[1]);
    expect(Number.isInteger(Math.round(starts[0][0] * RATE * 1e6) / 1e6)).toBe(true);
  });

  it("knows its position while it plays, rests and plays on from there", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    expect(player.positionFrames()).toBeCloseTo(2 * RATE, -1);
    player.pause();
    pass(5);
    expect(player.positionFrames()).toBeCloseTo(2 * RATE, -1);
    await player.play();
    expect(context().sources[2].start.mock.calls[0][1]).toBeCloseTo(2, 2);
  });

  it("counts the output's latency: the playhead shows what is heard, not what was sent", async () => {
    const player = await playing();
    context().outputLatency = 0.5;
    pass(AHEAD + 2);
    expect(player.positionFrames()).toBeCloseTo(1.5 * RATE, -1);
  });

  it("seeks within bounds, at rest and while playing", async () => {
    const player = await playing();
    player.seek(-5);
    expect(player.positionFrames()).toBe(0);
    player.seek(3 * RATE);
    expect(context().sources.at(-1)?.start.mock.calls[0][1]).toBe(3);
    player.pause();
    player.seek(99 * RATE);
    expect(player.positionFrames()).toBe(10 * RATE);
  });

  it("stops at the end and goes back to the start", async () => {
    const player = await playing(RATE);
    pass(AHEAD + 1.2);
    expect(player.state.getState().playing).toBe(false);
    expect(player.positionFrames()).toBe(0);
  });

  it("goes round a loop, and moves into one that is marked elsewhere", async () => {
    const player = await playing();
    player.setLoop({ startFrame: 4 * RATE, endFrame: 5 * RATE });
    const source = context().sources.at(-1);
    expect(source).toMatchObject({ loop: true, loopStart: 4, loopEnd: 5 });
    expect(source?.start.mock.calls[0][1]).toBe(4);
    pass(AHEAD + 3.25);
    expect(player.positionFrames() / RATE).toBeCloseTo(4.25, 2);
    player.setLoop(null);
    pass(AHEAD + 2);
    expect(player.positionFrames() / RATE).toBeCloseTo(6.25, 1);
  });

  it("rests at the start of a loop marked while nothing plays", () => {
    const player = new Player();
    player.load(voices(), RATE, 10 * RATE, [1, 0]);
    player.setLoop({ startFrame: 2 * RATE, endFrame: 3 * RATE });
    expect(player.positionFrames()).toBe(2 * RATE);
  });

  it("goes on at the same place when the pair changes, anew when the passage does", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    player.load(voices(), RATE, 10 * RATE, [0, 1]);
    await vi.waitFor(() => expect(context().sources).toHaveLength(4));
    expect(context().sources[3].start.mock.calls[0][1]).toBeCloseTo(2, 2);
    player.load(voices(), 44_100, 5 * 44_100, [1, 0]);
    expect(FakeContext.opened[0].closed).toBe(true);
    expect(player.positionFrames()).toBe(0);
    expect(player.state.getState().playing).toBe(false);
  });

  it("makes one buffer of samples that are used twice", () => {
    const player = new Player();
    const [a, b] = voices();
    player.load([a, { key: "X", channels: b.channels }, b], RATE, 4, [1, 0, 0]);
    expect(context().buffers).toBe(2);
  });

  it("makes buffers ready beforehand, so that loading has none to make", async () => {
    const player = new Player();
    const pair = voices();
    const ready = player.prepare(pair, RATE, 4);
    await vi.runAllTimersAsync();
    await ready;
    expect(context().buffers).toBe(2);
    player.load(pair, RATE, 4, [1, 0]);
    expect(context().buffers).toBe(2);
    expect(player.state.getState().playing).toBe(false);
  });

  it("lights the ceiling lamp while something would have gone over, and a moment longer", async () => {
    const player = await playing();
    FakeContext.signal = 1.01;
    pass(0.2);
    expect(player.state.getState().overCeiling).toBe(true);
    FakeContext.signal = 0.9;
    pass(2);
    expect(player.state.getState().overCeiling).toBe(false);
  });

  it("lets go of everything when closed", async () => {
    const player = await playing();
    player.close();
    expect(context().closed).toBe(true);
    expect(player.state.getState()).toEqual({ ready: false, playing: false, overCeiling: false });
    player.togglePlay();
    expect(player.state.getState().playing).toBe(false);
  });
});
