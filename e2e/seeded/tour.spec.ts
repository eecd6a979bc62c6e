import { expect, type Locator, type Page } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { hearSeats, pressAnswer, trialText } from "../support";

const MOST_TABS = 160;

/** Goes to something by Tab alone, and presses Enter on it. */
async function enter(page: Page, target: Locator): Promise<void> {
  await expect(target).toBeEnabled();
  await reach(page, target);
  await page.keyboard.press("Enter");
}

async function reach(page: Page, target: Locator): Promise<void> {
  for (let n = 0; n < MOST_TABS; n++) {
    if (await target.evaluate((element) => element === document.activeElement)) return;
    await page.keyboard.press("Tab");
  }
  throw new Error("not reached by Tab");
}

test("the tour is done by keyboard alone, on the real screens, and can be left and taken up again", async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openSeeded(page, "demo");
  const tour = page.getByRole("region", { name: LABELS.tour });
  // It was offered when the demo was first opened: never again by itself.
  await expect(tour).toBeHidden();
  const begin = async () => {
    await page.keyboard.press("?");
    await enter(page, page.getByRole("dialog", { name: LABELS.shortcuts }).getByRole("button", { name: LABELS.tour }));
    await expect(tour).toBeVisible();
  };
  const done = (count: number) =>
    expect(tour.getByRole("listitem", { name: /: done$/ })).toHaveCount(count, { timeout: 20_000 });
  const go = (name: string) => enter(page, tour.getByRole("link", { name: `Go to ${name}` }));

  await begin();
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await page.keyboard.press("m");
  await page.keyboard.press("m");
  await done(1);
  await go("Line up");
  await done(2);
  await page.keyboard.press("d");
  await done(3);
  await page.keyboard.press("d");

  await enter(page, tour.getByRole("button", { name: LABELS.leaveTheTour }));
  await expect(tour).toBeHidden();
  await begin();
  await done(3);

  await go("Blind");
  await reach(page, page.getByLabel(LABELS.numberOfTrials));
  await page.keyboard.press("Control+a");
  await page.keyboard.type("6");
  await enter(page, page.getByRole("button", { name: LABELS.sealTheOrderAndBegin }));
  for (let trial = 1; trial <= 6; trial++) {
    await trialText(page, `Trial ${trial} of 6`);
    await hearSeats(page, ["2", "1"]);
    await pressAnswer(page, "X is A", "a");
  }
  await enter(page, page.getByRole("link", { name: LABELS.toTheFindings }));
  await done(4);
  await go("Explain");
  const loop = page.getByRole("region", { name: LABELS.whereToListen }).getByRole("button", { name: /^Loop 0:/ });
  await expect(loop.first()).toBeVisible({ timeout: 60_000 });
  await enter(page, loop.first());
  await done(5);
  await go("Bench");
  await done(6);
  await go("Findings");
  await reach(page, page.locator('[role="gridcell"][tabindex="0"]'));
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("1");
  await page.keyboard.press("r");
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    enter(page, page.getByRole("dialog", { name: LABELS.report }).getByRole("button", { name: "Save as HTML" })),
  ]);
  expect(file.suggestedFilename()).toMatch(/\.html$/);
  await page.keyboard.press("Escape");
  await done(7);
  await expect(tour).toContainText("All seven steps are done.");
});

test("the guide is searched and read in the app, over any screen", async ({ page }) => {
  await openSeeded(page, "demo", "listen");
  await page.keyboard.press("?");
  await page.getByRole("dialog", { name: LABELS.shortcuts }).getByRole("button", { name: LABELS.guide }).click();
  const guide = page.getByRole("dialog", { name: LABELS.guide });
  await expect(guide.getByRole("heading", { name: "Ten minutes on the demo" })).toBeVisible();
  await guide.getByLabel(LABELS.searchTheGuide).fill("one sample of delay");
  await guide.getByRole("button", { name: /^Reading a null/ }).click();
  await expect(guide.getByRole("region", { name: "Reading a null" })).toContainText("−18 dB");
  await guide.getByLabel(LABELS.searchTheGuide).fill("zebra");
  await expect(guide.getByText(LABELS.noChapterContainsTheseWords)).toBeVisible();
});
