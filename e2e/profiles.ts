import { cpSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test as base, chromium, expect, type Page, type TestDetailsAnnotation } from "@playwright/test";
import type { StopKey } from "../src/ui/shell/stops";

// Tests that begin from what others have made: each has a copy of the profile of a browser that has it. `seeds.spec.ts` makes them, anew
// for each build.

/** The whole demo, or one passage of the guitar by three candidates. */
export type Seed = "demo" | "grid";

const profileOf = (seed: string): string =>
  join(tmpdir(), `yonder-seed-${readFileSync(".next/BUILD_ID", "utf8").trim()}-${seed}`);

/** Where the test that left a profile ended, kept in the profile itself. */
const addressFile = (profile: string): string => join(profile, "yonder-address.txt");

/** Opens what a seed ended with at one of its stops, and waits for the pair to be measured and ready to play. */
export async function openSeeded(page: Page, seed: Seed, stop: StopKey = "gather"): Promise<void> {
  await page.goto(readFileSync(addressFile(profileOf(seed)), "utf8").replace(/[^/]+$/, stop));
  await expect(page.locator('[data-figure="nulls-to"]')).toContainText("dB", { timeout: 40_000 });
  await expect(page.getByRole("button", { name: /^Play Space/ })).toBeEnabled();
}

/** Marks a test that leaves behind, when it passes, what others begin from. */
export const leaves = (seed: Seed): TestDetailsAnnotation => ({ type: "leaves", description: seed });

/** `seed` is what a test begins from; nothing when it is null. */
export const test = base.extend<{ seed: Seed | null }>({
  seed: ["demo", { option: true }],
  context: async ({ seed, launchOptions, contextOptions, viewport, baseURL, colorScheme }, use, info) => {
    const profile = mkdtempSync(join(tmpdir(), "yonder-profile-"));
    if (seed) cpSync(profileOf(seed), profile, { recursive: true });
    const options = { ...launchOptions, ...contextOptions, viewport, baseURL, colorScheme };
    const context = await chromium.launchPersistentContext(profile, options);
    await use(context);
    const address = context.pages()[0]?.url() ?? "";
    await context.close();
    const left = info.annotations.find(({ type }) => type === "leaves")?.description;
    if (left && info.status === info.expectedStatus) {
      rmSync(profileOf(left), { recursive: true, force: true });
      writeFileSync(addressFile(profile), address);
      renameSync(profile, profileOf(left));
    } else rmSync(profile, { recursive: true, force: true });
  },
  page: async ({ context }, use) => use(context.pages()[0] ?? (await context.newPage())),
});
