import { expect } from "@playwright/test";
import { test } from "../profiles";
import { dragLoop, figure, openDemo, playheadFrame, stop } from "../support";

test("play, switch, loop, look through a lens and hear the difference, by key and by click", async ({ page }) => {
  await openDemo(page);
  const play = page.getByRole("button", { name: /^Play/ });
  await expect(play).toBeEnabled();
  expect(await playheadFrame(page)).toBe(0);

  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(10_000);

  // A switch keeps the playhead going from where it is.
  const before = await playheadFrame(page);
  await page.keyboard.press("ArrowRight");
  await expect(page.getByRole("button", { name: "Yonder", exact: true })).toHaveAttribute("aria-pressed", "true");
  const after = await playheadFrame(page);
  expect(after).toBeGreaterThanOrEqual(before);
  expect(after - before).toBeLessThan(48_000);

  await dragLoop(page, 0.5, 0.6);
  const rate = 48_000;
  await expect(page.getByTestId("loop")).toBeVisible();
  await expect.poll(async () => (await playheadFrame(page)) / rate).toBeGreaterThan(7);
  await page.waitForTimeout(2500);
  const seconds = (await playheadFrame(page)) / rate;
  expect(seconds).toBeGreaterThan(7.5);
  expect(seconds).toBeLessThan(10);
  await expect(page.getByText("in the loop")).toBeVisible();

  // Back to the mark at a switch.
  await page.getByRole("button", { name: "Back to mark" }).click();
  await page.keyboard.press("ArrowLeft");
  await expect(page.getByRole("button", { name: "Here", exact: true })).toHaveAttribute("aria-pressed", "true");

  await page.keyboard.press("Space");
  await expect(play).toBeVisible();
  const resting = await playheadFrame(page);
  await page.waitForTimeout(300);
  expect(await playheadFrame(page)).toBe(resting);

  await page.keyboard.press("d");
  await expect(page.getByRole("button", { name: /^Difference/ })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("m");
  await expect(page.getByRole("button", { name: "As delivered" })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("button", { name: "Mid", exact: true }).click();
  await expect(page.getByRole("button", { name: "Mid", exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.getByLabel("Boost of the difference").selectOption("48");
  await expect(page.getByTitle(/Held back so that the difference/)).toBeVisible();

  // A double click takes the loop away; the preference outlives a reload.
  await page.getByTestId("waveform").dblclick();
  await expect(page.getByTestId("loop")).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole("button", { name: "Back to mark" })).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByLabel("Boost of the difference")).toHaveValue("48");
});

test("the Listen stop takes any render by its number and matches over passage or loop", async ({ page }) => {
  await openDemo(page);
  await stop(page, "Listen").click();
  const row = (name: string) => page.getByRole("row").filter({ hasText: name });
  await expect(row("Bus compressor")).toContainText("+3.3");
  await page.keyboard.press("4");
  await expect(page.getByText("You hear Yonder: Bus compressor, matched.")).toBeVisible();
  await expect(row("Bus compressor")).toContainText("Yonder");
  await page.keyboard.press("1");
  await expect(page.getByText("You hear Here: Dry, matched.")).toBeVisible();

  const wholePassage = await figure(page, "matched-to").textContent();
  await dragLoop(page, 0.92, 0.99);
  await page.getByRole("group", { name: "Match over" }).getByRole("button", { name: "Loop" }).click();
  await expect(page.getByText("Matched to the dry render by integrated loudness over the loop")).toBeVisible();
  await expect(figure(page, "matched-to")).not.toHaveText(wholePassage ?? "");
  await expect(page.getByText("0.00 LU left")).toBeVisible();
});
