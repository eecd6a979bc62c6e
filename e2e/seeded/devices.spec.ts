import { expect } from "@playwright/test";
import { LABELS } from "../../src/ui/labels";
import { openSeeded, test } from "../profiles";
import { playheadFrame } from "../support";

// Chromium's stand-ins for devices: outputs to choose from, and a person who allows it.
test.use({
  launchOptions: async ({ launchOptions }, use) =>
    use({
      ...launchOptions,
      args: [...(launchOptions.args ?? []), "--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream"],
    }),
});

test("another device can be chosen while it plays, and playback goes on", async ({ page }) => {
  await openSeeded(page, "demo", "listen");
  await page.keyboard.press("Space");
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(24_000);
  await page.getByLabel(LABELS.outputDevice).selectOption({ label: "Fake Audio Output 1" });
  const chosen = await playheadFrame(page);
  await expect.poll(() => playheadFrame(page)).toBeGreaterThan(chosen + 24_000);
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
});
