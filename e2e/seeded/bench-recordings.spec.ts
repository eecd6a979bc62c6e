import { writeFileSync } from "node:fs";
import { expect } from "@playwright/test";
import { testSignal } from "../../src/core/bench/signal/signal";
import { signalPlan } from "../../src/core/bench/signal/signal-plan";
import { writeWav } from "../../src/core/formats/wav-write";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";

test.use({ seed: "grid" });

test("a recording is assigned to a candidate only when a person says so, and a loop-back is taken off on their word", async ({
  page,
}) => {
  await openSeeded(page, "grid", "bench");
  const plan = signalPlan({ sampleRateHz: 8000, levelDbfs: -18, channelCount: 1 });
  const [sent] = testSignal(plan).channels;
  const recorded = (name: string, frames: number, gain: number) => {
    const channel = new Float32Array(sent.length + frames);
    for (let i = 0; i < sent.length; i++) channel[i + frames] = gain * sent[i];
    const path = test.info().outputPath(name);
    writeFileSync(path, writeWav({ sampleRateHz: 8000, channels: [channel] }, "24-bit"));
    return path;
  };
  await page
    .getByLabel("Recordings of the test signal")
    .setInputFiles([recorded("loop.wav", 100, 0.5), recorded("c back.wav", 145, 0.25)]);
  const list = page.getByRole("list", { name: LABELS.processorsToMeasure });
  await expect(list).toContainText("loop");
  await expect(list).toContainText("c back");
  // Proposed by its name, and not given to anything before someone answers.
  await expect(page.getByText("Does c back.wav belong to c?")).toBeVisible();
  await page.getByRole("button", { name: "Assign to c" }).click();
  await expect(list).not.toContainText("c back");
  await page.getByRole("region", { name: LABELS.justRemoved }).getByRole("button", { name: /Undo/ }).click();
  await expect(list).toContainText("c back");

  const unit = page.getByRole("article", { name: "c back" });
  await expect(unit).toContainText("Not known: latency: no loop-back to compare.");
  await list.getByRole("button", { name: "Use loop as loop-back" }).click();
  await expect(list.getByRole("button", { name: "Use loop as loop-back" })).toHaveAttribute("aria-pressed", "true");
  await expect(unit).toContainText(/Latency 45\ssamples \(5\.6\sms\)/);
  await expect(unit).toContainText("Loop-back loop removed: its latency, response and noise.");
  await page.keyboard.press("Control+z");
  await expect(unit).toContainText("Not known: latency: no loop-back to compare.");
});

test("what a moving pitch spoils is neither told nor drawn, and says why", async ({ page }) => {
  await openSeeded(page, "grid", "bench");
  const [sent] = testSignal(signalPlan({ sampleRateHz: 8000, levelDbfs: -18, channelCount: 1 })).channels;
  // 0.05 % at 4 Hz, read between two samples.
  const swing = (5e-4 / (2 * Math.PI * 4)) * 8000;
  const channel = Float32Array.from(sent, (_, i) => {
    const at = i + swing * Math.sin((2 * Math.PI * 4 * i) / 8000);
    const whole = Math.floor(at);
    return (sent[whole] ?? 0) + (at - whole) * ((sent[whole + 1] ?? 0) - (sent[whole] ?? 0));
  });
  const path = test.info().outputPath("tape.wav");
  writeFileSync(path, writeWav({ sampleRateHz: 8000, channels: [channel] }, "24-bit"));
  await page.getByLabel("Recordings of the test signal").setInputFiles(path);
  const unit = page.getByRole("article", { name: "tape" });
  await expect(unit).toContainText(/Pitch moves by ±0\.0\d+\s%, about [345]\sHz/);
  await expect(unit.getByRole("figure").filter({ hasText: LABELS.magnitudeDB })).toContainText("not known");
  await page.getByRole("tab", { name: LABELS.response }).click();
  await expect(page.getByTestId("response-sentence")).toContainText("tape: response not known: changes over time");
  await expect(page.getByText(LABELS.nothingToDraw)).toBeVisible();
});
