import { expect } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { addFiles, guitar, stop, wavFile } from "../support";

test.use({ seed: "grid" });

test("comparisons are searched, duplicated, begun anew with the same candidates, deleted and put back", async ({
  page,
}) => {
  await openSeeded(page, "grid");
  // A candidate of our own, which is to run over the new passage by itself.
  await page.keyboard.press("p");
  await page.getByRole("button", { name: "Run over 1 passage" }).click();
  await expect(page.locator("[data-candidate]")).toHaveCount(4, { timeout: 40_000 });
  await page.getByRole("link", { name: LABELS.yonderPairAllComparisons }).click();
  const rows = page.getByTestId("comparison");
  await expect(rows).toHaveCount(1);
  await page.getByRole("button", { name: "Duplicate Grid" }).click();
  await expect(rows).toHaveCount(2);
  await page.keyboard.press("/");
  await page.keyboard.type("c.wav");
  await expect(rows).toHaveCount(2);
  await expect(rows.first()).toContainText("file: c.wav");
  await page.getByLabel(LABELS.searchAllComparisons).fill("copy");
  await expect(rows).toHaveCount(1);
  await page.getByRole("button", { name: "Delete Grid, copy" }).click();
  await expect(page.getByText(LABELS.noComparisonContainsTheseWords)).toBeVisible();
  await page.getByRole("button", { name: LABELS.undo }).click();
  await expect(rows).toHaveText(/Grid, copy/);
  await page.getByLabel(LABELS.searchAllComparisons).fill("");

  await page.getByRole("button", { name: "New comparison with the candidates of Grid", exact: true }).click();
  await expect(
    page.getByText(/1 built-in candidate renders it automatically; 3 candidates from outside need/),
  ).toBeVisible();
  await addFiles(page, [wavFile("song dry.wav", guitar())], "song dry.wav");
  await expect(page.locator("[data-render]")).toHaveCount(2, { timeout: 40_000 });
  await stop(page, "Findings").click();
  await expect(page.getByRole("grid", { name: LABELS.verdicts }).getByRole("columnheader")).toHaveCount(3);
});
