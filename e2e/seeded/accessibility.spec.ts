import AxeBuilder from "@axe-core/playwright";
import { expect, type Page } from "@playwright/test";
import { noise } from "../../src/core/stimuli/signals";
import { LABELS } from "../../src/ui/labels";
import { STOPS } from "../../src/ui/shell/stops";
import { openSeeded, test } from "../profiles";
import { beginRun, chooseFiles, guitar, planForm, stop, wavFile } from "../support";

/** `within` is judged alone: what lies behind a dialog was judged without it. At night the colours are all that differs. */
async function expectNoViolations(page: Page, within = "html"): Promise<void> {
  for (const colorScheme of ["light", "dark"] as const) {
    await page.emulateMedia({ colorScheme });
    // One page without frames: no second page to gather results in, and no account of what passed.
    const axe = new AxeBuilder({ page })
      .options({ resultTypes: ["violations"] })
      .setLegacyMode()
      .include(within);
    const judged =
      colorScheme === "dark"
        ? axe.withRules(["color-contrast"])
        : axe.withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]);
    const { violations } = await judged.analyze();
    const told = violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html).join(" | ")}`);
    expect(told, `in the ${colorScheme} theme`).toEqual([]);
  }
}

test.use({ seed: "grid" });

test("the first screen, Gather and its dialogs, and the keys pass WCAG 2.2 AA by day and by night", async ({
  page,
}) => {
  await page.goto("/?list");
  await expect(page.getByRole("button", { name: LABELS.openTheDemo })).toBeVisible();
  await expectNoViolations(page);
  await openSeeded(page, "grid");
  await page.locator("[data-render]").nth(1).focus();
  await expect(page.getByRole("button", { name: LABELS.makeItDry })).toBeVisible();
  for (const [key, title] of [
    ["p", "Run a processor"],
    ["e", "settings and notes"],
    ["q", "Compare settings"],
    ["?", "Shortcuts"],
  ]) {
    await page.keyboard.press(key);
    await expect(page.getByRole("dialog", { name: title })).toBeVisible();
    await expectNoViolations(page, "dialog[open]");
    await page.keyboard.press("Escape");
  }
  await chooseFiles(page, [wavFile("guitar.wav", guitar(), "32-bit float"), wavFile("hiss.wav", noise(4, 0.1, 2))]);
  await expect(page.getByRole("region", { name: LABELS.needsAPassage })).toBeVisible();
  await expectNoViolations(page, "dialog[open]");
});

test("every stop and the booth pass WCAG 2.2 AA by day and by night", async ({ page }) => {
  test.setTimeout(150_000);
  await openSeeded(page, "grid");
  for (const { title } of STOPS) {
    await stop(page, title).click();
    await expect(page.getByRole("heading", { level: 1, name: title })).toBeVisible();
    // What stands around the stops was judged with Gather.
    await expectNoViolations(page, "main");
    if (title === "Line up") {
      for (const view of ["Level match", "Delivery", "Loudness over time"]) {
        await page.getByRole("button", { name: view }).click();
        await expect(
          page
            .getByRole("table")
            .or(page.getByRole("img", { name: /Loudness over time/ }))
            .first(),
        ).toBeVisible();
        await expectNoViolations(page, "main");
      }
    }
    if (title === "Explain") {
      for (const view of ["Dynamics", "All candidates"]) {
        await page.getByRole("tab", { name: view }).click();
        await expect(page.getByRole("tab", { name: view })).toHaveAttribute("aria-selected", "true");
        await expectNoViolations(page, "main");
      }
    }
    if (title === "Findings") {
      await page.getByRole("gridcell").nth(5).click();
      await expect(page.getByRole("group", { name: LABELS.yourVerdict })).toBeVisible();
      await expectNoViolations(page, "main");
      for (const [key, name] of [
        ["g", "Render pack"],
        ["r", "Report"],
      ]) {
        await page.keyboard.press(key);
        await expect(page.getByRole("dialog", { name })).toBeVisible();
        await expectNoViolations(page, "dialog[open]");
        await page.keyboard.press("Escape");
      }
    }
    const scrolls = await page.evaluate(() => document.documentElement.scrollHeight > window.innerHeight);
    expect(scrolls, `${title} scrolls at 1280 × 800`).toBe(false);
  }
  for (const form of ["ABX", "Favourite", "Rating"]) {
    await planForm(page, form);
    await beginRun(page);
    await expectNoViolations(page);
    await page.getByRole("link", { name: LABELS.pauseAndContinueLater }).click();
  }
  await page.getByRole("button", { name: LABELS.testMyHighestFrequency }).click();
  await expect(page.getByRole("dialog", { name: LABELS.howHighDoYouHear })).toBeVisible();
  await expectNoViolations(page, "dialog[open]");
});

test("the theme can be set, and stays set", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("button", { name: LABELS.nightTheme }).click();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "yonder-night");
  await page.reload();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "yonder-night");
});
