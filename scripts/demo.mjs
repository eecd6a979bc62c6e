// npm run demo: installs what is missing, builds, starts on http://localhost:3000 and opens onto the demo.
import { spawn, spawnSync } from "node:child_process";
import { ensurePackages, projectRoot } from "./ensure.mjs";

ensurePackages();
const port = process.env.PORT ?? "3000";
const next = `${projectRoot}node_modules/.bin/next`;
const build = spawnSync("npm", ["run", "--silent", "build"], { cwd: projectRoot, stdio: "inherit" });
if (build.status !== 0) process.exit(build.status ?? 1);

const server = spawn(next, ["start", "--port", port], {
  cwd: projectRoot,
  stdio: "inherit",
  env: { ...process.env, YONDER_START: "demo" },
});
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => server.kill(signal));
server.on("exit", (code) => process.exit(code ?? 0));

const address = `http://localhost:${port}`;
console.log(`\nThe demo opens at ${address}\n`);
if (process.env.DISPLAY || process.env.WAYLAND_DISPLAY || process.platform === "darwin") {
  const opener = process.platform === "darwin" ? "open" : "xdg-open";
  setTimeout(() => spawn(opener, [address], { stdio: "ignore" }).on("error", () => {}), 2000);
}
