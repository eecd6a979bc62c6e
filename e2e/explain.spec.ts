import { expect, test } from "@playwright/test";
import { LABELS } from "../src/ui/labels";
import { addFiles, guitar, newComparison, stop, wavFile } from "./support";

test("20 ms that are lost and a click are told, and lead to where to listen", async ({ page }) => {
  const dry = guitar();
  const rate = dry.sampleRateHz;
  const faulty = {
    ...dry,
    channels: dry.channels.map((channel) =>
      channel.map((v, n) => (n >= 2 * rate && n < 2.02 * rate ? 0 : n === Math.round(1.2 * rate) ? 0.9 : v)),
    ),
  };
  await newComparison(page, "Lost buffer");
  await addFiles(page, [wavFile("bounce.wav", dry), wavFile("faulty.wav", faulty)], "bounce.wav");
  await stop(page, "Explain").click();
  const sentence = page.getByTestId("explain-sentence");
  await expect(sentence).toContainText(/Except: click at 0:01\.2; Yonder silent for about 2[01].ms at 0:02\.0\./);
  const where = page.getByRole("region", { name: LABELS.whereToListen });
  await expect(where).toContainText(/so listen: click at 0:01\.2; Yonder silent/);
  await where.getByRole("button", { name: "Loop 0:01.7 to 0:02.3" }).click();
  await expect(page.getByRole("button", { name: /^Pause/ })).toBeVisible();
});
