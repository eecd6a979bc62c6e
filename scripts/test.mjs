// npm test: installs what is missing, then lint, types, unit tests, build and end-to-end tests.
// Prints the counts of both runners and, last, their sum as "N passed, N failed".
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ensureDebianPackages, ensurePackages, projectRoot } from "./ensure.mjs";

ensurePackages();
// Needed last: they come while the other tests run.
const debian = ensureDebianPackages();
// What went wrong is reported where it is waited for.
debian.catch(() => {});

const reports = mkdtempSync(join(tmpdir(), "yonder-tests-"));
const unitReport = join(reports, "unit.json");
const e2eReport = join(reports, "e2e.json");

const steps = [
  { name: "lint", command: ["npm", "run", "--silent", "lint"] },
  { name: "types", command: ["npm", "run", "--silent", "types"], prepare: ["next", "typegen"] },
  {
    name: "unit tests",
    command: ["vitest", "run", "--reporter=default", "--reporter=json", `--outputFile.json=${unitReport}`],
    report: () => {
      const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(unitReport, "utf8"));
      return { passed: numPassedTests, failed: numFailedTests };
    },
  },
  { name: "build", command: ["npm", "run", "--silent", "build"] },
  {
    name: "end-to-end tests",
    command: ["playwright", "test", "--reporter=list,json"],
    needs: debian,
    env: { PLAYWRIGHT_JSON_OUTPUT_NAME: e2eReport },
    report: () => {
      const { stats } = JSON.parse(readFileSync(e2eReport, "utf8"));
      return { passed: stats.expected + stats.flaky, failed: stats.unexpected };
    },
  },
];

const run = (command, env = {}) =>
  new Promise((resolve) => {
    spawn(command[0], command.slice(1), {
      cwd: projectRoot,
      stdio: "inherit",
      env: {
        ...process.env,
        PATH: `${projectRoot}node_modules/.bin:${process.env.PATH}`,
        NEXT_TELEMETRY_DISABLED: "1",
        ...env,
      },
    })
      .on("error", () => resolve(1))
      .on("exit", resolve);
  });

const total = { passed: 0, failed: 0 };
for (const { name, command, prepare, env, needs, report } of steps) {
  console.log(`\n— ${name}`);
  if (prepare) await run(prepare);
  const missing = await needs?.then(
    () => null,
    (error) => error,
  );
  if (missing) console.log(missing.message);
  const failed = missing || (await run(command, env)) !== 0;
  let counts = { passed: 0, failed: 0 };
  try {
    counts = report?.() ?? counts;
  } catch {
    // A runner that broke down before writing its report is counted as one failure below.
  }
  total.passed += counts.passed;
  total.failed += failed ? Math.max(1, counts.failed) : counts.failed;
  if (failed) {
    console.log(`${name} failed.`);
    break;
  }
}
// One that is cut short would leave Debian's package lock behind for the next try.
await debian.catch(() => {});
console.log(`\n${total.passed} passed, ${total.failed} failed`);
process.exit(total.failed > 0 ? 1 : 0);
