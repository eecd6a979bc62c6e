import { readFileSync, writeFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { xxhash128 } from "hash-wasm";
import { scaleClip } from "../src/core/audio/clip";
import { resample } from "../src/core/audio/resample";
import { writeWav } from "../src/core/formats/wav-write";
import { LEVELS_VERSION, measureLevels } from "../src/core/loudness/measure";
import { joined, noise } from "../src/core/stimuli/signals";
import { FILE_PROBLEMS } from "../src/core/words/files";
import { LABELS } from "../src/ui/labels";
import {
  addFiles,
  chooseFiles,
  EMPTY,
  figure,
  guitar,
  keepFiles,
  lateAndLoud,
  newComparison,
  table,
  wavFile,
} from "./support";

test("a delay of 1234 samples and 3 dB are read back from the pair bar", async ({ page }) => {
  await newComparison(page, "Late and loud");
  await addFiles(
    page,
    [wavFile("bounce.wav", guitar()), wavFile("bounce late.wav", lateAndLoud(), "32-bit float")],
    "bounce.wav",
  );

  await expect(figure(page, "time-apart")).toHaveText(/^\+1234.samples$/);
  await expect(figure(page, "level-apart")).toHaveText(/^\+3\.0.LU$/);
  await expect(figure(page, "matched-to")).toHaveText(/^−15\.\d.LUFS$/);
  await expect(figure(page, "nulls-to")).toHaveText(/^−1\d\d\.\d.dB$/);
  await expect(page.getByText("+1234\u2009smp")).toBeVisible();

  // Crossing over turns every sign around.
  await page.keyboard.press("x");
  await expect(figure(page, "time-apart")).toHaveText(/^−1234.samples$/);
  await expect(figure(page, "level-apart")).toHaveText(/^−3\.0.LU$/);

  // And it is all there after a reload.
  await page.reload();
  await expect(figure(page, "time-apart")).toHaveText(/^−1234.samples$/);
  await expect(page.locator("[data-render]")).toHaveCount(2);
});

test("each file appears with its length, format, loudness and true peak before it is kept", async ({ page }) => {
  await newComparison(page, "Looking first");
  await chooseFiles(page, [
    wavFile("mix dry.wav", guitar(), "16-bit"),
    wavFile("mix 96.wav", resample(guitar(), 96_000), "32-bit float"),
  ]);
  const row = page.locator('[data-file="mix 96.wav"]');
  await expect(row).toContainText("0:05.000");
  await expect(row).toContainText(/96.kHz, 32-bit float, stereo/);
  await expect(row).toContainText(/−15\.[23].LUFS/);
  await expect(row).toContainText(/−2\.8.dBTP/);
  await expect(page.getByLabel("Candidate name of mix 96.wav")).toHaveValue("96");
  await expect(page.getByLabel("Name of the new passage")).toHaveValue("Mix");
  await expect(page.getByLabel("mix dry.wav is the dry render")).toBeChecked();
  await page.getByRole("button", { name: LABELS.cancel }).click();
  await expect(page.getByText(EMPTY)).toBeVisible();
});

test("a bad file is refused by name with a way out, and the others still load", async ({ page }) => {
  await newComparison(page, "One bad file");
  await chooseFiles(page, [
    wavFile("good.wav", guitar()),
    { name: "photo.wav", mimeType: "audio/wav", buffer: Buffer.from("this is no audio at all") },
    { name: "song.flac", mimeType: "audio/flac", buffer: Buffer.from("fLaC and then some more bytes") },
    { name: "song.m4a", mimeType: "audio/mp4", buffer: Buffer.from("    ftypM4A and so on and so forth") },
    ...["take.alac.m4a", "take.alac.caf"].map((name) => ({
      name,
      mimeType: "audio/mp4",
      buffer: readFileSync(`fixtures/formats/${name}`),
    })),
  ]);
  const refused = page.getByRole("list", { name: LABELS.refusedFiles });
  await expect(refused).toContainText(FILE_PROBLEMS.unknown("photo.wav").reason);
  await expect(refused).toContainText(FILE_PROBLEMS.undecodable("song.flac", "FLAC").reason);
  await expect(refused).toContainText(FILE_PROBLEMS.noTrack("song.m4a").reason);
  await expect(refused).toContainText("take.alac.m4a is Apple Lossless, which browsers do not decode.");
  await expect(refused).toContainText("take.alac.caf is Apple Lossless, which browsers do not decode.");
  await expect(refused).toContainText(FILE_PROBLEMS.unknown("photo.wav").advice);
  await page.getByRole("button", { name: "Add 1 render" }).click();
  await expect(page.locator('[data-render="good.wav"]')).toBeVisible();
});

test("other material is told as not in step, and a blind run on it is held up", async ({ page }) => {
  await newComparison(page, "Strangers");
  await addFiles(page, [wavFile("dry.wav", guitar()), wavFile("hiss.wav", noise(5, 0.2, 3))], "dry.wav");
  await expect(page.getByTitle("Not aligned: no part of it matches the dry render")).toBeVisible();
  await expect(figure(page, "time-apart")).toHaveText("not aligned");
  await expect(figure(page, "nulls-to")).toContainText("no null: a render is not aligned");
  await page.getByRole("link", { name: LABELS.blind }).click();
  await expect(page.getByText("not aligned, so a jump in time")).toBeVisible();
  await expect(page.getByRole("button", { name: LABELS.sealTheOrderAndBegin })).toBeDisabled();
});

test("long files are read ahead by threads of their own, to the same content and figures as here", async ({ page }) => {
  const second = noise(10, 0.4, 7);
  const clip = joined(...Array.from({ length: 10 }, () => second), noise(3.3, 0.2, 8));
  const files = ["long dry.wav", "long half.wav"].map((name) => test.info().outputPath(name));
  const bytes = [clip, scaleClip(clip, 0.5)].map((c) => writeWav(c, "32-bit float"));
  for (const [i, file] of files.entries()) writeFileSync(file, bytes[i]);
  await newComparison(page, "Read ahead");
  let workers = 0;
  page.on("worker", () => workers++);
  await page.getByLabel("Files to add").setInputFiles(files);
  await keepFiles(page);
  await expect(figure(page, "level-apart")).toHaveText(/^−6\.0.LU$/);
  await expect(figure(page, "nulls-to")).toHaveText("silence");
  // Two lanes, each with two readers.
  expect(workers).toBeGreaterThanOrEqual(6);
  await expect
    .poll(async () => (await table(page, "renders")).map((r) => r.levelsVersion))
    .toEqual([LEVELS_VERSION, LEVELS_VERSION]);
  for (const render of await table(page, "renders")) {
    const i = files.findIndex((file) => file.endsWith(String(render.fileName)));
    expect(render.audioHash).toBe(await xxhash128(bytes[i]));
    expect(render.levels).toEqual(measureLevels(i === 0 ? clip : scaleClip(clip, 0.5)));
  }
});
