import { expect, type Page, test } from "@playwright/test";
import { build } from "esbuild";
import type { MonitorGraph } from "../src/playback/graph";

// The graph that plays is rendered offline here, in the browser it runs in, and its samples are looked at.

declare global {
  interface Window {
    graphModule: { MonitorGraph: typeof MonitorGraph };
    renderGraph: (plan: Plan) => Promise<number[]>;
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
};

let bundle = "";

test.beforeAll(async () => {
  const result = await build({
    entryPoints: ["src/playback/graph.ts"],
    bundle: true,
    write: false,
    format: "iife",
    globalName: "graphModule",
  });
  bundle = result.outputFiles[0].text;
});

async function render(page: Page, plan: Plan): Promise<number[]> {
  await page.goto("about:blank");
  await page.addScriptTag({ content: `${bundle}; window.graphModule = graphModule;` });
  return page.evaluate(async (p) => {
    const context = new OfflineAudioContext(2, p.frames, p.rate);
    const length = 48_000;
    const buffers = p.voices.map((expression, v) => {
      const buffer = context.createBuffer(2, length, p.rate);
      [expression, p.right?.[v] ?? expression].forEach((code, c) => {
        const at = new Function("i", `return ${code}`) as (i: number) => number;
        buffer.copyToChannel(
          Float32Array.from({ length }, (_, i) => at(i)),
          c,
        );
      });
      return buffer;
    });
    const graph = new window.graphModule.MonitorGraph(context, buffers, p.gains, p.lens);
    graph.start(0, p.startFrame ?? 0, p.loop ?? null);
    graph.scheduleSeams(p.frames / p.rate);
    for (const s of p.switches ?? []) {
      const time = s.frame / p.rate;
      if (s.kind === "silence") graph.switchThroughSilence(s.gains, time);
      else graph.switchTo(s.gains, time, s.kind === "gentle");
    }
    const rendered = await context.startRendering();
    return Array.from(rendered.getChannelData(p.output ?? 0));
  }, plan);
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
