// Runs a command of the project's own packages, installing them first where they are missing:
//   node scripts/with-dependencies.mjs tsx cli/compare.ts …
import { spawnSync } from "node:child_process";
import { ensurePackages, projectRoot } from "./ensure.mjs";

ensurePackages();
const [command, ...args] = process.argv.slice(2);
const result = spawnSync(command, args, {
  stdio: "inherit",
  cwd: projectRoot,
  env: { ...process.env, PATH: `${projectRoot}node_modules/.bin:${process.env.PATH}` },
});
process.exit(result.status ?? 1);
