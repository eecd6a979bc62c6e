import { expect, type Page } from "@playwright/test";
import { type Clip, scaleClip } from "../src/core/audio/clip";
import { amplitudeFromDb } from "../src/core/audio/decibels";
import type { WrittenEncoding } from "../src/core/formats/pcm-write";
import { writeWav } from "../src/core/formats/wav-write";
import { shifted } from "../src/core/stimuli/signals";
import { recording } from "../src/core/testing/recordings";
import { LABELS } from "../src/ui/labels";

/** A file as the browser is given it. */
export const wavFile = (name: string, clip: Clip, encoding: WrittenEncoding = "24-bit") => ({
  name,
  mimeType: "audio/wav",
  buffer: Buffer.from(writeWav(clip, encoding)),
});

export const guitar = () => recording("guitar-48000");

/** The guitar 1234 samples late and 3 dB up: what the pair bar must read back. */
export const lateAndLoud = () => scaleClip(shifted(guitar(), 1234), amplitudeFromDb(3));

export const EMPTY = "Drop renders or a folder here.";

/** A new comparison from the first screen. */
export async function newComparison(page: Page, title: string): Promise<void> {
  await page.goto("/");
  await page.getByLabel(LABELS.whatIsItAbout).fill(title);
  await page.getByRole("button", { name: LABELS.newComparison }).click();
  await expect(page.getByText(EMPTY)).toBeVisible();
}

export const chooseFiles = (page: Page, files: { name: string; mimeType: string; buffer: Buffer }[]) =>
  page.getByLabel("Files to add").setInputFiles(files);

/** Adds files of one passage, the dry one named; strangers to it are put there by hand. */
export async function addFiles(page: Page, files: ReturnType<typeof wavFile>[], dryName: string): Promise<void> {
  await chooseFiles(page, files);
  await expect(page.getByText(/Drag a file by its handle/)).toBeVisible({ timeout: 40_000 });
  const dryPlace = page.getByLabel(`Passage of ${dryName}`);
  if (!(await dryPlace.inputValue())) await dryPlace.selectOption({ label: "new passage" });
  const home = await dryPlace.inputValue();
  for (const { name } of files) {
    const place = page.getByLabel(`Passage of ${name}`);
    if ((await place.inputValue()) !== home) await place.selectOption(home);
  }
  await page.getByLabel(`${dryName} is the dry render`).check();
  await keepFiles(page);
}

/** Presses "Add" once everything is measured. */
export async function keepFiles(page: Page): Promise<void> {
  await page.getByRole("button", { name: /^Add \d+ renders?$/ }).click();
  await expect(page.getByRole("dialog")).toBeHidden();
}

export const figure = (page: Page, name: string) => page.locator(`[data-figure="${name}"]`);

/** Opens the demo from the first screen and waits for the pair to be measured; more renders come in behind it. */
export async function openDemo(page: Page): Promise<void> {
  await page.goto("/");
  await page.getByRole("button", { name: LABELS.openTheDemo }).click();
  await expect(page).toHaveURL(/gather/);
  await expect(figure(page, "nulls-to")).toContainText("dB", { timeout: 40_000 });
}

export const stop = (page: Page, name: string) =>
  page.getByRole("navigation", { name: LABELS.stops }).getByRole("link", { name });

/** Drags a loop over part of the waveform, from and to as shares of its width, until it is there: a page that is still being laid out moves under the pointer. */
export async function dragLoop(page: Page, from: number, to: number): Promise<void> {
  const mark = page.getByTestId("loop");
  const share = (edge: "left" | "width") =>
    mark.evaluate((element, which) => Number.parseFloat(element.style[which]) / 100, edge);
  await expect(async () => {
    const box = await page.getByTestId("waveform").boundingBox();
    if (!box) throw new Error("no waveform");
    await page.mouse.move(box.x + box.width * from, box.y + 20);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * to, box.y + 30, { steps: 5 });
    await page.mouse.up();
    await expect(mark).toBeVisible({ timeout: 2000 });
    expect(Math.abs((await share("left")) - Math.min(from, to))).toBeLessThan(0.02);
    expect(Math.abs((await share("width")) - Math.abs(to - from))).toBeLessThan(0.02);
  }).toPass();
}

export const playheadFrame = async (page: Page): Promise<number> =>
  Number(await page.getByTestId("playhead").getAttribute("data-frame"));

/** What the browser keeps of a table. */
export const table = (page: Page, name: string) =>
  page.evaluate(
    (store) =>
      new Promise<Record<string, unknown>[]>((resolve, reject) => {
        const open = indexedDB.open("yonder-pair");
        open.onerror = () => reject(open.error);
        open.onsuccess = () => {
          const all = open.result.transaction(store).objectStore(store).getAll();
          all.onsuccess = () => resolve(all.result);
        };
      }),
    name,
  );

/** Sets the hidden order of the one run that is open, as nobody but a test can. */
export async function setHiddenOrder(page: Page, order: readonly (readonly number[])[]): Promise<void> {
  const open = (await table(page, "runs")).find((run) => run.finishedAt === null);
  if (!open) throw new Error("no run is open");
  await page.evaluate(
    ({ runId, wanted }) =>
      new Promise<void>((resolve, reject) => {
        const opening = indexedDB.open("yonder-pair");
        opening.onerror = () => reject(opening.error);
        opening.onsuccess = () => {
          const store = opening.result.transaction("seals", "readwrite").objectStore("seals");
          const kept = store.get(runId);
          kept.onsuccess = () => {
            const put = store.put({ ...kept.result, order: wanted });
            put.onsuccess = () => resolve();
          };
        };
      }),
    { runId: open.id as string, wanted: order },
  );
}

/** Presses the key of an answer once it counts. */
export async function pressAnswer(page: Page, button: string | RegExp, key: string): Promise<void> {
  await expect(page.getByRole("button", { name: button })).toBeEnabled();
  await page.keyboard.press(key);
}

/** Opens the Blind stop on a form, once the checks have passed. */
export async function planForm(page: Page, form: string): Promise<void> {
  await stop(page, "Blind").click();
  await page.getByRole("button", { name: form, exact: true }).click();
}

/** Leaves all but these renders out of a run. */
export async function chooseAmong(page: Page, titles: readonly string[]): Promise<void> {
  const all = page.getByRole("group", { name: LABELS.rendersInThisRun }).getByRole("button");
  for (const button of await all.all()) {
    const [title, pressed] = [await button.textContent(), await button.getAttribute("aria-pressed")];
    if ((await button.isEnabled()) && titles.includes(title ?? "") !== (pressed === "true")) await button.click();
  }
}

/** Seals and waits for the booth. */
export async function beginRun(page: Page): Promise<void> {
  await page.getByRole("button", { name: LABELS.sealTheOrderAndBegin }).click();
  await expect(page.getByTestId("trial")).toBeVisible();
}

/** Hears seats by their keys, once the trial is ready. */
export async function hearSeats(page: Page, keys: readonly string[]): Promise<void> {
  const pad = (key: string) => page.getByRole("button", { name: new RegExp(`, shortcut ${key.toUpperCase()}$`) });
  await expect(pad(keys[0])).toBeEnabled();
  for (const key of keys) {
    await page.keyboard.press(key);
    await expect(pad(key)).toHaveAttribute("aria-pressed", "true");
  }
}

export const trialText = (page: Page, text: string) => expect(page.getByTestId("trial")).toContainText(text);

/** The check of level where it is passed: what remains after matching decides nothing. */
export const fairLevel = (page: Page) => page.locator('[data-check="level"][data-state="fine"]');
