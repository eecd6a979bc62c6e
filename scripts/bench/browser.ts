// How much memory the page takes and how soon long files can be heard and compared, in the browser the tests use: twelve renders of ten
// minutes, 96 kHz, 24 bit, stereo. Memory is that of the whole renderer process as the system counts it.
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium, type Page } from "@playwright/test";
import { longFile } from "./long-sounds";
import { against, ebur128Seconds } from "./reference";
import { mostWhile as mostOf, residentMb, serve } from "./serve";

const RATE = 96_000;
const SECONDS = 600;
const RENDERS = 12;
const PORT = 3219;

const makeFiles = (folder: string): string[] =>
  Array.from({ length: RENDERS }, (_, render) => {
    const path = join(folder, `${render === 0 ? "long dry" : `long render ${render}`}.wav`);
    return longFile(path, render, RATE, SECONDS);
  });

const RENDERER = "--type=renderer";
const mostWhile = <T>(work: () => Promise<T>) => mostOf(RENDERER, work);

const LONG = { timeout: 600_000 };

/** Chooses files and has them added to the one passage; resolves when they can be played. */
async function add(page: Page, paths: string[]): Promise<void> {
  await page.getByLabel("Files to add").setInputFiles(paths);
  await page.getByRole("button", { name: /^Add \d+ renders?$/ }).click(LONG);
  await page.getByRole("dialog").waitFor({ state: "hidden", ...LONG });
}

/** In the page: keeps when the mouse was pressed last. */
function keepPresses(): void {
  addEventListener("pointerdown", (event) => Object.assign(window, { pressedAt: event.timeStamp }), true);
}

/** In the page: milliseconds from the last press of the mouse to a playhead near `target`; not a number when it does not come. */
function followedAfter({ target, within }: { target: number; within: number }): Promise<number> {
  const { pressedAt } = window as unknown as { pressedAt: number };
  return new Promise((resolve) => {
    const look = () => {
      const at = Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame"));
      const after = performance.now() - pressedAt;
      if (Math.abs(at - target) < within) resolve(after);
      else if (after > 5000) resolve(Number.NaN);
      else requestAnimationFrame(look);
    };
    look();
  });
}

/**
 * In a page: presses buttons that begin with these words as soon as each can be pressed, one after the other, and keeps when something is heard
 * after the last: looked at every frame, where the test's own looking would add up to half a second at each step.
 */
function pressWhenReady(words: string[]): void {
  const left = [...words];
  const look = () => {
    const button = [...document.querySelectorAll("button")].find((b) => b.textContent?.startsWith(left[0]));
    if (left.length > 0 && button && !button.disabled) {
      left.shift();
      button.click();
    }
    const at = Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame"));
    if (left.length === 0 && at > 0) Object.assign(window, { heardMs: performance.now() });
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

/** In a page: whether figures of the pair bar have come, by the unit they then stand in. */
const haveCome = (units: Record<string, string>): boolean =>
  Object.entries(units).every(([name, unit]) =>
    document.querySelector(`[data-figure="${name}"]`)?.textContent?.includes(unit),
  );

/** Prints the figures; `full` for all twelve renders, else two. */
export async function benchBrowser(full: boolean): Promise<void> {
  const folder = process.env.BENCH_FOLDER ?? mkdtempSync(join(tmpdir(), "yonder-bench-"));
  console.log("making files…");
  const files = makeFiles(folder).slice(0, full ? RENDERS : 3);
  const reference = ebur128Seconds(files[0]);
  const beside = (seconds: number) => against(seconds, reference, "ffmpeg's ebur128 over one such file");
  console.log(`ffmpeg's ebur128 over one such file, on its own: ${reference.toFixed(1)} s`);
  const server = await serve(PORT);
  // A profile on the disk, as people have: one in memory has little room.
  const profile = mkdtempSync(join(tmpdir(), "yonder-bench-profile-"));
  const context = await chromium.launchPersistentContext(profile, {
    executablePath: "/usr/bin/chromium",
    viewport: { width: 1280, height: 800 },
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"],
  });
  try {
    const page = context.pages()[0] ?? (await context.newPage());
    page.on("console", (m) => console.log(m.text()));
    // tsx gives functions their names through a helper that the page lacks.
    await page.addInitScript("globalThis.__name = (named) => named");
    await page.addInitScript(keepPresses);
    /** Until nothing is worked out any more: lanes without work are closed, the feeder stays. */
    const quiet = async () => {
      while (page.workers().length > 1) await page.waitForTimeout(100);
    };
    /** Milliseconds from the page's beginning to the first sound that was waited for. */
    const heard = async () => {
      const at = await page.waitForFunction(() => (window as unknown as { heardMs?: number }).heardMs, null, LONG);
      return Number(await at.jsonValue());
    };
    await page.goto(server.address);
    await page.getByLabel("What is it about?").fill("Long");
    await page.getByRole("button", { name: "New comparison" }).click();
    await page.getByText("Drop renders here").waitFor();
    console.log(`an empty page: ${residentMb(RENDERER).toFixed(0)} MB`);
    const [dry, first, ...others] = files;

    const alone = await mostWhile(async () => {
      await page.evaluate(pressWhenReady, ["Add 1 render", "Play"]);
      await page.getByLabel("Files to add").setInputFiles([dry]);
      await heard();
    });
    await page.keyboard.press("Space");
    console.log(
      `one file of ten minutes added and heard after ${alone.seconds.toFixed(1)} s (aim: 3; ${beside(alone.seconds)}), ${alone.mostMb.toFixed(0)} MB at most`,
    );

    await quiet();
    const pair = await mostWhile(async () => {
      await page.evaluate(pressWhenReady, ["Add 1 render"]);
      await page.getByLabel("Files to add").setInputFiles([first]);
      await page.waitForFunction(haveCome, { "nulls-to": "dB", "level-apart": "LU" }, LONG);
    });
    console.log(
      `a second one added, figures of the pair after ${pair.seconds.toFixed(1)} s (aim: 10; ${beside(pair.seconds)}), ${pair.mostMb.toFixed(0)} MB at most`,
    );

    const rest = await mostWhile(async () => {
      await add(page, others);
      await page
        .getByText("Lining up…")
        .first()
        .waitFor({ state: "hidden", ...LONG });
      await page.getByLabel("Work in progress").waitFor({ state: "hidden", ...LONG });
      await quiet();
    });
    console.log(
      `${others.length} more added and measured after ${rest.seconds.toFixed(1)} s (${beside(rest.seconds)}), ${rest.mostMb.toFixed(0)} MB at most (aim: 1000), ${residentMb(RENDERER).toFixed(0)} MB afterwards`,
    );

    const missedFrames = async () => Number(await page.getByLabel("Transport").getAttribute("data-missed-frames"));
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
      await page.mouse.click(box.x + box.width * share, box.y + 20);
      seeks.push(await page.evaluate(followedAfter, { target: share * SECONDS * RATE, within: 5 * RATE }));
    }
    seeks.sort((a, b) => a - b);
    console.log(
      `a seek is followed after ${seeks[4]?.toFixed(0)} ms, ${seeks.at(-1)?.toFixed(0)} ms at most (aim: 100), from the click to the drawn playhead`,
    );
    console.log(`frames that were not there in time while switching and seeking: ${await missedFrames()}`);

    // Loudness over time of ten minutes, all renders of it, while they play.
    const before = await missedFrames();
    const analysed = await mostWhile(async () => {
      await page.getByRole("navigation", { name: "Stops" }).getByRole("link", { name: "Line up" }).click();
      await page.getByRole("button", { name: "Over time" }).click();
      await page.getByTestId("over-time-Here").waitFor(LONG);
      await quiet();
    });
    console.log(
      `loudness over time worked out while it plays, within ${analysed.seconds.toFixed(1)} s: ${(await missedFrames()) - before} frames not there in time`,
    );
    await page.keyboard.press("Space");
    await page.addInitScript(pressWhenReady, ["Play"]);
    await page.reload();
    const again = (await heard()) / 1000;
    console.log(`opened again and heard after ${again.toFixed(2)} s (aim: 1; ${beside(again)})`);
  } finally {
    await context.close();
    server.stop();
    rmSync(profile, { recursive: true, force: true });
    if (!process.env.BENCH_FOLDER) rmSync(folder, { recursive: true, force: true });
  }
}
