import { openSync, readSync, statSync } from "node:fs";
import { createXXHash128 } from "hash-wasm";
import { OutlineMaker } from "../src/core/alignment/outline";
import { OverviewDrawer } from "../src/core/audio/overview";
import { piecesOf } from "../src/core/audio/sound";
import { openWav } from "../src/core/formats/wav-read";
import { SignatureMaker } from "../src/core/sorting/signature";
import { measureStretch } from "../src/core/loudness/measure";
const path = "/tmp/benchfiles/long dry.wav";
const fd = openSync(path, "r");
const source = { byteLength: statSync(path).size, read: (a: number, b: number) => { const u = new Uint8Array(b - a); readSync(fd, u, 0, b - a, a); return u; } };
for (let round = 0; round < 3; round++) {
  const opened = openWav(source, "x"); if (!opened.ok) throw 1;
  const { sound } = opened.value;
  const parts: Record<string, number> = {};
  const timed = (n: string, f: () => void) => { const t = performance.now(); f(); parts[n] = (parts[n] ?? 0) + performance.now() - t; };
  const d = new OverviewDrawer(sound.frames, 1200), m = new SignatureMaker(sound), o = new OutlineMaker(sound);
  const h = await createXXHash128();
  const begun = performance.now();
  const it = piecesOf(sound);
  for (;;) { let r: any; timed("decode", () => { r = it.next(); }); if (r.done) break; const { channels } = r.value;
    timed("overview", () => { d.add(channels, 1e9); }); timed("signature", () => m.add(channels)); timed("outline", () => o.add(channels)); timed("hash", () => { h.update(new Uint8Array(786432)); }); }
  timed("sig end", () => { m.signature(); }); timed("outline end", () => { o.outline(); });
  console.log((performance.now() - begun) | 0, JSON.stringify(parts, (_, v) => typeof v === "number" ? Math.round(v) : v));
  const t = performance.now(); measureStretch(sound); console.log("levels", (performance.now() - t) | 0);
}
