import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect } from "@playwright/test";
import { clipOf, soundOf, stretch } from "../../src/core/audio/sound";
import { testSignal } from "../../src/core/bench/signal/signal";
import { signalPlan } from "../../src/core/bench/signal/signal-plan";
import { writeWav } from "../../src/core/formats/wav-write";
import { outboardLoop } from "../../src/core/processors/outboard-loop";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";

const RATE = 44_100;
const LEVEL_DBFS = -12;

/** What Chromium's stand-in for an input plays: the test signal back from an outboard loop of ours, inverted and 3 dB down. */
function outsideWorld(path: string): void {
  const plan = signalPlan({ sampleRateHz: RATE, levelDbfs: LEVEL_DBFS, channelCount: 2 });
  const settings = outboardLoop.parameters.parse({ flipped: true, gainDb: -3, latencySamples: 0, noiseFloorDbfs: -90 });
  const back = outboardLoop.process(soundOf(testSignal(plan)), settings, {});
  const late = stretch(back, { startFrame: -RATE / 2, endFrame: back.frames + 3 * RATE });
  writeFileSync(path, writeWav(clipOf(late), "16-bit"));
}

test.use({
  launchOptions: async ({ launchOptions }, use) => {
    const folder = mkdtempSync(join(tmpdir(), "yonder-world-"));
    const path = join(folder, "world.wav");
    outsideWorld(path);
    const args = [
      ...(launchOptions.args ?? []),
      "--use-fake-ui-for-media-stream",
      "--use-fake-device-for-media-stream",
      `--use-file-for-fake-audio-capture=${path}%noloop`,
    ];
    await use({ ...launchOptions, args });
    rmSync(folder, { recursive: true, force: true });
  },
});

test("what stands between an output and an input is measured live, after a check of its level", async ({ page }) => {
  await openSeeded(page, "demo", "bench");
  await expect(page.getByTestId("bench-sentence")).toContainText("measured with test signals", { timeout: 30_000 });
  await page.keyboard.press("r");
  const dialog = page.getByRole("dialog", { name: LABELS.measureLive });
  const measure = dialog.getByRole("button", { name: LABELS.measure, exact: true });
  await expect(measure).toBeDisabled();
  await dialog.getByLabel(LABELS.rate).selectOption({ label: "44.1 kHz" });
  await dialog.getByRole("button", { name: LABELS.checkTheLevel }).click();
  await expect(dialog.getByTestId("live-state")).toContainText(/Returns at|Almost no signal/);
  await expect(dialog.getByLabel(LABELS.output).getByRole("option", { name: "Fake Audio Output 1" })).toBeAttached();
  await expect(measure).toBeEnabled();
  await measure.click();
  await expect(dialog.getByRole("progressbar")).toBeVisible();
  await expect(dialog).toBeHidden({ timeout: 110_000 });
  const unit = page.getByRole("article", { name: /^live-/ });
  await expect(unit).toContainText(/Flat within 0\.\d+\sdB .*−3\.0\d\sdB at 1\skHz/);
  await expect(unit).toContainText("Polarity inverted");
  await expect(unit).toContainText("noise −89.");
});
