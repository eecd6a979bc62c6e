import { expect, test } from "@playwright/test";
import { align } from "../src/core/alignment/align";
import { type Clip, scaleClip } from "../src/core/audio/clip";
import { amplitudeFromDb } from "../src/core/audio/decibels";
import { readBetween } from "../src/core/audio/read-between";
import { compareReportSchema } from "../src/core/difference/compare";
import { compareSources } from "../src/core/difference/compare-sources";
import { bytesInMemory } from "../src/core/formats/byte-source";
import { readWav } from "../src/core/formats/wav-read";
import { measureLevels } from "../src/core/loudness/measure";
import { shifted } from "../src/core/stimuli/signals";
import { LABELS } from "../src/ui/labels";
import { addFiles, dragLoop, figure, guitar, lateAndLoud, newComparison, stop, table, wavFile } from "./support";

/** The guitar read 37.25 samples late on a clock 40 ppm fast. */
const drifting = (): Clip => ({
  ...guitar(),
  channels: guitar().channels.map((c) => readBetween(c, -37.25 / (1 + 40e-6), 1 / (1 + 40e-6), c.length)),
});

/** Left and right exchanged, the new left inverted, seven samples late. */
const crossed = (): Clip => {
  const [left, right] = guitar().channels;
  return shifted({ ...guitar(), channels: [right.map((v) => -v), left] }, 7);
};

const decoded = (file: ReturnType<typeof wavFile>): Clip => {
  const read = readWav(file.buffer, file.name);
  if (!read.ok) throw new Error(read.reason);
  return read.value.clip;
};

test("in time: found to the fraction, overruled by hand, held, and back to found", async ({ page }) => {
  const dryFile = wavFile("dry.wav", guitar());
  const driftFile = wavFile("drifting.wav", drifting(), "32-bit float");
  const crossedFile = wavFile("crossed.wav", crossed());
  await newComparison(page, "Aligned");
  await addFiles(page, [dryFile, driftFile, crossedFile], "dry.wav");
  await stop(page, "Line up").click();
  const row = (name: string) => page.getByTestId(`in-time-${name}`);
  await expect(row("drifting.wav")).toContainText(/\+37\.2[45].smp/);
  await expect(row("drifting.wav")).toContainText(/\+(39\.9|40\.0)\d.ppm/);
  await expect(row("crossed.wav")).toContainText(/\+7.smp/);
  await expect(row("crossed.wav")).toContainText("R inverted, L/R swapped");
  await expect(row("crossed.wav")).toContainText(/→ silence/);
  await expect(row("drifting.wav")).toContainText(/→ −(?:[6-9]\d|1\d\d)\.\d.dB/);
  await expect(page.getByText("2 of 2 renders corrected for delay or drift.")).toBeVisible();
  await expect(page.getByTestId("stack-after").getByRole("img")).toBeVisible();

  // The same bits here as in the browser's workers.
  const [analyses, renders] = [await table(page, "analyses"), await table(page, "renders")];
  for (const file of [driftFile, crossedFile]) {
    const kept = renders.find((r) => r.fileName === file.name);
    expect(kept?.levels, file.name).toEqual(measureLevels(decoded(file)));
    const found = analyses.find(
      (a) => /^align@/.test(String(a.key)) && String(a.key).includes(`"render":"${kept?.audioHash}"`),
    );
    expect(found?.value, file.name).toEqual(align(decoded(dryFile), decoded(file)));
  }

  // By hand: a sample to the right, a hundredth back, invert, lock; everything downstream follows.
  await page.getByRole("button", { name: "crossed", exact: true }).click();
  await page.getByLabel("Yonder render").selectOption({ label: "crossed" });
  await expect(figure(page, "nulls-to")).toHaveText("silence");
  const delay = page.getByLabel(LABELS.delayInSamples);
  await expect(delay).toHaveValue("7");
  await page.keyboard.press(".");
  await expect(delay).toHaveValue("6");
  await expect(figure(page, "time-apart")).toHaveText(/^\+6.samples$/);
  await expect(figure(page, "nulls-to")).toHaveText(/^−\d+\.\d.dB$/);
  await page.keyboard.press("Shift+Comma");
  await expect(delay).toHaveValue("6.01");
  await expect(row("crossed.wav")).toContainText("by hand");
  await page.keyboard.press("k");
  await expect(page.getByRole("button", { name: "Locked" })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press(".");
  await page.keyboard.press("b");
  await page.reload();
  await expect(row("crossed.wav")).toContainText(/\+6\.01.smp/);
  await page.getByRole("button", { name: "crossed", exact: true }).click();
  await page.keyboard.press("k");
  await expect(page.getByRole("button", { name: "Lock", exact: true })).toHaveAttribute("aria-pressed", "false");
  await page.keyboard.press("f");
  await expect(row("crossed.wav")).toContainText("L inverted, L/R swapped");
  await delay.fill("9.5");
  await delay.press("Enter");
  await expect(row("crossed.wav")).toContainText(/\+9\.50.smp/);
  await page.getByRole("button", { name: LABELS.resetToFound }).click();
  await expect(row("crossed.wav")).toContainText(/\+7.smp/);
  await expect(figure(page, "nulls-to")).toHaveText("silence");
  // The imports are as they came.
  const audio = await table(page, "audio");
  expect(audio).toHaveLength(3);
});

test("at one level: methods, targets, ceiling and what is left; delivery; loudness over time", async ({ page }) => {
  const [left, right] = guitar().channels;
  const leaning = { ...guitar(), channels: [left, right.map((v) => v * amplitudeFromDb(-0.5))] };
  await newComparison(page, "Level match");
  await addFiles(
    page,
    [
      wavFile("dry.wav", guitar()),
      wavFile("loud.wav", lateAndLoud(), "32-bit float"),
      wavFile("quiet.wav", scaleClip(guitar(), amplitudeFromDb(-9)), "32-bit float"),
      wavFile("leaning.wav", leaning, "32-bit float"),
    ],
    "dry.wav",
  );
  await stop(page, "Line up").click();
  await page.getByRole("button", { name: LABELS.levelMatch }).click();
  const row = (name: string) => page.getByTestId(`level-${name}`);
  await expect(row("loud.wav")).toContainText(/\+3\.0[0-9].LU/);
  await expect(row("quiet.wav")).toContainText(/−9\.00.LU/);
  await expect(row("quiet.wav")).toContainText(/0\.00.LU/);
  await expect(row("leaning.wav")).toContainText(/−0\.50.dB/);
  await expect(page.getByText(/loud was loudest: \+3\.0.LU re dry/)).toBeVisible();

  await page.getByLabel(LABELS.matchBy).selectOption("least squares");
  // Without its last 1234 frames the louder one still fits at 3 dB exactly.
  await expect(row("loud.wav")).toContainText(/−3\.00.dB/);
  await page.getByLabel(LABELS.matchBy).selectOption("rms");
  await page.getByRole("group", { name: LABELS.matchTo }).getByRole("button", { name: LABELS.quietest }).click();
  await expect(row("quiet.wav")).toContainText(/−26\.1\d.dBFS/);
  await expect(row("dry.wav")).toContainText(/−9\.00.dB/);
  await page.getByLabel(LABELS.matchBy).selectOption("integrated");
  await page.getByRole("group", { name: LABELS.matchTo }).getByRole("button", { name: LABELS.figure }).click();
  await page.getByLabel(LABELS.levelToMatchTo).fill("-12");
  await page.getByLabel(LABELS.levelToMatchTo).press("Enter");
  // At −12 LUFS the dry one would peak at +0.4 dBTP: all come down together.
  await expect(page.getByText(/All lowered by \d\.\d.dB, so that no true peak exceeds −1\.0.dBTP/)).toBeVisible();
  await expect(row("dry.wav")).toContainText(/−1\.\d\d.dBTP/);
  await page.getByLabel(LABELS.truePeakLimit).fill("0");
  await page.getByLabel(LABELS.truePeakLimit).press("Enter");
  await expect(row("dry.wav")).toContainText(/−0\.\d\d.dBTP|0\.00.dBTP/);
  await page.getByRole("group", { name: LABELS.matchOver }).getByRole("button", { name: LABELS.loop }).click();
  await dragLoop(page, 0.1, 0.5);
  await expect(page.getByText(/by integrated loudness over the loop/)).toBeVisible();
  await page.reload();
  await page.getByRole("button", { name: LABELS.levelMatch }).click();
  await expect(page.getByLabel(LABELS.levelToMatchTo)).toHaveValue("-12");

  await page.getByRole("button", { name: LABELS.delivery }).click();
  const delivery = (name: string) => page.getByTestId(`delivery-${name}`);
  await expect(delivery("loud.wav")).toContainText("too loud");
  await expect(delivery("dry.wav")).toContainText("too quiet");
  await page.getByRole("button", { name: LABELS.own, exact: true }).click();
  await page.getByLabel("Loudness", { exact: true }).fill("-15.2");
  await page.getByLabel("Loudness", { exact: true }).press("Enter");
  await expect(delivery("dry.wav")).toContainText("passes");
  await expect(delivery("loud.wav")).toContainText(/3\.0.dB/);

  await page.getByRole("button", { name: LABELS.loudnessOverTime }).click();
  await expect(page.getByTestId("over-time-Here")).toContainText(/\d\d\.\d.dB/);
  await expect(page.getByRole("img", { name: LABELS.loudnessOverTimeOfHereAndYonder })).toBeVisible();
  await page.getByRole("button", { name: "Show as a table" }).click();
  const rows = page.getByRole("region", { name: LABELS.theChartAsATable }).getByRole("row");
  await expect(rows.first()).toContainText("Yonder momentary, LUFS");
  // The first short-term value stands at the end of its three seconds.
  await expect(rows.filter({ has: page.getByRole("cell", { name: "3.00", exact: true }) })).toContainText(
    /(−\d\d\.\d+\s*){4}/,
  );
});

test("a script compares files over HTTP and gets what the terminal prints", async ({ request }) => {
  const [dry, late] = [wavFile("dry.wav", guitar()), wavFile("late.wav", lateAndLoud(), "32-bit float")];
  const answer = await request.post("/api/compare", { multipart: { reference: dry, render: late } });
  expect(answer.status()).toBe(200);
  const report = compareReportSchema.parse(await answer.json());
  const own = await compareSources({ file: "dry.wav", source: bytesInMemory(dry.buffer) }, [
    { file: "late.wav", source: bytesInMemory(late.buffer) },
  ]);
  expect(own.ok && own.value).toEqual(report);
  expect(report.renders[0].alignment).toMatchObject({ delaySamples: 1234, polarity: 1 });
  expect((await request.post("/api/compare", { multipart: { reference: dry } })).status()).toBe(400);
  expect((await request.post("/api/compare", { data: { reference: "dry.wav" } })).status()).toBe(415);
  expect((await request.get("/api/compare")).status()).toBe(405);
});
