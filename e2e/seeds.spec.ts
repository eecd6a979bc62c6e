import { expect } from "@playwright/test";
import { scaleClip } from "../src/core/audio/clip";
import { LABELS } from "../src/ui/labels";
import { leaves, test } from "./profiles";
import { addFiles, figure, guitar, lateAndLoud, newComparison, openDemo, stop, wavFile } from "./support";

// What the tests of the project "seeded" begin from.

test.use({ seed: null });

test("the demo grows behind what is in sight to four passages by eight candidates, and can be used meanwhile", {
  annotation: leaves("demo"),
}, async ({ page }) => {
  test.setTimeout(240_000);
  await openDemo(page);
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await expect(page.locator('[data-render^="hand-drums"]').nth(1)).toBeVisible({ timeout: 120_000 });
  await page.getByLabel(LABELS.passage, { exact: true }).selectOption({ label: "Hand drums" });
  await expect(figure(page, "nulls-to")).toContainText("dB");
  await expect(page.getByText("0:10.600").first()).toBeVisible();
  await page.getByLabel(LABELS.passage, { exact: true }).selectOption({ label: "Crossing theme" });
  await page.keyboard.press("Space");
  await expect(page.locator("[data-render]")).toHaveCount(36, { timeout: 150_000 });
  await expect(page.locator("[data-candidate]")).toHaveCount(8);
  await expect(page.getByText(LABELS.aligning)).toHaveCount(0, { timeout: 90_000 });
  await expect(page.getByText("Not aligned")).toHaveCount(0);
  await expect(page.getByLabel(LABELS.workInProgress)).toBeHidden({ timeout: 60_000 });
  // It is found again rather than made twice.
  const address = page.url();
  await page.getByRole("link", { name: LABELS.yonderPairAllComparisons }).click();
  await page.getByRole("button", { name: LABELS.openTheDemo }).click();
  await expect(page).toHaveURL(address);
  // What sets the pair apart is worked out once, for all tests that look at it.
  await stop(page, "Explain").click();
  await expect(page.getByTestId("step-left")).toBeVisible({ timeout: 120_000 });
  await expect(page.getByTestId("explain-sentence")).toContainText("EQ: ");
  // So is how far each render is from the dry one of its passage.
  await stop(page, "Findings").click();
  await expect(page.getByRole("grid", { name: LABELS.verdicts })).toBeVisible();
  await expect(page.getByRole("gridcell").getByText("…")).toHaveCount(0, { timeout: 120_000 });
  await expect(page.getByLabel(LABELS.workInProgress)).toBeHidden({ timeout: 60_000 });
});

test("a passage by three candidates is added, measured and explained", { annotation: leaves("grid") }, async ({
  page,
}) => {
  test.setTimeout(300_000);
  await newComparison(page, "Grid");
  await addFiles(
    page,
    [
      wavFile("dry.wav", guitar()),
      wavFile("b.wav", lateAndLoud()),
      wavFile("c.wav", scaleClip(guitar(), 0.5), "16-bit"),
      wavFile("a.wav", scaleClip(guitar(), 0.9), "32-bit float"),
    ],
    "dry.wav",
  );
  await expect(page.locator("[data-render]")).toHaveCount(4);
  await expect(figure(page, "nulls-to")).toContainText("dB");
  await expect(page.getByText("+1234\u2009smp")).toBeVisible();
  // What sets each of them apart is worked out once, for all tests that look at it.
  await stop(page, "Explain").click();
  await page.getByRole("tab", { name: LABELS.allCandidates }).click();
  await expect(page.getByTestId("candidate-row")).toHaveCount(3);
  await expect(page.getByText("analysed")).toHaveCount(0, { timeout: 200_000 });
  await expect(page.getByLabel(LABELS.workInProgress)).toBeHidden({ timeout: 60_000 });
});
