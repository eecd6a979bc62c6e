// Bundles what runs in Node outside the page: the terminal program and the server's worker. Done when packages are installed and at each build;
// the terminal program does it anew where a source has changed since.
import { existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { basename, join } from "node:path";
import { fileURLToPath } from "node:url";

export const projectRoot = fileURLToPath(new URL("../", import.meta.url));
const folder = join(projectRoot, ".bundled");
const list = join(folder, "sources.json");

/** Whether every source is what it was when it was bundled. */
export function isBundled() {
  if (!existsSync(list)) return false;
  const sources = JSON.parse(readFileSync(list, "utf8"));
  return sources.every(
    ([path, time]) => statSync(join(projectRoot, path), { throwIfNoEntry: false })?.mtimeMs === time,
  );
}

const OLD_MS = 7 * 24 * 3600 * 1000;

/** Parts of earlier bundles go after a week: a server that was started from one may still ask for them. */
function letGoOfOld(current) {
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    const isPart = name.endsWith(".mjs") && !current.has(name);
    if (isPart && Date.now() - statSync(path).mtimeMs > OLD_MS) rmSync(path);
  }
}

export async function bundle() {
  const { build } = await import("esbuild");
  const { metafile } = await build({
    absWorkingDir: projectRoot,
    entryPoints: { yonder: "cli/yonder.ts", "upload-worker": "cli/upload-worker.ts" },
    outdir: folder,
    outExtension: { ".js": ".mjs" },
    bundle: true,
    splitting: true,
    platform: "node",
    target: "node20",
    format: "esm",
    metafile: true,
    logLevel: "error",
    // Some packages still ask for their parts in the old way.
    banner: { js: 'import { createRequire } from "node:module"; const require = createRequire(import.meta.url);' },
  });
  const sources = Object.keys(metafile.inputs).map((path) => [path, statSync(join(projectRoot, path)).mtimeMs]);
  writeFileSync(list, JSON.stringify(sources));
  letGoOfOld(new Set(Object.keys(metafile.outputs).map((path) => basename(path))));
}

/** For vitest: tests of the terminal and the server run what the sources say now. */
export async function setup() {
  if (!isBundled()) await bundle();
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await bundle();
