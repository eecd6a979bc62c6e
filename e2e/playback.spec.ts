import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { build } from "esbuild";
import { type LiveBlock, liveFigures } from "../src/core/loudness/live";
import type { MonitorGraph } from "../src/playback/graph";
import type { View } from "../src/playback/lens";
import type { Feeder } from "../src/workers/feed/feeder";
import type { makeTape } from "../src/workers/feed/tape";

// What plays is rendered offline here, in the browser it runs in: the tape written by its feeder, the worklet, the graph. Its samples are
// looked at.

declare global {
  interface Window {
    playback: {
      MonitorGraph: typeof MonitorGraph;
      PLAIN_VIEW: View;
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
  view?: Partial<View>;
  /** Names of the voices; one may be the transient mask. */
  keys?: string[];
  /** Moves of the view, at a frame. */
  views?: { frame: number; view: Partial<View> }[];
  trim?: number;
  /** Whether what is heard is measured beside the path; the figures come back as `blocks`. */
  live?: boolean;
  /** Right channel of each voice; the left one when left out. */
  right?: string[];
  loop?: { startFrame: number; endFrame: number };
  startFrame?: number;
  switches?: { frame: number; gains: number[]; kind: "cross" | "silence"; seconds?: number }[];
  output?: 0 | 1;
  /** Another place to play from at a frame; what plays is hushed before, the other place taken back before it begins. */
  seek?: { atFrame: number; toFrame: number; hushedAt?: number; takenBack?: boolean };
};

let bundle = "";

const worklets = ["voices", "meter"].map((name) => readFileSync(`src/playback/${name}.worklet.js`, "utf8"));

test.beforeAll(async () => {
  const result = await build({
    stdin: {
      contents:
        'export * from "./src/playback/graph"; export * from "./src/playback/lens"; export * from "./src/workers/feed/feeder"; export * from "./src/workers/feed/tape";',
      resolveDir: ".",
    },
    bundle: true,
    write: false,
    format: "iife",
    globalName: "playback",
  });
  bundle = result.outputFiles[0].text;
});

const render = async (page: Page, plan: Plan): Promise<number[]> => (await played(page, plan)).samples;

async function played(page: Page, plan: Plan): Promise<{ samples: number[]; blocks: LiveBlock[] }> {
  // A page of our own, which is isolated and shares memory.
  if (!page.url().startsWith("http")) await page.goto("/?list");
  await page.addScriptTag({ content: `${bundle}; window.playback = playback;` });
  return page.evaluate(
    async ({ plan: p, worklets: codes }) => {
      const context = new OfflineAudioContext(2, p.frames, p.rate);
      for (const code of codes)
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
      const keys = p.keys ?? p.voices.map((_, v) => String(v));
      const view = { ...window.playback.PLAIN_VIEW, ...p.view };
      const blocks: LiveBlock[] = [];
      const onMeter = p.live ? (block: LiveBlock) => blocks.push(block) : null;
      const graph = new window.playback.MonitorGraph(context, memory, keys, p.gains, { view, trim: p.trim, onMeter });
      for (const { frame, view: change } of p.views ?? []) graph.setView({ ...view, ...change }, frame / p.rate);
      const start = p.startFrame ?? 0;
      feeder.cue(0, start, p.loop ?? null);
      fillAll(0);
      graph.start(0, 0, start, p.loop ?? null);
      if (p.seek) {
        const { atFrame, toFrame, hushedAt, takenBack } = p.seek;
        // What plays is asked for the other place when it is there, a moment ahead, as the player does.
        const asked = context.suspend(Math.floor((atFrame - 512) / 128) * (128 / p.rate));
        void asked.then(() => {
          const deck = graph.restingDeck;
          feeder.cue(deck, toFrame, null);
          fillAll(deck);
          if (hushedAt) graph.hush(hushedAt / p.rate);
          graph.start(atFrame / p.rate, deck, toFrame, null);
          if (takenBack) graph.stop((atFrame - 1) / p.rate);
          void context.resume();
        });
      }
      graph.scheduleSeams(p.frames / p.rate);
      for (const s of p.switches ?? []) {
        const time = s.frame / p.rate;
        if (s.kind === "silence") graph.switchThroughSilence(s.gains, time);
        else graph.switchTo(s.gains, time, s.seconds);
      }
      const rendered = await context.startRendering();
      if (graph.missedFrames > 0) throw new Error(`${graph.missedFrames} frames were not there in time`);
      // What was measured comes by message, after the last sample.
      if (p.live) await new Promise((resolve) => setTimeout(resolve, 100));
      return { samples: Array.from(rendered.getChannelData(p.output ?? 0)), blocks };
    },
    { plan, worklets },
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

test("a gap before another place is silent, and what is stopped before it begins is never heard", async ({ page }) => {
  const plan = { frames: 24_000, rate: RATE, voices: ["0.5"], gains: [1] };
  const seek = { atFrame: 9001, toFrame: 30_000, hushedAt: 8700 };
  const gap = await render(page, { ...plan, seek });
  expect(gap[8699]).toBe(0.5);
  expect(Math.max(...gap.slice(8700 + DIP, 9001).map(Math.abs))).toBe(0);
  expect(gap[9001 + DIP]).toBe(0.5);
  const takenBack = await render(page, { ...plan, seek: { ...seek, takenBack: true } });
  expect(Math.max(...takenBack.slice(8700 + DIP).map(Math.abs))).toBe(0);
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
  // The trim comes before it.
  const trimmed = { frames: 4800, rate: RATE, voices: ["Math.sin(i * 0.01) * 2"], gains: [1], trim: 0.25 };
  expect(Math.max(...(await render(page, trimmed)).map(Math.abs))).toBeCloseTo(0.5, 3);
});

test("a gentle switch takes a quarter of a second", async ({ page }) => {
  const out = await render(page, {
    frames: 24_000,
    rate: RATE,
    voices: ["0.01"],
    gains: [1],
    switches: [{ frame: 4800, gains: [50], kind: "cross", seconds: 0.25 }],
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
  const at = async (lens: View["lens"], output: 0 | 1) =>
    (await render(page, { ...plan, view: { lens }, output }))[2000];
  expect(await at("stereo", 0)).toBeCloseTo(0.5, 6);
  expect(await at("stereo", 1)).toBeCloseTo(0.1, 6);
  for (const output of [0, 1] as const) {
    expect(await at("mid", output)).toBeCloseTo(0.3, 6);
    expect(await at("side", output)).toBeCloseTo(0.2, 6);
    expect(await at("left", output)).toBeCloseTo(0.5, 6);
    expect(await at("right", output)).toBeCloseTo(0.1, 6);
    expect(await at("mono", output)).toBeCloseTo(0.6 * Math.SQRT1_2, 6);
  }
});

test("a crossfade of 0, 1, 20 or 50 ms begins and ends at its sample", async ({ page }) => {
  for (const milliseconds of [0, 1, 20, 50]) {
    const out = await render(page, {
      frames: 14_400,
      rate: RATE,
      voices: ["0.5", "-0.25"],
      gains: [1, 0],
      switches: [{ frame: 4800, gains: [0, 1], kind: "cross", seconds: milliseconds / 1000 }],
    });
    const end = 4800 + (milliseconds * RATE) / 1000;
    expect(out[4799]).toBeCloseTo(0.5, 6);
    expect(out[end]).toBeCloseTo(-0.25, 5);
    if (milliseconds === 0) continue;
    expect(out[(4800 + end) / 2]).toBeCloseTo(0.125, 2);
    expect(largestStep(out.slice(DIP))).toBeLessThan((0.75 / (end - 4800)) * 1.01);
  }
});

const levelOf = (samples: number[]) =>
  20 * Math.log10(Math.sqrt(2 * (samples.reduce((s, v) => s + v * v, 0) / samples.length)));

test("a band lets through what lies in it and takes out what does: Linkwitz-Riley edges, −6 dB at each", async ({
  page,
}) => {
  const band = { centreHz: 1000, octaves: 2 };
  const levelAt = async (hertz: number, mode: View["band"]["mode"]) => {
    const tone = `0.5 * Math.sin(i * ${(2 * Math.PI * hertz) / RATE})`;
    const out = await render(page, {
      frames: 24_000,
      rate: RATE,
      voices: [tone],
      gains: [1],
      view: { band: { ...band, mode } },
    });
    return levelOf(out.slice(12_000)) - 20 * Math.log10(0.5);
  };
  for (const edge of [500, 2000]) {
    expect(await levelAt(edge, "alone")).toBeCloseTo(-6.02, 0);
    expect(await levelAt(edge, "without")).toBeCloseTo(-6.02, 0);
  }
  expect(Math.abs(await levelAt(1000, "alone"))).toBeLessThan(1.1);
  // Two octaves from an edge a fourth-order slope is 48 dB down.
  expect(await levelAt(125, "alone")).toBeLessThan(-45);
  expect(await levelAt(8000, "alone")).toBeLessThan(-45);
  expect(await levelAt(1000, "without")).toBeLessThan(-17);
  expect(Math.abs(await levelAt(60, "without"))).toBeLessThan(0.3);
  expect(Math.abs(await levelAt(12_000, "without"))).toBeLessThan(0.3);
});

test("a band that is moved while it plays does not click, and arrives", async ({ page }) => {
  const tone = "0.5 * Math.sin(i * 0.13)";
  const view = { band: { mode: "alone" as const, centreHz: 1000, octaves: 2 } };
  const moved = [6000, 9000, 12_000].map((frame, n) => ({
    frame,
    view: { band: { ...view.band, centreHz: 1000 * 2 ** n } },
  }));
  const out = await render(page, { frames: 36_000, rate: RATE, voices: [tone], gains: [1], view, views: moved });
  // A sine of that frequency takes steps of 0.065 at the most; a filter that moves adds little to it.
  expect(largestStep(out.slice(DIP))).toBeLessThan(0.085);
  const still = await render(page, {
    frames: 36_000,
    rate: RATE,
    voices: [tone],
    gains: [1],
    view: { band: { ...view.band, centreHz: 4000 } },
  });
  expect(levelOf(out.slice(28_000))).toBeCloseTo(levelOf(still.slice(28_000)), 1);
});

test("a lens treats whatever is switched to alike: two like voices null through it, moving or not", async ({
  page,
}) => {
  const tone = "Math.sin(i * 0.05) * 0.7 + Math.sin(i * 1.1) * 0.1";
  const view = { lens: "side" as const, band: { mode: "alone" as const, centreHz: 2000, octaves: 1 } };
  const out = await render(page, {
    frames: 9600,
    rate: RATE,
    voices: [tone, tone],
    right: ["0", "0"],
    gains: [-16, 16],
    view,
  });
  expect(Math.max(...out.map(Math.abs))).toBe(0);
});

test("onsets and what sustains are the mask and the rest of it, sample by sample, and together the sound", async ({
  page,
}) => {
  const mask = "i % 4800 < 1200 ? 1 : 0.25";
  const plan = {
    frames: 9600,
    rate: RATE,
    voices: ["0.5", mask],
    keys: ["render", "transient mask"],
    gains: [1, 1],
  };
  const transients = await render(page, { ...plan, view: { moments: "onsets" } });
  const sustain = await render(page, { ...plan, view: { moments: "sustain" } });
  for (const i of [600, 3000, 5000, 9000]) {
    const open = i % 4800 < 1200 ? 1 : 0.25;
    expect(transients[i]).toBeCloseTo(0.5 * open, 6);
    expect(sustain[i]).toBeCloseTo(0.5 * (1 - open), 6);
  }
  // The mask is never heard itself.
  const whole = await render(page, plan);
  for (const i of [600, 3000, 9000]) expect(whole[i]).toBeCloseTo(0.5, 6);
});

test("what is measured beside the path is EBU Tech 3341's tone to a tenth, its correlation, and changes nothing of what is heard", async ({
  page,
}) => {
  // Tech 3341 case 1: 1 kHz in both channels at −23 dBFS reads −23 LUFS.
  const tone = `${10 ** (-23 / 20)} * Math.sin(i * ${(2 * Math.PI * 1000) / RATE})`;
  const plan = { frames: 48_000, rate: RATE, voices: [tone], gains: [1] };
  const { samples, blocks } = await played(page, { ...plan, live: true });
  expect(blocks.length).toBeGreaterThanOrEqual(9);
  const { shortTermLufs, correlation } = liveFigures(blocks.slice(1), RATE);
  expect(shortTermLufs ?? 0).toBeCloseTo(-23, 1);
  expect(correlation).toBeCloseTo(1, 6);
  expect(samples).toEqual(await render(page, plan));
  const against = await played(page, { ...plan, right: [`-(${tone})`], live: true });
  expect(liveFigures(against.blocks, RATE).correlation).toBeCloseTo(-1, 6);
  const alone = await played(page, { ...plan, right: ["0"], live: true });
  expect(liveFigures(alone.blocks, RATE).correlation).toBeNull();
});
