// npm run screenshots: takes docs/screenshots anew from the demo, after a build.
import { spawn } from "node:child_process";
import { chromium } from "@playwright/test";
import { CHROMIUM, projectRoot } from "./ensure.mjs";

const port = 3108;
const server = spawn(`${projectRoot}node_modules/.bin/next`, ["start", "--port", String(port)], { cwd: projectRoot });
const browser = await chromium.launch({
  executablePath: CHROMIUM,
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic"],
});

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
  await page.locator("[data-render]").nth(7).waitFor({ timeout: 60_000 });
  await page.getByLabel("Here render").selectOption({ label: "Bell and shelf" });
  await page.getByLabel("Yonder render").selectOption({ label: "Drive stage" });
  const box = await page.getByTestId("waveform").boundingBox();
  await page.mouse.move(box.x + box.width * 0.27, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.55, box.y + 20, { steps: 3 });
  await page.mouse.up();
  await page.locator('[data-figure="nulls-to"]', { hasText: "dB" }).waitFor();
  await settled();
  await save("gather");
  await to("Listen");
  await page.keyboard.press("ArrowRight");
  await settled();
  await save("listen");
  await to("Blind");
  await page.getByText(/is left after matching|Yonder is still/).waitFor();
  const matchOverLoop = page.getByRole("button", { name: "Match over the loop instead" });
  if (await matchOverLoop.isVisible()) await matchOverLoop.click();
  await page.getByText("fair.").waitFor();
  await settled();
  await save("blind");

  await page.getByLabel("Number of trials").fill("10");
  await page.getByRole("button", { name: "Seal the order and begin" }).click();
  for (let trial = 1; trial <= 10; trial++) {
    await page.getByText(`Trial ${trial} of 10`).waitFor();
    await page.getByRole("button", { name: "X 2", disabled: false }).waitFor();
    await page.keyboard.press("1");
    await page.keyboard.press("2");
    await page.getByRole("button", { name: "X is A", disabled: false }).waitFor();
    if (trial === 4) await save("booth");
    await page.keyboard.press("a");
  }
  await page.getByTestId("verdict").waitFor();
  await settled();
  await save("verdict");
  await page.getByRole("link", { name: "To the findings" }).click();
  await page
    .getByLabel("Note on this comparison")
    .fill("Next: the same pair on the hand drums, where the slaps show more.");
  await settled();
  await save("findings");
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
