import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  test: {
    include: ["src/**/*.test.ts", "cli/**/*.test.ts"],
    environment: "node",
    globalSetup: ["scripts/bundle.mjs"],
    setupFiles: ["src/core/testing/properties.ts", "src/core/testing/samples.ts"],
    // All cores: the default leaves one idle.
    maxWorkers: "100%",
    testTimeout: 60_000,
  },
});
