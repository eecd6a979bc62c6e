import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";
import { BaseSequencer, type TestSpecification } from "vitest/node";

const CORE = "src/core/**/*.test.ts";

/** Folders and files whose tests take longest: begun first, so that no core waits for them in the end. */
const LONGEST = [
  "ladder/chains",
  "ladder/ladder",
  "alignment/hostile",
  "alignment/align",
  "cli/",
  "ladder/",
  "demo/",
  "loudness/",
  "explain/",
  "processors/",
];

class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]) {
    const rank = ({ moduleId }: TestSpecification) => {
      const place = LONGEST.findIndex((part) => moduleId.includes(part));
      return place < 0 ? LONGEST.length : place;
    };
    return files.toSorted((a, b) => rank(a) - rank(b));
  }
}

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  test: {
    environment: "node",
    globalSetup: ["scripts/bundle.mjs"],
    setupFiles: ["src/core/testing/properties.ts", "src/core/testing/samples.ts"],
    // All cores: the default leaves one idle.
    maxWorkers: "100%",
    sequence: { sequencer: LongestFirst },
    // Beside three other programs that take all they can, the longest takes three minutes.
    testTimeout: 300_000,
    hookTimeout: 300_000,
    projects: [
      // Core has no state but tables that come out the same: its files need no fresh start each.
      { extends: true, test: { name: "core", include: [CORE], isolate: false } },
      { extends: true, test: { name: "around", include: ["src/**/*.test.ts", "cli/**/*.test.ts"], exclude: [CORE] } },
    ],
  },
});
