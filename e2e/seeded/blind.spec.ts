import { readFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { test } from "../profiles";
import { dragLoop, openDemo, stop } from "../support";

async function plan(page: Page, trials: number): Promise<void> {
  await stop(page, "Blind").click();
  await page.getByLabel("Number of trials").fill(String(trials));
  const instead = page.getByRole("button", { name: "Match over the loop instead" });
  await expect(page.getByText("is left after matching: fair.").or(instead)).toBeVisible();
  if (await instead.isVisible()) await instead.click();
  await page.getByRole("button", { name: "Seal the order and begin" }).click();
  await expect(page.getByTestId("trial")).toHaveText(`Trial 1 of ${trials}`);
}

/** One trial by keys: hear X and A, then answer. */
async function answer(page: Page, key: "a" | "b"): Promise<void> {
  await expect(page.getByRole("button", { name: "X 2" })).toBeEnabled();
  await page.keyboard.press("2");
  await expect(page.getByRole("button", { name: "X 2" })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("1");
  await expect(page.getByRole("button", { name: `X is ${key.toUpperCase()}` })).toBeEnabled();
  await page.keyboard.press(key);
}

const trialNumber = (page: Page, trial: number) => expect(page.getByTestId("trial")).toContainText(`Trial ${trial} of`);

test("from the demo to an ABX verdict, with a reload in the middle", async ({ page }) => {
  await openDemo(page);
  await dragLoop(page, 0.3, 0.5);
  await stop(page, "Blind").click();
  await page.getByLabel("Number of trials").fill("8");
  await expect(page.getByTestId("plan-odds")).toContainText("7 of 8 right are needed");
  await page.getByLabel("Number of trials").fill("3");
  await expect(page.getByText("even all right proves nothing")).toBeVisible();
  await expect(page.getByRole("button", { name: "Seal the order and begin" })).toBeDisabled();

  await plan(page, 5);
  await expect(page.getByRole("button", { name: "X is A" })).toBeDisabled();
  await page.keyboard.press("a");
  await trialNumber(page, 1);
  await answer(page, "a");
  await trialNumber(page, 2);
  await answer(page, "b");
  await trialNumber(page, 3);

  await page.reload();
  await trialNumber(page, 3);
  await answer(page, "a");
  await trialNumber(page, 4);
  await page.getByRole("link", { name: "Rest, and go on later" }).click();
  await expect(page.getByText("waits at trial 4 of 5")).toBeVisible();
  await page.getByRole("link", { name: "Go on" }).click();
  await answer(page, "a");
  await trialNumber(page, 5);
  await answer(page, "b");

  await expect(page.getByTestId("verdict")).toHaveText(/^(You heard a difference|No difference was shown)\.$/);
  await expect(page.getByTestId("verdict-detail")).toContainText(/\d of 5 right; the plan asked for 5/);
  await expect(page.getByText("the order opened now is the one sealed before trial 1")).toBeVisible();

  // The verdict counts what it says it counts: trials marked right add up to the score.
  const right = await page.getByRole("list", { name: "Trials" }).getByText("right", { exact: true }).count();
  await expect(page.getByTestId("verdict-detail")).toContainText(`${right} of 5 right`);

  await page.getByRole("link", { name: "To the findings" }).click();
  const row = page.getByTestId("run");
  await expect(row).toContainText("Dry and Air lift, bilinear");
  await expect(row).toContainText("Crossing theme");
  await expect(row).toContainText(`${right} of 5`);
  await expect(row).toContainText("p = ");

  await row.getByRole("button", { name: "Open" }).click();
  await page.getByLabel("Note on this run").fill("The bells gave it away.");
  await expect(page.getByText("kept")).toBeVisible();
  await page.reload();
  await page.getByTestId("run").getByRole("button", { name: "Open" }).click();
  await expect(page.getByLabel("Note on this run")).toHaveValue("The bells gave it away.");

  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Export as JSON" }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe("oxbow-ferry-boarding-music.json");
  const exported = JSON.parse(readFileSync(await file.path(), "utf8"));
  expect(exported).toMatchObject({ schema: "yonder-pair/comparison@1" });
  expect(exported.renders.length).toBeGreaterThanOrEqual(2);
  expect(exported.renders.every((r: { alignment: { found: boolean } }) => r.alignment.found)).toBe(true);
  expect(exported.runs[0].result.right).toBe(right);
  expect(exported.notes[0].text).toBe("The bells gave it away.");
});

test("nothing on the page tells which side X is, and an open run is exported sealed", async ({ page }) => {
  await openDemo(page);
  await plan(page, 12);
  const seen = async () => {
    await expect(page.getByRole("button", { name: "X 2" })).toBeEnabled();
    await page.keyboard.press("2");
    await page.waitForTimeout(150);
    const html = await page.evaluate(() =>
      document.documentElement.outerHTML.replace(/Trial \d+|<script.*?<\/script>/gs, ""),
    );
    return { html, title: await page.title(), address: page.url() };
  };
  // The hidden order is read behind the page's back, from the table the player reads.
  const order = await page.evaluate(
    () =>
      new Promise<string[]>((resolve, reject) => {
        const opening = indexedDB.open("yonder-pair");
        opening.onerror = () => reject(opening.error);
        opening.onsuccess = () => {
          const all = opening.result.transaction("seals").objectStore("seals").getAll();
          all.onsuccess = () => resolve(all.result[0].order);
        };
      }),
  );
  expect(order).toHaveLength(12);
  const pages = new Map<string, { html: string; title: string; address: string }>();
  for (let trial = 0; trial < 12 && pages.size < 2; trial++) {
    await trialNumber(page, trial + 1);
    const now = await seen();
    expect(now.html).not.toContain("Air lift");
    // Dots show how far the run is, and nothing else: compare without them.
    pages.set(order[trial], { ...now, html: now.html.replace(/<div class="[^"]*flex-wrap.*?<\/div>/s, "") });
    await page.keyboard.press("3");
    await expect(page.getByRole("button", { name: "X is A" })).toBeEnabled();
    await page.keyboard.press("a");
  }
  expect(pages.get("A")).toEqual(pages.get("B"));

  await page.getByRole("link", { name: "Rest, and go on later" }).click();
  await stop(page, "Findings").click();
  await expect(page.getByTestId("run")).toContainText("sealed");
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Export as JSON" }).click();
  const text = readFileSync(await (await download).path(), "utf8");
  expect(text).not.toContain('"order"');
  expect(JSON.parse(text).runs[0].opened).toBeNull();
});

test("a run keeps the loop and the dry render it was planned with, whatever is changed outside", async ({ page }) => {
  await openDemo(page);
  await dragLoop(page, 0.3, 0.5);
  await plan(page, 6);
  const where = await page.getByText(/Crossing theme, 0:/).textContent();
  await answer(page, "a");
  await trialNumber(page, 2);
  await page.getByRole("link", { name: "Rest, and go on later" }).click();
  await stop(page, "Gather").click();
  await page.locator('[data-render="crossing-theme_bus-compressor.wav"]').focus();
  await page.getByRole("button", { name: "Make it the dry one" }).click();
  await expect(page.locator('[data-render="crossing-theme_dry.wav"]')).toContainText("48 smp early");
  await stop(page, "Blind").click();
  await page.getByRole("link", { name: "Go on" }).click();
  await trialNumber(page, 2);
  expect(await page.getByText(/Crossing theme, 0:/).textContent()).toBe(where);
  await answer(page, "b");
  await trialNumber(page, 3);

  // What a run stands on can be taken away; then it says so and closes with what was answered.
  await page.getByRole("link", { name: "Rest, and go on later" }).click();
  await stop(page, "Gather").click();
  await page.locator('[data-render="crossing-theme_dry.wav"]').focus();
  await page.getByRole("button", { name: "Delete Del" }).click();
  await stop(page, "Blind").click();
  await page.getByRole("link", { name: "Go on" }).click();
  await expect(page.getByText("This run cannot go on.")).toBeVisible();
  await page.getByRole("button", { name: "Close it with the 2 answers given" }).click();
  await expect(page.getByTestId("verdict")).toContainText("decides nothing");
});

test("leaving early is recorded as leaving early and decides nothing", async ({ page }) => {
  await openDemo(page);
  await plan(page, 10);
  await answer(page, "a");
  await trialNumber(page, 2);
  await page.getByRole("button", { name: "Leave the run" }).click();
  await page.getByRole("button", { name: "End it" }).click();
  await expect(page.getByTestId("verdict")).toContainText("decides nothing");
  await page.getByRole("link", { name: "To the findings" }).click();
  await expect(page.getByTestId("run")).toContainText("left early");
});

test("a loop that is not at one level holds the run up until it is matched there or overruled", async ({ page }) => {
  await openDemo(page);
  await page.getByLabel("Yonder render").selectOption({ label: "Bus compressor" });
  await dragLoop(page, 0.94, 0.995);
  await stop(page, "Blind").click();
  await expect(page.getByText(/Yonder is still/)).toBeVisible();
  const begin = page.getByRole("button", { name: "Seal the order and begin" });
  await expect(begin).toBeDisabled();
  await page.getByLabel(/Begin all the same/).check();
  await expect(begin).toBeEnabled();
  await page.getByLabel(/Begin all the same/).uncheck();
  await page.getByRole("button", { name: "Match over the loop instead" }).click();
  await expect(page.getByText("is left after matching: fair.")).toBeVisible();
  await expect(begin).toBeEnabled();
});
