import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { LoopFrames } from "./graph";
import { PLAIN_MANNER } from "./turns";

// The clock, the nodes and the worker that reads are stood in for, so that time passes when a test says so; sound itself is checked in the browser.

type Cue = { deck: number; frame: number; loop: LoopFrames | null; first: readonly number[] };
type FakeFeed = { memory: TapeMemory; cues: Cue[]; closed: boolean; hold: Promise<void> | null };
const feeds: FakeFeed[] = [];
let holdCues: Promise<void> | null = null;
let failing: string | null = null;

vi.mock("./feed", () => ({
  openFeed: async (voices: { channelCount: number }[]) => {
    if (failing) throw new Error(failing);
    const feed: FakeFeed = {
      memory: makeTape(
        voices.map((v) => v.channelCount),
        4,
      ),
      cues: [],
      closed: false,
      hold: null,
    };
    feeds.push(feed);
    return {
      memory: feed.memory,
      cue: async (deck: number, frame: number, loop: LoopFrames | null, first: readonly number[]) => {
        feed.cues.push({ deck, frame, loop, first });
        await holdCues;
      },
      close: () => {
        feed.closed = true;
      },
    };
  },
}));

const { makeTape, STARTS_AT, STOPS_AT } = await import("@/workers/feed/tape");
type TapeMemory = ReturnType<typeof makeTape>;
const { Player } = await import("./player");

class FakeParam {
  value = 1;
  cancelScheduledValues = vi.fn();
  setValueAtTime = vi.fn();
  linearRampToValueAtTime = vi.fn();
  setTargetAtTime = vi.fn();
}

class FakeNode {
  gain = new FakeParam();
  connect = vi.fn((to: FakeNode) => to);
  disconnect = vi.fn();
  port = { postMessage: vi.fn() };
  fftSize = 0;
  curve: Float32Array | null = null;
  getFloatTimeDomainData = vi.fn((block: Float32Array) => block.fill(FakeContext.signal));
}

class FakeContext {
  static opened: FakeContext[] = [];
  static signal = 0;
  currentTime = 0;
  outputLatency = 0;
  destination = new FakeNode();
  closed = false;
  readonly sampleRate: number;
  audioWorklet = { addModule: async () => {} };
  constructor({ sampleRate }: { sampleRate: number }) {
    this.sampleRate = sampleRate;
    FakeContext.opened.push(this);
  }
  resume = async () => {};
  close = async () => {
    this.closed = true;
  };
  gains: FakeNode[] = [];
  createGain = () => {
    const node = new FakeNode();
    this.gains.push(node);
    return node;
  };
  createChannelSplitter = () => new FakeNode();
  createChannelMerger = () => new FakeNode();
  createAnalyser = () => new FakeNode();
  createWaveShaper = () => new FakeNode();
  createBiquadFilter = () => Object.assign(new FakeNode(), { frequency: new FakeParam(), Q: new FakeParam() });
}

const RATE = 48_000;
const AHEAD = 0.02;
const voice = (key: string) => ({ key, recipe: { of: "file" as const, hash: key }, files: [], channelCount: 1 });
const SCENES = new Map([
  ["here", new Map([["here", 1]])],
  ["yonder", new Map([["yonder", 0.5]])],
  [
    "difference",
    new Map([
      ["here", -8],
      ["yonder", 8],
    ]),
  ],
]);
const voices = () => [voice("here"), voice("yonder")];
const context = () => FakeContext.opened[FakeContext.opened.length - 1];
const feed = () => feeds[feeds.length - 1];
const timesOf = (deck: number, { memory } = feed()) => new Float64Array(memory.decks[deck].times);

/** Lets what was asked for come about, without time going by. */
const settle = () => vi.advanceTimersByTimeAsync(0);

async function playing(frames = 10 * RATE) {
  const player = new Player();
  await player.load(voices(), RATE, frames, SCENES, "here");
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
  feeds.length = 0;
  holdCues = null;
  failing = null;
  vi.stubGlobal("AudioContext", FakeContext);
  vi.stubGlobal("AudioWorkletNode", FakeNode);
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the player", () => {
  it("opens the audio at the material's own rate and plays nothing by itself", async () => {
    const player = new Player();
    await player.load(voices(), 96_000, 1000, SCENES, "here");
    expect(context().sampleRate).toBe(96_000);
    expect(feed().cues).toEqual([]);
    expect(player.state.getState()).toMatchObject({ ready: true, playing: false, problem: null });
  });

  it("starts all voices at one instant on the sample grid, those that are heard read first", async () => {
    await playing();
    expect(feed().cues).toEqual([{ deck: 0, frame: 0, loop: null, first: [0] }]);
    expect(timesOf(0)[STARTS_AT]).toBe(AHEAD * RATE);
    expect(timesOf(0)[STOPS_AT]).toBe(Number.POSITIVE_INFINITY);
  });

  it("knows its position while it plays, rests and plays on from there", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    expect(player.positionFrames()).toBeCloseTo(2 * RATE, -1);
    player.pause();
    expect(timesOf(0)[STOPS_AT]).toBe((AHEAD + 2) * RATE);
    pass(5);
    expect(player.positionFrames()).toBeCloseTo(2 * RATE, -1);
    await player.play();
    expect(feed().cues[1].frame / RATE).toBeCloseTo(2, 2);
  });

  it("tells whoever draws it where it rests, so that nothing need be looked at meanwhile", async () => {
    const player = await playing();
    const drawn: number[] = [];
    player.state.subscribe(() => {
      if (!player.state.getState().playing) drawn.push(Math.round(player.positionFrames()));
    });
    pass(AHEAD + 1);
    player.pause();
    expect(drawn.at(-1)).toBe(RATE);
    player.seek(5 * RATE);
    player.setLoop({ startFrame: 2 * RATE, endFrame: 3 * RATE });
    expect(drawn.slice(-2)).toEqual([5 * RATE, 2 * RATE]);
    // What changes nothing is not reported.
    const told = drawn.length;
    player.seek(2 * RATE);
    expect(drawn).toHaveLength(told);
    await player.load([voice("other")], RATE, 4 * RATE, SCENES, "here");
    expect(player.state.getState().restingFrame).toBe(2 * RATE);
  });

  it("counts the output's latency: the playhead shows what is heard, not what was sent", async () => {
    const player = await playing();
    context().outputLatency = 0.5;
    pass(AHEAD + 2);
    expect(player.positionFrames()).toBeCloseTo(1.5 * RATE, -1);
  });

  it("seeks within bounds, at rest and while playing, on the deck that does not play", async () => {
    const player = await playing();
    player.pause();
    player.seek(-5);
    expect(player.positionFrames()).toBe(0);
    await player.play();
    player.seek(3 * RATE);
    await settle();
    expect(feed().cues.at(-1)).toMatchObject({ deck: 1, frame: 3 * RATE });
    // One fades out where the other begins.
    expect(timesOf(0)[STOPS_AT]).toBe(timesOf(1)[STARTS_AT]);
    player.pause();
    player.seek(99 * RATE);
    expect(player.positionFrames()).toBe(10 * RATE);
  });

  it("goes by what was asked for last, whatever is still being read", async () => {
    const player = await playing();
    let release = () => {};
    holdCues = new Promise((resolve) => {
      release = resolve;
    });
    player.seek(3 * RATE);
    player.seek(4 * RATE);
    player.pause();
    release();
    await settle();
    expect(player.state.getState().playing).toBe(false);
    expect(timesOf(1)[STARTS_AT]).toBe(0);
    expect(player.positionFrames()).toBe(0);
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
    await settle();
    expect(feed().cues.at(-1)).toMatchObject({ frame: 4 * RATE, loop: { startFrame: 4 * RATE, endFrame: 5 * RATE } });
    pass(AHEAD + 3.25);
    expect(player.positionFrames() / RATE).toBeCloseTo(4.25, 2);
    player.setLoop(null);
    await settle();
    pass(AHEAD + 2);
    expect(player.positionFrames() / RATE).toBeCloseTo(6.25, 1);
  });

  it("rests at the start of a loop marked while nothing plays", async () => {
    const player = new Player();
    await player.load(voices(), RATE, 10 * RATE, SCENES, "here");
    player.setLoop({ startFrame: 2 * RATE, endFrame: 3 * RATE });
    expect(player.positionFrames()).toBe(2 * RATE);
  });

  it("hands over to other voices where playback is, without a gap; another passage begins anew", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    const before = feed();
    await player.load([...voices(), voice("third")], RATE, 10 * RATE, SCENES, "yonder");
    const [cue] = feed().cues;
    // The new tape begins at the very frame that the old one fades out at.
    expect(timesOf(0)[STARTS_AT]).toBe(timesOf(0, before)[STOPS_AT]);
    expect(cue.frame).toBeCloseTo(timesOf(0)[STARTS_AT] - AHEAD * RATE, 6);
    // What goes on sounding is there first, whatever was asked for beside it.
    expect(cue.first).toEqual([0]);
    expect(player.state.getState().playing).toBe(true);
    pass(1);
    expect(before.closed).toBe(true);
    expect(player.positionFrames() / RATE).toBeCloseTo(3, 2);
    await player.load(voices(), 44_100, 5 * 44_100, SCENES, "here");
    expect(FakeContext.opened[0].closed).toBe(true);
    expect(player.positionFrames()).toBe(0);
    expect(player.state.getState().playing).toBe(false);
  });

  it("says what stopped it, and can be asked again", async () => {
    const player = new Player();
    failing = "no memory is shared here";
    await player.load(voices(), RATE, RATE, SCENES, "here");
    expect(player.state.getState()).toMatchObject({ ready: false, problem: "no memory is shared here" });
    failing = null;
    player.reload();
    await settle();
    expect(player.state.getState()).toMatchObject({ ready: true, problem: null });
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
    expect(feed().closed).toBe(true);
    expect(player.state.getState()).toEqual({
      ready: false,
      restingFrame: 0,
      playing: false,
      overCeiling: false,
      missedFrames: 0,
      problem: null,
      scene: "",
      turn: null,
    });
    player.togglePlay();
    expect(player.state.getState().playing).toBe(false);
  });
});

/** Where the gains of the two voices were last asked to go: they are the last two of the path that feed into it. */
const heardGains = () => {
  const moved = context().gains.filter((node) => node.gain.setValueAtTime.mock.calls.length > 0);
  return moved.map(
    (node) => (node.gain.linearRampToValueAtTime.mock.lastCall ?? node.gain.setValueAtTime.mock.lastCall)?.[0],
  );
};
const rampsTo = (value: number) =>
  context().gains.flatMap((node) => node.gain.linearRampToValueAtTime.mock.calls.filter(([to]) => to === value));

describe("switching", () => {
  it("moves gains at once, over the crossfade asked for, and leaves the tape alone", async () => {
    const player = await playing();
    pass(AHEAD + 1);
    const cues = feed().cues.length;
    const now = context().currentTime;
    player.hear("yonder", { fadeSeconds: 0.03, gapSeconds: 0, toFrame: null });
    expect(rampsTo(0.5).at(-1)?.[1]).toBeCloseTo(now + 0.03, 6);
    expect(feed().cues).toHaveLength(cues);
    expect(player.state.getState().scene).toBe("yonder");
  });

  it("a leap to a boosted difference is faded in gently, however short the crossfade", async () => {
    const player = await playing();
    const now = context().currentTime;
    player.hear("difference", { fadeSeconds: 0, gapSeconds: 0, toFrame: null });
    expect(rampsTo(8).at(-1)?.[1]).toBeCloseTo(now + 0.25, 6);
  });

  it("back to a mark, what is switched to begins there, and both change at one instant", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    player.hear("yonder", { fadeSeconds: 0.005, gapSeconds: 0, toFrame: RATE });
    await settle();
    expect(feed().cues.at(-1)).toMatchObject({ deck: 1, frame: RATE, first: [1] });
    const start = timesOf(1)[STARTS_AT] / RATE;
    expect(timesOf(0)[STOPS_AT] / RATE).toBeCloseTo(start, 6);
    expect(rampsTo(0.5).at(-1)?.[1]).toBeCloseTo(start + 0.005, 6);
  });

  it("after a gap of silence it goes on where it stopped, not where it would have been", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    const stopped = context().currentTime;
    player.hear("yonder", { fadeSeconds: 0.005, gapSeconds: 0.5, toFrame: null });
    await settle();
    expect(timesOf(0)[STOPS_AT]).toBe(Math.round(stopped * RATE));
    expect(timesOf(1)[STARTS_AT] / RATE).toBeCloseTo(stopped + 0.5, 4);
    expect(feed().cues.at(-1)?.frame).toBeCloseTo((stopped - AHEAD) * RATE, -1);
  });

  it("a place gone to before what was switched to has begun is heard with that, not with what was left", async () => {
    const player = await playing();
    pass(AHEAD + 2);
    player.hear("yonder", { fadeSeconds: 0.005, gapSeconds: 1, toFrame: null });
    player.seek(5 * RATE);
    await settle();
    expect(feed().cues.at(-1)?.frame).toBe(5 * RATE);
    expect(heardGains()).toContain(0.5);
  });

  it("at rest a switch goes to its place and makes no sound", async () => {
    const player = new Player();
    await player.load(voices(), RATE, 10 * RATE, SCENES, "here");
    player.hear("yonder", { fadeSeconds: 0.005, gapSeconds: 1, toFrame: 3 * RATE });
    expect(player.positionFrames()).toBe(3 * RATE);
    expect(feed().cues).toEqual([]);
  });

  it("what was measured meanwhile waits for the next switch; what a person asked for does not", async () => {
    const player = await playing();
    const quieter = new Map([...SCENES, ["here", new Map([["here", 0.7]])]]);
    player.setScenes(quieter, true);
    expect(rampsTo(0.7)).toHaveLength(0);
    player.setScenes(quieter, false);
    expect(rampsTo(0.7)).toHaveLength(1);
    player.setScenes(new Map([...SCENES, ["here", new Map([["here", 0.6]])]]), true);
    player.hear("yonder");
    player.hear("here");
    expect(rampsTo(0.6)).toHaveLength(1);
    // At rest nothing sounds: figures are taken as they come.
    player.pause();
    player.setScenes(quieter, true);
    await player.play();
    expect(heardGains()).toContain(0.7);
  });

  it("a crossfade under way is left alone by scenes that change nothing of what is heard", async () => {
    const player = await playing();
    player.hear("yonder", { fadeSeconds: 0.05, gapSeconds: 0, toFrame: null });
    const ramps = rampsTo(0.5).length;
    player.setScenes(new Map([...SCENES, ["here", new Map([["here", 0.3]])]]), false);
    expect(rampsTo(0.5)).toHaveLength(ramps);
  });

  it("by itself every so many seconds, round and round, until switched by hand", async () => {
    const player = await playing(60 * RATE);
    await player.setTurns({ scenes: ["here", "yonder"], every: 2, repeat: true, manner: () => PLAIN_MANNER });
    expect(player.state.getState()).toMatchObject({ scene: "here", turn: 0 });
    for (const expected of ["yonder", "here", "yonder"]) {
      for (let i = 0; i < 20; i++) pass(0.1);
      await settle();
      expect(player.state.getState().scene).toBe(expected);
    }
    player.hear("yonder");
    expect(player.state.getState().turn).toBeNull();
    for (let i = 0; i < 60; i++) pass(0.1);
    expect(player.state.getState().scene).toBe("yonder");
  });

  it("at each pass of the loop it switches at the seam, to the sample, and once through it ends at rest", async () => {
    const player = await playing(60 * RATE);
    player.setLoop({ startFrame: 0, endFrame: RATE });
    await settle();
    const began = timesOf(1)[STARTS_AT] / RATE || timesOf(0)[STARTS_AT] / RATE;
    await player.setTurns({
      scenes: ["here", "yonder", "here"],
      every: "pass",
      repeat: false,
      manner: () => PLAIN_MANNER,
    });
    for (let i = 0; i < 12; i++) pass(0.1);
    const seam = context()
      .gains.flatMap((node) => node.gain.setValueAtTime.mock.calls)
      .filter(([to, time]) => to === 0.5 && time > began);
    expect((seam.at(-1)?.[1] - began) % 1).toBeCloseTo(0, 5);
    for (let i = 0; i < 30; i++) pass(0.1);
    expect(player.state.getState()).toMatchObject({ playing: false, turn: null, scene: "here" });
  });
});
