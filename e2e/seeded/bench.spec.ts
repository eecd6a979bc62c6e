import { readFileSync, writeFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { benchReportSchema } from "../../src/core/bench/report";
import { bytesInMemory } from "../../src/core/formats/byte-source";
import { openPlain } from "../../src/core/formats/read-audio";
import { writeWav } from "../../src/core/formats/wav-write";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { stop } from "../support";

const page1 = (page: Page, title: string) => page.getByRole("article", { name: title });

/** The file of a download. */
async function saved(page: Page, act: () => Promise<void>): Promise<Buffer> {
  const [download] = await Promise.all([page.waitForEvent("download"), act()]);
  return readFileSync(await download.path());
}

test("built-in processors are measured: in short, by curve against their panel, by harmonics, level and figures", async ({
  page,
}) => {
  await openSeeded(page, "demo", "bench");
  const lift = page1(page, "Air lift, bilinear");
  await expect(lift).toContainText(/bell 300\sHz −2\.0\sdB Q\s1\.00/, { timeout: 40_000 });
  await expect(lift).toContainText("Cramped towards Nyquist (bilinear transform)");
  await expect(lift.getByRole("img")).toHaveCount(6);
  await page.getByRole("checkbox", { name: "Bus compressor" }).check();
  await expect(page1(page, "Bus compressor")).toContainText(/Compressor: threshold −18\.0 ±0\.1\sdBFS, ratio 4\.0:1/, {
    timeout: 40_000,
  });

  await page.getByRole("tab", { name: LABELS.response }).click();
  const control = page.getByRole("region", { name: LABELS.controlCheck });
  await expect(control.getByRole("row")).toHaveCount(3);
  await expect(control).toContainText("control 12 kHz: 0.0 %, gain 0.00 dB, Q 0.0 %");
  await expect(page.getByRole("img", { name: LABELS.magnitudeVsFrequency })).toBeVisible();
  await expect(page.getByText("Air lift, bilinear, the analogue curve")).toBeVisible();
  await page.getByRole("button", { name: LABELS.difference, exact: true }).click();
  await expect(page.getByTestId("response-sentence")).toContainText(
    "Bus compressor re Air lift, bilinear: +9.00 dB at 299 Hz",
  );
  await page.getByRole("button", { name: LABELS.phase, exact: true }).click();
  await expect(page.getByTestId("response-sentence")).toHaveText(
    "Air lift, bilinear: minimum phase; Bus compressor: no phase shift",
  );

  await page.getByRole("tab", { name: LABELS.harmonics }).click();
  await expect(page.getByTestId("harmonics-sentence")).toContainText("Bus compressor: THD 0.04");
  await page.getByRole("button", { name: LABELS.byLevel, exact: true }).click();
  await page.getByLabel(LABELS.distortion).selectOption("H3");
  await expect(page.getByRole("img", { name: "H3 vs level" })).toBeVisible();
  await page.getByRole("button", { name: LABELS.sweep, exact: true }).click();
  await expect(page.getByTestId("harmonics-sentence")).toContainText(
    /Air lift, bilinear: no aliasing visible; Bus compressor: aliasing of H3/,
  );
  await expect(page.getByRole("img", { name: "Output vs input frequency: Bus compressor" })).toBeVisible();
  await page.getByRole("tab", { name: LABELS.dynamics }).click();
  await expect(page.getByTestId("level-sentence")).toContainText(/threshold −18\.0 ±0\.1\sdBFS, ratio 4\.0:1/);
  await page.getByRole("button", { name: LABELS.gainOverTime }).click();
  await expect(page.getByRole("region", { name: LABELS.times })).toContainText(/10\.0 ±0\.2\sms/);
  await page.getByRole("button", { name: LABELS.sidechain }).click();
  await expect(page.getByTestId("level-sentence")).toContainText("Bus compressor: sidechain reduces gain by 12.");
  await expect(page.getByRole("img", { name: "Gain vs sidechain frequency" })).toBeVisible();
  await page.keyboard.press("v");
  const figures = page.getByRole("region", { name: LABELS.allFigures });
  await expect(figures.getByRole("row", { name: /^Latency/ })).toContainText(/0\.00 ±0\.01\ssamples/);

  await page.getByRole("tab", { name: LABELS.settingsFinder }).click();
  await expect(page.getByTestId("settings-sentence")).toContainText("Yes, by their curves: maximum 0.0", {
    timeout: 30_000,
  });
  await page.getByLabel(LABELS.processorToSet).selectOption("matched-equalizer");
  await page.getByLabel(LABELS.mostBands).selectOption("2 bands");
  await expect(page.getByTestId("settings-sentence")).toContainText("Not quite:");
  await expect(page.getByText("one is cramped towards Nyquist and the other is not")).toBeVisible();

  const json = await saved(page, () => page.getByRole("button", { name: LABELS.json }).click());
  const { measured } = JSON.parse(json.toString());
  expect(measured.map((m: { title: string }) => m.title)).toEqual(["Air lift, bilinear", "Bus compressor"]);
  for (const { report } of measured) benchReportSchema.parse(report);
  const csv = (await saved(page, () => page.getByRole("button", { name: LABELS.csv }).first().click())).toString();
  expect(csv).toContain("Bus compressor,ratio,,");

  await stop(page, "Findings").click();
  const found = page.getByRole("region", { name: LABELS.bench, exact: true });
  await page.getByRole("gridcell", { name: "Air lift, bilinear, overall" }).click();
  await expect(found).toContainText("EQ: ");
  await page.getByRole("gridcell", { name: "Bus compressor, overall" }).click();
  await found.getByText(/more$/).click();
  await expect(found).toContainText(/Compressor: threshold −18\.0 ±0\.1\sdBFS/);
});

test("a test signal is exported, sent through something outside, dropped back, measured and kept", async ({ page }) => {
  await openSeeded(page, "demo", "bench");
  await page.getByRole("button", { name: LABELS.exportATestSignal }).click();
  const dialog = page.getByRole("dialog", { name: LABELS.exportATestSignal });
  await dialog.getByLabel(LABELS.sampleRate).selectOption({ label: "8 kHz" });
  await dialog.getByLabel(LABELS.channels).selectOption("mono");
  await dialog.getByLabel(LABELS.highestPeak).selectOption({ label: "−18 dBFS" });
  const bytes = await saved(page, () => dialog.getByRole("button", { name: LABELS.saveTheWAVFile }).click());
  await expect(dialog).toBeHidden();

  // The outside world: half as loud, inverted, 320 samples late, and bent a little.
  const opened = openPlain(bytesInMemory(new Uint8Array(bytes)), "signal.wav");
  if (!opened.ok) throw new Error(opened.reason);
  const [sent] = opened.value.sound.read(0, opened.value.sound.frames);
  const back = new Float32Array(sent.length + 320);
  for (let i = 0; i < sent.length; i++) back[i + 320] = -0.5 * (sent[i] + 0.1 * sent[i] * sent[i]);
  const file = test.info().outputPath("hall unit.wav");
  writeFileSync(file, writeWav({ sampleRateHz: 8000, channels: [back] }, "24-bit"));
  const wrong = test.info().outputPath("a song.wav");
  writeFileSync(wrong, writeWav({ sampleRateHz: 8000, channels: [back.slice(9000, 60_000)] }, "16-bit"));

  await page.getByLabel("Recordings of the test signal").setInputFiles([wrong, file]);
  const list = page.getByRole("list", { name: LABELS.processorsToMeasure });
  await expect(list).toContainText("hall unit");
  await expect(page.getByRole("alert").filter({ hasText: "a song.wav" })).toContainText(/is cut|holds no test signal/);
  await expect(page.getByRole("alert").filter({ hasText: "a song.wav" })).toContainText("Export the test signal");
  const unit = page1(page, "hall unit");
  await expect(unit).toContainText("latency: no loop-back to compare");
  await expect(unit).toContainText("Polarity inverted");
  // a·A / 2 of −18 dBFS.
  await expect(unit).toContainText(/H2 −44\.0\sdB/);

  await page.reload();
  await list.getByRole("checkbox", { name: "hall unit" }).check();
  await expect(unit).toContainText(/H2 −44\.0\sdB/, { timeout: 30_000 });
  await list.getByRole("button", { name: "Remove the measurement of hall unit" }).click();
  await expect(list).not.toContainText("hall unit");
  await page.getByRole("region", { name: LABELS.justRemoved }).getByRole("button", { name: /Undo/ }).click();
  await expect(list).toContainText("hall unit");
});

test("a drive is looked at at every oversampling, driven by force, and a page of it is printed", async ({ page }) => {
  await openSeeded(page, "demo", "bench");
  await page.getByRole("checkbox", { name: "Drive stage" }).check();
  await expect(page1(page, "Drive stage")).toBeVisible({ timeout: 30_000 });
  await page.getByRole("tab", { name: LABELS.harmonics }).click();
  await page.getByRole("button", { name: LABELS.aliasing, exact: true }).click();
  await page.getByLabel(LABELS.aliasingOf).selectOption({ label: "Drive stage, oversampled" });
  const aliasing = page.getByRole("region", { name: "Bench oversampling" });
  for (const factor of ["1×", "2× (as set)", "4×", "8×", "16×"])
    await expect(aliasing.getByText(factor, { exact: true })).toBeVisible({ timeout: 60_000 });
  await aliasing.getByRole("button", { name: "Show as a table" }).click();
  // At the highest drive each doubling leaves less, down to what filters let through.
  const cells = await aliasing.getByRole("row").last().getByRole("cell").allTextContents();
  const [, once, twice, four] = cells.map((text) => Number(text.replace("−", "-")));
  expect(once).toBeGreaterThan(twice + 6);
  expect(twice).toBeGreaterThan(four + 6);

  // Two printed pages, one for each processor that is shown, and nothing of the screen.
  await page.emulateMedia({ media: "print" });
  const printed = page.locator(".printed article");
  await expect(printed).toHaveCount(2);
  await expect(printed.last().getByRole("heading", { level: 1 })).toHaveText("Drive stage");
  await expect(printed.last().getByRole("img")).toHaveCount(6);
  await expect(page.getByRole("tab", { name: LABELS.harmonics })).toBeHidden();
  const pdf = await page.pdf({ preferCSSPageSize: true });
  expect(pdf.toString("latin1").match(/\/Type\s*\/Page\b(?!s)/g)).toHaveLength(2);
  await page.emulateMedia({ media: null });

  await page.keyboard.press("g");
  const dialog = page.getByRole("dialog", { name: LABELS.stressTest });
  await dialog.getByRole("checkbox", { name: "struck bells, tonal" }).uncheck();
  await dialog.getByRole("checkbox", { name: "Air lift, bilinear" }).uncheck();
  await dialog.getByRole("checkbox", { name: "Bus compressor" }).check();
  await dialog.getByRole("button", { name: "Send it through 2 candidates" }).click();
  await expect(dialog).toContainText("Stress test: hand drums, +24 dB is a passage of the comparison now", {
    timeout: 60_000,
  });
  await dialog.getByRole("button", { name: LABELS.listenToThem }).click();
  await expect(page).toHaveURL(/listen$/);
  await expect(page.getByRole("combobox", { name: LABELS.passage })).toContainText("Stress test: hand drums, +24 dB");
  await expect(page.locator('[data-figure="nulls-to"]')).toContainText("dB", { timeout: 40_000 });
});

test("settings are found by the EQ found in Explain and by what a compressor does, and made a candidate", async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openSeeded(page, "demo", "bench");
  await page.getByRole("tab", { name: LABELS.settingsFinder }).click();
  await page.getByLabel(LABELS.target).selectOption({ label: "the EQ found in Explain" });
  await expect(page.getByTestId("settings-sentence")).toContainText("Yes, by their curves", { timeout: 120_000 });
  await expect(page.getByRole("region", { name: LABELS.settingsFound })).toContainText("high shelf");
  await page.getByLabel(LABELS.processorToSet).selectOption({ label: "Compressor, feed-forward" });
  await page.getByLabel(LABELS.target).selectOption({ label: "Bus compressor" });
  await expect(page.getByTestId("settings-sentence")).toContainText("Yes, by gain over time on Crossing theme", {
    timeout: 80_000,
  });
  const found = page.getByRole("region", { name: LABELS.settingsFound });
  await expect(found.getByRole("row", { name: /^Threshold/ })).toContainText("−18");
  await expect(found.getByRole("row", { name: /^Ratio/ })).toContainText(/3\.9|4/);
  await page.getByRole("button", { name: LABELS.addAsCandidate }).click();
  await expect(page.getByText(LABELS.addedAsAColumnOfTheGrid)).toBeVisible({ timeout: 40_000 });
});
