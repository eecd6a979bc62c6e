// npm run kernels: compiles kernels/*.ts into src/core/kernels/bytes.ts. A unit test sees to it that the two agree.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("../", import.meta.url));

/** The compiled module in base64. */
export function compileKernels() {
  const folder = mkdtempSync(join(tmpdir(), "yonder-kernels-"));
  const outFile = join(folder, "kernels.wasm");
  const options = ["-O3", "--noAssert", "--runtime", "stub", "--enable", "simd", "--outFile", outFile];
  const files = ["ear", "filters", "functions", "sums", "spectra"].map((name) => `kernels/${name}.ts`);
  execFileSync("node_modules/.bin/asc", [...files, ...options], {
    cwd: root,
    stdio: ["ignore", 2, 2],
  });
  const bytes = readFileSync(outFile);
  rmSync(folder, { recursive: true });
  return bytes.toString("base64");
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const about = "/** The files of kernels/, compiled by `npm run kernels`: a WebAssembly module in base64. */";
  const text = `${about}\nexport const KERNEL_BYTES =\n  "${compileKernels()}";\n`;
  writeFileSync(join(root, "src/core/kernels/bytes.ts"), text);
}
