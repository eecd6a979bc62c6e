import { spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { expect, type Page } from "@playwright/test";
import { PLAN_WORDS } from "../../src/core/words/blind-plan";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { beginRun, dragLoop, fairLevel, hearSeats, planForm, pressAnswer, stop, table, trialText } from "../support";

async function plan(page: Page, trials: number): Promise<void> {
  await stop(page, "Blind").click();
  await page.getByLabel(LABELS.numberOfTrials).fill(String(trials));
  const instead = page.getByRole("button", { name: LABELS.matchOverTheLoopInstead });
  await expect(fairLevel(page).or(instead)).toBeVisible();
  if (await instead.isVisible()) await instead.click();
  await beginRun(page);
  await expect(page.getByTestId("trial")).toHaveText(`Trial 1 of ${trials}`);
}

/** One trial by keys: hear X and A, then answer. */
async function answer(page: Page, key: "a" | "b"): Promise<void> {
  await hearSeats(page, ["2", "1"]);
  await pressAnswer(page, `X is ${key.toUpperCase()}`, key);
}

const trialNumber = (page: Page, trial: number) => trialText(page, `Trial ${trial} of`);

const verify = (path: string) => {
  const { status, stdout } = spawnSync(process.execPath, ["scripts/yonder.mjs", "verify", path], { encoding: "utf8" });
  return { status, report: JSON.parse(stdout) };
};

test("from the demo to an ABX verdict, with a reload in the middle", async ({ page }) => {
  await openSeeded(page, "demo");
  await dragLoop(page, 0.3, 0.5);
  await stop(page, "Blind").click();
  await page.getByLabel(LABELS.numberOfTrials).fill("8");
  await expect(page.getByTestId("plan-odds")).toContainText(PLAN_WORDS.passMark(7, 8));
  await page.getByLabel(LABELS.numberOfTrials).fill("3");
  await expect(page.getByText("even a perfect score proves nothing")).toBeVisible();
  await expect(page.getByRole("button", { name: LABELS.sealTheOrderAndBegin })).toBeDisabled();
  // The smallest effect worth catching and the power say how many trials it takes.
  await page.getByLabel(LABELS.shareCorrectToDetect).selectOption("0.9");
  await page.getByRole("button", { name: "8 trials" }).click();
  await expect(page.getByTestId("plan-odds")).toContainText(PLAN_WORDS.passMark(7, 8));

  await page.getByLabel(LABELS.listenerCode).fill("L7");
  await plan(page, 5);
  await expect(page.getByRole("button", { name: LABELS.xIsA })).toBeDisabled();
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
  await page.getByRole("link", { name: LABELS.pauseAndContinueLater }).click();
  await expect(page.getByText("waits at trial 4 of 5")).toBeVisible();
  await page.getByRole("link", { name: LABELS.goOn }).click();
  await answer(page, "a");
  await trialNumber(page, 5);
  await answer(page, "b");

  await expect(page.getByTestId("verdict")).toHaveText(/^(A difference was shown|No difference was shown)\.$/);
  await expect(page.getByTestId("verdict-detail")).toContainText(/\d of 5 correct; pass mark 5/);
  await expect(page.getByText("the opened order matches the seal")).toBeVisible();

  // The verdict counts what it says it counts: trials marked correct add up to the score.
  const correct = await page.getByRole("list", { name: LABELS.trials }).getByText("correct", { exact: true }).count();
  await expect(page.getByTestId("verdict-detail")).toContainText(`${correct} of 5 correct`);

  // The record verifies itself from a terminal with nothing but the file, and no longer once it was touched.
  const saving = page.waitForEvent("download");
  await page.getByRole("button", { name: LABELS.saveAsARecord }).click();
  const path = test.info().outputPath("record.json");
  await (await saving).saveAs(path);
  expect(verify(path)).toMatchObject({ status: 0, report: { schema: "yonder-pair/verify@1", holds: true } });
  const text = readFileSync(path, "utf8");
  writeFileSync(path, text.replace('"code": "L7"', '"code": "L8"'));
  expect(verify(path)).toMatchObject({ status: 1, report: { holds: false, verdict: null } });

  await page.getByRole("link", { name: LABELS.toTheFindings }).click();
  const row = page.getByTestId("entry").filter({ hasText: "L7" });
  await expect(row).toContainText("ABX: Dry and Air lift, bilinear");
  await expect(row).toContainText("Crossing theme");
  await expect(row).toContainText("L7");
  await expect(row).toContainText(`${correct} of 5`);
  await expect(row).toContainText("p = ");

  await row.getByRole("button").click();
  await page.getByLabel(LABELS.noteOnThisRun).fill("The bells gave it away.");
  await expect(page.getByRole("dialog").getByText("kept", { exact: true })).toBeVisible();
  await page.reload();
  await row.filter({ hasText: LABELS.abx }).getByRole("button").click();
  await expect(page.getByLabel(LABELS.noteOnThisRun)).toHaveValue("The bells gave it away.");
  await page.keyboard.press("Escape");

  await page.keyboard.press("r");
  // Figures of all 36 renders are not what this is about.
  for (const part of ["Pictures", "Figures of every render"]) await page.getByLabel(part).uncheck();
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save as JSON" }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe("oxbow-ferry-boarding-music-findings.json");
  const report = JSON.parse(readFileSync(await file.path(), "utf8"));
  expect(report).toMatchObject({ schema: "yonder-pair/report@1" });
  const own = report.runs.find((r: { listener: string }) => r.listener === "L7");
  expect(own.detail).toContain(`${correct} of 5 correct`);
  expect(report.notes[0].text).toBe("The bells gave it away.");
});

test("a run keeps the loop and the dry render it was planned with, whatever is changed outside", async ({ page }) => {
  await openSeeded(page, "demo");
  await dragLoop(page, 0.3, 0.5);
  await plan(page, 6);
  const where = await page.getByText(/Crossing theme, 0:/).textContent();
  await answer(page, "a");
  await trialNumber(page, 2);
  await page.getByRole("link", { name: LABELS.pauseAndContinueLater }).click();
  await stop(page, "Gather").click();
  await page.locator('[data-render="crossing-theme_bus-compressor.wav"]').focus();
  await page.getByRole("button", { name: LABELS.makeItDry }).click();
  await expect(page.locator('[data-render="crossing-theme_dry.wav"]')).toContainText("−48\u2009smp");
  await stop(page, "Blind").click();
  await page.getByRole("link", { name: LABELS.goOn }).click();
  await trialNumber(page, 2);
  expect(await page.getByText(/Crossing theme, 0:/).textContent()).toBe(where);
  await answer(page, "b");
  await trialNumber(page, 3);

  // What a run stands on can be taken away; then it says so and closes with what was answered.
  await page.getByRole("link", { name: LABELS.pauseAndContinueLater }).click();
  await stop(page, "Gather").click();
  await page.locator('[data-render="crossing-theme_dry.wav"]').focus();
  await page.getByRole("button", { name: "Delete Del" }).click();
  await stop(page, "Blind").click();
  await page.getByRole("link", { name: LABELS.goOn }).click();
  await expect(page.getByText(LABELS.thisRunCannotContinue)).toBeVisible();
  await page.getByRole("button", { name: "Close it with 2 answers" }).click();
  await expect(page.getByTestId("verdict")).toContainText("nothing is decided");
});

test("an open run is told nothing of; leaving early is recorded as leaving early and decides nothing", async ({
  page,
}) => {
  await openSeeded(page, "demo");
  await plan(page, 10);
  await answer(page, "a");
  await trialNumber(page, 2);
  await page.getByRole("link", { name: LABELS.pauseAndContinueLater }).click();
  await stop(page, "Findings").click();
  await expect(page.getByTestId("entry").filter({ hasText: "open, 1 answered" })).toBeVisible();
  // A report tells nothing of a run before its end; what waits is reported beside it.
  await page.keyboard.press("r");
  for (const part of ["Pictures", "Figures of every render"]) await page.getByLabel(part).uncheck();
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save as JSON" }).click();
  const { runs } = JSON.parse(readFileSync(await (await download).path(), "utf8"));
  expect(runs.map((run: { listener: string }) => run.listener)).toEqual(["made up", "made up"]);
  await page.keyboard.press("Escape");
  await page.getByRole("tab", { name: /Test next/ }).click();
  await page.getByRole("link", { name: LABELS.continue }).click();
  await page.getByRole("button", { name: LABELS.leaveTheRun }).click();
  await page.getByRole("button", { name: LABELS.endIt }).click();
  await expect(page.getByTestId("verdict")).toContainText("nothing is decided");
  await page.getByRole("link", { name: LABELS.toTheFindings }).click();
  await expect(page.getByTestId("entry").first()).toContainText("left early");
});

test("a loop that is not at one level holds the run up until it is matched there or overruled", async ({ page }) => {
  await openSeeded(page, "demo");
  await page.getByLabel("Yonder render").selectOption({ label: "Bus compressor" });
  await dragLoop(page, 0.94, 0.995);
  await stop(page, "Blind").click();
  await expect(page.locator('[data-check="level"]')).toContainText("louder here than");
  const begin = page.getByRole("button", { name: LABELS.sealTheOrderAndBegin });
  await expect(begin).toBeDisabled();
  await page.getByLabel(/Begin anyway/).check();
  await expect(begin).toBeEnabled();
  await page.getByLabel(/Begin anyway/).uncheck();
  await page.getByRole("button", { name: LABELS.matchOverTheLoopInstead }).click();
  await expect(fairLevel(page)).toBeVisible();
  await expect(begin).toBeEnabled();
});

test.describe("on a small grid", () => {
  test.use({ seed: "grid" });

  test("same or different: training is told and not counted, a trial's time runs out, a reload keeps all of it", async ({
    page,
  }) => {
    await openSeeded(page, "grid");
    await planForm(page, "Same or different");
    await page.getByLabel(LABELS.numberOfTrials).fill("5");
    await page.getByLabel(LABELS.trainingTrials).selectOption("1");
    await page.getByLabel(LABELS.timeLimit).selectOption("10");
    await expect(fairLevel(page)).toBeVisible();
    await beginRun(page);
    await trialText(page, "Training 1 of 1");
    await hearSeats(page, ["1", "2"]);
    await pressAnswer(page, /^The same/, "s");
    await expect(page.getByText(/^(Correct|Not correct): they were (the same|different)\.$/)).toBeVisible();
    await page.keyboard.press("Enter");
    await trialText(page, "Trial 1 of 5");
    await hearSeats(page, ["1", "2"]);
    await pressAnswer(page, /^Different/, "d");
    await trialText(page, "Trial 2 of 5");
    await page.reload();
    await trialText(page, "Trial 2 of 5");
    // The clock begins with the listening, and nothing is said in time.
    await hearSeats(page, ["1"]);
    await expect(page.getByRole("timer")).toBeVisible();
    await trialText(page, "Trial 3 of 5");
    for (const trial of [3, 4, 5]) {
      await trialText(page, `Trial ${trial} of 5`);
      await hearSeats(page, ["1", "2"]);
      await pressAnswer(page, /^The same/, "s");
    }
    await expect(page.getByTestId("verdict-detail")).toContainText(/\d trials? timed out/);
    await expect(page.getByText(/of 1 correct in training, not counted/)).toBeVisible();
    const [run] = await table(page, "runs").then((all) => all.filter((r) => JSON.stringify(r.plan).includes("same")));
    expect(run.trials).toHaveLength(5);
  });

  test("two runs stated beforehand to be judged together stay sealed until both are over", async ({ page }) => {
    await openSeeded(page, "grid", "blind");
    await page.getByLabel(LABELS.numberOfTrials).fill("5");
    await page.getByLabel(LABELS.runsInTheSeries).selectOption("2");
    await expect(page.getByTestId("plan-odds")).toContainText(PLAN_WORDS.passMark(9, 10));
    await expect(fairLevel(page)).toBeVisible();
    await beginRun(page);
    for (let trial = 1; trial <= 5; trial++) {
      await trialNumber(page, trial);
      await answer(page, "a");
    }
    await expect(page.getByTestId("verdict")).toHaveText(LABELS.savedAndStillSealed);
    await page.getByRole("link", { name: LABELS.planAnother }).click();
    await page.getByRole("button", { name: "Begin run 2 of 2" }).click();
    for (let trial = 1; trial <= 5; trial++) {
      await trialNumber(page, trial);
      await answer(page, "b");
    }
    await expect(page.getByTestId("verdict-detail")).toContainText("Series of 2 runs, declared beforehand");
    await expect(page.getByTestId("verdict-detail")).toContainText(/of 10 correct/);
  });
});
