import { readFileSync } from "node:fs";
import { type Download, expect, type Page, test } from "@playwright/test";
import { unzipSync } from "fflate";
import { scaleClip } from "../src/core/audio/clip";
import { readAudio } from "../src/core/formats/read-audio";
import { noise, shifted } from "../src/core/stimuli/signals";
import { recording } from "../src/core/testing/recordings";
import {
  addFiles,
  chooseFiles,
  figure,
  guitar,
  keepFiles,
  lateAndLoud,
  newComparison,
  openDemo,
  wavFile,
} from "./support";

const tabla = () => recording("tabla-44100");
const fixture = (name: string) => ({
  name,
  mimeType: "application/octet-stream",
  buffer: readFileSync(`fixtures/formats/${name}`),
});
const cell = (page: Page, fileName: string) => page.locator(`[data-render="${fileName}"]`);
const head = (page: Page, title: string) => page.locator(`[data-candidate="${title}"]`);
const titles = (page: Page) =>
  page.locator("[data-candidate]").evaluateAll((all) => all.map((th) => th.getAttribute("data-candidate")));

async function threeCandidates(page: Page): Promise<void> {
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
}

test("a folder of renders falls into its passages by sound; the doubtful wait with a reason and are keyed into place", async ({
  page,
}) => {
  await newComparison(page, "A folder");
  await chooseFiles(page, [
    wavFile("song_guitar_dry.wav", guitar()),
    wavFile("song_guitar_bus one.wav", lateAndLoud()),
    wavFile("song_tabla_dry.wav", tabla()),
    wavFile("song_tabla_bus one.wav", scaleClip(shifted(tabla(), 800), -0.5), "16-bit"),
    wavFile("song_the bus again.wav", lateAndLoud()),
    wavFile("song_hiss.wav", noise(6, 0.1, 4)),
  ]);
  const tray = page.getByRole("region", { name: "Waiting to be placed" });
  await expect(tray).toContainText("Waiting for you: 1 file", { timeout: 40_000 });
  await expect(tray).toContainText("It sounds like none of the other files");
  const leftOut = page.getByRole("region", { name: "Left out" });
  await expect(leftOut).toContainText("The same content as song_guitar_bus one.wav.");
  await expect(page.getByLabel("Name of the new passage Guitar")).toBeVisible();
  await expect(page.getByLabel("Candidate name of song_tabla_bus one.wav")).toHaveValue("bus one");
  await expect(page.getByLabel("song_tabla_dry.wav is the dry one")).toBeChecked();

  await page.getByLabel("Passage of song_hiss.wav").selectOption({ label: "Tabla (new)" });
  await expect(tray).toHaveCount(0);
  await keepFiles(page);
  await expect(page.locator("[data-render]")).toHaveCount(5);
  expect(await titles(page)).toEqual(["bus one", "hiss"]);

  // Dropped again, every one of them is known by its content.
  await chooseFiles(page, [wavFile("renamed.wav", guitar())]);
  await expect(page.getByText("Already here: Dry, Guitar.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Add 0 renders" })).toBeDisabled();
});

test("a file is dragged from the tray into a passage", async ({ page }) => {
  await newComparison(page, "Dragged");
  await addFiles(page, [wavFile("dry.wav", guitar()), wavFile("b.wav", lateAndLoud())], "dry.wav");
  await chooseFiles(page, [wavFile("guitar c.wav", scaleClip(guitar(), 0.3)), wavFile("hiss.wav", noise(6, 0.1, 4))]);
  const tray = page.getByRole("region", { name: "Waiting to be placed" });
  await expect(tray.locator('[data-file="hiss.wav"]')).toBeVisible({ timeout: 40_000 });
  const grip = await tray.locator('[data-file="hiss.wav"] [role="presentation"]').boundingBox();
  const target = await page.locator('[data-file="guitar c.wav"]').boundingBox();
  if (!grip || !target) throw new Error("nothing to drag");
  await page.mouse.move(grip.x + 5, grip.y + 5);
  await page.mouse.down();
  await page.mouse.move(target.x + 40, target.y + 10, { steps: 12 });
  await page.mouse.up();
  await expect(tray).toHaveCount(0);
  await expect(page.getByRole("button", { name: "Add 2 renders" })).toBeEnabled();
});

test("every lossless form of one recording is read and nulls to silence", async ({ page }) => {
  await newComparison(page, "Formats");
  const names = ["take.wav", "take.aiff", "take.flac", "take.float.aifc", "take.rf64.wav"];
  const lossy = ["take.mp3", "take.ogg", "take.opus"];
  await addFiles(page, [...names, ...lossy].map(fixture), "take.wav");
  await expect(page.locator("[data-render]")).toHaveCount(8);
  await cell(page, "take.wav").focus();
  await page.keyboard.press("h");
  for (const name of names.slice(1)) {
    await cell(page, name).focus();
    await page.keyboard.press("y");
    await expect(cell(page, name)).toHaveAttribute("data-side", "yonder");
    await expect(figure(page, "nulls-to")).toContainText("silence");
  }
  await cell(page, "take.mp3").focus();
  await page.keyboard.press("y");
  await expect(figure(page, "nulls-to")).toContainText("dB");
});

test("arrows move in the grid, candidates are hidden, put in order by key and by list, deleted and put back", async ({
  page,
}) => {
  await threeCandidates(page);
  await cell(page, "dry.wav").focus();
  await page.keyboard.press("ArrowRight");
  await expect(cell(page, "a.wav")).toBeFocused();
  // Moving in the grid does not switch what is heard.
  await expect(page.getByRole("button", { name: "Here", exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("y");
  await expect(cell(page, "c.wav")).toHaveAttribute("data-side", "yonder");

  await page.getByLabel("Sort the grid").selectOption({ label: "Most favoured by level first" });
  await expect.poll(() => titles(page)).toEqual(["b", "a", "c"]);
  await page.getByLabel("Sort the grid").selectOption({ label: "Candidates by name" });
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);
  await page.getByLabel("Sort the grid").selectOption({ label: "Most favoured by level first" });
  await expect.poll(() => titles(page)).toEqual(["b", "a", "c"]);
  await head(page, "b").getByRole("button", { name: "Move b" }).focus();
  await page.keyboard.press("Space");
  await page.waitForTimeout(100);
  await page.keyboard.press("ArrowRight");
  await page.waitForTimeout(300);
  await page.keyboard.press("Space");
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);

  await head(page, "a").getByLabel("More for a").click();
  await head(page, "a").getByRole("button", { name: "Hide" }).click();
  await expect.poll(() => titles(page)).toEqual(["b", "c"]);
  await expect(page.getByLabel("Here render").locator("option")).toHaveText(["Dry", "b", "c"]);
  await page.getByRole("button", { name: "Show 1 hidden" }).click();
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);

  await cell(page, "c.wav").focus();
  await page.keyboard.press("Delete");
  await expect(page.getByRole("region", { name: "Just removed" })).toContainText("Deleted c: 1 render.");
  await expect.poll(() => titles(page)).toEqual(["a", "b"]);
  await page.keyboard.press("Control+z");
  await expect.poll(() => titles(page)).toEqual(["a", "b", "c"]);
  await expect(cell(page, "c.wav")).toHaveAttribute("data-side", "yonder");
});

test("a candidate's settings are written down, and inequality is marked with its reason", async ({ page }) => {
  await threeCandidates(page);
  const write = async (file: string, lines: [string, string, string, string][]) => {
    await cell(page, file).focus();
    await page.keyboard.press("e");
    await page.getByLabel("Kind").selectOption("equalizer");
    await page.getByLabel("Version").fill("1.4");
    for (const [i, [parameter, value, unit, reason]] of lines.entries()) {
      await page.getByRole("button", { name: "Add a line" }).click();
      await page.getByLabel(`Parameter ${i + 1}`).fill(parameter);
      await page.getByLabel(`Value ${i + 1}`).fill(value);
      await page.getByLabel(`Unit ${i + 1}`).fill(unit);
      await page.getByLabel(`Reason ${i + 1}`).fill(reason);
    }
    await page.getByRole("button", { name: "Keep" }).click();
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
  await expect(page.getByText("1 setting is unequal, 1 is not told by all.")).toBeVisible();
  await expect(page.locator('[data-parity="unequal"]')).toContainText("steps 3 and 4.5");
  await expect(page.locator('[data-parity="equal"]')).toContainText("Frequency");
  await page.getByLabel("Only what is not equal").check();
  await expect(page.locator('[data-parity="equal"]')).toHaveCount(0);
});

test("a chain runs over every passage into a column; bad settings are told, it can be run again with changes", async ({
  page,
}) => {
  await newComparison(page, "Chain");
  await chooseFiles(page, [wavFile("guitar dry.wav", guitar()), wavFile("guitar b.wav", lateAndLoud())]);
  await keepFiles(page);
  await chooseFiles(page, [wavFile("tabla dry.wav", tabla()), wavFile("tabla b.wav", scaleClip(tabla(), 0.7))]);
  await keepFiles(page);
  await page.keyboard.press("p");
  await page.getByLabel("Name of the candidate").fill("Warm and loud");
  await page.getByLabel("Processor of stage 1").selectOption({ label: "Saturator, symmetric" });
  await page.getByLabel("Drive").fill("99");
  await page.getByRole("button", { name: "Add a processor behind it" }).click();
  await page.getByLabel("Leave its processing delay in").check();
  await page.getByRole("button", { name: "Run over 2 passages" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "0 to 36 dB" })).toBeVisible();
  await page.getByLabel("Drive").fill("12");
  await expect(page.getByText("96 samples at 48")).toBeVisible();
  await page.getByRole("button", { name: "Run over 2 passages" }).click();
  await expect(page.getByRole("dialog")).toBeHidden({ timeout: 60_000 });
  await expect(cell(page, "guitar-warm-and-loud.wav")).toContainText("96 smp late");
  await expect(cell(page, "tabla-warm-and-loud.wav")).toContainText("smp late");
  await expect(head(page, "Warm and loud")).toContainText("drive +12");

  await cell(page, "guitar-warm-and-loud.wav").focus();
  await page.keyboard.press("e");
  await expect(page.getByLabel("Parameter 1", { exact: true })).toHaveValue("Stage 1: drive");
  await page.getByRole("button", { name: "Run again with changes" }).click();
  await page.getByLabel("tabla", { exact: false }).and(page.getByRole("checkbox")).first().uncheck();
  await page.getByLabel("Drive").fill("3");
  await page.getByRole("button", { name: "Run over 1 passage" }).click();
  await expect(cell(page, "guitar-warm-and-loud-changed.wav")).toBeVisible({ timeout: 60_000 });
  await expect(page.locator("[data-render]")).toHaveCount(7);
});

async function saved(download: Download): Promise<Uint8Array> {
  return new Uint8Array(readFileSync(await download.path()));
}

test("renders are exported as WAV and AIFF, one as a file and all as a zip, bit for bit where the form allows", async ({
  page,
}) => {
  await threeCandidates(page);
  await cell(page, "c.wav").focus();
  await page.getByRole("button", { name: "Export", exact: true }).click();
  await page.getByRole("group", { name: "Word length" }).getByRole("button", { name: "16 bit" }).click();
  const [one] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("dialog").getByRole("button", { name: "Export" }).click(),
  ]);
  expect(one.suggestedFilename()).toBe("passage-1-c.wav");
  // It was 16-bit already: no dither is added, the file is the one that was imported.
  expect(Buffer.from(await saved(one)).equals(wavFile("c.wav", scaleClip(guitar(), 0.5), "16-bit").buffer)).toBe(true);

  await page.getByRole("button", { name: "Export all" }).click();
  await page.getByRole("group", { name: "File" }).getByRole("button", { name: "AIFF" }).click();
  await page.getByRole("group", { name: "Word length" }).getByRole("button", { name: "32 float" }).click();
  const [all] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("dialog").getByRole("button", { name: "Export" }).click(),
  ]);
  expect(all.suggestedFilename()).toBe("grid-renders.zip");
  const entries = unzipSync(await saved(all));
  expect(Object.keys(entries).sort()).toEqual(["a", "b", "c", "dry"].map((n) => `passage-1-${n}.aiff`));
  const back = await readAudio(entries["passage-1-a.aiff"], "a");
  if (!back.ok) throw new Error(back.reason);
  expect(back.value.encoding).toBe("32-bit float");
  expect(back.value.clip.channels[1].subarray(0, 9999)).toEqual(scaleClip(guitar(), 0.9).channels[1].subarray(0, 9999));
});

test("the demo grows behind what is in sight to four passages by eight candidates, and can be used meanwhile", async ({
  page,
}) => {
  test.setTimeout(180_000);
  await openDemo(page);
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
  await expect(page.locator("[data-render]")).toHaveCount(36, { timeout: 150_000 });
  await expect(page.locator("[data-candidate]")).toHaveCount(8);
  await expect(page.getByText("Lining up")).toHaveCount(0, { timeout: 30_000 });
  await expect(page.getByText("Not in step")).toHaveCount(0);
});
