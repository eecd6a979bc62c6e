// npm run screenshots: takes docs/screenshots anew from the demo, after a build.
import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";
import { CHROMIUM, projectRoot } from "./ensure.mjs";

const port = 3108;
const server = spawn(`${projectRoot}node_modules/.bin/next`, ["start", "--port", String(port)], { cwd: projectRoot });
const browser = await chromium.launch({
  executablePath: CHROMIUM,
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic"],
});

/** A folder as it comes from a studio: the demo's own sounds under other names, made by scripts/demo-folder.ts. */
async function demoFolder() {
  const folder = mkdtempSync(join(tmpdir(), "yonder-folder-"));
  execFileSync(`${projectRoot}node_modules/.bin/tsx`, ["scripts/demo-folder.ts", folder], { cwd: projectRoot });
  return readdirSync(folder).map((name) => join(folder, name));
}

async function shoot(colorScheme, suffix) {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme,
    reducedMotion: "reduce",
  });
  const page = await context.newPage();
  const save = (name) => page.screenshot({ path: `${projectRoot}docs/screenshots/${name}-${suffix}.png` });
  const to = (name) => page.getByRole("navigation", { name: "Stops" }).getByRole("link", { name }).click();
  const settled = () => page.waitForTimeout(1200);

  await page.goto(`http://localhost:${port}/`);
  await page.getByRole("button", { name: "Open the demo" }).waitFor();
  if (suffix === "day") await save("first-screen");
  await page.getByRole("button", { name: "Open the demo" }).click();
  await page.getByRole("button", { name: "Not now" }).click();
  await page.locator("[data-render]").nth(35).waitFor({ timeout: 180_000 });
  await page.getByText("Aligning").first().waitFor({ state: "hidden", timeout: 60_000 });
  await page.getByLabel("Here render").selectOption({ label: "Leveller" });
  await page.getByLabel("Yonder render").selectOption({ label: "Leveller, newer" });
  const box = await page.getByTestId("waveform").boundingBox();
  await page.mouse.move(box.x + box.width * 0.27, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.55, box.y + 20, { steps: 3 });
  await page.mouse.up();
  await page.locator('[data-figure="nulls-to"]', { hasText: "dB" }).waitFor();
  await settled();
  await save("gather");
  if (suffix === "night") {
    await page.keyboard.press("q");
    await settled();
    await save("parity");
    await page.keyboard.press("Escape");
  } else {
    await page.getByLabel("Files to add").setInputFiles(await demoFolder());
    await page.getByText("Drag a file by its handle").waitFor({ timeout: 60_000 });
    await page.getByRole("button", { name: /^Add [1-9]/, disabled: false }).waitFor({ timeout: 60_000 });
    await settled();
    await save("sorting");
    await page.keyboard.press("Escape");
  }
  await to("Line up");
  await page.getByRole("button", { name: "Outboard loop", exact: true }).click();
  await page
    .getByTestId(/^in-time-.*outboard/)
    .getByText("→")
    .waitFor();
  await settled();
  await save("line-up");
  if (suffix === "day") {
    await page.getByRole("button", { name: "Level match" }).click();
    await page
      .getByTestId(/^level-.*outboard/)
      .getByText("dBTP")
      .waitFor();
    await settled();
    await save("level-match");
  }
  await to("Listen");
  await page.keyboard.press("Space");
  await page.getByText(/^Playback at/).waitFor();
  for (const [key, note] of [
    ["6", "forward"],
    ["5", "softer on the marimba's first strokes"],
  ]) {
    await page.keyboard.press(key);
    await page.waitForTimeout(900);
    await page.keyboard.press("n");
    await page.keyboard.type(note);
    await page.keyboard.press("Enter");
    await page.keyboard.press("Escape");
  }
  await page.keyboard.press("ArrowRight");
  await page.waitForTimeout(3500);
  await save("listen");
  await page.keyboard.press("Space");
  await to("Explain");
  await page.getByTestId("step-left").waitFor({ timeout: 120_000 });
  await page
    .getByRole("region", { name: "Where to listen" })
    .getByRole("listitem")
    .first()
    .waitFor({ timeout: 60_000 });
  await settled();
  await save("explain");
  if (suffix === "day") {
    await page.getByRole("tab", { name: "All candidates" }).click();
    await page.getByText("analysed").waitFor({ state: "detached", timeout: 480_000 });
    await settled();
    await save("candidates");
  }
  await to("Bench");
  await page.getByRole("article", { name: "Leveller, newer" }).waitFor({ timeout: 180_000 });
  await page.getByRole("checkbox", { name: "Bus compressor" }).check();
  await page.getByText("3 processors measured").waitFor({ timeout: 180_000 });
  if (suffix === "night") {
    await page.getByRole("checkbox", { name: "Drive stage" }).check();
    await page.getByText("4 processors measured").waitFor({ timeout: 180_000 });
    await page.getByRole("tab", { name: "Harmonics" }).click();
    await page.getByRole("button", { name: "Sweep", exact: true }).click();
    await page.getByRole("img", { name: "Output vs input frequency: Drive stage" }).waitFor();
  }
  await settled();
  await save("bench");
  await to("Blind");
  await page
    .locator('[data-check="level"]')
    .getByText(/remaining after matching|louder here than/)
    .waitFor();
  const matchOverLoop = page.getByRole("button", { name: "Match over the loop instead" });
  if (await matchOverLoop.isVisible()) await matchOverLoop.click();
  await page.getByText("fair.").waitFor();
  await page.getByLabel("Listener code").fill("L1");
  await settled();
  if (suffix === "day") {
    await save("blind");
  }

  await page.getByLabel("Number of trials").fill("10");
  await page.getByRole("button", { name: "Seal the order and begin" }).click();
  for (let trial = 1; trial <= 10; trial++) {
    await page.getByText(`Trial ${trial} of 10`).waitFor();
    await page.getByRole("button", { name: "Hear X, shortcut 2", disabled: false }).waitFor();
    await page.keyboard.press("1");
    await page.keyboard.press("2");
    await page.getByRole("button", { name: "X is A", disabled: false }).waitFor();
    if (trial === 4 && suffix === "day") await save("booth");
    await page.keyboard.press("a");
  }
  await page.getByTestId("verdict").waitFor();
  await settled();
  await page.getByRole("link", { name: "To the findings" }).click();
  if (suffix === "day") {
    const cell = (name) => page.getByRole("gridcell", { name });
    await cell("Leveller, newer, Crossing theme").click();
    await page.keyboard.press("2");
    await cell("Bus compressor, Crossing theme").click();
    await page.keyboard.press("1");
    await page.getByLabel("Good").fill("holds the bells together");
    await page.getByLabel("Bad").fill("slow on the slaps");
    await page
      .getByRole("grid", { name: "Verdicts" })
      .getByText("…")
      .first()
      .waitFor({ state: "hidden", timeout: 90_000 });
    await settled();
    await save("findings");
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: /^Report/ }).click();
    await page.frameLocator("iframe").getByRole("heading", { level: 1 }).waitFor({ timeout: 60_000 });
    await settled();
    await save("report");
  }
  await context.close();
}

try {
  for (let tries = 0; tries < 60; tries++) {
    if (
      await fetch(`http://localhost:${port}/`).then(
        (r) => r.ok,
        () => false,
      )
    )
      break;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  await shoot("light", "day");
  await shoot("dark", "night");
} finally {
  await browser.close();
  server.kill();
}
