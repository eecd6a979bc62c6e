// What the comparison over HTTP asks of the server: whether pages still answer while many requests wait, and the memory of a large upload.
import { createReadStream, statSync } from "node:fs";
import { mkdtemp, rm } from "node:fs/promises";
import { request } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { Worker } from "node:worker_threads";
import { longFile } from "./long-sounds";
import { mostWhile, serve } from "./serve";

const PORT = 3221;
const REQUESTS = 20;
const UPLOAD_BYTES = 900e6;
/** How often another page is asked for meanwhile. */
const PAGE_EVERY_MS = 100;

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

const BOUNDARY = "yonder-bench";

/** Sends a form of files as it is read, over a connection of its own, as scripts do. */
async function post(address: string, paths: readonly string[]): Promise<{ status: number; retryAfterSeconds: number }> {
  const heads = paths.map((_, i) => {
    const name = i === 0 ? "reference" : "render";
    const disposition = `form-data; name="${name}"; filename="${i}.wav"`;
    return `--${BOUNDARY}\r\nContent-Disposition: ${disposition}\r\nContent-Type: audio/wav\r\n\r\n`;
  });
  const end = `--${BOUNDARY}--\r\n`;
  const bytes = paths.reduce((sum, path, i) => sum + statSync(path).size + heads[i].length + 2, end.length);
  return new Promise((resolve, reject) => {
    const headers = { "content-type": `multipart/form-data; boundary=${BOUNDARY}`, "content-length": bytes };
    const sent = request(`${address}/api/compare`, { method: "POST", headers, agent: false }, (answer) => {
      answer
        .resume()
        .on("end", () =>
          resolve({ status: answer.statusCode ?? 0, retryAfterSeconds: Number(answer.headers["retry-after"] ?? 0) }),
        );
    });
    async function* form() {
      for (const [i, path] of paths.entries()) {
        yield heads[i];
        yield* createReadStream(path);
        yield "\r\n";
      }
      yield end;
    }
    pipeline(Readable.from(form()), sent).catch(reject);
  });
}

/** Asks until it is taken; counts how often it was told to come again. */
async function compared(address: string, paths: readonly string[]): Promise<{ status: number; turnedAway: number }> {
  for (let turnedAway = 0; ; turnedAway++) {
    const { status, retryAfterSeconds } = await post(address, paths);
    if (status !== 429) return { status, turnedAway };
    await wait(1000 * retryAfterSeconds);
  }
}

/** Asks for a page again and again until it is told to stop; in a thread of its own, so that sending the files does not count as waiting. */
const ASKER = `
const { parentPort, workerData } = require("node:worker_threads");
let done = false;
parentPort.once("message", () => { done = true; });
(async () => {
  const times = [];
  // The first one loads what asking takes.
  await (await fetch(workerData.address)).arrayBuffer();
  parentPort.postMessage("ready");
  while (!done) {
    const begun = performance.now();
    await (await fetch(workerData.address)).arrayBuffer();
    times.push(performance.now() - begun);
    await new Promise((next) => setTimeout(next, workerData.everyMs));
  }
  parentPort.postMessage(times.sort((a, b) => a - b));
})();`;

/** Milliseconds that a page takes to answer, asked for again and again while something is done. */
async function pagesWhile<T>(address: string, work: () => Promise<T>): Promise<{ times: number[]; result: T }> {
  const asker = new Worker(ASKER, { eval: true, workerData: { address, everyMs: PAGE_EVERY_MS } });
  const said = <Said>() => new Promise<Said>((resolve, reject) => asker.once("message", resolve).once("error", reject));
  await said<"ready">();
  const result = await work().finally(() => asker.postMessage("stop"));
  return { times: await said<number[]>(), result };
}

export async function benchServer(): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), "yonder-bench-"));
  const minute = [0, 1].map((n) => longFile(join(folder, `minute ${n}.wav`), n, 48_000, 60));
  const large = [0, 1].map((n) => longFile(join(folder, `large ${n}.wav`), n, 96_000, UPLOAD_BYTES / 2 / (96_000 * 6)));
  const server = await serve(PORT);
  try {
    const alone = await pagesWhile(server.address, () => wait(2000));
    const busy = await mostWhile("next-server", () =>
      pagesWhile(server.address, () =>
        Promise.all(Array.from({ length: REQUESTS }, () => compared(server.address, minute))),
      ),
    );
    const { times, result } = busy.result;
    const at = (share: number) => times[Math.floor(share * (times.length - 1))].toFixed(0);
    const right = result.filter((r) => r.status === 200).length;
    const turnedAway = result.reduce((sum, r) => sum + r.turnedAway, 0);
    console.log(
      `${REQUESTS} requests of a minute: ${right} answered within ${busy.seconds.toFixed(0)} s, told ${turnedAway} times to come again; ` +
        `a page meanwhile after ${at(0.5)} ms, ${at(0.95)} ms at the 95th percentile, ${at(1)} ms at most (aim: 200; ` +
        `${alone.times[Math.floor(alone.times.length / 2)].toFixed(0)} ms with nothing to do), ${busy.mostMb.toFixed(0)} MB`,
    );
    const upload = await mostWhile("next-server", () =>
      pagesWhile(server.address, () => compared(server.address, large)),
    );
    console.log(
      `an upload of 900 MB: ${upload.result.result.status} after ${upload.seconds.toFixed(0)} s, ${upload.mostMb.toFixed(0)} MB at most (4.5 GB before); ` +
        `a page meanwhile after ${upload.result.times.at(-1)?.toFixed(0)} ms at most`,
    );
  } finally {
    server.stop();
    await rm(folder, { recursive: true, force: true });
  }
}
