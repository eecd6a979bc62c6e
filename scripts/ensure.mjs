import { execFileSync, spawnSync } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

export const projectRoot = fileURLToPath(new URL("../", import.meta.url));
const stamp = `${projectRoot}node_modules/.installed-lock`;

/** Installs the packages of package-lock.json unless exactly those are there. Output goes to standard error. */
export function ensurePackages() {
  const lock = readFileSync(`${projectRoot}package-lock.json`, "utf8");
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === lock) return;
  console.error("Installing packages…");
  execFileSync("npm", ["ci", "--no-audit", "--no-fund", "--loglevel=error"], {
    cwd: projectRoot,
    stdio: ["ignore", 2, 2],
  });
  writeFileSync(stamp, lock);
  // The terminal program starts from its bundle, which is made along with the packages.
  execFileSync(process.execPath, ["scripts/bundle.mjs"], { cwd: projectRoot, stdio: ["ignore", 2, 2] });
}

export const CHROMIUM = "/usr/bin/chromium";

/** Installs Debian's Chromium for the browser tests where it is missing. */
export function ensureChromium() {
  if (existsSync(CHROMIUM)) return;
  console.error("Installing Chromium from Debian…");
  const asRoot = process.getuid?.() === 0 ? [] : ["sudo"];
  const apt = (...args) => {
    const [command, ...rest] = [...asRoot, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", ...args];
    if (spawnSync(command, rest, { stdio: ["ignore", 2, 2] }).status !== 0) {
      throw new Error(`apt-get ${args.join(" ")} failed; install the package chromium by hand and try again.`);
    }
  };
  apt("update", "-qq");
  apt("install", "-y", "-qq", "--no-install-recommends", "chromium");
}
