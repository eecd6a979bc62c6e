import { readFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { dragLoop } from "../support";

test.use({ seed: "grid" });

// The guitar as it is against itself at half its level in 16 bits: all that can be read off is known.

const tab = (page: Page, name: string) => page.getByRole("tab", { name }).click();
const show = (page: Page, name: string) =>
  page.getByRole("group", { name: LABELS.shown }).getByRole("button", { name, exact: true }).click();
const choose = (page: Page, label: string, option: string) =>
  page.getByRole("combobox", { name: label, exact: true }).selectOption({ label: option });
const chart = (page: Page, name: RegExp) => page.getByRole("group", { name });

async function rowsOf(page: Page): Promise<string[][]> {
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: LABELS.saveAsCSV }).click(),
  ]);
  return readFileSync(await file.path(), "utf8")
    .trim()
    .split("\r\n")
    .map((row) => row.split(","));
}

/** The largest of some figures: thousands of them are judged at once, for each judgement takes its time. */
const largest = (values: readonly number[]) => values.reduce((a, b) => Math.max(a, b), Number.NEGATIVE_INFINITY);
const apart = (a: readonly number[], b: readonly number[]) => largest(a.map((v, i) => Math.abs(v - b[i])));

/** Figures of a column of a CSV that are there. */
const column = (rows: string[][], n: number) =>
  rows
    .slice(1)
    .filter((row) => row[n] !== "")
    .map((row) => Number(row[n]));

async function openPair(page: Page) {
  await openSeeded(page, "grid", "explain");
  await choose(page, "Here render", "Dry");
  await choose(page, "Yonder render", "c");
  await expect(page.locator('[data-figure="level-apart"]')).toContainText("6.0");
}

test("over time: waveforms down to the sample, spectrograms that are panned and zoomed, onsets", async ({ page }) => {
  test.setTimeout(120_000);
  await openPair(page);
  await tab(page, "Waveforms");
  const waves = chart(page, /^Waveforms/);
  await expect(waves.locator("path").first()).toBeVisible();
  // Matched, both are one wave and the difference is next to nothing.
  const rows = await rowsOf(page);
  expect(rows[0].slice(0, 3)).toEqual(['"Time', ' s"', '"Here']);
  await page
    .getByRole("region", { name: /waveforms$/ })
    .getByRole("button", { name: "Show as a table" })
    .click();
  await expect(page.getByRole("region", { name: LABELS.theChartAsATable })).toContainText("Yonder − Here, maximum");
  await page.getByRole("button", { name: "Show as a chart" }).click();
  await waves.hover({ position: { x: 300, y: 150 } });
  for (let i = 0; i < 40; i++) await page.mouse.wheel(0, -200);
  await expect(page.getByText(LABELS.sampleBySample)).toBeVisible();
  await expect(waves).toContainText(/Here −?0\.\d{5}/);
  await waves.dblclick();
  await expect(page.getByText(/Minimum and maximum of \d+ samples/)).toBeVisible();
  // The playhead stands here, too: as far along as in the transport.
  const transport = await page.getByTestId("waveform").boundingBox();
  if (!transport) throw new Error("the transport is not there");
  const along = async (share: number) => {
    await page.mouse.click(transport.x + share * transport.width, transport.y + 20);
    const x = async () => Number(await page.getByTestId("chart-playhead").getAttribute("x1"));
    const width = (await waves.locator("svg svg").boundingBox())?.width ?? 0;
    await expect.poll(async () => Math.abs((await x()) / width - share)).toBeLessThan(0.02);
  };
  await along(0.7);
  await along(0.25);

  await show(page, "Spectrogram");
  const both = chart(page, /^Spectrogram: Yonder re Here/);
  await expect(both.locator("image").first()).toBeVisible();
  await both.hover({ position: { x: 200, y: 200 } });
  // Half the level, brought to one level again: nothing apart, to a tenth or two.
  await expect(both).toContainText(/[−+]?0\.[0-2]\u2009dB/);
  await choose(page, "Show", "Here");
  const here = chart(page, /^Spectrogram of Here/);
  await expect(here.locator("image").first()).toBeVisible();
  const spectrogram = await rowsOf(page);
  expect(spectrogram[0].length).toBeGreaterThan(30);
  expect(Math.max(...spectrogram.slice(1).flatMap((row) => row.slice(1).map(Number)))).toBeLessThan(6);
  await page.getByRole("button", { name: LABELS.linearFrequencyAxis }).click();
  await expect(here.locator("text", { hasText: /^20k$/ })).toBeVisible();
  // Zoomed, finer pieces come; what was there stays in sight meanwhile.
  await here.hover({ position: { x: 300, y: 150 } });
  for (let i = 0; i < 8; i++) await page.mouse.wheel(0, -100);
  await expect(page.getByText(LABELS.refining)).toHaveCount(0);
  await expect(here.locator("image").first()).toBeVisible();
  await here.focus();
  await page.keyboard.press("ArrowRight");
  const [svg] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Save as SVG" }).click(),
  ]);
  expect(readFileSync(await svg.path(), "utf8")).toContain("data:image/png");

  await show(page, "Transients");
  await expect(page.getByTestId("onset-sentence")).toContainText("No difference at transients.");
  const transients = await rowsOf(page);
  const [here0, yonder0] = [column(transients, 1), column(transients, 2)];
  // At the match's gains both lie on each other, cell by cell.
  const loud = [...here0.keys()].filter((i) => here0[i] > -40);
  expect(loud.length).toBeGreaterThan(50);
  expect(
    apart(
      loud.map((i) => here0[i]),
      loud.map((i) => yonder0[i]),
    ),
  ).toBeLessThan(0.2);
  await page.getByRole("combobox", { name: LABELS.whichTransient }).selectOption({ index: 1 });
  await expect(chart(page, /^Level around transients/)).toBeVisible();
});

test("dynamics: a gain of 6 dB is that, and moves nothing else", async ({ page }) => {
  test.setTimeout(120_000);
  await openPair(page);
  await tab(page, "Dynamics");
  const sentence = page.getByTestId("dynamics-sentence");
  await expect(sentence).toContainText("gain within");
  // As delivered the gain is there, and reported.
  await page.keyboard.press("m");
  await expect.poll(async () => Math.abs(column(await rowsOf(page), 1)[100] + 6.02)).toBeLessThan(0.05);
  await show(page, "Static curve");
  await expect(chart(page, /^Output level vs input level/)).toBeVisible();
  const law = await rowsOf(page);
  for (const [inDb, outDb] of law.slice(1).map((row) => row.map(Number))) expect(outDb - inDb).toBeCloseTo(-6.02, 1);
  await show(page, "Crest");
  await expect(chart(page, /^Crest factor vs frequency/)).toBeVisible({ timeout: 40_000 });
  const crest = await rowsOf(page);
  for (const [, here, yonder] of crest.slice(2, 9).map((row) => row.map(Number)))
    expect(Math.abs(here - yonder)).toBeLessThan(0.2);
  await show(page, "Histogram");
  await expect(sentence).toContainText("Here:");
  await expect(sentence).toContainText("of the peak");
  const shares = await rowsOf(page);
  expect(column(shares, 1).reduce((sum, v) => sum + v, 0)).toBeLessThanOrEqual(100.1);
  await show(page, "Phase rotation");
  await expect(chart(page, /^Peak vs phase rotation/)).toBeVisible({ timeout: 40_000 });
  const turned = await rowsOf(page);
  expect(turned.length).toBe(1 + 37);
  // Turned by 180° it is inverted: its peak is the same; and half the level 6 dB lower at every angle.
  const [here, yonder] = [column(turned, 1), column(turned, 2)];
  expect(here[36]).toBeCloseTo(here[0], 2);
  expect(
    apart(
      here.map((db) => db - 6.02),
      yonder,
    ),
  ).toBeLessThan(0.05);
  await page.getByRole("combobox", { name: LABELS.show }).selectOption({ label: "Before transients" });
  await expect(chart(page, /^Energy before transients/)).toBeVisible();
});

test("residual and all candidates: what is left is told, heard and sorted", async ({ page }) => {
  test.setTimeout(300_000);
  await openPair(page);
  await tab(page, "Residual");
  await expect(page.getByTestId("step-left")).toBeVisible({ timeout: 90_000 });
  await expect(chart(page, /^Residual level over time/)).toBeVisible({ timeout: 40_000 });
  const time = await rowsOf(page);
  // 16 bits leave −101 dBFS (calculations.md); Yonder is far above.
  const left = column(time, 2);
  expect(left.reduce((sum, v) => sum + v, 0) / left.length).toBeLessThan(-90);
  await show(page, "Components");
  await expect(page.getByRole("region", { name: LABELS.componentsOfTheResidual })).toContainText("rounding to 16 bits");
  await show(page, "Per band");
  await expect(chart(page, /^Residual re Yonder, by bands/)).toBeVisible({ timeout: 40_000 });
  await show(page, "Spectrum");
  await expect(chart(page, /^Residual spectrum/)).toBeVisible();
  await page.getByRole("button", { name: LABELS.hearResidual }).click();
  await expect(page.getByRole("button", { name: LABELS.hearResidual })).toHaveAttribute("aria-pressed", "true", {
    timeout: 40_000,
  });

  await tab(page, "All candidates");
  const rows = page.getByTestId("candidate-row");
  await expect(rows).toHaveCount(3);
  await expect(page.getByText("analysed")).toHaveCount(0, { timeout: 200_000 });
  const names = () => rows.locator("td:first-child button").allTextContents();
  await page.getByRole("columnheader", { name: LABELS.render }).getByRole("button").click();
  expect(await names()).toEqual(["a", "b", "c"]);
  await page.getByRole("columnheader", { name: LABELS.render }).getByRole("button").click();
  expect(await names()).toEqual(["c", "b", "a"]);
  await page.getByRole("columnheader", { name: "Residual, dB" }).getByRole("button").first().click();
  await expect(page.getByRole("columnheader", { name: "Residual, dB" })).toHaveAttribute("aria-sort", "ascending");
  // A float copy leaves its rounding, the loud one's clipping is a curve that explains it, and 16 bits leave theirs.
  expect(await names()).toEqual(["a", "b", "c"]);
  await rows.filter({ hasText: "a" }).first().getByRole("button").click();
  await expect(page.getByRole("combobox", { name: "Yonder render" })).toHaveValue(/./);

  await show(page, "Map");
  await expect(chart(page, /^Similarity of renders/)).toBeVisible({ timeout: 60_000 });
  await page.getByRole("button", { name: "Show as a table" }).click();
  await expect(page.getByRole("region", { name: LABELS.theChartAsATable })).toContainText(LABELS.dry);
});

test("stereo: as a picture that is read, and over time; every view fits a small screen", async ({ page }) => {
  test.setTimeout(120_000);
  await openPair(page);
  await tab(page, "Stereo");
  await expect(page.getByTestId("stereo-sentence")).toContainText("Both have the same width", { timeout: 40_000 });
  await show(page, "Over time");
  await choose(page, "Figure", "Correlation");
  await expect(chart(page, /^Correlation over time/)).toBeVisible({ timeout: 40_000 });
  const correlation = await rowsOf(page);
  const [here, yonder] = [column(correlation, 1), column(correlation, 2)];
  expect(largest(here.map(Math.abs))).toBeLessThanOrEqual(1);
  // A gain does not move it; the rounding of 16 bits next to not at all.
  expect(apart(here, yonder)).toBeLessThan(0.01);
  await choose(page, "Figure", "Loss in mono");
  await expect(chart(page, /^Loss in mono over time/)).toBeVisible();
  expect(largest(column(await rowsOf(page), 1))).toBeLessThan(0.01);

  await show(page, "Picture");
  const picture = chart(page, /^Stereo picture of Here/);
  await expect(picture.locator("image")).toHaveAttribute("href", /^data:image\/png/);
  await picture.hover({ position: { x: 150, y: 150 } });
  await expect(picture).toContainText(/side [−+]?0\.\d\d mid [−+]?0\.\d\d/);
  const panel = page.getByRole("region", { name: /here stereo picture$/ });
  await panel.getByRole("button", { name: "Show as a table" }).click();
  await expect(panel.getByRole("columnheader", { name: "Share of frames, %" })).toBeVisible();

  await page.setViewportSize({ width: 1024, height: 700 });
  for (const name of ["Spectrum", "Phase and delay", "Waveforms", "Dynamics", "Stereo", "Residual", "All candidates"]) {
    await tab(page, name);
    await expect(page.getByRole("tab", { name })).toHaveAttribute("aria-selected", "true");
    const past = await page.evaluate(() => ({
      down: document.documentElement.scrollHeight - window.innerHeight,
      across: document.documentElement.scrollWidth - window.innerWidth,
    }));
    expect(past, `${name} at 1024 × 700`).toEqual({ down: 0, across: 0 });
  }
});

test("a loop is what is looked at, and a place of before gives way to it", async ({ page }) => {
  test.setTimeout(120_000);
  await openPair(page);
  await tab(page, "Dynamics");
  await show(page, "Level");
  const level = chart(page, /^Level over time/);
  await expect(level).toBeVisible({ timeout: 40_000 });
  const whole = column(await rowsOf(page), 0);
  expect(whole.at(-1)).toBeGreaterThan(4.9);
  // Zoomed in near the end by keys, then a loop near the beginning.
  await level.focus();
  for (let i = 0; i < 8; i++) await page.keyboard.press("+");
  for (let i = 0; i < 30; i++) await page.keyboard.press("ArrowRight");
  await expect(level.locator("text", { hasText: /^0:04/ }).first()).toBeVisible();
  await dragLoop(page, 0.1, 0.4);
  await expect(page.getByTestId("loop")).toBeVisible();
  await expect.poll(async () => column(await rowsOf(page), 0).at(-1) ?? 9).toBeLessThan(2.6);
  // What is in sight lies in the loop.
  await expect(level.locator("text", { hasText: /^0:04/ })).toHaveCount(0);
  await expect(level.locator("path").first()).toBeVisible();
});

test("tone: where there is no other passage, nothing can be a target", async ({ page }) => {
  await openPair(page);
  await tab(page, "Spectrum");
  await show(page, "Target");
  await expect(page.getByText("No target yet", { exact: false })).toBeVisible();
  await expect(page.getByText("No target", { exact: true })).toBeVisible();
});

test.describe("with other passages", () => {
  test.use({ seed: "demo" });

  test("tone: a finished track is a target for tone and loudness", async ({ page }) => {
    await openSeeded(page, "demo", "explain");
    await tab(page, "Spectrum");
    await show(page, "Target");
    const levels = page.getByTestId("target-levels");
    await expect(levels).toContainText(/Target −[\d.]+\u2009LUFS/);
    const choice = page.getByRole("combobox", { name: LABELS.target, exact: true });
    const options = await choice.locator("option").allTextContents();
    // Every render of the three other passages.
    expect(options.length).toBeGreaterThanOrEqual(24);
    await expect(page.getByText(`All of ${options[0]}, loudness-matched`)).toBeVisible({ timeout: 40_000 });
    const rows = await rowsOf(page);
    expect(rows[0].join(",")).toContain("Here re target");
    const [hertz, here, yonder] = [0, 1, 2].map((n) => column(rows, n));
    expect(here.length).toBeGreaterThan(24);
    // Yonder less Here by way of the target is what the pair shows by itself, but for the one loudness.
    const apartByTarget = yonder.map((v, i) => v - here[i]);
    await show(page, "Pair");
    await expect(page.getByText(/\d averages/)).toBeVisible();
    const pairRows = await rowsOf(page);
    const [pairHertz, pairDb] = [0, 1].map((n) => column(pairRows, n));
    const at = (list: number[], hz: number) => list.findIndex((f) => f >= hz);
    const tilt = (list: number[], db: number[]) => db[at(list, 6000)] - db[at(list, 300)];
    expect(Math.abs(tilt(hertz, apartByTarget) - tilt(pairHertz, pairDb))).toBeLessThan(1);
    // Another target, another loudness to reach.
    await show(page, "Target");
    const before = await levels.textContent();
    await choice.selectOption(options.at(-1) ?? "");
    await expect(levels).not.toHaveText(before ?? "");
    await expect(page.getByText(`All of ${options.at(-1)}, loudness-matched`)).toBeVisible({ timeout: 40_000 });
  });
});
