// npx tsx scripts/archive-fixture.ts ADDRESS: fixtures/archives/archive-N.zip, written by the app itself as it stands, for the tests of later
// versions. Run it once a version, on a server of it; what is in it is made up.
import { mkdirSync } from "node:fs";
import { chromium, expect } from "@playwright/test";
import { addFiles, beginRun, figure, hearSeats, pressAnswer, stop, trialText, wavFile } from "../e2e/support";
import { ARCHIVE_VERSION } from "../src/core/archive/archive";
import { type Clip, scaleClip } from "../src/core/audio/clip";
import { shifted } from "../src/core/stimuli/signals";

const RATE_HZ = 24_000;

/** A few struck tones that ring off: small as a file, and found again when it is late. */
function chime(): Clip {
  const samples = Float32Array.from({ length: 1.6 * RATE_HZ }, (_, i) => {
    const since = i % (0.4 * RATE_HZ);
    const strike = Math.floor(i / (0.4 * RATE_HZ));
    return 0.3 * Math.exp((-6 * since) / RATE_HZ) * Math.sin((2 * Math.PI * (523 + 131 * strike) * since) / RATE_HZ);
  });
  return { sampleRateHz: RATE_HZ, channels: [samples] };
}

const [, , address = "http://localhost:3107"] = process.argv;
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ baseURL: address, viewport: { width: 1280, height: 800 } });
await page.goto("/");
await page.getByLabel("What is it about?").fill("Harbour chime");
await page.getByRole("button", { name: "New comparison" }).click();
await page.getByLabel("Files to add").waitFor({ state: "attached" });
const dry = chime();
const bent: Clip = { ...dry, channels: dry.channels.map((c) => c.map((v) => Math.tanh(3 * v) / 2)) };
const files = [
  wavFile("chime dry.wav", dry, "16-bit"),
  wavFile("chime late.wav", scaleClip(shifted(bent, 37), 1.3), "16-bit"),
  wavFile("chime soft.wav", scaleClip(dry, 0.7), "24-bit"),
];
await addFiles(page, files, "chime dry.wav");
await expect(figure(page, "nulls-to")).toContainText("dB");

await stop(page, "Listen").click();
await page.getByRole("button", { name: "Sighted verdict" }).click();
await page.getByLabel("Which do you prefer?").selectOption({ index: 2 });
await page.getByLabel("Why?").fill("more body");
await page.getByRole("button", { name: "Keep verdict" }).click();
await expect(page.getByText("more body")).toBeVisible();

await stop(page, "Blind").click();
await page.getByLabel("Number of trials").fill("5");
await page.getByLabel("Listener code").fill("L1");
// So short a sound leaves its place in doubt: that is overruled, and the run says so.
await page.getByLabel("Begin all the same; the run will say so.").check();
await beginRun(page);
for (let trial = 0; trial < 5; trial++) {
  await trialText(page, `Trial ${trial + 1} of`);
  await hearSeats(page, ["2", "1"]);
  await pressAnswer(page, "X is A", "a");
}
await expect(page.getByTestId("verdict")).toBeVisible();
await page.goto(page.url().replace(/booth.*/, ""));
await page.getByRole("link", { name: "Harbour chime" }).click();
await stop(page, "Findings").click();
await page.getByRole("gridcell", { name: "late, Chime" }).click();
await page.keyboard.press("2");
await page.getByLabel("Good").fill("more body");
await page.getByRole("tab", { name: "Timeline" }).click();
await page.getByLabel("Note on this comparison").fill("To be heard again on the ferry.");
await expect(page.getByText("kept", { exact: true })).toBeVisible();
const saving = page.waitForEvent("download");
await page.getByRole("button", { name: /^Archive/ }).click();
mkdirSync("fixtures/archives", { recursive: true });
await (await saving).saveAs(`fixtures/archives/archive-${ARCHIVE_VERSION}.zip`);
await browser.close();
