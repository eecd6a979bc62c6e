// How much memory the page takes and how soon long files can be heard and compared, in the browser the tests use: twelve renders of ten
// minutes, 96 kHz, 24 bit, stereo. Memory is that of the whole renderer process as the system counts it.
import { spawn } from "node:child_process";
import { closeSync, existsSync, mkdtempSync, openSync, readdirSync, readFileSync, rmSync, writeSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium, type Page } from "@playwright/test";
import type { Sound } from "@/core/audio/sound";
import { crossingTheme } from "@/core/demo/passages";
import { wavParts } from "@/core/formats/wav-write";

const RATE = 96_000;
const SECONDS = 600;
const RENDERS = 12;
const PORT = 3219;

/** The demo's theme over and over, ten minutes of it, each time at another level; late and louder by render. */
function longSound(render: number): Sound {
  const { channels } = crossingTheme();
  const length = channels[0].length;
  const late = 97 * render;
  const gain = 1 - 0.05 * render;
  return {
    sampleRateHz: RATE,
    channelCount: 2,
    frames: SECONDS * RATE,
    read: (start, count) =>
      channels.map((channel) =>
        Float32Array.from({ length: count }, (_, i) => {
          const at = start + i - late;
          return at < 0 ? 0 : gain * channel[at % length] * (0.5 + 0.4 * Math.sin(at / 4_000_000));
        }),
      ),
  };
}

function makeFiles(folder: string): string[] {
  return Array.from({ length: RENDERS }, (_, render) => {
    const path = join(folder, `${render === 0 ? "long dry" : `long render ${render}`}.wav`);
    if (existsSync(path)) return path;
    const file = openSync(path, "w");
    for (const part of wavParts(longSound(render), "24-bit")) writeSync(file, part);
    closeSync(file);
    return path;
  });
}

/** Megabytes that the largest renderer process of a browser holds resident. */
function residentMb(): number {
  let most = 0;
  for (const id of readdirSync("/proc").filter((name) => /^\d+$/.test(name))) {
    try {
      if (!readFileSync(`/proc/${id}/cmdline`, "utf8").includes("--type=renderer")) continue;
      const kilobytes = Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${id}/status`, "utf8"))?.[1] ?? 0);
      most = Math.max(most, kilobytes / 1024);
    } catch {
      // It ended meanwhile.
    }
  }
  return most;
}

/** The most that is resident while something is done. */
async function mostWhile<T>(work: () => Promise<T>): Promise<{ mostMb: number; seconds: number; result: T }> {
  let mostMb = 0;
  const watch = setInterval(() => {
    mostMb = Math.max(mostMb, residentMb());
  }, 100);
  const begun = performance.now();
  const result = await work();
  clearInterval(watch);
  return { mostMb, seconds: (performance.now() - begun) / 1000, result };
}

const figure = (page: Page, name: string) => page.locator(`[data-figure="${name}"]`);
const LONG = { timeout: 600_000 };

/** Chooses files and has them added to the one passage; resolves when they can be played. */
async function add(page: Page, paths: string[]): Promise<void> {
  await page.getByLabel("Files to add").setInputFiles(paths);
  await page.getByRole("button", { name: /^Add \d+ renders?$/ }).click(LONG);
  await page.getByRole("dialog").waitFor({ state: "hidden", ...LONG });
}

/** In the page: milliseconds from the next press of the mouse to a playhead near `target`. */
function followedAfter({ target, within }: { target: number; within: number }): Promise<number> {
  return new Promise((resolve) => {
    let pressedAt: number | null = null;
    addEventListener(
      "pointerdown",
      (event) => {
        pressedAt = event.timeStamp;
      },
      { once: true, capture: true },
    );
    const look = () => {
      const at = Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame"));
      if (pressedAt !== null && Math.abs(at - target) < within) resolve(performance.now() - pressedAt);
      else requestAnimationFrame(look);
    };
    look();
  });
}

/** In a page that is opened: plays as soon as that can be asked for, and keeps when it is heard, from the start of the navigation. */
function playWhenReady(): void {
  let pressed = false;
  const look = () => {
    const button = [...document.querySelectorAll("button")].find((b) => b.textContent?.startsWith("Play"));
    if (!pressed && button && !button.disabled) {
      pressed = true;
      button.click();
    }
    const at = Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame"));
    if (pressed && at > 0) Object.assign(window, { heardMs: performance.now() });
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

/** Prints the figures; `full` for all twelve renders, else two. */
export async function benchBrowser(full: boolean): Promise<void> {
  const folder = process.env.BENCH_FOLDER ?? mkdtempSync(join(tmpdir(), "yonder-bench-"));
  console.log("making files…");
  const files = makeFiles(folder).slice(0, full ? RENDERS : 3);
  const server = spawn("node_modules/.bin/next", ["start", "--port", String(PORT)], { stdio: "ignore" });
  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"],
  });
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.on("console", (m) => console.log(m.text()));
    // tsx gives functions their names through a helper that the page lacks.
    await page.addInitScript("globalThis.__name = (named) => named");
    await page.goto(`http://localhost:${PORT}/`, { timeout: 30_000 }).catch(async () => {
      await new Promise((done) => setTimeout(done, 3000));
      await page.goto(`http://localhost:${PORT}/`);
    });
    await page.getByLabel("What is it about?").fill("Long");
    await page.getByRole("button", { name: "New comparison" }).click();
    await page.getByText("Drop renders here").waitFor();
    console.log(`an empty page: ${residentMb().toFixed(0)} MB`);
    const [dry, first, ...others] = files;

    const alone = await mostWhile(async () => {
      await add(page, [dry]);
      await page.getByRole("button", { name: /^Play/ }).click(LONG);
      await page.waitForFunction(
        () => Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame")) > 0,
      );
    });
    await page.keyboard.press("Space");
    console.log(
      `one file of ten minutes added and heard after ${alone.seconds.toFixed(1)} s (aim: 3), ${alone.mostMb.toFixed(0)} MB at most`,
    );

    const pair = await mostWhile(async () => {
      await add(page, [first]);
      await figure(page, "nulls-to").filter({ hasText: "dB" }).waitFor(LONG);
      await figure(page, "level-apart").filter({ hasText: "LU" }).waitFor(LONG);
    });
    console.log(
      `a second one added, figures of the pair after ${pair.seconds.toFixed(1)} s (aim: 10), ${pair.mostMb.toFixed(0)} MB at most`,
    );

    const rest = await mostWhile(async () => {
      await add(page, others);
      await page
        .getByText("Lining up…")
        .first()
        .waitFor({ state: "hidden", ...LONG });
      await page.getByLabel("Work in progress").waitFor({ state: "hidden", ...LONG });
    });
    console.log(
      `${others.length} more added and measured after ${rest.seconds.toFixed(1)} s, ${rest.mostMb.toFixed(0)} MB at most (aim: 1000)`,
    );

    await page.getByRole("navigation", { name: "Stops" }).getByRole("link", { name: "Listen" }).click();
    const playing = await mostWhile(async () => {
      await page.keyboard.press("Space");
      for (let round = 0; round < 30; round++) {
        await page.keyboard.press(String(1 + (round % Math.min(9, files.length))));
        await page.waitForTimeout(400);
      }
    });
    console.log(`${files.length} renders switched while they play: ${playing.mostMb.toFixed(0)} MB at most (aim: 600)`);
    const seeks: number[] = [];
    const box = await page.getByTestId("waveform").boundingBox();
    for (let i = 0; box && i < 8; i++) {
      const share = 0.1 + 0.1 * i;
      const followed = page.evaluate(followedAfter, { target: share * SECONDS * RATE, within: 5 * RATE });
      await page.mouse.click(box.x + box.width * share, box.y + 20);
      seeks.push(await followed);
    }
    seeks.sort((a, b) => a - b);
    console.log(
      `a seek is followed after ${seeks[4]?.toFixed(0)} ms, ${seeks.at(-1)?.toFixed(0)} ms at most (aim: 100), from the click to the drawn playhead`,
    );
    const missed = await page.getByLabel("Transport").getAttribute("data-missed-frames");
    console.log(`frames that were not there in time: ${missed}`);
    await page.keyboard.press("Space");
    await page.addInitScript(playWhenReady);
    await page.reload();
    const again = await page.waitForFunction(() => (window as unknown as { heardMs?: number }).heardMs, null, LONG);
    console.log(`opened again and heard after ${(Number(await again.jsonValue()) / 1000).toFixed(1)} s (aim: 1)`);
  } finally {
    await browser.close();
    server.kill();
    if (!process.env.BENCH_FOLDER) rmSync(folder, { recursive: true, force: true });
  }
}
