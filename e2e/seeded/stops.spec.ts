import { expect } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { STOPS } from "../../src/ui/shell/stops";
import { openSeeded, test } from "../profiles";
import { stop } from "../support";

test("at 1024 × 700 and at 2560 × 1400 nothing scrolls the page and everything is in reach", async ({ page }) => {
  await openSeeded(page, "demo");
  for (const viewport of [
    { width: 1024, height: 700 },
    { width: 2560, height: 1400 },
  ]) {
    await page.setViewportSize(viewport);
    for (const { title } of STOPS) {
      await stop(page, title).click();
      await expect(page.getByRole("heading", { level: 1, name: title })).toBeVisible();
      const over = await page.evaluate(() => ({
        x: document.documentElement.scrollWidth - window.innerWidth,
        y: document.documentElement.scrollHeight - window.innerHeight,
      }));
      expect(over, `${title} at ${viewport.width}`).toEqual({ x: 0, y: 0 });
      await expect(page.getByRole("button", { name: /^Difference/ })).toBeInViewport();
    }
  }
});

test("keys pressed before a stop is there are held, and done when it is", async ({ page }) => {
  await openSeeded(page, "demo", "listen");
  // The code of Gather comes late, as on a slow machine.
  await page.route("**/_next/static/chunks/**", async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await route.continue();
  });
  await stop(page, "Gather").click();
  await page.waitForURL(/gather$/);
  await page.keyboard.press("p");
  await expect(page.getByRole("heading", { level: 1, name: LABELS.gather })).toBeHidden();
  await expect(page.getByRole("dialog")).toBeVisible();
  await expect(page.getByRole("button", { name: /^Run over \d passages?/ })).toBeVisible();
});
