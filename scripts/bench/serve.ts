import { spawn } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";

/** The built product, served; resolves when it answers. `stop` ends it with all it started. */
export async function serve(port: number): Promise<{ address: string; stop: () => void }> {
  const address = `http://localhost:${port}`;
  const answers = () =>
    fetch(address).then(
      (answer) => answer.ok,
      () => false,
    );
  if (await answers()) throw new Error(`something answers at port ${port} already; end it first`);
  const server = spawn("node_modules/.bin/next", ["start", "--port", String(port)], {
    stdio: "ignore",
    detached: true,
  });
  const stop = () => {
    if (server.pid && server.exitCode === null) process.kill(-server.pid);
  };
  process.once("exit", stop);
  for (let tries = 0; tries < 100; tries++) {
    if (await answers()) return { address, stop };
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error("the product does not start; is it built?");
}

/** Megabytes that the largest process with this in its command line holds resident, as the system counts it. */
export function residentMb(mark: string): number {
  let most = 0;
  for (const id of readdirSync("/proc").filter((name) => /^\d+$/.test(name))) {
    try {
      if (!readFileSync(`/proc/${id}/cmdline`, "utf8").includes(mark)) continue;
      const kilobytes = Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${id}/status`, "utf8"))?.[1] ?? 0);
      most = Math.max(most, kilobytes / 1024);
    } catch {
      // It ended meanwhile.
    }
  }
  return most;
}

/** Often enough to see every step of some megabytes; looking costs a few milliseconds itself. */
const LOOK_EVERY_MS = 200;

/** The most that is resident while something is done. */
export async function mostWhile<T>(
  mark: string,
  work: () => Promise<T>,
): Promise<{ mostMb: number; seconds: number; result: T }> {
  let mostMb = 0;
  const watch = setInterval(() => {
    mostMb = Math.max(mostMb, residentMb(mark));
  }, LOOK_EVERY_MS);
  const begun = performance.now();
  const result = await work().finally(() => clearInterval(watch));
  return { mostMb, seconds: (performance.now() - begun) / 1000, result };
}
