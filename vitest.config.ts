import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const CORE = "src/core/**/*.test.ts";

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  test: {
    environment: "node",
    globalSetup: ["scripts/bundle.mjs"],
    setupFiles: ["src/core/testing/properties.ts", "src/core/testing/samples.ts"],
    // All cores: the default leaves one idle.
    maxWorkers: "100%",
    testTimeout: 60_000,
    projects: [
      // Core has no state but tables that come out the same: its files need no fresh start each.
      { extends: true, test: { name: "core", include: [CORE], isolate: false } },
      { extends: true, test: { name: "around", include: ["src/**/*.test.ts", "cli/**/*.test.ts"], exclude: [CORE] } },
    ],
  },
});
