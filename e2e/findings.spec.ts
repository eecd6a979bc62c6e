import { spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import { type Download, expect, type Page, test } from "@playwright/test";
import { unzipSync } from "fflate";
import { type Clip, scaleClip } from "../src/core/audio/clip";
import type { PackFigures } from "../src/core/findings/pack-files";
import type { Report } from "../src/core/findings/report";
import { shifted } from "../src/core/stimuli/signals";
import { LABELS } from "../src/ui/labels";
import {
  addFiles,
  beginRun,
  chooseFiles,
  fairLevel,
  figure,
  hearSeats,
  newComparison,
  pressAnswer,
  stop,
  trialText,
  wavFile,
} from "./support";

// From dropped files to what is handed on, as someone would who has never seen the product.

const RATE_HZ = 24_000;

/** Struck tones that ring off, and a softer and a bent one of the same. */
function chime(): Clip {
  const samples = Float32Array.from({ length: 4 * RATE_HZ }, (_, i) => {
    const since = i % (0.4 * RATE_HZ);
    const strike = Math.floor(i / (0.4 * RATE_HZ));
    const tone = 392 * 2 ** (((strike * 7) % 12) / 12);
    return 0.3 * Math.exp((-7 * since) / RATE_HZ) * Math.sin((2 * Math.PI * tone * since) / RATE_HZ);
  });
  return { sampleRateHz: RATE_HZ, channels: [samples] };
}
const bent = (clip: Clip, drive: number): Clip => ({
  ...clip,
  channels: clip.channels.map((c) => c.map((v) => Math.tanh(drive * v) / drive)),
});

const folder = mkdtempSync(join(tmpdir(), "yonder-findings-"));

async function saved(page: Page, press: () => Promise<void>): Promise<string> {
  const downloading = page.waitForEvent("download");
  await press();
  return keep(await downloading);
}
async function keep(download: Download): Promise<string> {
  const path = join(folder, download.suggestedFilename());
  await download.saveAs(path);
  return path;
}
const json = <T>(path: string): T => JSON.parse(readFileSync(path, "utf8")) as T;

/** Five trials of ABX, always the same answer. */
async function takeAbx(page: Page, listener: string): Promise<void> {
  await page.getByLabel(LABELS.numberOfTrials).fill("5");
  await page.getByLabel(LABELS.listenerCode).fill(listener);
  await beginRun(page);
  for (let trial = 1; trial <= 5; trial++) {
    await trialText(page, `Trial ${trial} of 5`);
    await hearSeats(page, ["2", "1"]);
    await pressAnswer(page, "X is A", "a");
  }
  await expect(page.getByTestId("verdict")).toBeVisible();
}

/** Loudness and length of a file, by ffmpeg. */
function byFfmpeg(path: string): { integratedLufs: number; seconds: number; frames: number } {
  const { stderr } = spawnSync(
    "ffmpeg",
    [
      "-hide_banner",
      "-nostats",
      "-i",
      path,
      "-af",
      // A mono file is played on both sides, and measured as it is played.
      "ebur128=dualmono=true,astats=measure_perchannel=none",
      "-f",
      "null",
      "-",
    ],
    { encoding: "utf8" },
  );
  const number = (form: RegExp) => Number(form.exec(stderr)?.[1]);
  const [, h, m, s] = /Duration: (\d+):(\d+):([\d.]+)/.exec(stderr) ?? [];
  return {
    // The summary is the last of them.
    integratedLufs: Number([...stderr.matchAll(/I:\s+(-?[\d.]+) LUFS/g)].at(-1)?.[1]),
    seconds: 3600 * Number(h) + 60 * Number(m) + Number(s),
    frames: number(/Number of samples: (\d+)/),
  };
}

test("from dropped files to a verdict, a report that stands alone, a pack that ffmpeg reads, and an archive for another browser", async ({
  page,
  browser,
}) => {
  test.setTimeout(240_000);
  await newComparison(page, "Harbour chime");
  const dry = chime();
  await addFiles(
    page,
    [
      wavFile("chime dry.wav", dry, "16-bit"),
      wavFile("chime bent.wav", scaleClip(shifted(bent(dry, 4), 37), 1.4)),
      wavFile("chime warm.wav", scaleClip(bent(dry, 1.5), 0.8)),
    ],
    "chime dry.wav",
  );
  await expect(figure(page, "nulls-to")).toContainText("dB");

  // A sighted verdict asks the first question, and the question is one press from the booth.
  await stop(page, "Listen").click();
  await page.getByRole("button", { name: LABELS.sightedVerdict }).click();
  await page.getByLabel(LABELS.whichDoYouPrefer).selectOption({ label: "bent" });
  await page.getByRole("button", { name: LABELS.saveVerdict }).click();
  await stop(page, "Findings").click();
  await expect(page.getByTestId("family")).toContainText("Sighted, bent on Chime was preferred");
  await page.getByRole("tab", { name: "Test next (1)" }).click();
  await expect(page.getByTestId("next")).toContainText("Does it differ audibly from Dry?");
  await expect(page.getByTestId("next")).toContainText("ABX, 18 trials");
  await expect(page.getByTestId("next")).toContainText("most audible there by estimate");
  await page.getByRole("button", { name: LABELS.planIt }).click();
  await expect(page.getByLabel(LABELS.numberOfTrials)).toHaveValue("18");
  await expect(page.getByText("The loop, 0:")).toBeVisible();
  const instead = page.getByRole("button", { name: LABELS.matchOverTheLoopInstead });
  await expect(fairLevel(page).or(instead)).toBeVisible();
  if (await instead.isVisible()) await instead.click();
  await takeAbx(page, "L1");
  await page.getByRole("link", { name: LABELS.toTheFindings }).click();

  // Her verdict, by keys; nothing was filled in for her.
  const grid = page.getByRole("grid", { name: LABELS.verdicts });
  await expect(grid.locator("[data-verdict]")).toHaveCount(0);
  await grid.getByRole("gridcell", { name: "bent, Chime" }).click();
  await expect(page.getByTestId("evidence").first()).toContainText(/ABX: (no )?difference from Dry shown/);
  await page.keyboard.press("1");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("3");
  await page.getByLabel(LABELS.bad).fill("dull");
  await expect(grid.locator('[data-verdict="first choice"]')).toHaveCount(1);
  await page.getByRole("button", { name: /^Analyse \d renders?/ }).click();
  await expect(page.getByLabel(LABELS.figures, { exact: true })).toContainText(/Processing: saturation/, {
    timeout: 90_000,
  });

  // The timeline has all of it, and each row opens what it came from.
  await page.getByRole("tab", { name: LABELS.timeline }).click();
  await expect(page.getByTestId("entry")).toHaveCount(4);
  await page.getByLabel(LABELS.kind).selectOption("verdict");
  await expect(page.getByTestId("entry")).toHaveCount(2);
  await page.keyboard.press("k");
  await expect(page.getByLabel(LABELS.kind)).toHaveValue("note");
  await page.getByLabel(LABELS.kind).selectOption("run");
  await page.getByTestId("entry").getByRole("button").click();
  await expect(page.getByRole("dialog")).toContainText("the opened order matches the seal");
  await page.keyboard.press("Escape");

  // The report, and the same in figures.
  await page.keyboard.press("r");
  await expect(page.frameLocator("iframe").getByRole("heading", { name: "Harbour chime" })).toBeVisible();
  const html = await saved(page, () => page.getByRole("button", { name: "Save as HTML" }).click());
  const first = json<Report>(await saved(page, () => page.getByRole("button", { name: "Save as JSON" }).click()));
  await page.getByLabel(LABELS.keepNamesBlind).check();
  const blind = readFileSync(
    await saved(page, () => page.getByRole("button", { name: "Save as Markdown" }).click()),
    "utf8",
  );
  expect(blind).toContain("Candidate A");
  expect(blind).not.toMatch(/\bbent\b|\bwarm\b|dull/);
  await page.keyboard.press("Escape");

  // The pack: read by another program, as long and as loud as the report says.
  await page.keyboard.press("g");
  const pack = page.getByRole("dialog", { name: LABELS.renderPack });
  await pack.getByLabel(LABELS.alsoResiduals).check();
  const zip = await saved(page, () => pack.getByRole("button", { name: "Write 5 files" }).click());
  const files = unzipSync(readFileSync(zip));
  expect(Object.keys(files).sort()).toEqual([
    "READ-ME.txt",
    "chime__bent__matched.wav",
    "chime__bent__residual.wav",
    "chime__dry__matched.wav",
    "chime__warm__matched.wav",
    "chime__warm__residual.wav",
    "figures.csv",
    "figures.json",
  ]);
  const figures = JSON.parse(new TextDecoder().decode(files["figures.json"])) as PackFigures[];
  mkdirSync(join(folder, "pack"), { recursive: true });
  for (const { file, kind, candidate, integratedLufs, frames } of figures) {
    writeFileSync(join(folder, "pack", file), files[file]);
    const heard = byFfmpeg(join(folder, "pack", file));
    expect(heard.frames, file).toBe(frames);
    // ffmpeg tells a tenth of a LU.
    if (integratedLufs !== null) expect(Math.abs(heard.integratedLufs - integratedLufs), file).toBeLessThan(0.06);
    const reported = first.renders.find((r) => r.candidate === candidate);
    expect(heard.seconds).toBeCloseTo(reported?.seconds ?? 0, 1);
    if (kind === "matched")
      expect(Math.abs(heard.integratedLufs - (reported?.match.matchedLufs ?? 0))).toBeLessThan(0.06);
  }

  // The archive, taken into a browser that has never seen any of it: the same report, figure by figure.
  const archive = await saved(page, () => page.getByRole("button", { name: /^Archive/ }).click());
  const verified = spawnSync(process.execPath, ["scripts/yonder.mjs", "verify", archive], { encoding: "utf8" });
  expect(JSON.parse(verified.stdout)).toMatchObject({ holds: true, counts: { renders: 3, runs: 1 } });
  const elsewhere = await browser.newContext({ acceptDownloads: true, viewport: { width: 1280, height: 800 } });
  const other = await elsewhere.newPage();
  await other.goto("/?list");
  await other.getByLabel(LABELS.archiveToOpen).setInputFiles(archive);
  await expect(other.getByRole("grid", { name: LABELS.verdicts })).toBeVisible({ timeout: 40_000 });
  await expect(other.getByLabel(LABELS.workInProgress)).toBeHidden({ timeout: 40_000 });
  await other.keyboard.press("r");
  const second = json<Report>(await saved(other, () => other.getByRole("button", { name: "Save as JSON" }).click()));
  expect({ ...second, writtenAt: "" }).toEqual({ ...first, writtenAt: "" });

  // A report alone, from the disk, with the network off.
  await elsewhere.setOffline(true);
  const alone = await elsewhere.newPage();
  const asked: string[] = [];
  alone.on("request", (request) => asked.push(basename(new URL(request.url()).pathname)));
  await alone.goto(`file://${html}`);
  await expect(alone.getByRole("heading", { level: 1, name: "Harbour chime" })).toBeVisible();
  await expect(alone.getByRole("heading", { name: "First choice" })).toBeVisible();
  expect(await alone.locator("svg").count()).toBeGreaterThan(2);
  expect(asked).toEqual([basename(html)]);
  await elsewhere.close();
});

test("a folder whose files appear and change: offered, told, and a later version stands beside the first", async ({
  page,
}) => {
  // A folder of the browser's own stands for one that a person would choose: nobody is there to choose.
  await page.addInitScript(() => {
    Object.assign(window, {
      showDirectoryPicker: async () =>
        (await navigator.storage.getDirectory()).getDirectoryHandle("Mixes", { create: true }),
    });
  });
  const write = (name: string, bytes: Buffer) =>
    page.evaluate(
      async ({ file, numbers }) => {
        const root = await navigator.storage.getDirectory();
        const mixes = await root.getDirectoryHandle("Mixes", { create: true });
        const writer = await (await mixes.getFileHandle(file, { create: true })).createWritable();
        await writer.write(new Uint8Array(numbers));
        await writer.close();
      },
      { file: name, numbers: [...bytes] },
    );
  await newComparison(page, "Folder");
  const dry = chime();
  await write("chime dry.wav", wavFile("", dry, "16-bit").buffer);
  await write("chime Bus comp.wav", wavFile("", bent(dry, 3), "16-bit").buffer);
  await page.getByRole("button", { name: LABELS.connectAFolder }).click();
  const strip = page.getByRole("region", { name: LABELS.connectedFolder });
  await expect(strip).toContainText("2 new files.");
  await strip.getByRole("button", { name: "Review them" }).click();
  await expect(page.getByLabel("chime dry.wav is the dry render")).toBeChecked({ timeout: 40_000 });
  await page.getByRole("button", { name: "Add 2 renders" }).click();
  await expect(strip).toContainText("2 files, nothing new");

  // It is written again, louder: reported, and never put over what was there.
  await write("chime Bus comp.wav", wavFile("", scaleClip(bent(dry, 3), 1.2), "16-bit").buffer);
  await expect(strip).toContainText("1 changed file.");
  await strip.getByRole("button", { name: "Review it" }).click();
  await expect(page.getByText("Bus comp, second version: 1.6 LU louder than the first.")).toBeVisible({
    timeout: 40_000,
  });
  await page.getByRole("button", { name: "Add 1 render" }).click();
  await expect(page.locator('[data-candidate="Bus comp, version 2"]')).toBeVisible();
  await expect(page.locator('[data-candidate="Bus comp"]')).toBeVisible();
  await expect(page.locator("[data-render]")).toHaveCount(3);
  await expect(strip).toContainText("nothing new");

  // The same by hand, where a browser has no folders; what is passed over is reported no more.
  await chooseFiles(page, [wavFile("chime Bus comp.wav", scaleClip(bent(dry, 3), 0.9), "16-bit")]);
  await expect(page.getByText("Bus comp, third version: 2.5 LU quieter than the second.")).toBeVisible({
    timeout: 40_000,
  });
  await page.keyboard.press("Escape");
  await write("chime again.wav", wavFile("", scaleClip(dry, 0.5), "16-bit").buffer);
  await strip.getByRole("button", { name: LABELS.ignoreUntilChanged }).click();
  await expect(strip).toContainText("3 files, nothing new");
  await strip.getByRole("button", { name: LABELS.disconnect }).click();
  await expect(strip).toBeHidden();
});
