import { defineConfig } from "@playwright/test";

const port = 3107;
const LIVE = "seeded/bench-live.spec.ts";

export default defineConfig({
  testDir: "e2e",
  // Beside three other programs that take all they can, the longest tests take three times as long as alone.
  timeout: 180_000,
  expect: { timeout: 40_000 },
  // A browser waits more than it computes.
  workers: 2,
  fullyParallel: true,
  retries: process.env.CI ? 1 : 0,
  reporter: "list",
  projects: [
    { name: "seeds", testMatch: "seeds.spec.ts" },
    { name: "afresh", testIgnore: ["seeds.spec.ts", "seeded/**"] },
    // It waits for half a minute of sound to be played, and has a browser of its own: begun first, it holds nobody up.
    { name: "live", testMatch: LIVE, dependencies: ["seeds"] },
    { name: "seeded", testMatch: "seeded/*.spec.ts", testIgnore: LIVE, dependencies: ["seeds"] },
  ],
  use: {
    baseURL: `http://localhost:${port}`,
    viewport: { width: 1280, height: 800 },
    // Colours are judged when they have settled.
    contextOptions: { reducedMotion: "reduce" },
    trace: "on-first-retry",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
  },
  webServer: {
    command: `next start --port ${port}`,
    url: `http://localhost:${port}`,
    reuseExistingServer: false,
  },
});
