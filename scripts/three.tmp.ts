import { chromium } from "@playwright/test";
import { spawn } from "node:child_process";
const server = spawn("node_modules/.bin/next", ["start", "--port", "3111"], { stdio: "ignore" });
await new Promise((r) => setTimeout(r, 3000));
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox","--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, baseURL: "http://localhost:3111" });
let t0 = Date.now();
const say = (s: string) => console.log(((Date.now() - t0) / 1000).toFixed(2), s);
page.on("console", (m) => console.log("   ", ((Date.now() - t0) / 1000).toFixed(2), m.text()));
await page.goto("/"); await page.getByLabel("What is it about?").fill("Long");
await page.getByRole("button", { name: "New comparison" }).click();
await page.getByText("Drop renders here").waitFor();
const LONG = { timeout: 100_000 };
if (process.env.TRACE) await browser.startTracing(page, { path: "/tmp/t/trace.json", categories: ["toplevel","devtools.timeline","v8","v8.wasm","disabled-by-default-v8.cpu_profiler","blink.user_timing"] });
t0 = Date.now();
await page.getByLabel("Files to add").setInputFiles(["/tmp/benchfiles/long dry.wav"]); say("chosen"); for (let i=0;i<4;i++){ await new Promise(r=>setTimeout(r,700)); console.log(JSON.stringify(await page.evaluate(() => document.getAnimations().map(a => { const e=(a.effect as KeyframeEffect); return (e?.target as Element)?.outerHTML?.slice(0,160)+" | "+(a as CSSAnimation).animationName+" | "+(a as any).transitionProperty+" "+e?.pseudoElement; })))); }
await page.getByRole("button", { name: /^Add \d+ renders?$/, disabled: false }).waitFor(LONG); say("can add");
await page.getByRole("button", { name: /^Add \d+ renders?$/ }).click(LONG); say("clicked"); if (process.env.TRACE) { await browser.stopTracing(); await browser.close(); server.kill(); process.exit(); }
await page.getByRole("dialog").waitFor({ state: "hidden", ...LONG }); say("added");
await page.getByRole("button", { name: /^Play/, disabled: false }).waitFor(LONG); say("can play");
await page.getByRole("button", { name: /^Play/ }).click(LONG); say("pressed");
await page.waitForFunction(() => Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame")) > 0); say("heard");
await page.keyboard.press("Space");
await page.getByLabel("Work in progress").waitFor({ state: "hidden", ...LONG }); say("quiet");
t0 = Date.now();
await page.getByLabel("Files to add").setInputFiles(["/tmp/benchfiles/long render 1.wav"]); say("chosen"); for (let i=0;i<4;i++){ await new Promise(r=>setTimeout(r,700)); console.log(JSON.stringify(await page.evaluate(() => document.getAnimations().map(a => { const e=(a.effect as KeyframeEffect); return (e?.target as Element)?.outerHTML?.slice(0,160)+" | "+(a as CSSAnimation).animationName+" | "+(a as any).transitionProperty+" "+e?.pseudoElement; })))); }
await page.getByRole("button", { name: /^Add \d+ renders?$/, disabled: false }).waitFor(LONG); say("can add");
await page.getByRole("button", { name: /^Add \d+ renders?$/ }).click(LONG); say("clicked"); if (process.env.TRACE) { await browser.stopTracing(); await browser.close(); server.kill(); process.exit(); }
await page.getByRole("dialog").waitFor({ state: "hidden", ...LONG }); say("added");
await page.locator('[data-figure="time-apart"]').filter({ hasText: "smp" }).waitFor(LONG); say("time apart");
await page.locator('[data-figure="level-apart"]').filter({ hasText: "LU" }).waitFor(LONG); say("level apart");
await page.locator('[data-figure="nulls-to"]').filter({ hasText: "dB" }).waitFor(LONG); say("nulls");
if (process.env.TRACE) await browser.stopTracing();
t0 = Date.now();
await page.reload(); say("reloaded");
await page.getByRole("button", { name: /^Play/, disabled: false }).waitFor(LONG); say("can play");
await page.getByRole("button", { name: /^Play/, disabled: false }).click(LONG); say("pressed");
await page.waitForFunction(() => Number(document.querySelector("[data-testid=playhead]")?.getAttribute("data-frame")) > 0); say("heard");
await browser.close(); server.kill(); process.exit();
