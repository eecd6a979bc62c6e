import { cpSync, existsSync, mkdtempSync, readFileSync, renameSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type BrowserContextOptions, test as base, chromium, expect, type LaunchOptions } from "@playwright/test";

// Tests that begin from the demo, made once for each build: each has a copy of the profile of a browser that has it.

type Options = LaunchOptions & BrowserContextOptions;

/** A profile with the whole demo in it, lined up and measured. */
async function seededProfile(options: Options): Promise<string> {
  const build = readFileSync(".next/BUILD_ID", "utf8").trim();
  const seed = join(tmpdir(), `yonder-seed-${build}`);
  if (existsSync(seed)) return seed;
  const making = mkdtempSync(join(tmpdir(), "yonder-seeding-"));
  const context = await chromium.launchPersistentContext(making, options);
  const page = await context.newPage();
  await page.goto("/");
  await page.getByRole("button", { name: "Open the demo" }).click();
  await expect(page.getByText("4 passages by 8 candidates")).toBeVisible({ timeout: 120_000 });
  await expect(page.getByLabel("Work in progress")).toBeHidden({ timeout: 120_000 });
  await expect(page.getByText("Lining up…")).toHaveCount(0, { timeout: 60_000 });
  await context.close();
  renameSync(making, seed);
  return seed;
}

export const test = base.extend<object, { seed: (options: Options) => Promise<string> }>({
  seed: [
    // biome-ignore lint/correctness/noEmptyPattern: Playwright reads from it that nothing is needed
    async ({}, use) => {
      let made: Promise<string> | null = null;
      await use((options) => {
        made ??= seededProfile(options);
        return made;
      });
    },
    { scope: "worker" },
  ],
  context: async ({ seed, launchOptions, contextOptions, viewport, baseURL, colorScheme }, use) => {
    const options = { ...launchOptions, ...contextOptions, viewport, baseURL, colorScheme };
    const profile = mkdtempSync(join(tmpdir(), "yonder-profile-"));
    cpSync(await seed(options), profile, { recursive: true });
    const context = await chromium.launchPersistentContext(profile, options);
    await use(context);
    await context.close();
    rmSync(profile, { recursive: true, force: true });
  },
  page: async ({ context }, use) => use(context.pages()[0] ?? (await context.newPage())),
});
