import { execFileSync, spawn } from "node:child_process";
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

/** What the browser tests need of Debian: the browser, and a reader of audio that is none of ours. */
const NEEDED = [
  { file: CHROMIUM, debianPackage: "chromium" },
  { file: "/usr/bin/ffmpeg", debianPackage: "ffmpeg" },
];

/** Installs those of Debian's packages that are missing, beside whatever else is done meanwhile. */
export async function ensureDebianPackages() {
  const missing = NEEDED.filter(({ file }) => !existsSync(file)).map(({ debianPackage }) => debianPackage);
  if (missing.length === 0) return;
  console.error(`Installing ${missing.join(" and ")} from Debian…`);
  const asRoot = process.getuid?.() === 0 ? [] : ["sudo"];
  const apt = (...args) =>
    new Promise((resolve, reject) => {
      const [command, ...rest] = [...asRoot, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", ...args];
      const failed = () =>
        reject(new Error(`apt-get ${args.join(" ")} failed; install ${missing.join(" and ")} by hand and try again.`));
      spawn(command, rest, { stdio: ["ignore", 2, 2] })
        .on("error", failed)
        .on("exit", (status) => (status === 0 ? resolve() : failed()));
    });
  await apt("update", "-qq");
  await apt("install", "-y", "-qq", "--no-install-recommends", ...missing);
}
