// npm run check: lint, types and the unit tests of what has changed since the last commit, in under a minute.
import { spawnSync } from "node:child_process";
import { ensurePackages, projectRoot } from "./ensure.mjs";

ensurePackages();

/** Files that differ from the last commit, those not added yet among them. */
function changedFiles() {
  const list = (...args) =>
    spawnSync("git", args, { cwd: projectRoot, encoding: "utf8" }).stdout.split("\n").filter(Boolean);
  return [...list("diff", "--name-only", "HEAD"), ...list("ls-files", "--others", "--exclude-standard")];
}

const sources = changedFiles().filter((path) => /^(src|cli|kernels)\/.*\.tsx?$/.test(path));
const steps = [
  ["biome", "check", "."],
  ["knip"],
  ["tsc", "-p", "tsconfig.core.json", "--noEmit"],
  ["tsc", "--noEmit"],
  ...(sources.length > 0 ? [["vitest", "related", "--run", "--passWithNoTests", ...sources]] : []),
];
for (const [command, ...args] of steps) {
  const { status } = spawnSync(command, args, {
    cwd: projectRoot,
    stdio: "inherit",
    env: { ...process.env, PATH: `${projectRoot}node_modules/.bin:${process.env.PATH}` },
  });
  if (status !== 0) process.exit(status ?? 1);
}
