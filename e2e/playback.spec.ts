import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { build } from "esbuild";
import type { MonitorGraph } from "../src/playback/graph";
import type { Feeder } from "../src/workers/feed/feeder";
import type { makeTape } from "../src/workers/feed/tape";

// What plays is rendered offline here, in the browser it runs in: the tape written by its feeder, the worklet, the graph. Its samples are
// looked at.

declare global {
  interface Window {
    playback: {
      MonitorGraph: typeof MonitorGraph;
      Feeder: typeof Feeder;
      makeTape: typeof makeTape;
    };
  }
}

type Plan = {
  frames: number;
  rate: number;
  /** One expression of the frame number i per voice. */
  voices: string[];
  gains: number[];
  lens?: "stereo" | "mid" | "side" | "left" | "right";
  /** Right channel of each voice; the left one when left out. */
  right?: string[];
  loop?: { startFrame: number; endFrame: number };
  startFrame?: number;
  switches?: { frame: number; gains: number[]; kind: "cross" | "gentle" | "silence" }[];
  output?: 0 | 1;
  /** Another place to play from, asked for at a frame. */
  seek?: { atFrame: number; toFrame: number };
};

let bundle = "";

const worklet = readFileSync("src/playback/voices.worklet.js", "utf8");

test.beforeAll(async () => {
  const result = await build({
    stdin: {
      contents:
        'export * from "./src/playback/graph"; export * from "./src/workers/feed/feeder"; export * from "./src/workers/feed/tape";',
      resolveDir: ".",
    },
    bundle: true,
    write: false,
    format: "iife",
    globalName: "playback",
  });
  bundle = result.outputFiles[0].text;
});

async function render(page: Page, plan: Plan): Promise<number[]> {
  // A page of our own, which is isolated and shares memory.
  if (!page.url().startsWith("http")) await page.goto("/?list");
  await page.addScriptTag({ content: `${bundle}; window.playback = playback;` });
  return page.evaluate(
    async ({ plan: p, worklet: code }) => {
      const context = new OfflineAudioContext(2, p.frames, p.rate);
      await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: "text/javascript" })));
      const length = 48_000;
      const sounds = p.voices.map((expression, v) => {
        const channels = [expression, p.right?.[v] ?? expression].map((text) => {
          const at = new Function("i", `return ${text}`) as (i: number) => number;
          return Float32Array.from({ length }, (_, i) => at(i));
        });
        const read = (start: number, count: number) =>
          channels.map((channel) => Float32Array.from({ length: count }, (_, i) => channel[start + i] ?? 0));
        return { sampleRateHz: p.rate, channelCount: 2, frames: length, read };
      });
      const memory = window.playback.makeTape(
        sounds.map(() => 2),
        p.frames + 256,
      );
      const feeder = new window.playback.Feeder(memory, sounds);
      const fillAll = (deck: number) => {
        for (const voice of sounds.keys()) while (feeder.fill(deck, voice));
      };
      const graph = new window.playback.MonitorGraph(context, memory, p.gains, p.lens);
      const start = p.startFrame ?? 0;
      feeder.cue(0, start, p.loop ?? null);
      fillAll(0);
      graph.start(0, 0, start, p.loop ?? null);
      if (p.seek) {
        const { atFrame, toFrame } = p.seek;
        // What plays is asked for the other place when it is there, a moment ahead, as the player does.
        const asked = context.suspend(Math.floor((atFrame - 512) / 128) * (128 / p.rate));
        void asked.then(() => {
          const deck = graph.restingDeck;
          feeder.cue(deck, toFrame, null);
          fillAll(deck);
          graph.start(atFrame / p.rate, deck, toFrame, null);
          void context.resume();
        });
      }
      graph.scheduleSeams(p.frames / p.rate);
      for (const s of p.switches ?? []) {
        const time = s.frame / p.rate;
        if (s.kind === "silence") graph.switchThroughSilence(s.gains, time);
        else graph.switchTo(s.gains, time, s.kind === "gentle");
      }
      const rendered = await context.startRendering();
      if (graph.missedFrames > 0) throw new Error(`${graph.missedFrames} frames were not there in time`);
      return Array.from(rendered.getChannelData(p.output ?? 0));
    },
    { plan, worklet },
  );
}

const RATE = 48_000;
const FADE = 0.005 * RATE;
const DIP = 0.004 * RATE;
const largestStep = (samples: number[]) =>
  samples.slice(1).reduce((max, v, i) => Math.max(max, Math.abs(v - samples[i])), 0);

test("a switch begins at the right sample, ends with the crossfade, and takes no larger step than that allows", async ({
  page,
}) => {
  const out = await render(page, {
    frames: 9600,
    rate: RATE,
    voices: ["0.25", "-0.5"],
    gains: [1, 0],
    switches: [{ frame: 4800, gains: [0, 1], kind: "cross" }],
  });
  expect(out[4800]).toBeCloseTo(0.25, 6);
  expect(out[4802]).toBeLessThan(0.25);
  expect(out[4800 + FADE / 2]).toBeCloseTo(-0.125, 3);
  expect(out[4800 + FADE]).toBeCloseTo(-0.5, 6);
  expect(largestStep(out.slice(DIP))).toBeLessThan((0.75 / FADE) * 1.01);
});

test("both voices run on one clock: after a switch the new one is where it would have been", async ({ page }) => {
  const ramp = "i / 48000";
  const out = await render(page, {
    frames: 20_000,
    rate: RATE,
    voices: [ramp, `-(${ramp})`],
    gains: [1, 0],
    startFrame: 1000,
    switches: [
      { frame: 5000, gains: [0, 1], kind: "cross" },
      { frame: 5100, gains: [1, 0], kind: "cross" },
      { frame: 12_000, gains: [0, 1], kind: "cross" },
    ],
  });
  for (const frame of [1000, 4999, 9000, 11_000]) expect(out[frame]).toBeCloseTo((1000 + frame) / 48_000, 6);
  for (const frame of [13_000, 19_999]) expect(out[frame]).toBeCloseTo(-(1000 + frame) / 48_000, 6);
});

test("over a loop both voices stay in step to the sample, and the seam does not click", async ({ page }) => {
  const loop = { startFrame: 2000, endFrame: 5001 };
  const plan = { frames: 40_000, rate: RATE, voices: ["i / 48000", "i / 48000"], loop };
  const difference = await render(page, { ...plan, gains: [-1, 1] });
  expect(Math.max(...difference.map(Math.abs))).toBe(0);
  const heard = await render(page, { ...plan, gains: [1, 0] });
  const length = loop.endFrame - loop.startFrame;
  for (const round of [1, 5, 11]) {
    const seam = loop.endFrame + (round - 1) * length;
    const middle = seam + 1500;
    expect(heard[middle]).toBeCloseTo((loop.startFrame + 1500) / 48_000, 6);
    expect(Math.abs(heard[seam])).toBeLessThan(0.001);
  }
  expect(largestStep(heard.slice(DIP))).toBeLessThan((0.11 / DIP) * 1.2);
});

test("another place begins at the right sample while what played fades out", async ({ page }) => {
  const out = await render(page, {
    frames: 24_000,
    rate: RATE,
    voices: ["i / 48000"],
    gains: [1],
    seek: { atFrame: 9001, toFrame: 30_000 },
  });
  for (const frame of [8000, 9000]) expect(out[frame]).toBeCloseTo(frame / 48_000, 6);
  for (const frame of [9001 + DIP, 20_000]) expect(out[frame]).toBeCloseTo((30_000 + frame - 9001) / 48_000, 6);
  expect(largestStep(out.slice(DIP))).toBeLessThan((0.8 / DIP) * 1.2);
});

test("a difference of two like voices is silence, to the last bit", async ({ page }) => {
  const tone = "Math.sin(i * 0.05) * 0.7";
  const out = await render(page, { frames: 9600, rate: RATE, voices: [tone, tone], gains: [-16, 16] });
  expect(Math.max(...out.map(Math.abs))).toBe(0);
});

test("the ceiling holds at full scale and leaves what is under it alone", async ({ page }) => {
  const loud = await render(page, { frames: 9600, rate: RATE, voices: ["Math.sin(i * 0.01) * 3"], gains: [4] });
  expect(Math.max(...loud.map(Math.abs))).toBe(1);
  const quiet = await render(page, { frames: 9600, rate: RATE, voices: ["Math.sin(i * 0.01) * 0.99"], gains: [1] });
  for (const i of [500, 3000, 9000]) expect(quiet[i]).toBeCloseTo(Math.sin(i * 0.01) * 0.99, 6);
});

test("a gentle switch takes a quarter of a second", async ({ page }) => {
  const out = await render(page, {
    frames: 24_000,
    rate: RATE,
    voices: ["0.01"],
    gains: [1],
    switches: [{ frame: 4800, gains: [50], kind: "gentle" }],
  });
  expect(out[4800 + 6000]).toBeCloseTo(0.255, 2);
  expect(out[4800 + 12_000]).toBeCloseTo(0.5, 5);
});

test("a switch through silence sounds the same whether or not anything changes", async ({ page }) => {
  const plan = { frames: 9600, rate: RATE, voices: ["0.5", "0.5", "0.5"], gains: [1, 0, 0] };
  const toSame = await render(page, {
    ...plan,
    switches: [{ frame: 4800, gains: [1, 0, 0], kind: "silence" as const }],
  });
  const toOther = await render(page, {
    ...plan,
    switches: [{ frame: 4800, gains: [0, 1, 0], kind: "silence" as const }],
  });
  expect(toOther).toEqual(toSame);
  expect(Math.abs(toSame[4800 + DIP])).toBeLessThan(0.003);
  expect(toSame[4800 + 2 * DIP + 1]).toBeCloseTo(0.5, 5);
});

test("each lens lets through what it is called", async ({ page }) => {
  const plan = { frames: 2400, rate: RATE, voices: ["0.5"], right: ["0.1"], gains: [1] };
  const at = async (lens: Plan["lens"], output: 0 | 1) => (await render(page, { ...plan, lens, output }))[2000];
  expect(await at("stereo", 0)).toBeCloseTo(0.5, 6);
  expect(await at("stereo", 1)).toBeCloseTo(0.1, 6);
  for (const output of [0, 1] as const) {
    expect(await at("mid", output)).toBeCloseTo(0.3, 6);
    expect(await at("side", output)).toBeCloseTo(0.2, 6);
    expect(await at("left", output)).toBeCloseTo(0.5, 6);
    expect(await at("right", output)).toBeCloseTo(0.1, 6);
  }
});
