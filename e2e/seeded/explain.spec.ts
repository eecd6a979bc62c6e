import { readFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { bytesInMemory } from "../../src/core/formats/byte-source";
import { openAudio } from "../../src/core/formats/read-audio";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";

const step = (page: Page, name: string) => page.getByTestId(`step-${name}`);
/** A ladder of the demo takes some seconds; on a machine that has much else to do, many. */
const LADDER_MS = 120_000;

test("Explain says what sets the pair apart, lets it be heard and kept, and leads on to where to listen", async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openSeeded(page, "demo", "explain");
  const sentence = page.getByTestId("explain-sentence");
  await expect(step(page, "time")).toContainText("+64", { timeout: LADDER_MS });
  await expect(step(page, "left")).toBeVisible({ timeout: LADDER_MS });
  // The demo's first pair is the dry render and an equalizer, 64 samples late.
  await expect(sentence).toContainText("EQ: bell 300");
  await expect(step(page, "tone")).toContainText("a few bands");
  await expect(step(page, "levelOverTime")).toContainText("no improvement");
  await expect(step(page, "bend")).toContainText("no improvement");

  // The residual, and Here with the fit applied, are heard like everything else.
  await page.getByRole("button", { name: /^Hear the residual after “eq/ }).click();
  await expect(page.getByRole("button", { name: /^Hear the residual after “eq/ })).toHaveAttribute(
    "aria-pressed",
    "true",
    { timeout: 40_000 },
  );
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await page.getByRole("button", { name: /^Hear Here with the fit applied up to “eq/ }).click();
  await expect(page.getByRole("button", { name: /^Hear Here with the fit applied up to “eq/ })).toHaveAttribute(
    "aria-pressed",
    "true",
  );
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("Space");

  // And kept: the residual as a file that is as quiet as the ladder says.
  await page.getByLabel("Save or add the fit up to “eq”").click();
  const [saved] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: LABELS.saveTheResidualAsWAV }).click(),
  ]);
  const opened = await openAudio(
    bytesInMemory(new Uint8Array(readFileSync(await saved.path()))),
    saved.suggestedFilename(),
  );
  if (!opened.ok) throw new Error(opened.reason);
  const { sound } = opened.value;
  const [left] = sound.read(sound.sampleRateHz, 2 * sound.sampleRateHz);
  const rms = Math.sqrt(left.reduce((sum, v) => sum + v * v, 0) / left.length);
  expect(20 * Math.log10(rms)).toBeLessThan(-70);

  // The chart reads, zooms by wheel and keys, and is a table and files as well.
  const chart = page.getByRole("group", { name: /^EQ vs frequency/ });
  await chart.hover({ position: { x: 400, y: 100 } });
  await expect(chart).toContainText(LABELS.yonderReHere);
  await expect(chart.locator("text", { hasText: "20k" })).toBeVisible();
  await page.mouse.wheel(0, -300);
  await page.mouse.wheel(0, -300);
  await page.mouse.wheel(0, -300);
  await page.mouse.wheel(0, -300);
  await expect(chart.locator("text", { hasText: "20k" })).toHaveCount(0);
  await chart.focus();
  await page.keyboard.press("0");
  await expect(chart.locator("text", { hasText: "20k" })).toBeVisible();
  await page.getByRole("button", { name: "Show as a table" }).click();
  await expect(page.getByRole("region", { name: LABELS.theChartAsATable })).toContainText("Yonder re Here, dB");
  const [csv] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: LABELS.saveAsCSV }).click(),
  ]);
  const rows = readFileSync(await csv.path(), "utf8")
    .trim()
    .split("\r\n");
  expect(rows[0]).toBe('"Frequency, Hz","Yonder re Here, dB","Yonder re Here, coherence"');
  // A shelf: some dB up at the top against the middle.
  const at = (hertz: number) =>
    Number(
      rows
        .slice(1)
        .find((row) => Number(row.split(",")[0]) >= hertz)
        ?.split(",")[1],
    );
  expect(at(15_000) - at(1000)).toBeGreaterThan(2);
  await page.getByRole("button", { name: "Show as a chart" }).click();
  const [svg] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Save as SVG" }).click(),
  ]);
  expect(readFileSync(await svg.path(), "utf8")).toContain("<path");
  // The filter that was found is kept as what it does over frequency, and tap by tap.
  const [filterCsv] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Save the EQ's curve as CSV" }).click(),
  ]);
  const curve = readFileSync(await filterCsv.path(), "utf8")
    .trim()
    .split("\n")
    .slice(1)
    .map((row) => row.split(",").map(Number));
  const gainAt = (hertz: number) => curve.find(([hz]) => hz >= hertz)?.[1] ?? 0;
  expect(gainAt(15_000) - gainAt(1000)).toBeGreaterThan(2);
  const [filterWav] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: /^Save the EQ's impulse response/ }).click(),
  ]);
  const filter = await openAudio(bytesInMemory(new Uint8Array(readFileSync(await filterWav.path()))), "filter.wav");
  // The same on both sides: one response for both.
  expect(filter.ok && filter.value.sound.channelCount).toBe(1);

  // Curves are kept under a name, and stay while others are looked at, and when the page is left.
  await page.getByRole("button", { name: LABELS.keep, exact: true }).click();
  const kept = page.getByRole("textbox", { name: "Name of kept curve 1" });
  await kept.fill("What the first does");
  await page.getByRole("button", { name: LABELS.all, exact: true }).click();
  await expect(page.getByRole("region", { name: / EQ$/ })).toContainText("What the first does");
  await expect(page.getByRole("region", { name: / EQ$/ })).toContainText("8 Outboard loop", { timeout: 60_000 });
  await page.reload();
  await expect(kept).toHaveValue("What the first does");
  await page.getByRole("button", { name: "Remove What the first does" }).click();
  await expect(page.getByTestId("kept-curve")).toHaveCount(0);
  await page.getByRole("button", { name: LABELS.spectra }).click();
  await expect(page.getByRole("group", { name: /^Averaged spectra/ })).toBeVisible();

  await page.getByRole("tab", { name: LABELS.phaseAndDelay }).click();
  await expect(page.getByTestId("phase-sentence")).toContainText("Minimum phase");
  await page.getByRole("button", { name: LABELS.impulse }).click();
  await expect(page.getByText(/Above −60.*before/)).toBeVisible();

  await page.getByRole("tab", { name: LABELS.stereo }).click();
  await expect(page.getByTestId("stereo-sentence")).toContainText("Both have the same width", { timeout: 40_000 });
  await page.getByRole("combobox", { name: LABELS.figure }).selectOption({ label: "Correlation" });
  await expect(page.getByRole("group", { name: /^Correlation vs frequency/ })).toBeVisible();

  // An estimate of where to listen, and the way there.
  const moments = page.getByRole("region", { name: LABELS.whereToListen });
  await expect(moments).toContainText("Likely heard: change of level by band", { timeout: 40_000 });
  await expect(moments.getByRole("listitem")).toHaveCount(5);
  await expect(page.getByRole("img", { name: /Where the difference is audible/ })).toBeVisible();
  await moments
    .getByRole("button", { name: /^Blind run over/ })
    .first()
    .click();
  await expect(page.getByRole("heading", { level: 1, name: LABELS.blind })).toBeVisible();
  await expect(page.getByTestId("loop")).toBeVisible();
  await expect(page.getByRole("img", { name: /Where the difference is audible/ })).toHaveCount(0);
});
