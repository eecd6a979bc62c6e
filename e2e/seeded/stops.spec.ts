import { expect } from "@playwright/test";
import { STOPS } from "../../src/ui/shell/stops";
import { test } from "../profiles";
import { openDemo, stop } from "../support";

test("the stops to come say in one sentence what will be there, with the pair still on screen", async ({ page }) => {
  await openDemo(page);
  for (const { title, planned } of STOPS) {
    if (!planned) continue;
    await stop(page, title).click();
    await expect(page.getByText(planned)).toBeVisible();
    await expect(page.getByRole("region", { name: "Pair" })).toBeVisible();
    await expect(page.getByRole("region", { name: "Transport" })).toBeVisible();
  }
});

for (const viewport of [
  { width: 1024, height: 700 },
  { width: 2560, height: 1400 },
]) {
  test(`at ${viewport.width} × ${viewport.height} nothing scrolls the page and everything is in reach`, async ({
    page,
  }) => {
    await page.setViewportSize(viewport);
    await openDemo(page);
    for (const { title } of STOPS) {
      await stop(page, title).click();
      await expect(page.getByRole("heading", { level: 1, name: title })).toBeVisible();
      const over = await page.evaluate(() => ({
        x: document.documentElement.scrollWidth - window.innerWidth,
        y: document.documentElement.scrollHeight - window.innerHeight,
      }));
      expect(over, title).toEqual({ x: 0, y: 0 });
      await expect(page.getByRole("button", { name: /^Difference/ })).toBeInViewport();
    }
  });
}
