import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { scaleClip } from "../src/core/audio/clip";
import { noise, shifted } from "../src/core/stimuli/signals";
import { recording } from "../src/core/testing/recordings";
import { LABELS } from "../src/ui/labels";
import { addFiles, chooseFiles, figure, guitar, keepFiles, lateAndLoud, newComparison, wavFile } from "./support";

const tabla = () => recording("tabla-44100");
const fixture = (name: string) => ({
  name,
  mimeType: "application/octet-stream",
  buffer: readFileSync(`fixtures/formats/${name}`),
});
const cell = (page: Page, fileName: string) => page.locator(`[data-render="${fileName}"]`);
const head = (page: Page, title: string) => page.locator(`[data-candidate="${title}"]`);
const titles = (page: Page) =>
  page.locator("[data-candidate]").evaluateAll((all) => all.map((th) => th.getAttribute("data-candidate")));

test("a folder of renders falls into its passages by sound; the doubtful wait with a reason and are keyed into place", async ({
  page,
}) => {
  await newComparison(page, "A folder");
  await chooseFiles(page, [
    wavFile("song_guitar_dry.wav", guitar()),
    wavFile("song_guitar_bus one.wav", lateAndLoud()),
    wavFile("song_tabla_dry.wav", tabla()),
    wavFile("song_tabla_bus one.wav", scaleClip(shifted(tabla(), 800), -0.5), "16-bit"),
    wavFile("song_the bus again.wav", lateAndLoud()),
    wavFile("song_hiss.wav", noise(6, 0.1, 4)),
  ]);
  const tray = page.getByRole("region", { name: LABELS.needsAPassage });
  await expect(tray).toContainText("Needs your choice: 1 file", { timeout: 40_000 });
  await expect(tray).toContainText("No other file matches its sound");
  const leftOut = page.getByRole("region", { name: LABELS.leftOut });
  await expect(leftOut).toContainText("Same content as song_guitar_bus one.wav.");
  await expect(page.getByLabel("Name of the new passage Guitar")).toBeVisible();
  await expect(page.getByLabel("Candidate name of song_tabla_bus one.wav")).toHaveValue("bus one");
  await expect(page.getByLabel("song_tabla_dry.wav is the dry render")).toBeChecked();

  await page.getByLabel("Passage of song_hiss.wav").selectOption({ label: "Tabla (new)" });
  await expect(tray).toHaveCount(0);
  await keepFiles(page);
  await expect(page.locator("[data-render]")).toHaveCount(5);
  expect(await titles(page)).toEqual(["bus one", "hiss"]);

  // Dropped again, every one of them is known by its content.
  await chooseFiles(page, [wavFile("renamed.wav", guitar())]);
  await expect(page.getByText("Already added: Dry, Guitar.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Add 0 renders" })).toBeDisabled();
});

test("every lossless form of one recording is read and nulls to silence", async ({ page }) => {
  await newComparison(page, "Formats");
  const names = ["take.wav", "take.aiff", "take.flac", "take.float.aifc", "take.rf64.wav", "take.caf", "take.wv"];
  const lossy = ["take.mp3", "take.ogg", "take.opus", "take.m4a"];
  await addFiles(page, [...names, ...lossy].map(fixture), "take.wav");
  await expect(page.locator("[data-render]")).toHaveCount(11);
  await cell(page, "take.wav").focus();
  await page.keyboard.press("h");
  for (const name of names.slice(1)) {
    await cell(page, name).focus();
    await page.keyboard.press("y");
    await expect(cell(page, name)).toHaveAttribute("data-side", "yonder");
    await expect(figure(page, "nulls-to")).toContainText("silence");
  }
  for (const name of ["take.mp3", "take.m4a"]) {
    await cell(page, name).focus();
    await page.keyboard.press("y");
    await expect(cell(page, name)).toHaveAttribute("data-side", "yonder");
    // Lossy, and in time to the sample: what their encoders put in front is cut.
    await expect(figure(page, "nulls-to")).toHaveText(/^−[2-9]\d\.\d.dB$/);
    await expect(figure(page, "time-apart")).toHaveText(/^0.samples$/);
  }
});

test("a chain runs over every passage into a column; bad settings are told, it can be run again with changes", async ({
  page,
}) => {
  await newComparison(page, "Chain");
  await chooseFiles(page, [wavFile("guitar dry.wav", guitar()), wavFile("guitar b.wav", lateAndLoud())]);
  await keepFiles(page);
  await chooseFiles(page, [wavFile("tabla dry.wav", tabla()), wavFile("tabla b.wav", scaleClip(tabla(), 0.7))]);
  await keepFiles(page);
  await page.keyboard.press("p");
  await page.getByLabel(LABELS.nameOfTheCandidate).fill("Warm and loud");
  await page.getByLabel("Processor of stage 1").selectOption({ label: "Saturator, symmetric" });
  await page.getByLabel("Drive").fill("99");
  await page.getByRole("button", { name: LABELS.addAProcessorAfterIt }).click();
  await page.getByLabel(LABELS.keepProcessingLatency).check();
  await page.getByRole("button", { name: "Run over 2 passages" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "0 to 36 dB" })).toBeVisible();
  await page.getByLabel("Drive").fill("12");
  await expect(page.getByText("96 samples at 48")).toBeVisible();
  await page.getByRole("button", { name: "Run over 2 passages" }).click();
  await expect(page.getByRole("dialog")).toBeHidden({ timeout: 60_000 });
  await expect(cell(page, "guitar-warm-and-loud.wav")).toContainText("+96\u2009smp");
  await expect(cell(page, "tabla-warm-and-loud.wav")).toContainText("smp");
  await expect(head(page, "Warm and loud")).toContainText("drive +12");

  await cell(page, "guitar-warm-and-loud.wav").focus();
  await page.keyboard.press("e");
  await expect(page.getByLabel("Parameter 1", { exact: true })).toHaveValue("Stage 1: drive");
  await page.getByRole("button", { name: LABELS.runAgainWithChanges }).click();
  await page.getByLabel("tabla", { exact: false }).and(page.getByRole("checkbox")).first().uncheck();
  await page.getByLabel("Drive").fill("3");
  await page.getByRole("button", { name: "Run over 1 passage" }).click();
  await expect(cell(page, "guitar-warm-and-loud-changed.wav")).toBeVisible({ timeout: 60_000 });
  await expect(page.locator("[data-render]")).toHaveCount(7);
});
