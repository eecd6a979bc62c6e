import { writeFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { joined, noise } from "../src/core/stimuli/signals";
import { LABELS } from "../src/ui/labels";
import { STOPS } from "../src/ui/shell/stops";
import {
  addFiles,
  chooseFiles,
  EMPTY,
  figure,
  guitar,
  keepFiles,
  lateAndLoud,
  newComparison,
  stop,
  wavFile,
} from "./support";

test("a first visit is empty and offers the demo or a new comparison", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByRole("button", { name: LABELS.openTheDemo })).toBeVisible();
  await expect(page.getByRole("button", { name: LABELS.newComparison })).toBeVisible();
  await expect(page.getByText(LABELS.noComparisonYetStartOneAboveOrOpenAnArchive)).toBeVisible();
});

test("comparisons are listed, opened again, renamed, deleted and put back", async ({ page }) => {
  await newComparison(page, "Chorus bus");
  await page.getByLabel(LABELS.comparisonName).fill("Chorus bus, take two");
  await page.keyboard.press("Enter");
  await page.getByRole("link", { name: LABELS.yonderPairAllComparisons }).click();
  await page.getByRole("link", { name: "Chorus bus, take two" }).click();
  await expect(page.getByLabel(LABELS.comparisonName)).toHaveValue("Chorus bus, take two");
  await page.goto("/?list");
  await page.getByRole("button", { name: "Delete Chorus bus, take two" }).click();
  await expect(page.getByTestId("comparison")).toHaveCount(0);
  await page.keyboard.press("Control+z");
  await expect(page.getByTestId("comparison")).toHaveText(/Chorus bus, take two/);
});

test("an address of nothing says so and leads back", async ({ page }) => {
  await page.goto("/comparison/none/gather");
  await expect(page.getByText(LABELS.thisComparisonIsNotInThisBrowser)).toBeVisible();
  await page.getByRole("link", { name: LABELS.allComparisons }).click();
  await expect(page.getByRole("button", { name: LABELS.openTheDemo })).toBeVisible();
  await page.goto("/booth/none");
  await expect(page.getByText(LABELS.thisRunIsNotInThisBrowser)).toBeVisible();
  await page.goto("/nowhere");
  await expect(page.getByText("Nothing at this address.")).toBeVisible();
});

test("an empty stop says what it is for and what to do first, and its button does it", async ({ page }) => {
  await newComparison(page, "Nothing yet");
  await page.getByRole("button", { name: LABELS.whyAndFormats }).click();
  await expect(
    page.getByRole("dialog").getByRole("heading", { level: 1, name: LABELS.preparingRenders }),
  ).toBeVisible();
  await page.keyboard.press("Escape");
  for (const { key, title, purpose } of STOPS) {
    if (key === "gather" || key === "bench") continue;
    await stop(page, title).click();
    await expect(page.getByTestId("empty-stop").getByRole("heading", { name: title })).toBeVisible();
    await expect(page.getByText(purpose, { exact: true })).toBeVisible();
  }
  const choosing = page.waitForEvent("filechooser");
  await page.getByRole("button", { name: LABELS.addFiles }).click();
  await (await choosing).setFiles([wavFile("dry.wav", guitar()), wavFile("late.wav", lateAndLoud())]);
  await expect(page.getByText(/Drag a file by its handle/)).toBeVisible({ timeout: 40_000 });
  await keepFiles(page);
  await expect(page.getByTestId("empty-stop")).toBeHidden();
  await expect(page.getByRole("grid")).toBeVisible();
});

test("files dropped on the page are read like chosen ones", async ({ page }) => {
  await newComparison(page, "Dropped");
  const files = [wavFile("dry.wav", guitar()), wavFile("late.wav", lateAndLoud())];
  const data = await page.evaluateHandle(
    (given) => {
      const transfer = new DataTransfer();
      for (const { name, base64 } of given) {
        const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
        transfer.items.add(new File([bytes], name, { type: "audio/wav" }));
      }
      return transfer;
    },
    files.map((f) => ({ name: f.name, base64: f.buffer.toString("base64") })),
  );
  const target = page.getByText(EMPTY);
  await target.dispatchEvent("dragenter", { dataTransfer: data });
  await expect(page.getByText(LABELS.dropToAddTheseFiles)).toBeVisible();
  await target.dispatchEvent("drop", { dataTransfer: data });
  await page.getByLabel("dry.wav is the dry render").check();
  await keepFiles(page);
  await expect(figure(page, "time-apart")).toHaveText(/^\+1234.samples$/);
});

test("long work shows what is being done and can be cancelled", async ({ page }) => {
  await newComparison(page, "Long");
  const part = noise(10, 0.5, 3, 1);
  const { buffer } = wavFile("long.wav", joined(...Array.from({ length: 16 }, () => part)), "16-bit");
  const files = ["one.wav", "two.wav", "three.wav"].map((name) => test.info().outputPath(name));
  for (const file of files) writeFileSync(file, buffer);
  await page.getByLabel("Files to add").setInputFiles(files);
  const strip = page.getByRole("dialog").getByRole("region", { name: LABELS.workInProgress });
  await expect(strip).toContainText(/Reading (one|two|three)\.wav/);
  await strip.getByRole("button", { name: /Cancel/ }).click();
  await expect(strip).toHaveCount(0);
  await page.getByRole("button", { name: LABELS.cancel, exact: true }).click();
  await expect(page.getByText(EMPTY)).toBeVisible();

  // And the next files are read as ever.
  await chooseFiles(page, [wavFile("short.wav", guitar())]);
  await expect(page.getByLabel("short.wav is the dry render")).toBeVisible();
});

test("work whose worker cannot be started says so, and is taken up again without a reload", async ({ page }) => {
  // Workers are called from an address where there are none, until they are mended.
  await page.addInitScript(() => {
    const Sound = window.Worker;
    Object.assign(window, { broken: false });
    window.Worker = class extends Sound {
      constructor(url: string | URL, options?: WorkerOptions) {
        super("broken" in window && window.broken ? "/no-such-worker.js" : url, options);
      }
    };
  });
  await newComparison(page, "Broken off");
  await page.evaluate(() => Object.assign(window, { broken: true }));
  const files = [wavFile("dry.wav", guitar()), wavFile("late.wav", lateAndLoud())];
  await chooseFiles(page, files);
  await expect(page.getByText(/dry\.wav.*failed/).first()).toBeVisible();
  await page.keyboard.press("Escape");
  await page.evaluate(() => Object.assign(window, { broken: false }));
  await addFiles(page, files, "dry.wav");
  await expect(figure(page, "nulls-to")).toContainText("dB");
});
