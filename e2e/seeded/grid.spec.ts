import { readFileSync } from "node:fs";
import { type Download, expect, type Page } from "@playwright/test";
import { unzipSync } from "fflate";
import { scaleClip } from "../../src/core/audio/clip";
import { readAudio } from "../../src/core/formats/read-audio";
import { noise } from "../../src/core/stimuli/signals";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { chooseFiles, figure, guitar, keepFiles, wavFile } from "../support";

test.use({ seed: "grid" });

const cell = (page: Page, fileName: string) => page.locator(`[data-render="${fileName}"]`);
const head = (page: Page, title: string) => page.locator(`[data-candidate="${title}"]`);
const titles = (page: Page) =>
  page.locator("[data-candidate]").evaluateAll((all) => all.map((th) => th.getAttribute("data-candidate")));

test("a file is dragged from the tray into a passage", async ({ page }) => {
  await openSeeded(page, "grid");
  await chooseFiles(page, [wavFile("guitar c.wav", scaleClip(guitar(), 0.3)), wavFile("hiss.wav", noise(6, 0.1, 4))]);
  const tray = page.getByRole("region", { name: LABELS.needsAPassage });
  await expect(tray.locator('[data-file="hiss.wav"]')).toBeVisible({ timeout: 40_000 });
  // Rows move no more once both are measured, and hovering waits until the dialog stands still.
  for (const name of ["hiss.wav", "guitar c.wav"]) {
    await expect(page.locator(`[data-file="${name}"]`)).toContainText("LUFS");
  }
  await tray.locator('[data-file="hiss.wav"] [role="presentation"]').hover();
  await page.mouse.down();
  const target = await page.locator('[data-file="guitar c.wav"]').boundingBox();
  if (!target) throw new Error("nothing to drag to");
  await page.mouse.move(target.x + 40, target.y + 10, { steps: 12 });
  await page.mouse.up();
  await expect(tray).toHaveCount(0);
  await expect(page.getByRole("button", { name: "Add 2 renders" })).toBeEnabled();
});

test("a second passage is added beside the first, candidates of one name share a column", async ({ page }) => {
  await openSeeded(page, "grid");
  await chooseFiles(page, [
    wavFile("hiss dry.wav", noise(3, 0.2, 1)),
    wavFile("hiss b.wav", noise(3, 0.2, 1), "16-bit"),
  ]);
  await expect(page.getByLabel("Name of the new passage")).toHaveValue("Hiss");
  await expect(page.getByLabel("hiss dry.wav is the dry render")).toBeChecked();
  await keepFiles(page);
  await expect(page.getByRole("columnheader")).toHaveCount(5);
  await expect(page.getByLabel(LABELS.passage, { exact: true }).locator("option:checked")).toHaveText("Hiss");
  await expect(figure(page, "nulls-to")).toContainText("dB");
  await expect(page.getByText("identical to 16 bits")).toBeVisible();
});

test("renders are named, set as Here and Yonder by key, made dry and taken out", async ({ page }) => {
  await openSeeded(page, "grid");
  await page.locator('[data-render="c.wav"]').focus();
  await page.keyboard.press("y");
  await expect(page.getByLabel("Yonder render").locator("option:checked")).toHaveText("c");
  await expect(figure(page, "nulls-to")).toContainText("dB");
  await page.locator('[data-render="b.wav"]').focus();
  await page.keyboard.press("h");
  await expect(page.getByLabel("Here render").locator("option:checked")).toHaveText("b");

  await head(page, "b").getByLabel(LABELS.candidateName, { exact: true }).fill("Outboard");
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Here render").locator("option:checked")).toHaveText("Outboard");

  await page.locator('[data-render="b.wav"]').focus();
  await page.getByRole("button", { name: LABELS.makeItDry }).click();
  await expect(page.locator('[data-render="dry.wav"]')).toContainText("−1234\u2009smp");

  await page.locator('[data-render="c.wav"]').focus();
  await page.getByRole("button", { name: "Delete Del" }).click();
  await expect(page.locator("[data-render]")).toHaveCount(3);
});

test("arrows move in the grid, candidates are hidden, put in order by key and by list, deleted and put back", async ({
  page,
}) => {
  await openSeeded(page, "grid");
  await cell(page, "dry.wav").focus();
  await page.keyboard.press("ArrowRight");
  await expect(cell(page, "a.wav")).toBeFocused();
  // Moving in the grid does not switch what is heard.
  await expect(page.getByRole("button", { name: LABELS.here, exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("y");
  await expect(cell(page, "c.wav")).toHaveAttribute("data-side", "yonder");

  await page.getByLabel(LABELS.sortTheGrid).selectOption({ label: "Loudest vs dry first" });
  await expect.poll(() => titles(page)).toEqual(["b", "a", "c"]);
  await page.getByLabel(LABELS.sortTheGrid).selectOption({ label: "Candidates by name" });
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);
  await page.getByLabel(LABELS.sortTheGrid).selectOption({ label: "Loudest vs dry first" });
  await expect.poll(() => titles(page)).toEqual(["b", "a", "c"]);
  await head(page, "b").getByRole("button", { name: "Move b" }).focus();
  await page.keyboard.press("Space");
  await page.waitForTimeout(100);
  await page.keyboard.press("ArrowRight");
  await page.waitForTimeout(300);
  await page.keyboard.press("Space");
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);

  await head(page, "a").getByLabel("More for a").click();
  await head(page, "a").getByRole("button", { name: LABELS.hide }).click();
  await expect.poll(() => titles(page)).toEqual(["b", "c"]);
  await expect(page.getByLabel("Here render").locator("option")).toHaveText(["Dry", "b", "c"]);
  await page.getByRole("button", { name: "Show 1 hidden" }).click();
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);

  await cell(page, "c.wav").focus();
  await page.keyboard.press("Delete");
  await expect(page.getByRole("region", { name: LABELS.justRemoved })).toContainText("Deleted c: 1 render.");
  await expect.poll(() => titles(page)).toEqual(["a", "b"]);
  await page.keyboard.press("Control+z");
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);
  await expect(cell(page, "c.wav")).toHaveAttribute("data-side", "yonder");
});

test("a candidate's settings are written down, and inequality is marked with its reason", async ({ page }) => {
  await openSeeded(page, "grid");
  const write = async (file: string, lines: [string, string, string, string][]) => {
    await cell(page, file).focus();
    await page.keyboard.press("e");
    await page.getByLabel(LABELS.kind).selectOption("equalizer");
    await page.getByLabel(LABELS.version).fill("1.4");
    for (const [i, [parameter, value, unit, reason]] of lines.entries()) {
      await page.getByRole("button", { name: LABELS.addALine }).click();
      await page.getByLabel(`Parameter ${i + 1}`).fill(parameter);
      await page.getByLabel(`Value ${i + 1}`).fill(value);
      await page.getByLabel(`Unit ${i + 1}`).fill(unit);
      await page.getByLabel(`Reason ${i + 1}`).fill(reason);
    }
    await page.getByRole("button", { name: LABELS.keep }).click();
    await expect(page.getByRole("dialog")).toBeHidden();
  };
  await write("b.wav", [
    ["Frequency", "4", "kHz", ""],
    ["Gain", "4", "dB", ""],
  ]);
  await write("c.wav", [
    ["Frequency", "4000", "Hz", ""],
    ["Gain", "4.5", "dB", "steps 3 and 4.5"],
    ["Drive", "2", "dB", ""],
  ]);
  await expect(head(page, "b")).toContainText("v1.4");
  await page.keyboard.press("q");
  await expect(page.getByText("1 setting is unequal, 1 is not given by all.")).toBeVisible();
  await expect(page.locator('[data-parity="unequal"]')).toContainText("steps 3 and 4.5");
  await expect(page.locator('[data-parity="equal"]')).toContainText(LABELS.frequency);
  await page.getByLabel(LABELS.onlyDifferences).check();
  await expect(page.locator('[data-parity="equal"]')).toHaveCount(0);
});

async function saved(download: Download): Promise<Uint8Array> {
  return new Uint8Array(readFileSync(await download.path()));
}

test("renders are exported as WAV and AIFF, one as a file and all as a zip, bit for bit where the form allows", async ({
  page,
}) => {
  await openSeeded(page, "grid");
  await cell(page, "c.wav").focus();
  await page.getByRole("button", { name: LABELS.export, exact: true }).click();
  await page.getByRole("group", { name: LABELS.wordLength }).getByRole("button", { name: "16 bit" }).click();
  const [one] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("dialog").getByRole("button", { name: LABELS.export }).click(),
  ]);
  expect(one.suggestedFilename()).toBe("passage-1-c.wav");
  // It was 16-bit already: no dither is added, the file is the one that was imported.
  expect(Buffer.from(await saved(one)).equals(wavFile("c.wav", scaleClip(guitar(), 0.5), "16-bit").buffer)).toBe(true);

  await page.getByRole("button", { name: "Export all" }).click();
  await page.getByRole("group", { name: LABELS.file }).getByRole("button", { name: LABELS.aiff }).click();
  await page.getByRole("group", { name: LABELS.wordLength }).getByRole("button", { name: "32 float" }).click();
  const [all] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("dialog").getByRole("button", { name: LABELS.export }).click(),
  ]);
  expect(all.suggestedFilename()).toBe("grid-renders.zip");
  const entries = unzipSync(await saved(all));
  expect(Object.keys(entries).sort()).toEqual(["a", "b", "c", "dry"].map((n) => `passage-1-${n}.aiff`));
  const back = await readAudio(entries["passage-1-a.aiff"], "a");
  if (!back.ok) throw new Error(back.reason);
  expect(back.value.encoding).toBe("32-bit float");
  expect(back.value.clip.channels[1].subarray(0, 9999)).toEqual(scaleClip(guitar(), 0.9).channels[1].subarray(0, 9999));
});
