import { chromium } from "@playwright/test";
import http from "node:http";
const server = http.createServer((_, r) => { r.setHeader("content-type", "text/html"); r.setHeader("Cross-Origin-Opener-Policy","same-origin"); r.setHeader("Cross-Origin-Embedder-Policy","require-corp"); r.end("<input type=file id=f>"); }).listen(3333);
const browser = process.env.PERSIST ? null : await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox","--disable-gpu"] });
const ctx = process.env.PERSIST ? await chromium.launchPersistentContext("/tmp/t/prof"+Date.now(), { executablePath: "/usr/bin/chromium", args: ["--no-sandbox","--disable-gpu"] }) : await browser!.newContext();
const page = await ctx.newPage();
page.on("console", (m) => console.log(m.text()));
await page.goto("http://localhost:3333/"); await page.evaluate("globalThis.__name = (f) => f");
await page.locator("#f").setInputFiles(["/tmp/benchfiles/long dry.wav"]);
await page.evaluate(async () => {
  const file = (document.querySelector("#f") as HTMLInputElement).files![0];
  const code = `
  const MB = 1048576;
  onmessage = async ({ data }) => {
    const { blob, label } = data;
    const total = 128 * MB;
    for (const size of [0.25, 1, 4, 16, 64]) {
      const r = new FileReaderSync(); let t = performance.now();
      for (let at = 0; at < total; at += size * MB) r.readAsArrayBuffer(blob.slice(at, at + size * MB));
      postMessage(label + " FileReaderSync " + size + " MB: " + (total / MB / (performance.now() - t) * 1000).toFixed(0) + " MB/s");
    }
    for (const size of [1, 4, 16]) {
      let t = performance.now();
      for (let at = 0; at < total; at += size * MB) await blob.slice(at, at + size * MB).arrayBuffer();
      postMessage(label + " arrayBuffer " + size + " MB: " + (total / MB / (performance.now() - t) * 1000).toFixed(0) + " MB/s");
    }
    for (const size of [4, 16]) {
      let t = performance.now(); let ps=[];
      for (let at = 0; at < total; at += size * MB) { ps.push(blob.slice(at, at + size * MB).arrayBuffer()); if (ps.length>=4) await ps.shift(); }
      await Promise.all(ps);
      postMessage(label + " arrayBuffer x4 ahead " + size + " MB: " + (total / MB / (performance.now() - t) * 1000).toFixed(0) + " MB/s");
    }
    { let t = performance.now(); let n = 0; const reader = blob.slice(0, total).stream().getReader(); for (;;) { const { value, done } = await reader.read(); if (done) break; n += value.length; }
      postMessage(label + " stream: " + (n / MB / (performance.now() - t) * 1000).toFixed(0) + " MB/s"); }
    postMessage("done");
  };`;
  const run = (blob: Blob, label: string) => new Promise<void>((res) => { const w = new Worker(URL.createObjectURL(new Blob([code]))); w.onmessage = (e) => { if (e.data === "done") res(); else console.log(e.data); }; w.postMessage({ blob, label }); });
  await run(file, "file");
  const db: IDBDatabase = await new Promise((res) => { const o = indexedDB.open("x"); o.onupgradeneeded = () => o.result.createObjectStore("a"); o.onsuccess = () => res(o.result); });
  let t = performance.now();
  await new Promise<void>((res) => { const tx = db.transaction("a", "readwrite"); tx.objectStore("a").put(file, 1); tx.oncomplete = () => res(); });
  console.log("idb put 346 MB", (performance.now() - t) | 0, "ms");
  const kept: Blob = await new Promise((res) => { const g = db.transaction("a").objectStore("a").get(1); g.onsuccess = () => res(g.result); });
  await run(kept, "kept");
  // OPFS
  const opfs = `
  const MB = 1048576;
  onmessage = async ({ data: file }) => {
    const root = await navigator.storage.getDirectory(); const h = await root.getFileHandle("y", { create: true });
    let a = await h.createSyncAccessHandle(); const r = new FileReaderSync(); let t = performance.now();
    const total = 128 * MB;
    const buf = new Uint8Array(r.readAsArrayBuffer(file.slice(0, 4 * MB))); t = performance.now();
    for (let at = 0; at < total; at += 4 * MB) a.write(buf, { at });
    a.flush(); postMessage("opfs write " + (128 / (performance.now() - t) * 1000).toFixed(0) + " MB/s"); a.close();
    let b; try { b = await h.createSyncAccessHandle({ mode: "read-only" }); } catch (e) { postMessage("ro " + e); b = await h.createSyncAccessHandle(); }
    t = performance.now(); for (let at = 0; at < total; at += 4 * MB) b.read(buf, { at });
    postMessage("opfs read 4 MB " + (128 / (performance.now() - t) * 1000).toFixed(0) + " MB/s");
    const small = new Uint8Array(100000); t = performance.now(); for (let i = 0; i < 1000; i++) b.read(small, { at: i * 100000 });
    postMessage("opfs read 100 kB " + ((performance.now() - t) / 1000).toFixed(3) + " ms each");
    postMessage("done");
  };`;
  await new Promise<void>((res) => { const w = new Worker(URL.createObjectURL(new Blob([opfs]))); w.onmessage = (e) => { if (e.data === "done") res(); else console.log(e.data); }; w.postMessage(file); });
});
await ctx.close(); await browser?.close(); process.exit();
